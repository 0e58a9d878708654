<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import { CELL, cellColumns } from '../stage/sectors.js'
import { useBench } from '../store/bench.js'
import { useRound } from '../store/round.js'

/** A small map of the picture: what was looked at in the round, where flaws lie, and what is in view. */
const props = defineProps<{ open: boolean }>()
const bench = useBench()
const round = useRound()
const shown = ref(props.open)

const size = computed(() => bench.opened!.original)
const columns = computed(() => cellColumns(size.value))
/** One path for all cells: a picture has hundreds. */
const cells = computed(() => [...round.looked].map((cell) => `M${(cell % columns.value) * CELL} ${Math.floor(cell / columns.value) * CELL}h${CELL}v${CELL}h${-CELL}z`).join(''))
const MOST_POINTS = 3000
const points = computed(() => {
  const every = Math.max(1, Math.ceil(bench.flaws.length / MOST_POINTS))
  return bench.flaws.filter((_flaw, i) => i % every === 0).map((flaw) => ({ id: flaw.id, state: flaw.state, ...shapeCentre(flaw.shape) }))
})
const point = computed(() => size.value.width / 130)

function goTo(event: MouseEvent): void {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  round.lookAt?.(((event.clientX - box.left) / box.width) * size.value.width, ((event.clientY - box.top) / box.height) * size.value.height)
}
</script>

<template>
  <section class="round" aria-label="Round">
    <ElButton class="head" :aria-expanded="shown" data-test="round-toggle" @click="shown = !shown"><b>Round</b> <span class="soft" data-test="round-share">{{ round.isOver ? 'all looked at' : `${Math.floor(100 * round.share)} % looked at` }}</span><span class="soft fold">{{ shown ? 'Fold' : 'Unfold' }}</span></ElButton>
    <template v-if="shown">
      <svg :viewBox="`0 0 ${size.width} ${size.height}`" role="img" aria-label="Map of the round; click to look there" data-test="round-map" @click="goTo">
        <rect :width="size.width" :height="size.height" class="ground" />
        <path :d="cells" class="looked" />
        <circle v-for="flaw in points" :key="flaw.id" :cx="flaw.x" :cy="flaw.y" :r="point" :class="flaw.state" />
        <rect v-if="round.view" v-bind="round.view" class="view" />
      </svg>
      <div class="acts">
        <ElButton link data-test="round-on" title="The next part that was not looked at, at 1:1" @click="round.goOn()">Go on <span class="key">PgDn</span></ElButton>
        <ElButton link data-test="round-back" title="The part before it (PgUp)" @click="round.goBack()">Back</ElButton>
        <ElButton link v-if="round.share > 0" data-test="round-anew" @click="round.beginAnew()">Anew</ElButton>
      </div>
    </template>
  </section>
</template>

<style scoped>
.round { padding: 8px 14px 10px; background: var(--sheet); border-left: 1px solid var(--hairline); border-top: 1px solid var(--hairline); display: flex; flex-direction: column; gap: 6px; }
.head > :deep(span) { width: 100%; display: flex; }
.head { justify-content: flex-start; display: flex; gap: 8px; border: 0; background: none; padding: 0; cursor: pointer; }
.fold { margin-left: auto; text-decoration: underline; text-underline-offset: 2px; }
svg { display: block; width: 100%; max-height: 150px; cursor: pointer; }
.ground { fill: #cdcdcd; }
.looked { fill: #f8f8f8; }
.view { fill: none; stroke: var(--ink); stroke-width: 2px; vector-effect: non-scaling-stroke; }
circle { fill: var(--left); }
circle.open, circle.mended { fill: var(--open); }
circle.settled { fill: var(--settled); }
.acts { display: flex; justify-content: space-between; white-space: nowrap; }
</style>
