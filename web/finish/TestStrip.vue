<script setup lang="ts">
import { ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import { valueText } from '@fennip/core/operations/settings.js'
import Crop from '../shared/Crop.vue'
import { plain } from '../shared/plain.js'
import { useFinish } from '../store/finish.js'

/** The framed place at five values of one setting, side by side: a click takes one, as a darkroom's strip does. */
const finish = useFinish()
const SIDE = 84
/** How far the outer values lie from the one that is set, as a share of the whole range. */
const REACH = 0.08

const values = computed(() => {
  const setting = finish.triedSetting
  if (!setting || !finish.selected) return []
  const now = Number(finish.selected.settings[setting.name])
  const apart = Math.max(setting.step, Math.round(((setting.maximum - setting.minimum) * REACH) / 2 / setting.step) * setting.step)
  return [-2, -1, 0, 1, 2].map((k) => Math.round(Math.max(setting.minimum, Math.min(setting.maximum, now + k * apart)) / setting.step) * setting.step)
})
const strips = computed(() => finish.variants(values.value).map((operations, i) => ({ value: values.value[i]!, text: valueText(finish.triedSetting!, values.value[i]), view: { lens: 'plain' as const, strength: 0, show: 'result' as const, operations: plain(operations) } })))
/** 1:1 in pixels of the screen. */
const region = computed(() => ({ x: Math.round(finish.frame.x - SIDE / 2), y: Math.round(finish.frame.y - SIDE / 2), width: SIDE, height: SIDE }))
const take = (value: number) => finish.selected && finish.triedSetting && finish.adjust(finish.selected.id, { [finish.triedSetting.name]: value })
</script>

<template>
  <div class="strip" data-test="test-strip">
    <div class="title"><b>Test strip</b>
      <template v-if="finish.triedSetting"><span class="soft">of</span>
        <ElSelect :model-value="finish.triedSetting.name" size="small" aria-label="Setting to try" data-test="tried" @change="(name: string) => (finish.tried = name)"><ElOption v-for="setting in finish.triable" :key="setting.name" :value="setting.name" :label="setting.title.toLowerCase()" /></ElSelect>
        <span class="soft">click in the picture for another place</span>
      </template>
    </div>
    <div v-if="strips.length > 0" class="row">
      <button v-for="(strip, i) in strips" :key="i" type="button" :class="{ on: i === 2 }" :aria-label="`${finish.triedSetting!.title} ${strip.text}`" data-test="strip-value" @click="take(strip.value)">
        <Crop :region="region" :view="strip.view" :width="SIDE" :height="SIDE" /><span>{{ strip.text }}{{ i === 2 ? ', taken' : '' }}</span>
      </button>
    </div>
    <p v-else class="soft">{{ finish.steps.length === 0 ? 'Propose all begins with what Fennip measures. A selected step is tried here at five values.' : 'Select a step with a value to try it at five values.' }}</p>
  </div>
</template>

<style scoped>
.strip { flex: 2 1 420px; min-width: 0; }
.title { display: flex; gap: 6px; align-items: center; height: 26px; white-space: nowrap; overflow: hidden; }
.title :deep(.el-select) { width: 118px; }
.row { display: flex; gap: 5px; overflow: hidden; }
.row button { border: 2px solid transparent; background: none; padding: 0; cursor: pointer; text-align: left; font-size: 12px; }
.row button.on { border-color: var(--ink); }
.row button:hover { border-color: var(--soft-ink); }
.row span { display: block; white-space: nowrap; }
p { margin: 4px 0; }
</style>
