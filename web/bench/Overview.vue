<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { OperationStage } from '@fennip/core/treatment/schema.js'
import ToneChart from '../finish/ToneChart.vue'
import { counted, minutesLeft, thousands } from '../shared/words.js'
import { useBench } from '../store/bench.js'

/** What the strip shows while nothing is selected: what is open in each stage, the next thing to do, and the tones. */
const bench = useBench()
const route = useRoute()
const router = useRouter()
const stepsText = (id: OperationStage, none: string) => (bench.stepsOf(id) > 0 ? counted(bench.stepsOf(id), 'step', 'steps') : none)
const lines = computed(() => [
  { stage: 'find', word: 'Find', text: bench.flaws.length > 0 ? `${thousands(bench.flaws.length)} flaws listed` : bench.opened?.searched ? 'searched, nothing found' : 'not searched yet' },
  { stage: 'mend', word: 'Mend', text: bench.flaws.length === 0 ? 'nothing to mend' : `${thousands(bench.counts.open)} open, ${thousands(bench.counts.mended)} to judge${bench.counts.shows > 0 ? `, ${bench.counts.shows} show` : ''}` },
  { stage: 'correct', word: 'Correct', text: stepsText('correct', 'no area corrected') },
  { stage: 'rebuild', word: 'Rebuild', text: stepsText('rebuild', 'nothing drawn') },
  { stage: 'finish', word: 'Finish', text: stepsText('finish', 'tones as they came') },
  { stage: 'hand-over', word: 'Hand over', text: counted(bench.runs.filter(({ kind, state }) => kind === 'export' && state === 'done').length, 'file written', 'files written') },
])
const next = computed<{ word: string; go: () => void }>(() => {
  const to = (stage: string) => () => void router.push(`/jobs/${String(route.params.job)}/pictures/${String(route.params.picture)}/${stage}`)
  if (bench.flaws.length === 0 && !bench.opened?.searched) return { word: 'Search the picture for flaws', go: to('find') }
  if (bench.counts.open > 0) return { word: bench.counts.open === 1 ? 'Mend the open flaw' : `Mend the ${thousands(bench.counts.open)} open flaws`, go: to('mend') }
  if (bench.counts.mended > 0) return { word: `Judge the ${counted(bench.counts.mended, 'mend', 'mends')}`, go: () => { bench.filter = 'judge'; bench.stepTo(0); to('mend')() } }
  return bench.stepsOf('finish') === 0 && route.params.stage !== 'finish' ? { word: 'Finish: tone, sharpness, frame', go: to('finish') } : { word: 'Hand over', go: to('hand-over') }
})
</script>

<template>
  <div class="overview" data-test="overview">
    <div class="stages">
      <div class="head"><b>This picture</b> <span class="soft">{{ bench.flaws.length > 0 ? minutesLeft(bench.counts.open, bench.counts.mended) : '' }}</span><ElButton type="primary" size="small" data-test="next-thing" @click="next.go">{{ next.word }}</ElButton></div>
      <dl><template v-for="line in lines" :key="line.stage"><dt>{{ line.word }}</dt><dd>{{ line.text }}</dd></template></dl>
    </div>
    <ToneChart />
  </div>
</template>

<style scoped>
.overview { display: flex; gap: 24px; flex: 1; min-width: 0; }
.stages { flex: 1 1 260px; min-width: 0; }
.head { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; }
.head .el-button { margin-left: auto; }
/* In a narrow window only the next thing stands above the lines. */
@media (max-width: 1199px) { .head > :not(.el-button) { display: none; } .head .el-button { margin-left: 0; } }
dl { display: grid; grid-template-columns: 80px 1fr; gap: 1px 10px; margin: 5px 0 0; }
dt { color: var(--soft-ink); }
dd { margin: 0; }
</style>
