<script setup lang="ts">
import { ElButton, ElCheckbox, ElCheckboxGroup, ElOption, ElSelect, ElSlider } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { expectedFalseFinds } from '@fennip/core/find/judging/false-finds.js'
import { splitKinds } from '@fennip/core/find/whole-kinds.js'
import { shareSearched } from '@fennip/core/find/searched-area.js'
import { searchKindOf, usualKinds } from '@fennip/core/find/search-kinds.js'
import type { SearchKind } from '@fennip/core/treatment/schema.js'
import { looksLike } from '@fennip/core/find/judging/likeness.js'
import { useGroup } from '../../store/bench/group.js'
import { useBench } from '../../store/bench.js'

const bench = useBench()
const group = useGroup()
const KINDS: readonly { kind: SearchKind; words: string; hint?: string }[] = [
  { kind: 'dust', words: 'Dust, soft and dark' },
  { kind: 'speck', words: 'Specks, bright or dark' },
  { kind: 'mould', words: 'Mould', hint: 'Dark spots with ragged rims, close together: on prints that were kept damp' },
  { kind: 'line', words: 'Hairs, scratches and folds' },
  { kind: 'loss', words: 'Losses and tears' },
  { kind: 'stain', words: 'Stains and foxing', hint: 'Told by their colour, on prints of one colour that were scanned in three' },
  { kind: 'flat', words: 'Flat patches and smudges', hint: 'Smoother than the grain of their tone can be: something was taken out here before' },
  { kind: 'moire', words: 'Moire and printed screens', hint: 'One fine pattern that goes on over an area' },
]
const kinds = ref(usualKinds({ kind: bench.opened!.kind, aperture: bench.opened!.about.camera.aperture ?? null }))
/** The one control, on a scale of steps that feel even. */
const STEPS = [0.5, 1, 2, 3, 6, 12, 25, 60]
const step = ref(3)
const rate = computed(() => STEPS[step.value]!)
/** Empty for all, else how and which area. */
const where = ref('')
const searched = computed(() => {
  const [how, id] = where.value.split(':')
  return id ? { [how!]: id } : {}
})
watch(() => bench.areas, (areas) => {
  if (!areas.some(({ id }) => where.value.endsWith(`:${id}`))) where.value = ''
})
/** Kinds that only the whole picture tells are few: the control says nothing of them. */
const isCounted = computed(() => splitKinds(kinds.value).placed.length > 0)
const size = computed(() => bench.opened?.original ?? { width: 0, height: 0 })
/** By itself: a zone that was grown has thousands of corners, and the slider is moved often. */
const share = computed(() => shareSearched({ areas: bench.areas }, searched.value, size.value))
const expected = computed(() => expectedFalseFinds(rate.value, share.value))
/** With the selected one. */
const alike = computed(() => (bench.selected ? bench.flaws.filter((flaw) => looksLike(bench.selected!, flaw)).length : 0))
const canSearch = computed(() => bench.selected !== null && searchKindOf(bench.selected.kind) !== null)
</script>

<template>
  <aside class="slip" aria-label="Find">
    <h2>Find</h2>
    <ElCheckboxGroup v-model="kinds" class="kinds" aria-label="What to search for">
      <ElCheckbox v-for="{ kind, words, hint } in KINDS" :key="kind" :value="kind" :data-test="`kind-${kind}`" :title="hint">{{ words }}</ElCheckbox>
    </ElCheckboxGroup>
    <label v-if="isCounted">
      <span>False finds to look at <b>{{ rate }}</b></span>
      <ElSlider v-model="step" :min="0" :max="STEPS.length - 1" :show-tooltip="false" aria-label="False finds to look at" />
    </label>
    <p v-if="isCounted" class="soft" data-test="false-finds">About {{ Number(expected.mean.toFixed(expected.mean < 10 ? 1 : 0)) }} on average{{ share < 1 ? ' in what is searched' : '' }}; in 95 of 100 pictures at most {{ expected.most }}. More finds fainter flaws.</p>
    <div v-if="bench.areas.length > 0" class="where"><span>Where</span>
      <ElSelect v-model="where" size="small" aria-label="Where to search" data-test="where">
        <ElOption value="" label="The whole picture" />
        <ElOption v-for="area in bench.areas" :key="`in${area.id}`" :value="`within:${area.id}`" :label="`Only in ${area.name}`" />
        <ElOption v-for="area in bench.areas" :key="`out${area.id}`" :value="`without:${area.id}`" :label="`All but ${area.name}`" />
      </ElSelect>
    </div>
    <ElButton type="primary" data-test="find" :disabled="kinds.length === 0 || !!bench.run" @click="bench.find(kinds, rate, searched)">{{ bench.flaws.length > 0 ? 'Search again' : 'Search the picture' }}</ElButton>
    <div v-if="bench.selected" class="like" data-test="like">
      <p class="soft">{{ alike === 1 ? 'No other flaw looks' : `${alike - 1} other flaws look` }} like the selected one.</p>
      <ElButton v-if="canSearch" data-test="more-like" :disabled="!!bench.run" title="Search for fainter ones that look like it" @click="bench.find(kinds, rate, { ...searched, like: bench.selected.id })">More like this</ElButton>
      <ElButton data-test="none-like" title="Leave all of them as they are" @click="group.leaveAlike()">None like this</ElButton>
    </div>
    <div v-if="bench.wires.length > 0" class="question" data-test="wires">
      <p><b>{{ bench.wires.length === 1 ? 'One long dark line' : `${bench.wires.length} long dark lines` }}</b> may be {{ bench.wires.length === 1 ? 'a wire or rail' : 'wires or rails' }} of the picture. Nothing is done to {{ bench.wires.length === 1 ? 'it' : 'them' }} until you say.</p>
      <ElButton data-test="wires-look" @click="bench.selectedId = bench.wires[0]!.id">Look at {{ bench.wires.length === 1 ? 'it' : 'the first' }}</ElButton>
      <ElButton data-test="wires-keep" @click="bench.decideWires(false)">They belong there</ElButton>
      <ElButton data-test="wires-flaws" @click="bench.decideWires(true)">They are flaws</ElButton>
    </div>
    <p v-if="bench.flaws.length > 0" class="soft">Searching again keeps everything you have decided. What was missed: in Mend, take the Spot tool and click it.</p>
    <p v-else class="soft">Faint flaws hide in smooth tones. The negative and relief lenses under the picture bring them out; they never touch the result.</p>
  </aside>
</template>

<style scoped>
.where select { width: 100%; padding: 4px 6px; border: 1px solid var(--hairline); border-radius: 3px; background: #fff; font: inherit; }
.kinds { display: flex; flex-direction: column; }
.kinds :deep(.el-checkbox) { height: 24px; font-weight: 400; margin: 0; }
.like { display: flex; flex-direction: column; gap: 5px; }
.question { display: flex; flex-direction: column; gap: 5px; padding: 8px; border: 1px solid var(--open); border-radius: 3px; }
</style>
