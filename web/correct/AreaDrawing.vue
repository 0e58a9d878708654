<script setup lang="ts">
import { computed, onMounted, shallowRef } from 'vue'
import type { AreaTelltales } from '@fennip/core/check/area-telltales.js'
import type { AreaExplanation } from '@fennip/core/check/explain-area.js'
import LineChart, { type ChartLine } from '../shared/LineChart.vue'
import { useSteps } from '../store/steps.js'

/** Why a telltale of a correction speaks: brightness across the zone's edge, grain by its fineness, or the zone's tones. */
const props = defineProps<{ name: keyof AreaTelltales }>()
const list = useSteps()
const explanation = shallowRef<AreaExplanation | null>(null)
onMounted(async () => (explanation.value = await list.explain()))

const DRAWN = { zoneEdge: 'profile', leftOver: 'profile', grain: 'grain', detailLost: 'detail', clipped: 'tones' } as const
const kind = computed(() => DRAWN[props.name])
const CAPTIONS = {
  profile: 'Brightness across the zone’s edge: with the correction (green), before (dashed)',
  grain: 'Grain by fineness: in the zone (green), around it (dashed)',
  detail: 'Detail in the zone by fineness: with the correction (green), before (dashed)',
  tones: 'Tones of the zone: with the correction (green), before (dashed)',
} as const
const chart = computed(() => {
  const { profile, spectrum, tones } = explanation.value!
  const pair = <T>(rows: readonly T[], place: (row: T) => number, main: (row: T) => number, compared: (row: T) => number): ChartLine[] => [
    { name: 'compared', look: 'compared', points: rows.map((row) => [place(row), compared(row)]) },
    { name: 'main', look: 'main', points: rows.map((row) => [place(row), main(row)]) },
  ]
  switch (kind.value) {
    case 'profile': return { mark: 0, ends: ['inside', 'outside'] as const, lines: pair(profile, ({ distance }) => distance, ({ after }) => after, ({ before }) => before) }
    case 'grain': return { logarithmic: true, ends: ['coarse', 'fine'] as const, lines: pair(spectrum, ({ frequency }) => frequency, ({ inside }) => inside, ({ outside }) => outside) }
    case 'detail': return { logarithmic: true, ends: ['coarse', 'fine'] as const, lines: pair(spectrum, ({ frequency }) => frequency, ({ inside }) => inside, ({ before }) => before) }
    default: return { ends: ['black', 'white'] as const, lines: pair(tones.after.map((after, k) => [k, after, tones.before[k]!] as const), ([k]) => k, ([, after]) => after, ([, , before]) => before) }
  }
})
</script>

<template>
  <figure data-test="area-drawing">
    <LineChart v-if="explanation" v-bind="chart" :label="CAPTIONS[kind]" :width="272" :height="150" />
    <p v-else class="soft">Measuring</p>
    <figcaption class="soft">{{ CAPTIONS[kind] }}</figcaption>
  </figure>
</template>

<style scoped>
figure { margin: 0; }
figcaption { font-size: 12px; line-height: 1.35; padding-top: 4px; text-align: left; word-break: normal; }
</style>
