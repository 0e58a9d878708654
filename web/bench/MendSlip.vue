<script setup lang="ts">
import { ElSlider } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import { nameOf, TELLTALE_SHORT } from '../shared/words.js'
import { useBench } from '../store/bench.js'

const bench = useBench()
const METHODS = [
  { id: 'lift', word: 'Lift', key: '1' },
  { id: 'heal', word: 'Heal', key: '2' },
  { id: 'fill', word: 'Fill', key: '3' },
  { id: 'clone', word: 'Clone', key: '4' },
] as const

const strength = computed(() => Math.round(100 * (bench.selectedStep?.strength ?? 1)))
const softEdge = computed(() => bench.selectedStep?.softEdgePx ?? 0)
/** Of a stroke; nothing else has one. Its mend is made anew when the slider is let go. */
const width = ref<number | null>(null)
watch(() => bench.selected?.shape, (shape) => (width.value = shape?.type === 'stroke' ? shape.width : null), { immediate: true })
const another = computed(() => (bench.selectedStep?.method === 'fill' ? 'Fill differently' : 'Other source'))

const title = computed(() => {
  const flaw = bench.selected
  return flaw ? `${nameOf(flaw)}, ${Math.round(2 * shapeCentre(flaw.shape).r)} px` : ''
})
const verdict = computed(() => {
  const step = bench.selectedStep
  if (!step) return ''
  const names = whatShows(step.telltales)
  return names.length === 0 ? 'Nothing gives this mend away.' : `It shows: ${names.map((name) => TELLTALE_SHORT[name]).join(', ')}. Try another source or method.`
})
</script>

<template>
  <aside class="slip" aria-label="Selected flaw">
    <template v-if="bench.selected">
      <h2>{{ title }}</h2>
      <p class="reason soft" data-test="reason">{{ bench.selectedStep?.reason ?? 'Nothing is done to it yet.' }}</p>
      <div class="methods" role="radiogroup" aria-label="Method">
        <button v-for="method in METHODS" :key="method.id" type="button" role="radio" :aria-checked="bench.selectedStep?.method === method.id" :class="{ on: bench.selectedStep?.method === method.id }" :disabled="bench.busy" :data-test="`method-${method.id}`" @click="bench.mendSelected(method.id)">
          {{ method.word }} <span class="key">{{ method.key }}</span>
        </button>
      </div>
      <template v-if="bench.selectedStep">
        <label><span>Strength <b>{{ strength }} %</b></span><ElSlider :model-value="strength" :min="0" :max="100" :show-tooltip="false" aria-label="Strength" data-test="strength" @update:model-value="(value) => bench.adjust({ strength: Number(value) / 100 })" /></label>
        <label v-if="bench.selectedStep.method !== 'lift'"><span>Soft edge <b>{{ softEdge }} px</b></span><ElSlider :model-value="softEdge" :min="0" :max="60" :show-tooltip="false" aria-label="Soft edge" data-test="soft-edge" @update:model-value="(value) => bench.adjust({ softEdgePx: Number(value) })" /></label>
        <label v-if="width !== null"><span>Width <b>{{ width }} px</b></span><ElSlider v-model="width" :min="1" :max="80" :show-tooltip="false" aria-label="Width" @change="bench.setWidth(width)" /></label>
        <button type="button" class="plain-button main" data-test="settle" @click="bench.setState('settled')">Settle <span class="key">Enter</span></button>
        <button type="button" class="plain-button" data-test="other-source" :disabled="bench.busy" @click="bench.otherSource">{{ another }} <span class="key">O</span></button>
      </template>
      <button v-else type="button" class="plain-button main" data-test="mend-one" :disabled="bench.busy" @click="bench.mendSelected()">Mend <span class="key">M</span></button>
      <button type="button" class="plain-button" data-test="leave" @click="bench.setState('left')">Leave as it is <span class="key">L</span></button>
      <button type="button" class="plain-button" data-test="take-out" @click="bench.takeOut">Take out <span class="key">Del</span></button>
      <p class="verdict" :class="{ shows: verdict.startsWith('It shows') }" data-test="verdict">{{ verdict }}</p>
    </template>
    <template v-else>
      <h2>Mend</h2>
      <p class="soft">{{ bench.counts.open }} flaws are open. Fennip takes the gentlest method whose result does not show, and says why.</p>
      <button type="button" class="plain-button main" data-test="mend-all" :disabled="bench.counts.open === 0 || !!bench.run" @click="bench.mendAll">Mend all open</button>
      <p class="soft">Select a flaw in the picture or the ledger to judge it. With Spot a click mends at once; Stroke and Outline mend what you draw.</p>
      <p class="soft">Hold <span class="key">Space</span> for the original.</p>
    </template>
  </aside>
</template>

<style scoped>
.slip { display: flex; flex-direction: column; gap: 8px; padding: 12px 14px; background: var(--sheet); border-left: 1px solid var(--hairline); overflow-y: auto; }
h2 { margin: 0; font-size: 15px; }
p { margin: 0 0 4px; }
.methods { border: 1px solid var(--hairline); border-radius: 3px; overflow: hidden; background: #fff; flex: none; }
.methods button { display: flex; justify-content: space-between; align-items: center; width: 100%; padding: 6px 9px; border: 0; border-bottom: 1px solid var(--hairline); background: none; cursor: pointer; }
.methods button:last-child { border-bottom: 0; }
.methods button.on { background: var(--settled); color: #fff; }
.methods button:disabled { opacity: 0.6; }
label span { display: flex; justify-content: space-between; }
label b { font-weight: 400; }
.plain-button { justify-content: space-between; flex: none; }
.slip :deep(.el-slider) { --el-slider-height: 2px; --el-slider-button-size: 13px; --el-slider-main-bg-color: #5e5e5e; height: 22px; padding: 0 7px; box-sizing: border-box; }
.slip :deep(.el-slider__button) { border-radius: 2px; border-color: var(--ink); background: var(--ink); width: 7px; }
.verdict { padding-top: 6px; color: var(--soft-ink); }
.verdict.shows { color: var(--shows); }
</style>
