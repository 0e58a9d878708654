<script setup lang="ts">
import { ElButton, ElMessageBox } from 'element-plus'
import { computed } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import Setting from '../../shared/Setting.vue'
import { likelihoodWords, nameOf, TELLTALE_SHORT } from '../../shared/words.js'
import { useBench } from '../../store/bench.js'
import { useGroup } from '../../store/bench/group.js'
import { isInDoubt } from '../../store/bench/ledger.js'
import { useOffer } from '../../store/bench/offer.js'
import AreaSlip from './AreaSlip.vue'
import GroupSlip from './GroupSlip.vue'
import ShapeSettings from './ShapeSettings.vue'
import SourceSettings from './SourceSettings.vue'

const bench = useBench()
const group = useGroup()
const offer = useOffer()
const poor = computed(() => (bench.selected ? bench.poorSources.get(bench.selected.id) : undefined))
async function resetAll(): Promise<void> {
  const sure = await ElMessageBox.confirm(`All ${bench.steps.length} mends are taken out and their flaws are open again. Undo brings them back.`, 'Reset all mends', { confirmButtonText: 'Reset all', cancelButtonText: 'Keep them' }).then(() => true, () => false)
  if (sure) await group.resetAll()
}
const METHODS = [
  { id: 'lift', word: 'Lift', key: '1' },
  { id: 'heal', word: 'Heal', key: '2' },
  { id: 'fill', word: 'Fill', key: '3' },
  { id: 'clone', word: 'Clone', key: '4' },
] as const

const strength = computed(() => Math.round(100 * (bench.selectedStep?.strength ?? 1)))
const softEdge = computed(() => bench.selectedStep?.softEdgePx ?? 0)
/** Of a stroke; nothing else has one. Its mend is made anew when the slider is let go. */
const width = computed(() => (bench.selected?.shape.type === 'stroke' ? bench.selected.shape.width : null))
/** Of a spot, across. */
const size = computed(() => {
  const shape = bench.selectedStep?.shape ?? bench.selected?.shape
  return shape?.type === 'disc' ? Math.round(2 * shape.r) : null
})
const another = computed(() => (bench.selectedStep?.method === 'fill' ? 'Fill differently' : 'Other source'))

const title = computed(() => {
  const flaw = bench.selected
  return flaw ? `${nameOf(flaw)}, ${Math.round(2 * shapeCentre(flaw.shape).r)} px` : ''
})
const likelihood = computed(() => (bench.selected && isInDoubt(bench.selected) ? likelihoodWords(bench.selected) : ''))
const verdict = computed(() => {
  const step = bench.selectedStep
  if (!step) return ''
  const names = whatShows(step.telltales)
  return names.length === 0 ? 'Nothing gives this mend away.' : `It shows: ${names.map((name) => TELLTALE_SHORT[name]).join(', ')}. Try another source or method.`
})
</script>

<template>
  <GroupSlip v-if="bench.group.size > 1" />
  <AreaSlip v-else-if="bench.tool === 'area'" />
  <aside v-else class="slip" aria-label="Selected flaw">
    <template v-if="bench.selected">
      <h2>{{ title }}</h2>
      <p class="reason soft" data-test="reason">{{ bench.selectedStep?.reason ?? 'Nothing is done to it yet.' }}</p>
      <p v-if="likelihood" class="soft" data-test="likelihood">{{ likelihood }}</p>
      <div class="methods" role="radiogroup" aria-label="Method">
        <ElButton v-for="method in METHODS" :key="method.id" role="radio" :aria-checked="bench.selectedStep?.method === method.id" :class="{ on: bench.selectedStep?.method === method.id }" :disabled="bench.busy" :data-test="`method-${method.id}`" @click="bench.mendSelected(method.id)">
          {{ method.word }} <span class="key">{{ method.key }}</span>
        </ElButton>
      </div>
      <template v-if="bench.selectedStep">
        <Setting label="Strength" unit="%" :model-value="strength" :min="0" :max="100" test="strength" @update:model-value="(value) => bench.adjust({ strength: value / 100 })" />
        <Setting v-if="bench.selectedStep.method !== 'lift'" label="Soft edge" unit="px" :model-value="softEdge" :min="0" :max="60" test="soft-edge" @update:model-value="(value) => bench.adjust({ softEdgePx: value })" />
        <Setting v-if="size !== null" label="Size" unit="px" :model-value="size" :min="1" :max="400" test="size" @change="bench.setSize" />
        <Setting v-if="width !== null" label="Width" unit="px" :model-value="width" :min="1" :max="80" test="width" @change="bench.setWidth" />
        <ElButton type="primary" data-test="settle" @click="bench.setState('settled')">Settle <span class="key">Enter</span></ElButton>
        <ElButton data-test="other-source" :disabled="bench.busy" @click="bench.otherSource">{{ another }} <span class="key">O</span></ElButton>
      </template>
      <ElButton type="primary" v-else data-test="mend-one" :disabled="bench.busy" @click="bench.mendSelected()">Mend <span class="key">M</span></ElButton>
      <p v-if="poor" class="shows" data-test="poor-source">Its source {{ poor }}. Take the next best mend or another source.</p>
      <ElButton v-if="offer.step" data-test="take-offer" @click="offer.accept">{{ offer.better ? 'Take the next best' : 'Take the other all the same' }} <span class="key">N</span></ElButton>
      <ElButton data-test="leave" @click="bench.setState('left')">{{ bench.selectedStep ? 'Take out and leave' : 'Leave as it is' }} <span class="key">L</span></ElButton>
      <ElButton data-test="take-out" @click="bench.takeOut">Take out <span class="key">Del</span></ElButton>
      <SourceSettings v-if="bench.selectedStep?.source" />
      <ShapeSettings />
      <div class="alike">Choose all of
        <ElButton link data-test="alike-look" @click="group.chooseAlike('look')">its look</ElButton>
        <ElButton link data-test="alike-kind" @click="group.chooseAlike('kind')">its kind</ElButton>
        <ElButton link data-test="alike-size" @click="group.chooseAlike('size')">its size</ElButton>
        <ElButton link data-test="alike-telltale" @click="group.chooseAlike('telltale')">its telltale</ElButton>
      </div>
      <p class="verdict" :class="{ shows: verdict.startsWith('It shows') }" data-test="verdict">{{ verdict }}</p>
    </template>
    <template v-else>
      <h2>Mend</h2>
      <p class="soft">{{ bench.counts.open }} flaws are open. Fennip takes the gentlest method whose result does not show, and says why.</p>
      <ElButton type="primary" data-test="mend-all" :disabled="bench.counts.open === 0 || !!bench.run" @click="bench.mendAll">Mend all open <span class="key">Shift M</span></ElButton>
      <p class="soft">Select a flaw in the picture or the ledger to judge it. With Spot a click mends at once; Stroke and Outline mend what you draw.</p>
      <template v-if="bench.tool === 'spot' || bench.tool === 'stroke' || bench.tool === 'outline'">
        <h3>What you draw</h3>
        <div class="hand" role="radiogroup" aria-label="Method of what you draw">
          <ElButton role="radio" :aria-checked="bench.handMethod === 'auto'" :class="{ on: bench.handMethod === 'auto' }" data-test="hand-auto" @click="bench.handMethod = 'auto'">Gentlest</ElButton>
          <ElButton v-for="method in METHODS" :key="method.id" role="radio" :aria-checked="bench.handMethod === method.id" :class="{ on: bench.handMethod === method.id }" :data-test="`hand-${method.id}`" @click="bench.handMethod = method.id">{{ method.word }}</ElButton>
        </div>
        <Setting label="Strength" unit="%" :model-value="Math.round(100 * bench.handStrength)" :min="5" :max="100" test="hand-strength" @update:model-value="(value) => (bench.handStrength = value / 100)" />
        <p class="soft">Faint mends can be laid one over another; each is a step of its own.</p>
      </template>
      <p class="soft">Hold <span class="key">Space</span> for the original. Hold <span class="key">Shift</span> to choose several.</p>
      <ElButton data-test="reset-all" :disabled="bench.steps.length === 0" @click="resetAll">Reset all mends</ElButton>
    </template>
  </aside>
</template>

<style scoped>
h3 { margin: 4px 0 0; font-size: 13px; }
.hand { display: flex; flex-wrap: wrap; gap: 4px; }
.hand button { border: 1px solid var(--hairline); background: #fff; border-radius: 3px; padding: 2px 7px; cursor: pointer; font-size: 12px; }
.hand button.on { border-color: var(--ink); box-shadow: inset 0 0 0 1px var(--ink); }
.alike { font-size: 12px; color: var(--soft-ink); display: flex; flex-wrap: wrap; gap: 3px 8px; }
.alike button { text-decoration: underline; }
p { margin: 0 0 4px; }
.methods { border: 1px solid var(--hairline); border-radius: 3px; overflow: hidden; background: #fff; flex: none; }
.methods button { display: flex; justify-content: space-between; align-items: center; width: 100%; padding: 6px 9px; border: 0; border-bottom: 1px solid var(--hairline); background: none; cursor: pointer; }
.methods button:last-child { border-bottom: 0; }
.methods button.on { background: var(--settled); color: #fff; }
.methods button:disabled { opacity: 0.6; }
.verdict { padding-top: 6px; color: var(--soft-ink); }
.verdict.shows { color: var(--shows); }
</style>
