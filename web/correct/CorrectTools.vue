<script setup lang="ts">
import { ElInputNumber, ElOption, ElRadioButton, ElRadioGroup, ElSelect, ElSlider } from 'element-plus'
import { useZones, type ZoneTool } from '../store/zones.js'

/** What the pointer does in Correct, the brush, and how the zone is shown. */
const zones = useZones()
const SHOWN = ['edge', 'tint', 'mask', 'nothing']
const TOOLS: { id: ZoneTool; word: string; key: string; hint: string }[] = [
  { id: 'look', word: 'Look', key: 'V', hint: 'Click to say which place the test strip shows' },
  { id: 'mend', word: 'Mend', key: 'M', hint: 'Click or draw along a place: it is mended on the corrected picture' },
  { id: 'in', word: 'Paint in', key: 'I', hint: 'Paint what belongs to the zone' },
  { id: 'out', word: 'Paint out', key: 'E', hint: 'Paint what does not belong to the zone' },
  { id: 'outline', word: 'Outline', key: 'U', hint: 'Draw round it, or click corner by corner and press Enter' },
  { id: 'grow', word: 'Grow', key: 'G', hint: 'Draw a stroke inside a thing: the zone grows to its edges' },
  { id: 'tone', word: 'Tone', key: 'T', hint: 'Click a tone: all that is as light belongs to the zone' },
  { id: 'colour', word: 'Colour', key: 'C', hint: 'Click a colour; more clicks widen the range' },
  { id: 'slope', word: 'Slope', key: 'L', hint: 'Drag from where the zone is full to where it ends' },
]
</script>

<template>
  <ElRadioGroup v-model="zones.tool" size="small" aria-label="Tool" class="tools">
    <ElRadioButton v-for="tool in TOOLS" :key="tool.id" :value="tool.id" :title="`${tool.hint} (${tool.key})`" :data-test="`zone-${tool.id}`">{{ tool.word }}</ElRadioButton>
  </ElRadioGroup>
  <div v-if="zones.isBrush" class="brush" title="Size of the brush: - and +, or Alt and the wheel">
    <ElSlider v-if="zones.tool !== 'mend'" v-model="zones.sizePx" :min="2" :max="zones.mostPx" :show-tooltip="false" aria-label="Size of the brush" />
    <ElInputNumber v-model="zones.sizePx" :min="1" :max="2000" :controls="false" size="small" aria-label="Size of the brush in pixels" data-test="brush-size" /> px
  </div>
  <ElRadioGroup v-else-if="zones.tool === 'slope'" v-model="zones.slope" size="small" aria-label="Kind of slope"><ElRadioButton value="linear">Straight</ElRadioButton><ElRadioButton value="radial">Round</ElRadioButton></ElRadioGroup>
  <ElSelect v-if="zones.tool === 'mend'" v-model="zones.method" size="small" class="method" aria-label="How it is mended" data-test="mend-method"><ElOption v-for="method in ['heal', 'clone', 'fill', 'lift']" :key="method" :value="method" :label="method" /></ElSelect>
  <label class="show" :class="{ rare: zones.tool === 'mend' || zones.tool === 'slope' }" title="The zone is shown as"><span>Zone as</span>
    <ElSelect v-model="zones.show" size="small" aria-label="The zone is shown as" data-test="zone-show"><ElOption v-for="show in SHOWN" :key="show" :value="show" :label="show" /></ElSelect>
  </label>
</template>

<style scoped>
.tools :deep(.el-radio-button__inner) { padding: 5px 7px; }
.el-radio-group { flex-wrap: nowrap; flex: none; }
.brush { display: flex; align-items: center; gap: 5px; }
.brush :deep(.el-slider) { width: 60px; }
.brush :deep(.el-input-number) { width: 46px; }
.brush :deep(.el-input__wrapper) { padding: 0 5px; }
.show { margin-left: auto; display: flex; align-items: center; gap: 5px; color: var(--soft-ink); }
.show :deep(.el-select) { width: 76px; }
.method { width: 72px; flex: none; }
.brush :deep(.el-input-number) { flex: none; }
/* In a narrow window the size is typed, or set by keys and wheel, and the words are in the tips. */
@media (max-width: 1199px) { .tools :deep(.el-radio-button__inner) { padding: 5px 4px; } .brush :deep(.el-slider), .show span, .show.rare { display: none; } }
</style>
