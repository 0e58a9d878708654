<script setup lang="ts">
import { ElButton, ElOption, ElRadioButton, ElRadioGroup, ElSelect } from 'element-plus'
import { useThrottleFn } from '@vueuse/core'
import { ref, watch } from 'vue'
import { plain } from '../shared/plain.js'
import { useBench } from '../store/bench.js'
import { useFinish, type FinishTool } from './finish.js'
import { useSteps } from '../store/steps.js'
import type { useFinishTools } from '../stage/tools/finish-tools.js'
import type { Sampled } from '../workers/measuring.js'

/** What the pointer does in Finish, and the values under it before and after. */
const props = defineProps<{ tools: ReturnType<typeof useFinishTools> | null }>()
const bench = useBench()
const finish = useFinish()
const list = useSteps()
const TOOLS: { id: FinishTool; word: string; key: string; hint: string }[] = [
  { id: 'look', word: 'Look', key: '', hint: 'Click to say which place the test strip shows' },
  { id: 'neutral', word: 'Neutral point', key: 'N', hint: 'Click a place that should be neutral grey or white' },
  { id: 'level', word: 'Level', key: 'V', hint: 'Click two places on a line that should lie level or upright' },
  { id: 'crop', word: 'Crop', key: 'C', hint: 'Drag the corners of the frame, or the frame itself' },
  { id: 'corners', word: 'Corners', key: 'Q', hint: 'Click the four corners of a print that was photographed at an angle' },
]
const RATIOS = ['free', 'own', '3:2', '2:3', '4:3', '5:4', '1:1', '16:9']
const seen = ref<{ x: number; y: number; before: Sampled; after: Sampled } | null>(null)
const read = useThrottleFn(async () => {
  const at = props.tools?.pointer.value
  if (!at || !bench.opened) return
  const x = Math.floor(at.x)
  const y = Math.floor(at.y)
  const sample = await bench.thePool().helper.sample(x, y, plain(list.steps)).catch(() => null)
  seen.value = sample ? { x, y, ...sample } : null
}, 80, true)
watch(() => props.tools?.pointer.value, () => void read())
</script>

<template>
  <ElRadioGroup v-model="finish.tool" size="small" aria-label="Tool" @change="tools?.giveUp()">
    <ElRadioButton v-for="tool in TOOLS" :key="tool.id" :value="tool.id" :title="tool.key ? `${tool.hint} (${tool.key})` : tool.hint" :data-test="`finish-${tool.id}`">{{ tool.word }}</ElRadioButton>
  </ElRadioGroup>
  <ElSelect v-if="finish.tool === 'crop' && tools" :model-value="tools.ratio.value" size="small" class="ratio" aria-label="Ratio of the frame" data-test="ratio" @change="(ratio: string) => tools!.setRatio(ratio)"><ElOption v-for="ratio in RATIOS" :key="ratio" :value="ratio" :label="ratio === 'own' ? 'as it is' : ratio" /></ElSelect>
  <ElButton size="small" :type="finish.framed ? 'primary' : undefined" :aria-pressed="finish.framed" title="As it is delivered, in its frame (F)" data-test="framed" @click="finish.framed = !finish.framed">Framed</ElButton>
  <span v-if="seen" class="values" data-test="sampled" :title="`At ${seen.x}, ${seen.y}: CIE L*a*b* ${seen.after.lab.map((value) => value.toFixed(1)).join(', ')}`"><span class="place">{{ seen.x }}, {{ seen.y }}</span> <span>{{ seen.before.values.join(' ') }} → {{ seen.after.values.join(' ') }}</span> <span>L* {{ seen.after.lab[0].toFixed(1) }}</span> <span>D {{ seen.after.density.toFixed(2) }}</span></span>
</template>

<style scoped>
.ratio { width: 88px; }
.el-radio-group { flex-wrap: nowrap; flex: none; }
/* Of 16 bits the values fill a narrow window: the place is in the tip then. */
@media (max-width: 1399px) { .place { display: none; } }
.values { margin-left: auto; color: var(--soft-ink); display: flex; gap: 10px; overflow: hidden; }
</style>
