<script setup lang="ts">
import { ElButton, ElRadioButton, ElRadioGroup } from 'element-plus'
import { scaleLinear } from 'd3-scale'
import { line } from 'd3-shape'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import Setting from '../shared/Setting.vue'
import { useKeys } from '../help/use-keys.js'
import { useAssemble, type PiecesShown } from './assemble.js'
import { useBench } from '../store/bench.js'
import BracketView from './BracketView.vue'
import BringOver from './BringOver.vue'
import PiecesView from './PiecesView.vue'
import { counted } from '../shared/words.js'

/** Pieces of a torn print on one scan: found, fitted, moved by hand, joined. */
const props = defineProps<{ job: string }>()
const bench = useBench()
const assemble = useAssemble()
const SHOWN: PiecesShown[] = ['joined', 'apart', 'as scanned']
const pieces = computed(() => assemble.fitted?.pieces ?? [])
/** Whether exposures were merged with this picture, and no pieces were looked for on it. */
const isBracket = computed(() => assemble.merged !== undefined && pieces.value.length === 0)
/** Whether this scan was laid on a sheet with others, where its pieces are fitted. */
const isLaid = computed(() => assemble.laid !== undefined && pieces.value.length === 0)
const current = computed(() => assemble.placements[assemble.selected])
const fixed = (value: number, digits: number) => value.toFixed(digits).replace('-', '−')
/** Gain of encoded tones as a difference of density, near enough for a glance. */
const density = (gain: number) => fixed(-2.2 * Math.log10(gain), 2)
const joinedFrom = computed(() => bench.opened?.about.notes.find((note) => /^(Joined|Merged|Pieces laid together) from/.test(note)))

/** Edges that lie further apart than this do so because paper is gone between them. */
const MISSING_PX = 3
const [CHART_WIDTH, CHART_HEIGHT] = [740, 46]
const misfit = computed(() => assemble.fitted?.seam?.misfit ?? [])
const most = computed(() => Math.max(4, ...misfit.value.map(Math.abs)))
const x = computed(() => scaleLinear([0, Math.max(1, misfit.value.length - 1)], [0, CHART_WIDTH]))
const y = computed(() => scaleLinear([-most.value, most.value], [CHART_HEIGHT - 2, 2]))
const path = computed(() => line<number>((_, i) => x.value(i), (value) => y.value(value))([...misfit.value]) ?? '')
const widest = computed(() => misfit.value.reduce((best, value, i) => (Math.abs(value) > Math.abs(misfit.value[best]!) ? i : best), 0))

const by = (change: Parameters<typeof assemble.nudge>[0]) => ({ act: () => assemble.nudge(change), when: () => pieces.value.length > 0 && assemble.selected > 0 })
useKeys(['assemble'], {
  'piece-left': by({ dx: -1, dy: 0 }), 'piece-right': by({ dx: 1, dy: 0 }), 'piece-up': by({ dx: 0, dy: -1 }), 'piece-down': by({ dx: 0, dy: 1 }),
  'piece-left-fine': by({ dx: -0.1, dy: 0 }), 'piece-right-fine': by({ dx: 0.1, dy: 0 }), 'piece-up-fine': by({ dx: 0, dy: -0.1 }), 'piece-down-fine': by({ dx: 0, dy: 0.1 }),
  'piece-turn-back': by({ turnDegrees: -0.05 }), 'piece-turn': by({ turnDegrees: 0.05 }),
})
</script>

<template>
  <div class="room">
    <section class="list" aria-label="Pieces">
      <header v-if="pieces.length > 0"><b>{{ pieces.length }} pieces</b> <span class="soft">fit to {{ fixed(Math.max(...pieces.map(({ misfitPx }) => misfitPx)), 1) }} px along {{ assemble.fitted!.seam?.lengthPx ?? 0 }} px</span></header>
      <header v-else-if="isBracket"><b>Bracket</b> <span class="soft">this picture is the reference</span></header>
      <header v-else><b>Assemble</b> <span class="soft">{{ joinedFrom ?? 'the pieces of a torn print' }}</span></header>
      <div role="listbox" aria-label="Pieces">
        <div v-for="(piece, i) in pieces" :key="i" class="row" role="option" tabindex="0" :aria-selected="i === assemble.selected" :class="{ on: i === assemble.selected }" data-test="piece-row" @click="assemble.selected = i" @keydown.enter="assemble.selected = i">
          <img :src="piece.picture" alt="" />
          <div><b>Piece {{ i + 1 }}</b><small class="soft">{{ i === 0 ? 'lies still' : `turned ${fixed(assemble.placements[i]!.turnDegrees, 2)}°, moved ${fixed(assemble.placements[i]!.dx, 0)}, ${fixed(assemble.placements[i]!.dy, 0)} px` }}</small></div>
        </div>
      </div>
      <p v-if="isLaid" class="laid">The pieces of this scan and of others lie on one sheet now: {{ assemble.laid!.name }}. They are fitted there.</p>
      <div class="acts">
        <RouterLink v-if="isLaid" v-slot="{ navigate }" :to="`/jobs/${props.job}/pictures/${assemble.laid!.picture}/assemble`" custom><ElButton type="primary" data-test="open-laid" @click="navigate">Open that sheet</ElButton></RouterLink>
        <ElButton :type="pieces.length === 0 && !isBracket && !isLaid ? 'primary' : undefined" :loading="assemble.isBusy" data-test="fit" @click="assemble.fit(false)">{{ pieces.length === 0 ? 'Find the pieces and fit them' : 'Cut out and fit again' }}</ElButton>
        <ElButton v-if="assemble.isMoved" :disabled="assemble.isBusy" data-test="fit-from-here" @click="assemble.fit(true)">Fit from here</ElButton>
      </div>
      <p v-if="isBracket" class="soft">What moved between the exposures is taken from one of them. Where Fennip took the wrong one, click another and merge again.</p>
      <p v-else class="soft">{{ pieces.length === 0 ? 'The background is cut away, the pieces are fitted along their tear by its outline and by what runs over it, and their tones are matched.' : 'Or move a piece by hand: drag it, turn it at its corner, arrows by a pixel, Alt and arrows by a tenth, comma and full stop to turn.' }}</p>
    </section>
    <BracketView v-if="isBracket" :job="props.job" />
    <div v-else class="middle">
      <div class="tools"><span>Pieces shown</span>
        <ElRadioGroup v-model="assemble.shown" size="small" aria-label="Pieces shown" :disabled="pieces.length === 0"><ElRadioButton v-for="one in SHOWN" :key="one" :value="one" :data-test="`pieces-${one.replace(' ', '-')}`">{{ one }}</ElRadioButton></ElRadioGroup>
      </div>
      <PiecesView v-if="pieces.length > 0" />
      <div v-else class="empty"><p class="soft">{{ assemble.isBusy ? 'The pieces are being cut out and fitted.' : 'Nothing has been looked for on this scan yet.' }}</p></div>
      <div class="seam">
        <template v-if="assemble.fitted?.seam">
          <p><b>The seam, unrolled</b> <span class="soft">one piece above, the other below, and how far their edges are from meeting</span></p>
          <img :src="assemble.fitted.seam.picture" alt="Both sides of the seam, straightened" data-test="seam" />
          <svg :viewBox="`0 0 ${CHART_WIDTH} ${CHART_HEIGHT}`" preserveAspectRatio="none" role="img" aria-label="Misfit along the seam">
            <line x1="0" :x2="CHART_WIDTH" :y1="y(0)" :y2="y(0)" class="zero" /><path :d="path" />
          </svg>
          <small :class="Math.abs(misfit[widest] ?? 0) > MISSING_PX ? 'shows' : 'soft'">{{ fixed(misfit[widest] ?? 0, 1) }} px at most{{ (misfit[widest] ?? 0) > MISSING_PX ? ': paper is missing there' : (misfit[widest] ?? 0) < -MISSING_PX ? ': paper overlaps there' : '' }}</small>
        </template>
        <p v-else class="soft">The seam is shown here, straightened, when the pieces are fitted.</p>
      </div>
    </div>
    <aside class="slip" aria-label="Selected piece">
      <template v-if="pieces.length > 0 && current">
        <h2>Piece {{ assemble.selected + 1 }}</h2>
        <template v-if="assemble.selected === 0"><p class="soft">The largest piece lies still; the others are fitted to it.</p></template>
        <template v-else>
          <p class="soft">{{ assemble.moved.has(assemble.selected) ? 'Moved by hand.' : 'Fitted along the tear by its outline, by the borders of the print and by the pattern that run over it.' }}</p>
          <Setting label="Turned" unit="°" :model-value="current.turnDegrees" :min="-180" :max="180" :step="0.01" test="piece-turn" @update:model-value="(turnDegrees) => assemble.place(assemble.selected, { ...current!, turnDegrees })" />
          <Setting label="Right" unit="px" :model-value="current.dx" :min="-20000" :max="20000" :step="0.1" test="piece-right" @update:model-value="(dx) => assemble.place(assemble.selected, { ...current!, dx })" />
          <Setting label="Down" unit="px" :model-value="current.dy" :min="-20000" :max="20000" :step="0.1" test="piece-down" @update:model-value="(dy) => assemble.place(assemble.selected, { ...current!, dy })" />
          <div class="pair"><span>Tone matched</span><span>{{ density(pieces[assemble.selected]!.gain) }} D</span></div>
          <div class="pair"><span>Runs on over the seam</span><span>{{ fixed(pieces[assemble.selected]!.likeness, 2) }}</span></div>
        </template>
        <ElButton type="primary" :disabled="assemble.isBusy" data-test="join" @click="assemble.join">Join</ElButton>
        <p class="soft">The seam and the missing paper become flaws in Find, so that Mend closes them.</p>
      </template>
      <template v-else-if="isBracket"><h2>Bracket</h2><p class="soft">The others were aligned to this picture, and its middle tones are kept. Another exposure can be taken as the reference above its column.</p></template>
      <template v-else><h2>Assemble</h2><p class="soft">A torn print is put together from its pieces. When they are on several scans, select those on the contact sheet and lay them together first. A picture of one piece needs nothing here.</p></template>
      <BringOver v-if="pieces.length === 0 && !isBracket" :job="props.job" />
      <template v-if="assemble.joined && assemble.joined.carried">
        <p class="soft" data-test="carried">What was done on the {{ assemble.joined.again ? 'picture joined before' : 'pieces' }} went along: {{ counted(assemble.joined.carried, 'step', 'steps') }}.</p>
        <p v-for="one in assemble.joined.left ?? []" :key="one" class="shows">{{ one }} It was not carried along.</p>
      </template>
      <p v-if="isBracket && assemble.merged?.carried" class="soft" data-test="carried">What was done on the picture merged before went along: {{ counted(assemble.merged.carried, 'step', 'steps') }}.</p>
      <RouterLink v-if="assemble.joined" v-slot="{ navigate }" :to="`/jobs/${props.job}/pictures/${assemble.joined.picture}/mend`" custom>
        <ElButton data-test="open-joined" @click="navigate">Open {{ assemble.joined.name }}</ElButton>
      </RouterLink>
    </aside>
  </div>
</template>

<style scoped>
.room { flex: 1; min-height: 0; display: grid; grid-template-columns: 300px 1fr 216px; }
.list { display: flex; flex-direction: column; min-height: 0; background: var(--sheet); border-right: 1px solid var(--hairline); overflow-y: auto; }
header { padding: 12px; font-size: 14px; border-bottom: 1px solid var(--hairline); }
.row { display: grid; grid-template-columns: 66px 1fr; gap: 10px; align-items: center; padding: 8px 12px; border-bottom: 1px solid var(--hairline); cursor: pointer; }
.row.on { background: #fff; box-shadow: inset 0 0 0 1px var(--ink); }
.row img { width: 66px; max-height: 44px; object-fit: contain; background: var(--surround); }
.row small, .row b { display: block; }
.acts { display: flex; flex-wrap: wrap; gap: 8px; padding: 12px; }
.acts :deep(.el-button) { margin: 0; }
.list > p { padding: 0 12px; margin: 0; }
.list > .laid { padding-top: 12px; overflow-wrap: anywhere; }
.middle { display: grid; grid-template: 36px minmax(0, 1fr) 176px / minmax(0, 1fr); min-height: 0; }
.tools { display: flex; align-items: center; gap: 10px; padding: 0 12px; background: var(--ground); border-bottom: 1px solid var(--hairline); }
.empty { background: var(--surround); display: grid; place-items: center; }
.empty p { background: var(--sheet); padding: 6px 12px; border-radius: 3px; }
.seam { padding: 8px 12px; background: var(--sheet); border-top: 1px solid var(--hairline); overflow: hidden; }
.seam p { margin: 0 0 5px; }
.seam img { width: 100%; height: 62px; display: block; image-rendering: auto; }
.seam svg { width: 100%; height: 46px; display: block; }
.zero { stroke: var(--hairline); }
path { fill: none; stroke: var(--settled); stroke-width: 1.4; vector-effect: non-scaling-stroke; }
.pair { display: flex; justify-content: space-between; }
.slip :deep(.el-button) { margin-left: 0; }
</style>
