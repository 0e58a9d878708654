<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ToneChart from '../finish/ToneChart.vue'
import { counted, minutesLeft, thousands } from '../shared/words.js'
import { useBench } from '../store/bench.js'

/** What the strip shows while nothing is selected: what is open in each stage, the next thing to do, and the tones. */
const bench = useBench()
const route = useRoute()
const router = useRouter()
const finished = computed(() => (bench.treatment?.operations ?? []).filter(({ stage, enabled }) => stage === 'finish' && enabled).length)
const lines = computed(() => [
  { stage: 'find', word: 'Find', text: bench.flaws.length > 0 ? `${thousands(bench.flaws.length)} flaws listed` : bench.opened?.searched ? 'searched, nothing found' : 'not searched yet' },
  { stage: 'mend', word: 'Mend', text: bench.flaws.length === 0 ? 'nothing to mend' : `${thousands(bench.counts.open)} open, ${thousands(bench.counts.mended)} to judge${bench.counts.shows > 0 ? `, ${bench.counts.shows} show` : ''}` },
  { stage: 'finish', word: 'Finish', text: finished.value > 0 ? `${counted(finished.value, 'step', 'steps')}` : 'tones as they came' },
  { stage: 'hand-over', word: 'Hand over', text: `${bench.runs.filter(({ kind, state }) => kind === 'export' && state === 'done').length} files written` },
])
const next = computed<{ word: string; go: () => void }>(() => {
  const to = (stage: string) => () => void router.push(`/jobs/${String(route.params.job)}/pictures/${String(route.params.picture)}/${stage}`)
  if (bench.flaws.length === 0 && !bench.opened?.searched) return { word: 'Search the picture for flaws', go: to('find') }
  if (bench.counts.open > 0) return { word: `Mend the ${thousands(bench.counts.open)} open flaws`, go: to('mend') }
  if (bench.counts.mended > 0) return { word: 'Judge the mends, the heaviest first', go: () => { bench.filter = 'judge'; bench.stepTo(0); to('mend')() } }
  return finished.value === 0 ? { word: 'Finish: tone, sharpness, frame', go: to('finish') } : { word: 'Hand over', go: to('hand-over') }
})
</script>

<template>
  <div class="overview" data-test="overview">
    <div class="stages">
      <b>This picture</b> <span class="soft">{{ bench.flaws.length > 0 ? minutesLeft(bench.counts.open, bench.counts.mended) : '' }}</span>
      <dl><template v-for="line in lines" :key="line.stage"><dt>{{ line.word }}</dt><dd>{{ line.text }}</dd></template></dl>
      <ElButton type="primary" data-test="next-thing" @click="next.go">{{ next.word }}</ElButton>
    </div>
    <ToneChart />
  </div>
</template>

<style scoped>
.overview { display: flex; gap: 24px; flex: 1; min-width: 0; }
.stages { flex: 1 1 260px; min-width: 0; }
dl { display: grid; grid-template-columns: 80px 1fr; gap: 2px 10px; margin: 6px 0 10px; }
dt { color: var(--soft-ink); }
dd { margin: 0; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
</style>
