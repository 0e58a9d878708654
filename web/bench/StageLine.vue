<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { useBench } from '../store/bench.js'
import { STAGES, type StageId } from './stages.js'

const props = defineProps<{ job: string; picture: string; stage: string }>()
const bench = useBench()

const done = computed(() => bench.counts.settled + bench.counts.left)
const note = (id: StageId) => {
  const total = bench.flaws.length
  if (id === 'find') return total > 0 ? String(total) : ''
  if (id === 'mend') return total > 0 ? `${done.value} of ${total} judged` : ''
  return bench.stepsOf(id) > 0 ? String(bench.stepsOf(id)) : ''
}
/** Whether a stage has been worked on. */
const isReached = (id: StageId) => (id === 'find' ? bench.flaws.length > 0 : id === 'mend' ? bench.flaws.length > 0 && done.value > 0 : id === 'hand-over' ? bench.runs.some(({ kind, state }) => kind === 'export' && state === 'done') : bench.stepsOf(id) > 0)
/** How much of the line is filled: found is one stop, what is judged leads to the next, and so on. */
const filled = computed(() => {
  const part = 1 / STAGES.length
  if (isReached('hand-over')) return 1
  const mended = bench.flaws.length === 0 ? 0 : part * (1.1 + 1.1 * (done.value / bench.flaws.length))
  // What was finished before all is judged does not fill the line: it goes on where work is open.
  return bench.stepsOf('finish') > 0 && done.value === bench.flaws.length ? 5.1 * part : mended
})
</script>

<template>
  <nav class="stage-line" aria-label="Stages">
    <div class="line"><div class="fill" :style="{ width: `${100 * filled}%` }" /></div>
    <RouterLink
      v-for="stop in STAGES" :key="stop.id" class="stop" :class="{ current: stop.id === props.stage, reached: isReached(stop.id) }"
      :to="`/jobs/${job}/pictures/${picture}/${stop.id}`" :data-test="`stage-${stop.id}`" :aria-current="stop.id === props.stage ? 'step' : undefined"
    >
      <i /><b>{{ stop.word }}</b><span>{{ note(stop.id) }}</span>
    </RouterLink>
  </nav>
</template>

<style scoped>
.stage-line { position: relative; display: grid; grid-template-columns: repeat(7, 1fr); height: 45px; background: var(--sheet); border-bottom: 1px solid var(--hairline); }
.line { position: absolute; left: 20px; right: 10px; top: 9px; height: 3px; background: var(--hairline); }
.fill { height: 100%; background: var(--settled); transition: width 200ms; }
.stop { position: relative; padding: 22px 0 0 14px; white-space: nowrap; color: var(--soft-ink); }
.stop i { position: absolute; left: 14px; top: 4px; width: 9px; height: 9px; border: 2px solid #9a9a9a; border-radius: 50%; background: var(--sheet); }
.stop.reached i { border-color: var(--settled); background: var(--settled); }
.stop.current i { border-color: var(--settled); background: #fff; }
.stop b { font-weight: 400; }
.stop.current b { font-weight: 700; color: var(--ink); }
.stop span { margin-left: 6px; font-size: 12px; }
@media (max-width: 1199px) { .stop span { display: none; } }
</style>
