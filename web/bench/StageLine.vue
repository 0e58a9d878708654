<script setup lang="ts">
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { useBench } from '../store/bench.js'

const props = defineProps<{ job: string; picture: string; stage: string }>()
const bench = useBench()

const STOPS = [
  { id: 'find', word: 'Find' },
  { id: 'mend', word: 'Mend' },
  { id: 'hand-over', word: 'Hand over' },
] as const

const done = computed(() => bench.counts.settled + bench.counts.left)
const note = (id: string) => {
  const total = bench.flaws.length
  if (id === 'find') return total > 0 ? String(total) : ''
  if (id === 'mend') return total > 0 ? `${done.value} of ${total} judged` : ''
  return ''
}
/** How much of the line is filled: found is one stop, judged the next. */
const filled = computed(() => {
  const total = bench.flaws.length
  if (total === 0) return 0
  return 1 / 3 + (done.value / total) * (1 / 3)
})
const reached = (index: number) => filled.value >= (index + (index === 0 ? 0.01 : 0)) / 3 - 1e-6 && bench.flaws.length > 0
</script>

<template>
  <nav class="stage-line" aria-label="Stages">
    <div class="line"><div class="fill" :style="{ width: `${100 * filled}%` }" /></div>
    <RouterLink
      v-for="(stop, index) in STOPS" :key="stop.id" class="stop" :class="{ current: stop.id === props.stage, reached: reached(index) }"
      :to="`/jobs/${job}/pictures/${picture}/${stop.id}`" :data-test="`stage-${stop.id}`" :aria-current="stop.id === props.stage ? 'step' : undefined"
    >
      <i /><b>{{ stop.word }}</b><span>{{ note(stop.id) }}</span>
    </RouterLink>
  </nav>
</template>

<style scoped>
.stage-line { position: relative; display: grid; grid-template-columns: repeat(3, 1fr); height: 45px; background: var(--sheet); border-bottom: 1px solid var(--hairline); }
.line { position: absolute; left: 20px; right: 10px; top: 9px; height: 3px; background: var(--hairline); }
.fill { height: 100%; background: var(--settled); transition: width 200ms; }
.stop { position: relative; padding: 22px 0 0 14px; white-space: nowrap; color: var(--soft-ink); }
.stop i { position: absolute; left: 14px; top: 4px; width: 9px; height: 9px; border: 2px solid #9a9a9a; border-radius: 50%; background: var(--sheet); }
.stop.reached i { border-color: var(--settled); background: var(--settled); }
.stop.current i { border-color: var(--settled); background: #fff; }
.stop b { font-weight: 400; }
.stop.current b { font-weight: 700; color: var(--ink); }
.stop span { margin-left: 8px; font-size: 12px; }
</style>
