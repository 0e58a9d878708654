<script setup lang="ts">
import { computed, ref } from 'vue'
import { useMediaQuery } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { severity, TELLTALE_NAMES as NAMES } from '@fennip/core/check/telltales.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import type { Measure, TelltaleName } from '@fennip/core/treatment/schema.js'
import Crop from '../shared/Crop.vue'
import { useOffer } from '../store/bench/offer.js'
import Overview from './Overview.vue'
import TelltaleDrawing from './TelltaleDrawing.vue'
import { TELLTALE_NAMES } from '../shared/words.js'
import { useBench } from '../store/bench.js'

const bench = useBench()
const offer = useOffer()
/** The telltale whose drawing stands in place of the change. */
const explained = ref<TelltaleName | null>(null)
/** Side of a crop in pixels of the screen; smaller in a narrow window, so that the telltales have room. */
const wide = useMediaQuery('(min-width: 1200px)')
const SIZE = computed(() => (wide.value ? 150 : 104))
/** 1:1 in device pixels; a flaw larger than the frame is shown smaller, and the scale is said. */
const region = computed(() => {
  if (!bench.selected) return null
  const { x, y, r } = shapeCentre(bench.selectedStep?.shape ?? bench.selected.shape)
  const side = SIZE.value
  const across = Math.max(side, Math.ceil((3 * r) / side) * side)
  return { x: Math.round(x - across / 2), y: Math.round(y - across / 2), width: across, height: across }
})
const scaleText = computed(() => (region.value && region.value.width > SIZE.value ? `1 : ${Math.round(region.value.width / SIZE.value)}` : '1 : 1'))

const PLAIN_ORIGINAL = { lens: 'plain', strength: 0, show: 'original' } as const
const PLAIN_RESULT = { lens: 'plain', strength: 0, show: 'result' } as const
const CHANGE = { lens: 'change', strength: 0.5, show: 'result' } as const

/** A bar is full at twice the limit, so that the limit stands in its middle. */
const length = scaleLinear().domain([0, 2]).range([0, 100]).clamp(true)
const bars = computed(() => {
  const telltales = bench.selectedStep?.telltales
  if (!telltales) return []
  return NAMES.map((name) => ({
    id: name,
    name: TELLTALE_NAMES[name],
    width: length(severity(name, telltales[name])),
    shows: severity(name, telltales[name]) > 1,
    text: textOf(name, telltales[name]),
  }))
})

function textOf(name: TelltaleName, measure: Measure | undefined): string {
  if (!measure) return ''
  const { value, limit } = measure
  if (name === 'taintedSource') return value > limit ? 'flawed' : 'clean'
  if (name === 'subjectTouched') return value > limit ? 'touched' : 'kept'
  return name === 'grain' ? value.toFixed(2) : (value / limit).toFixed(2)
}
</script>

<template>
  <section class="close-look" aria-label="Close look">
    <template v-if="region">
      <figure><Crop :region="region" :view="PLAIN_ORIGINAL" :width="SIZE" :height="SIZE" /><figcaption>Original <span>{{ scaleText }}</span></figcaption></figure>
      <figure><Crop :region="region" :view="PLAIN_RESULT" :width="SIZE" :height="SIZE" /><figcaption>Result</figcaption></figure>
      <TelltaleDrawing v-if="explained && bench.selectedStep" :name="explained" :step="bench.selectedStep" :size="SIZE" :across="region.width" />
      <figure v-else-if="offer.step"><Crop :region="region" :view="{ ...PLAIN_RESULT, proposal: offer.step }" :width="SIZE" :height="SIZE" /><figcaption data-test="offered">{{ offer.better ? 'Next best' : 'Next best, shows more' }} <span>{{ offer.step.method }}</span></figcaption></figure>
      <figure v-else><Crop :region="region" :view="CHANGE" :width="SIZE" :height="SIZE" /><figcaption>Change <span>6 ×</span></figcaption></figure>
      <table v-if="bars.length > 0" aria-label="Telltales" title="The tick is what untouched surroundings show by themselves. Click a line to see it drawn.">
        <tbody>
          <tr v-for="bar in bars" :key="bar.name" :class="{ over: bar.shows, explained: explained === bar.id }" :title="`Draw it: ${bar.name}`" :data-test="`telltale-${bar.id}`" @click="explained = explained === bar.id ? null : bar.id">
            <th>{{ bar.name }}</th>
            <td><div class="bar"><i :style="{ width: `${bar.width}%` }" /><em /></div></td>
            <td class="number">{{ bar.text }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else class="soft">No mend is laid on this flaw yet.</p>
    </template>
    <Overview v-else />
  </section>
</template>

<style scoped>
.close-look { display: flex; gap: 10px; padding: 8px 12px; background: var(--sheet); border-top: 1px solid var(--hairline); height: 176px; box-sizing: border-box; overflow: hidden; }
figure { margin: 0; }
figcaption { display: flex; justify-content: space-between; font-size: 12px; color: var(--soft-ink); padding-top: 1px; }
table { flex: 1; border-collapse: collapse; font-size: 12px; height: fit-content; min-width: 0; }
caption { caption-side: bottom; text-align: left; color: var(--soft-ink); padding-top: 4px; }
th { font-weight: 400; text-align: left; padding: 0 10px 0 4px; white-space: nowrap; width: 1px; }
tr { cursor: pointer; }
tr:hover { background: var(--ground); }
tr.explained { box-shadow: inset 2px 0 0 var(--ink); }
.number { text-align: right; width: 44px; }
.bar { position: relative; height: 5px; background: #dadada; }
.bar i { display: block; height: 100%; background: var(--settled); }
.bar em { position: absolute; left: 50%; top: -3px; height: 11px; width: 1px; background: var(--ink); }
.over i { background: var(--shows); }
.over .number, .over th { color: var(--shows); }
</style>
