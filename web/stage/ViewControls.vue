<script setup lang="ts">
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElTooltip } from 'element-plus'
import { computed } from 'vue'
import { useLook } from '../store/look.js'

/** How large the picture is seen, and ways to look at it with fresh eyes. */
const props = defineProps<{ scale: number; perInch: number; isExact: boolean }>()
const emit = defineEmits<{ zoom: [scale: number | 'fit']; print: [] }>()
const look = useLook()
const zoomText = computed(() => {
  const scale = props.scale * devicePixelRatio
  return scale >= 0.995 ? `${Math.round(scale * 10) / 10} : 1` : `${Math.round(scale * 100)} %`
})
const VIEWS = { print: () => emit('print'), flip: () => (look.flipped = !look.flipped), turn: () => (look.quarters = (look.quarters + 1) % 4) }
</script>

<template>
  <div class="zoom">
    <ElButton @click="emit('zoom', 'fit')">Whole <span class="key">0</span></ElButton>
    <ElButton @click="emit('zoom', 1)">1 : 1 <span class="key">Z</span></ElButton>
    <ElDropdown trigger="click" placement="top-end" @command="(view: 'print' | 'flip' | 'turn') => VIEWS[view]()">
      <ElButton data-test="more-views">View</ElButton>
      <template #dropdown>
        <ElDropdownMenu>
          <ElDropdownItem command="print" data-test="print-view">As large as on paper, {{ Math.round(perInch) }} per inch<span class="key beside">R</span></ElDropdownItem>
          <ElDropdownItem command="flip" data-test="flip">{{ look.flipped ? 'Not mirrored' : 'Mirrored' }}<span class="key beside">X</span></ElDropdownItem>
          <ElDropdownItem command="turn" data-test="turn-view">Turned by a quarter<span class="key beside">Y</span></ElDropdownItem>
        </ElDropdownMenu>
      </template>
    </ElDropdown>
    <ElTooltip :disabled="isExact" content="At this zoom corrections are drawn on a smaller copy of the picture; what is exact follows when nothing moves.">
      <span data-test="zoom" :data-exact="isExact">{{ isExact ? '' : '≈ ' }}{{ zoomText }}</span>
    </ElTooltip>
  </div>
</template>

<style scoped>
.zoom { position: absolute; right: 10px; bottom: 10px; display: flex; background: var(--sheet); border-radius: 3px; align-items: center; }
.zoom button { border: 0; background: none; padding: 4px 9px; cursor: pointer; }
.key.beside { margin-left: 8px; }
.zoom button:hover { background: var(--ground); }
.zoom > span { padding: 4px 9px; min-width: 40px; text-align: right; border-left: 1px solid var(--hairline); }
</style>
