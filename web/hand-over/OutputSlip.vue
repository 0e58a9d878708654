<script setup lang="ts">
import { ElButton, ElInput, ElOption, ElRadioButton, ElRadioGroup, ElSelect, ElSwitch } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { OUTPUT_FORMATS, type OutputContent, type OutputFormat, type OutputRequest } from '@fennip/core/output/output.js'
import { DEEP_OUTPUTS, FORMAT_WORDS } from '@fennip/core/output/plan-output.js'
import Setting from '../shared/Setting.vue'
import { useBench } from '../store/bench.js'
import { useHandOver } from './hand-over.js'
import TreatmentDocument from './TreatmentDocument.vue'

/** Settings of the selected file. */
const bench = useBench()
const handOver = useHandOver()
const output = computed(() => handOver.selected)
const CONTENTS: { id: OutputContent; word: string }[] = [{ id: 'picture', word: 'the picture' }, { id: 'pair', word: 'before, after' }, { id: 'layers', word: 'layers' }]
const formats = computed(() => OUTPUT_FORMATS.filter((format) => (output.value?.content === 'layers') === (format === 'ora')))
const isDeep = computed(() => !!output.value && output.value.content !== 'pair' && DEEP_OUTPUTS.includes(output.value.format))
const name = ref('')
const caption = ref('')
watch(output, (now) => {
  name.value = now?.name ?? ''
  caption.value = now?.caption ?? ''
}, { immediate: true })

/** How the size is said: as the picture is, by pixels, or on paper. */
type SizeBy = 'as it is' | 'pixels' | 'paper'
const sizeBy = computed<SizeBy>(() => (!output.value ? 'as it is' : output.value.longestPx > 0 ? 'pixels' : output.value.widthCm > 0 ? 'paper' : 'as it is'))
function setSize(by: SizeBy): void {
  const { width, height } = bench.opened!.original
  const perInch = output.value!.perInch || 300
  handOver.set(by === 'pixels' ? { longestPx: Math.min(2400, Math.max(width, height)), widthCm: 0 } : by === 'paper' ? { longestPx: 0, perInch, widthCm: Math.round(((width / perInch) * 2.54) * 10) / 10 } : { longestPx: 0, widthCm: 0 })
}
function setContent(content: OutputContent): void {
  const change: Partial<OutputRequest> = { content }
  if (content === 'layers') Object.assign(change, { format: 'ora', longestPx: 0, widthCm: 0 })
  else if (output.value!.format === 'ora') Object.assign(change, { format: content === 'pair' ? 'jpeg' : 'tiff' })
  handOver.set(change)
}
</script>

<template>
  <aside v-if="output" class="slip" aria-label="Selected file" data-test="output-slip">
    <h2>File</h2>
    <ElInput v-model="name" size="small" maxlength="60" aria-label="What the file is for" data-test="output-name" @change="name.trim() ? handOver.set({ name: name.trim() }) : (name = output.name)" />
    <label class="field"><span>Shows</span><ElSelect :model-value="output.content" size="small" aria-label="What it shows" data-test="output-content" @change="setContent"><ElOption v-for="{ id, word } in CONTENTS" :key="id" :value="id" :label="word" /></ElSelect></label>
    <label class="field"><span>Format</span><ElSelect :model-value="output.format" size="small" aria-label="Format" data-test="format" @change="(format: OutputFormat) => handOver.set({ format })"><ElOption v-for="format in formats" :key="format" :value="format" :label="FORMAT_WORDS[format]" /></ElSelect></label>
    <div v-if="isDeep" class="field"><span>Bits</span>
      <ElRadioGroup :model-value="output.depth" size="small" aria-label="Bits a sample" @change="(depth) => handOver.set({ depth: depth as 8 | 16 })"><ElRadioButton v-for="bits in [8, 16] as const" :key="bits" :value="bits" :data-test="`depth-${bits}`">{{ bits }}</ElRadioButton></ElRadioGroup>
    </div>
    <Setting v-else label="Quality" :model-value="output.quality" :min="40" :max="100" test="quality" @change="(quality) => handOver.set({ quality })" />
    <template v-if="output.content !== 'layers'">
      <div class="field"><span>Size</span>
        <ElSelect :model-value="sizeBy" size="small" aria-label="How the size is said" data-test="size-by" @change="setSize"><ElOption v-for="by in (output.content === 'pair' ? ['as it is', 'pixels'] : ['as it is', 'pixels', 'paper'])" :key="by" :value="by" :label="by === 'paper' ? 'on paper' : by === 'pixels' ? 'in pixels' : by" /></ElSelect>
      </div>
      <Setting v-if="sizeBy === 'pixels'" label="Longest side" unit="px" :model-value="output.longestPx" :min="200" :max="12000" :step="10" test="longest" @change="(longestPx) => handOver.set({ longestPx })" />
      <Setting v-if="sizeBy === 'paper'" label="Width" unit="cm" :model-value="output.widthCm" :min="1" :max="200" :step="0.1" test="width-cm" @change="(widthCm) => handOver.set({ widthCm })" />
      <Setting v-if="sizeBy !== 'pixels'" label="Per inch" :model-value="output.perInch || Math.round(bench.opened?.about.resolutionPerInch ?? 300)" :min="36" :max="1200" test="per-inch" @change="(perInch) => handOver.set({ perInch })" />
      <Setting label="Sharpen for it" unit="%" :model-value="output.sharpen" :min="0" :max="200" test="output-sharpen" @change="(sharpen) => handOver.set({ sharpen })" />
    </template>
    <label class="field"><span>Colours</span><ElSelect :model-value="output.profile" size="small" aria-label="Colour profile" data-test="output-profile" @change="(profile: 'kept' | 'srgb' | 'display-p3') => handOver.set({ profile })">
      <ElOption value="kept" :label="bench.opened?.about.profile.assumed ? 'as they came' : `as they are: ${bench.opened?.about.profile.name}`" /><ElOption value="srgb" label="sRGB" /><ElOption value="display-p3" label="Display P3" /></ElSelect></label>
    <template v-if="output.content === 'pair'">
      <label class="field"><span>Laid out</span><ElSelect :model-value="output.layout" size="small" aria-label="How the pair is laid out" data-test="pair-layout" @change="(layout: 'row' | 'split') => handOver.set({ layout })"><ElOption value="row" label="in a row" /><ElOption value="split" label="half and half" /></ElSelect></label>
      <ElInput v-model="caption" size="small" maxlength="200" placeholder="Line under the pair" aria-label="Line under the pair" data-test="pair-caption" @change="handOver.set({ caption: caption.trim() })" />
    </template>
    <label class="line">Place, names, serial numbers <ElSwitch :model-value="output.personal" size="small" aria-label="Keep place, names and serial numbers" data-test="output-personal" @change="handOver.set({ personal: !output.personal })" /></label>
    <ElButton :disabled="handOver.list.length === 1" data-test="output-remove" @click="handOver.remove(handOver.selectedAt)">Take out</ElButton>
    <TreatmentDocument />
  </aside>
</template>

<style scoped>
.field { display: flex; align-items: center; gap: 8px; }
.field > span { flex: none; width: 62px; }
.field .el-select { flex: 1; min-width: 0; }
.line { display: flex; align-items: center; justify-content: space-between; gap: 8px; }
</style>
