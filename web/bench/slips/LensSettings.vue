<script setup lang="ts">
import { ElButton, ElPopover, ElSlider } from 'element-plus'
import { useLook } from '../../store/look.js'

/** How strong the lens is: beside the picture, so that nothing of it lies over a spot. */
const look = useLook()
</script>

<template>
  <ElPopover trigger="click" placement="top" :width="230" :show-arrow="false">
    <template #reference><ElButton size="small" data-test="lens-set">{{ Math.round(100 * look.lensStrength) }} %</ElButton></template>
    <label>Strength <ElSlider v-model="look.lensStrength" :min="0" :max="1" :step="0.05" :show-tooltip="false" aria-label="Strength of the lens" data-test="lens-strength" /></label>
    <label v-if="look.lens === 'relief'" title="How wide a neighbourhood it compares with">Radius {{ look.reliefRadius }} px <ElSlider v-model="look.reliefRadius" :min="4" :max="128" :show-tooltip="false" aria-label="Radius of the relief lens" data-test="lens-radius" /></label>
  </ElPopover>
</template>

<style scoped>
label { display: block; padding: 0 8px; }
</style>
