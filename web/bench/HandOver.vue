<script setup lang="ts">
import { ElButton, ElOption, ElProgress, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { sizeRefusal } from '@fennip/codec/formats.js'
import Setting from '../shared/Setting.vue'
import { thousands } from '../shared/words.js'
import { useBench } from '../store/bench.js'

const bench = useBench()
const FORMATS = [
  { id: 'tiff', word: 'TIFF, deflated', deep: true },
  { id: 'png', word: 'PNG', deep: true },
  { id: 'jpeg', word: 'JPEG', deep: false },
  { id: 'webp', word: 'WebP', deep: false },
] as const
const original = computed(() => bench.opened!.original)
const format = ref<(typeof FORMATS)[number]['id']>('tiff')
const depth = ref<8 | 16>(original.value.depth)
const quality = ref(92)
const chosen = computed(() => FORMATS.find((candidate) => candidate.id === format.value)!)
watch(chosen, ({ deep }) => {
  depth.value = deep ? original.value.depth : 8
})
const losses = computed(() => {
  const list: string[] = []
  if (original.value.depth === 16 && !chosen.value.deep) list.push(`${chosen.value.word} holds 8 bits a sample; the picture has 16.`)
  else if (original.value.depth === 16 && depth.value === 8) list.push('The picture has 16 bits a sample and is written with 8.')
  if (bench.opened!.about.hasAlpha && format.value === 'jpeg') list.push('JPEG has no transparency; it is left out.')
  const refusal = sizeRefusal(format.value, original.value.width, original.value.height)
  if (refusal) list.push(refusal)
  return list
})
const isRefused = computed(() => sizeRefusal(format.value, original.value.width, original.value.height) !== null)
const count = (number: number, one: string, many: string) => (number === 0 ? [] : [`${number} ${number === 1 ? one : many}`])
/** What a client would see or ask about. */
const remarks = computed(() => [
  ...count(bench.counts.open, 'flaw is still open.', 'flaws are still open.'), ...count(bench.counts.mended, 'mend has not been judged.', 'mends have not been judged.'),
  ...count(bench.counts.shows, 'mend shows.', 'mends show.'),
])
const exports = computed(() => bench.runs.filter((run) => run.kind === 'export'))
const size = (bytes: unknown) => `${(Number(bytes) / 1e6).toFixed(1)} MB`
</script>

<template>
  <main class="hand-over" tabindex="-1" data-home>
    <section class="choose">
      <h1>Hand over</h1>
      <p v-if="remarks.length > 0" class="warning" data-test="remarks">{{ remarks.join(' ') }}</p>
      <p v-else class="soft" data-test="remarks">{{ bench.flaws.length > 0 ? 'Every flaw is settled or left on purpose, and no mend shows.' : 'The picture has not been searched.' }}</p>
      <div class="field"><span>Format</span>
        <ElSelect v-model="format" aria-label="Format" data-test="format"><ElOption v-for="option in FORMATS" :key="option.id" :value="option.id" :label="option.word" /></ElSelect>
      </div>
      <div v-if="chosen.deep" class="field"><span>Bits a sample</span>
        <div class="choice" role="radiogroup" aria-label="Bits a sample">
          <ElButton v-for="bits in [8, 16] as const" :key="bits" role="radio" :aria-checked="depth === bits" :class="{ on: depth === bits }" :disabled="bits > original.depth" :data-test="`depth-${bits}`" @click="depth = bits">{{ bits }}</ElButton>
        </div>
      </div>
      <Setting v-else v-model="quality" label="Quality" :min="40" :max="100" test="quality" />
      <ul class="kept soft">
        <li>{{ thousands(original.width) }} × {{ thousands(original.height) }} pixels, {{ bench.steps.length }} mends</li>
        <li>Profile: {{ bench.opened!.about.profile.assumed ? 'none in the file, none written' : bench.opened!.about.profile.name }}</li>
        <li v-if="bench.opened!.about.resolutionPerInch">{{ Math.round(bench.opened!.about.resolutionPerInch) }} pixels per inch</li>
        <li>Camera data of the original is kept.</li>
      </ul>
      <p v-for="loss in losses" :key="loss" class="warning">{{ loss }}</p>
      <ElButton type="primary" data-test="export" :disabled="!!bench.run || isRefused" @click="bench.handOver({ format, depth, quality })">Write the file</ElButton>
      <a class="treatment" :href="`/api/pictures/${bench.opened!.id}/treatment`" download>Keep the treatment as a document</a>
    </section>
    <section class="files">
      <h2>Files</h2>
      <p v-if="exports.length === 0" class="soft">Nothing has been written yet.</p>
      <div v-for="run in exports" :key="run.id" class="file" data-test="export-row">
        <div>
          <b>{{ (run.result?.name as string) ?? `${String(run.parameters.format).toUpperCase()}, ${run.parameters.depth} bit` }}</b>
          <small class="soft">{{ run.state === 'done' ? `${size(run.result?.bytes)} · ${run.result?.mends} mends · ${new Date(run.createdAt).toLocaleString('en-GB')}` : run.state === 'failed' ? run.problem?.detail : run.state }}</small>
        </div>
        <ElProgress v-if="run.state === 'running' || run.state === 'queued'" :percentage="Math.round(100 * run.progress)" :stroke-width="5" />
        <ElButton v-if="run.state === 'running' || run.state === 'queued'" @click="bench.cancel(run.id)">Cancel</ElButton>
        <a v-if="run.state === 'done'" class="plain-button" :href="`/api/runs/${run.id}/file`" download data-test="download">Download</a>
      </div>
    </section>
  </main>
</template>

<style scoped>
.hand-over { flex: 1; display: grid; grid-template-columns: 320px 1fr; min-height: 0; overflow: auto; background: var(--ground); }
.choose { background: var(--sheet); border-right: 1px solid var(--hairline); padding: 16px 20px; display: flex; flex-direction: column; gap: 12px; }
h1, h2 { margin: 0; font-size: 18px; }
h2 { font-size: 15px; margin-bottom: 10px; }
p { margin: 0; }
.warning { color: var(--open); }
.field > span { display: flex; justify-content: space-between; margin-bottom: 4px; }
.choice { display: flex; gap: 6px; }
.choice button { border: 1px solid var(--hairline); background: #fff; border-radius: 3px; padding: 5px 16px; cursor: pointer; }
.choice button.on { border-color: var(--ink); box-shadow: inset 0 0 0 1px var(--ink); }
.choice button:disabled { color: #9a9a9a; }
.kept { margin: 0; padding-left: 18px; }
.main { justify-content: center; }
.treatment { text-decoration: underline; color: var(--soft-ink); }
.files { padding: 16px 24px; }
.file { display: grid; grid-template-columns: 1fr 200px auto; gap: 16px; align-items: center; background: #fff; border: 1px solid var(--hairline); padding: 10px 14px; margin-bottom: 6px; border-radius: 3px; }
.file small { display: block; }
.file a { grid-column: 3; }
</style>
