<script setup lang="ts">
import { ElPopover } from 'element-plus'
import { computed } from 'vue'
import type { AreaTelltales } from '@fennip/core/check/area-telltales.js'
import { explained } from '../help/stage-words.js'
import { useSteps } from '../store/steps.js'
import AreaDrawing from './AreaDrawing.vue'

/** Telltales of the selected correction: a bar for each, the tick where it begins to show. */
const list = useSteps()
const WORDS: { name: keyof AreaTelltales; word: string; text: (value: number) => string }[] = [
  { name: 'zoneEdge', word: 'Zone’s edge', text: (value) => value.toFixed(1) },
  { name: 'grain', word: 'Grain', text: (value) => value.toFixed(2) },
  { name: 'detailLost', word: 'Detail lost', text: (value) => value.toFixed(2) },
  { name: 'clipped', word: 'Clipped', text: (value) => `${(100 * value).toFixed(1)} %` },
  { name: 'leftOver', word: 'Left over', text: (value) => value.toFixed(1) },
]
const rows = computed(() => WORDS.map(({ name, word, text }) => {
  const help = explained('correct', word)
  const measure = list.telltales?.[name]
  // Null: this correction is not meant to do away with it.
  if (!measure) return { name, word, help, text: measure === null ? '–' : '', share: 0, tick: 0.5, shows: false }
  const { value, limit } = measure
  // The tick stands in the middle: what reaches it begins to show. Grain is right at 1, on both sides.
  const off = name === 'grain' ? Math.abs(value - 1) : value
  return { name, word, help, text: text(value), share: Math.min(1, off / (2 * limit)), tick: 0.5, shows: off > limit }
}))
</script>

<template>
  <div class="telltales" data-test="area-telltales">
    <ElPopover v-for="row in rows" :key="row.name" trigger="click" placement="top" :width="298" :persistent="false" :disabled="!list.selected">
      <template #reference>
        <div class="row" :class="{ shows: row.shows }" role="button" tabindex="0" :aria-label="`${row.word} ${row.text}: draw it`" :title="`${row.help} Click to see it drawn.`" :data-test="`telltale-${row.name}`">
          <span>{{ row.word }}</span>
          <span class="bar"><i :style="{ width: `${100 * row.share}%` }" /><b :style="{ left: `${100 * row.tick}%` }" /></span>
          <span class="number">{{ list.selected ? row.text || '…' : '' }}</span>
        </div>
      </template>
      <AreaDrawing :key="list.selected?.id" :name="row.name" />
    </ElPopover>
  </div>
</template>

<style scoped>
.telltales { flex: 1 1 210px; max-width: 260px; display: flex; flex-direction: column; gap: 7px; padding-top: 26px; }
.row { cursor: pointer; display: grid; grid-template-columns: 84px 1fr 48px; gap: 8px; align-items: center; }
.bar { position: relative; height: 6px; background: var(--hairline); }
.bar i { position: absolute; inset: 0 auto 0 0; background: var(--settled); }
.row.shows .bar i { background: var(--shows); }
.row.shows .number { color: var(--shows); font-weight: 600; }
.bar b { position: absolute; top: -4px; bottom: -4px; width: 1.5px; background: var(--ink); }
.number { text-align: right; font-variant-numeric: tabular-nums; }
</style>
