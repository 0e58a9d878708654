<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { useVirtualizer } from '@tanstack/vue-virtual'
import { computed, nextTick, ref, watch } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import type { Flaw } from '@fennip/core/treatment/schema.js'
import Crop from '../shared/Crop.vue'
import { counted, minutesLeft, nameOf, STATE_WORDS, strengthWords, TELLTALE_SHORT, thousands } from '../shared/words.js'
import { useGroup } from '../store/bench/group.js'
import { useBench } from '../store/bench.js'
import type { LedgerFilter, LedgerOrder } from '../store/bench/ledger.js'

const bench = useBench()
const group = useGroup()
const scroller = ref<HTMLElement | null>(null)
const ROW = 53
const rows = useVirtualizer(computed(() => ({ count: bench.ledger.length, getScrollElement: () => scroller.value, estimateSize: () => ROW, overscan: 6 })))

const FILTERS: { id: LedgerFilter; word: string }[] = [
  { id: 'all', word: 'All' },
  { id: 'open', word: 'Open' },
  { id: 'judge', word: 'To judge' },
  { id: 'shows', word: 'What shows' },
  { id: 'left', word: 'Left' },
]
const filters = computed(() => (bench.group.size > 0 ? [...FILTERS, { id: 'group' as const, word: 'Chosen' }] : FILTERS))
const ORDERS: { id: LedgerOrder; word: string }[] = [
  { id: 'weight', word: 'Heaviest first' },
  { id: 'size', word: 'Largest first' },
  { id: 'doubt', word: 'Most doubtful first' },
  { id: 'telltale', word: 'What shows most first' },
  { id: 'reading', word: 'In reading order' },
]
/** Longer sides that pictures are delivered with; a larger one than it has is none. */
const SIDES = [6000, 4000, 2400, 1600, 1000, 600, 300]
const sides = computed(() => SIDES.filter((side) => side < Math.max(bench.opened?.original.width ?? 0, bench.opened?.original.height ?? 0)))
const nextOrder = () => {
  const at = ORDERS.findIndex((order) => order.id === bench.order)
  bench.order = ORDERS[(at + 1) % ORDERS.length]!.id
}
const bars = computed(() => {
  const total = Math.max(1, bench.flaws.length)
  const { settled, mended, left, open } = bench.counts
  return [
    { state: 'settled', width: (100 * settled) / total },
    { state: 'mended', width: (100 * mended) / total },
    { state: 'left', width: (100 * left) / total },
    { state: 'open', width: (100 * open) / total },
  ]
})

const ORIGINAL = { lens: 'plain', strength: 0, show: 'original' } as const
const RESULT = { lens: 'plain', strength: 0, show: 'result' } as const

function around(flaw: Flaw) {
  const { x, y, r } = shapeCentre(flaw.shape)
  const width = Math.max(41, Math.round(4 * r))
  const height = Math.round((width * 40) / 41)
  return { x: Math.round(x - width / 2), y: Math.round(y - height / 2), width, height }
}

function about(flaw: Flaw): string {
  const { r } = shapeCentre(flaw.shape)
  return [`${Math.round(2 * r)} px`, strengthWords(flaw)].filter((words) => words !== '').join(' · ')
}

function sign(flaw: Flaw): { text: string; shows: boolean } {
  const names = whatShows(bench.stepOf.get(flaw.id)?.telltales)
  if (bench.poorSources.has(flaw.id)) return { text: 'source now poor', shows: true }
  if (names.length > 0) return { text: TELLTALE_SHORT[names[0]!], shows: true }
  if (flaw.state === 'open' && bench.unseen.has(flaw.id)) return { text: 'not seen', shows: false }
  return { text: flaw.state === 'open' && bench.doubtful.has(flaw.id) ? 'doubtful' : STATE_WORDS[flaw.state], shows: false }
}

/** With Ctrl or Shift a row joins the group, or leaves it. */
function pick(id: string, event: MouseEvent): void {
  if (event.ctrlKey || event.metaKey || event.shiftKey) group.toggle(id)
  else bench.selectedId = id
}

/** Come to by keys, the list stands at its first flaw. */
function selectFirst(event: FocusEvent): void {
  if (!bench.selectedId && (event.target as HTMLElement).matches(':focus-visible')) bench.stepTo(0)
}

watch(() => bench.selectedId, async (id) => {
  const at = bench.ledger.findIndex((flaw) => flaw.id === id)
  if (at < 0) return
  await nextTick()
  rows.value.scrollToIndex(at, { align: 'auto' })
})
</script>

<template>
  <section class="ledger" aria-label="Ledger">
    <header>
      <div class="sum"><b>{{ counted(bench.flaws.length, 'flaw', 'flaws') }}</b> <span class="soft">{{ bench.flaws.length > 0 ? minutesLeft(bench.counts.open, bench.counts.mended) : 'not searched yet' }}</span></div>
      <div class="bar"><i v-for="bar in bars" :key="bar.state" :class="bar.state" :style="{ width: `${bar.width}%` }" /></div>
      <div class="counts">
        <span><b>{{ bench.counts.settled }}</b> settled</span><span><b>{{ bench.counts.mended }}</b> to judge</span>
        <span><b>{{ bench.counts.left }}</b> left</span><span><b>{{ bench.counts.open }}</b> open</span>
        <span v-if="bench.counts.shows > 0" class="shows"><b>{{ bench.counts.shows }}</b> show</span>
      </div>
    </header>
    <div class="filters" role="group" aria-label="Filter">
      <ElButton v-for="filter in filters" :key="filter.id" :class="{ on: bench.filter === filter.id }" :aria-pressed="bench.filter === filter.id" :data-test="`filter-${filter.id}`" @click="bench.filter = filter.id">{{ filter.word }}</ElButton>
    </div>
    <div class="order">
      <ElButton link data-test="order" @click="nextOrder">{{ ORDERS.find((order) => order.id === bench.order)!.word }}</ElButton>
      <ElButton link data-test="choose-listed" :disabled="bench.ledger.length < 2" title="Change all flaws of this list together" @click="group.chooseListed">Choose all {{ thousands(bench.ledger.length) }}</ElButton>
    </div>
    <div v-if="bench.flaws.length > 0" class="order">
      <span class="made-for" title="Flaws are ranked by what is seen in the size that is delivered">Made for
        <ElSelect v-model="bench.deliveredSide" size="small" aria-label="Longer side of the picture as delivered" data-test="delivered">
          <ElOption :value="0" label="its own size" />
          <ElOption v-for="side in sides" :key="side" :value="side" :label="`${thousands(side)} px`" />
        </ElSelect>
      </span>
      <ElButton link v-if="bench.doubtful.size > 0" data-test="choose-doubtful" title="Choose the finds that are rather none" @click="group.chooseDoubtful">{{ thousands(bench.doubtful.size) }} doubtful</ElButton>
      <ElButton link v-if="bench.unseen.size > 0" data-test="choose-unseen" title="Choose those that nobody will see in this size" @click="group.chooseUnseen">{{ thousands(bench.unseen.size) }} not seen</ElButton>
    </div>
    <div ref="scroller" class="rows" data-test="ledger" data-keys :role="bench.ledger.length > 0 ? 'listbox' : 'group'" aria-label="Flaws" :tabindex="bench.ledger.length > 0 ? 0 : -1" :aria-activedescendant="bench.selectedId ? `row-${bench.selectedId}` : undefined" :aria-multiselectable="bench.ledger.length > 0 ? bench.group.size > 0 : undefined" @focus="selectFirst">
      <div role="presentation" :style="{ height: `${rows.getTotalSize()}px`, position: 'relative' }">
        <div
          v-for="row in rows.getVirtualItems()" :id="`row-${bench.ledger[row.index]!.id}`" :key="bench.ledger[row.index]!.id" role="option" :aria-selected="bench.ledger[row.index]!.id === bench.selectedId || bench.group.has(bench.ledger[row.index]!.id)" class="row" :class="[bench.ledger[row.index]!.state, { chosen: bench.ledger[row.index]!.id === bench.selectedId, grouped: bench.group.has(bench.ledger[row.index]!.id) }]"
          :style="{ transform: `translateY(${row.start}px)` }" data-test="ledger-row" @click="pick(bench.ledger[row.index]!.id, $event)"
        >
          <Crop :region="around(bench.ledger[row.index]!)" :view="ORIGINAL" :width="41" :height="40" />
          <Crop :region="around(bench.ledger[row.index]!)" :view="RESULT" :width="41" :height="40" />
          <span class="what"><b>{{ nameOf(bench.ledger[row.index]!) }}</b><small :title="about(bench.ledger[row.index]!)">{{ about(bench.ledger[row.index]!) }}</small></span>
          <span class="how"><span>{{ bench.stepOf.get(bench.ledger[row.index]!.id)?.method ?? '' }}</span><small :class="{ shows: sign(bench.ledger[row.index]!).shows }">{{ sign(bench.ledger[row.index]!).text }}</small></span>
        </div>
      </div>
      <p v-if="bench.flaws.length > 0 && bench.ledger.length === 0" class="none soft">No flaw here. Choose All to see every flaw.</p>
      <p v-if="bench.flaws.length === 0" class="none soft">Go to Find and search the picture, or take the Spot tool in Mend and click a flaw.</p>
    </div>
    <footer><span>Next <i class="key">↓</i></span><span>Back <i class="key">↑</i></span><span>Settle <i class="key">Enter</i></span><span>Leave <i class="key">L</i></span></footer>
  </section>
</template>

<style scoped>
.ledger { display: flex; flex-direction: column; min-height: 0; background: var(--sheet); border-right: 1px solid var(--hairline); }
header { padding: 12px 12px 8px; border-bottom: 1px solid var(--hairline); }
.sum b { font-size: 15px; }
.bar { display: flex; height: 6px; margin: 9px 0 8px; background: #dadada; }
.bar i.settled { background: var(--settled); }
.bar i.mended { background: repeating-linear-gradient(90deg, var(--settled) 0 4px, #dadada 4px 6px); }
.bar i.left { background: var(--left); }
.counts { display: flex; gap: 11px; font-size: 12px; white-space: nowrap; }
.filters { display: flex; flex-wrap: wrap; gap: 4px; padding: 7px 10px 4px; }
.filters button { border: 1px solid var(--hairline); background: #fff; border-radius: 3px; padding: 2px 7px; cursor: pointer; font-size: 12px; white-space: nowrap; }
.filters button.on { border-color: var(--ink); box-shadow: inset 0 0 0 1px var(--ink); }
.order { display: flex; justify-content: space-between; padding: 2px 12px 6px; color: var(--soft-ink); font-size: 12px; }
.made-for { display: flex; align-items: center; gap: 6px; white-space: nowrap; }
.made-for :deep(.el-select) { width: 116px; }
.row.grouped { background: var(--ground); box-shadow: inset 0 0 0 1px var(--soft-ink); }
.rows:focus-visible { outline: 2px solid var(--ink); outline-offset: -2px; }
.rows { flex: 1; overflow-y: auto; border-top: 1px solid var(--hairline); }
.row {
  position: absolute; left: 0; right: 0; height: 53px; display: flex; align-items: center; gap: 2px; padding: 0 10px 0 9px; text-align: left;
  border: 0; border-left: 3px solid transparent; border-bottom: 1px solid var(--hairline); background: var(--sheet); cursor: pointer; width: 100%; box-sizing: border-box;
}
.row.settled { border-left-color: var(--settled); }
.row.mended { border-left: 3px dashed var(--settled); }
.row.open { border-left: 3px dashed var(--open); }
.row.left { border-left: 3px dotted var(--left); }
.row.chosen { background: #fff; box-shadow: inset 0 0 0 1px var(--ink); }
.what { margin-left: 8px; flex: 1; min-width: 0; }
.what b, .what small, .how span, .how small { display: block; white-space: nowrap; }
.what b { font-weight: 500; }
.what small { color: var(--soft-ink); font-size: 12px; overflow: hidden; text-overflow: ellipsis; }
.how { flex: none; margin-left: 8px; text-align: right; font-size: 12px; color: var(--soft-ink); }
.how small { font-size: 12px; }
.none { padding: 14px 12px; margin: 0; }
footer { display: flex; flex-wrap: wrap; gap: 4px 12px; padding: 8px 12px; border-top: 1px solid var(--hairline); color: var(--soft-ink); font-size: 12px; }
footer i { font-style: normal; }
</style>
