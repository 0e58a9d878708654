<script setup lang="ts">
import { ElButton, ElInputNumber, ElMessage, ElProgress, ElSlider } from 'element-plus'
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { ProblemError } from '@fennip/core/problem.js'
import BesideView from '../stage/BesideView.vue'
import PictureView from '../stage/PictureView.vue'
import { announce } from '../shared/announce.js'
import { useKeptFocus } from '../shared/keys.js'
import { useTimeSpent } from '../shared/time-spent.js'
import { setTitle } from '../router.js'
import { LENS_WORDS, megapixels, RUN_WORDS } from '../shared/words.js'
import OnlyLooking from '../access/OnlyLooking.vue'
import { useSession } from '../access/session.js'
import { useOutbox } from '../store/saving/outbox.js'
import { useAreas } from '../store/areas.js'
import { useBench } from '../store/bench.js'
import { useGroup } from '../store/bench/group.js'
import { useLook } from '../store/look.js'
import { LENSES } from '../workers/lenses.js'
import FinishList from '../finish/FinishList.vue'
import FinishSlip from '../finish/FinishSlip.vue'
import FinishTools from '../finish/FinishTools.vue'
import TestStrip from '../steps/TestStrip.vue'
import ToneChart from '../finish/ToneChart.vue'
import AreaTelltales from '../correct/AreaTelltales.vue'
import CorrectList from '../correct/CorrectList.vue'
import CorrectSlip from '../correct/CorrectSlip.vue'
import CorrectTools from '../correct/CorrectTools.vue'
import RebuildList from '../rebuild/RebuildList.vue'
import RebuildSlip from '../rebuild/RebuildSlip.vue'
import RebuildTools from '../rebuild/RebuildTools.vue'
import { useFinish } from '../finish/finish.js'
import { useSteps } from '../store/steps.js'
import HelpButton from '../help/HelpButton.vue'
import { useBenchKeys } from './bench-keys.js'
import CloseLook from './CloseLook.vue'
import AssembleStage from '../assemble/AssembleStage.vue'
import FindSlip from './slips/FindSlip.vue'
import HandOver from '../hand-over/HandOver.vue'
import Ledger from './Ledger.vue'
import LensSettings from './slips/LensSettings.vue'
import MendSlip from './slips/MendSlip.vue'
import Overview from './Overview.vue'
import RoundMap from './RoundMap.vue'
import StageLine from './StageLine.vue'
import Steps from './Steps.vue'
import { MARKS, TOOLS } from './tools.js'

const props = defineProps<{ job: string; picture: string; stage: string }>()
const bench = useBench()
const session = useSession()
const look = useLook()
const areas = useAreas()
const group = useGroup()
const view = ref<InstanceType<typeof PictureView>>()
const failed = ref('')

const route = useRoute()
watch(() => props.picture, (id) => {
  failed.value = ''
  bench.open(id).then(() => {
    // Called from a list: the flaw that is meant.
    if (typeof route.query.flaw === 'string' && bench.flaws.some((flaw) => flaw.id === route.query.flaw)) bench.selectedId = route.query.flaw
  }).catch((error: unknown) => {
    failed.value = error instanceof ProblemError ? error.detail : String(error)
  })
}, { immediate: true })
onBeforeUnmount(() => bench.close())

const finish = useFinish()
const list = useSteps()
/** Stages that are a list of steps; the others are about flaws. */
const hasSteps = computed(() => props.stage === 'correct' || props.stage === 'rebuild' || props.stage === 'finish')
watch(() => props.stage, (stage) => {
  look.stage = stage
  list.stage = stage === 'correct' || stage === 'rebuild' ? stage : 'finish'
  finish.framed = false
}, { immediate: true })
// A lens belongs to the stage it was put on in.
watch(() => props.stage, (stage) => {
  look.lens = 'plain'
  if (stage !== 'mend') {
    bench.tool = 'select'
    group.clear()
  }
})
watch(() => bench.problem, (problem) => {
  if (!problem) return
  ElMessage({ message: problem, type: 'error', duration: 6000, showClose: true })
  bench.problem = null
})

const outbox = useOutbox()
const page = ref<HTMLElement>()
const { goHome } = useKeptFocus(page, () => page.value?.querySelector<HTMLElement>('[data-home]'))
watch(() => [bench.opened?.name, props.stage], () => {
  if (!bench.opened) return
  setTitle(`${bench.opened.name}, ${props.stage === 'hand-over' ? 'hand over' : props.stage}`, bench.opened.job.title)
  setTimeout(() => {
    if (document.activeElement === document.body) goHome()
  }, 100)
})
/** What of the file the restorer should know while working. */
const warning = computed(() => bench.opened?.about.notes.find((note) => note.startsWith('The file is damaged')) ?? null)
useBenchKeys({ stage: () => props.stage, view, toggleBlink })
/** The result and what it is compared with, in turn, while blinking is on. */
const blinking = ref(false)
const BLINK = 700
function holdOriginal(event: PointerEvent): void {
  (event.target as HTMLElement).setPointerCapture(event.pointerId)
  look.holdOriginal = true
}
const { pause, resume } = useIntervalFn(() => (look.holdOriginal = !look.holdOriginal), BLINK, { immediate: false })
function toggleBlink(): void {
  blinking.value = !blinking.value
  if (blinking.value) resume()
  else {
    pause()
    look.holdOriginal = false
  }
}
useEventListener(window, 'beforeunload', (event: BeforeUnloadEvent) => {
  // What is kept in this browser survives; where nothing can be kept, the page asks.
  if (outbox.count > 0 && !survives) event.preventDefault()
})
let survives = true
void outbox.survives().then((does) => (survives = does))
useTimeSpent(() => bench.opened?.id ?? null, () => props.stage)
const runWord = computed(() => RUN_WORDS[bench.run?.kind ?? 'find'].doing)
watch(() => bench.run, (now, before) => {
  if (now && now.id !== before?.id) announce(`${RUN_WORDS[now.kind].doing}`)
  else if (!now && before) announce(`${RUN_WORDS[before.kind].doing}: ended. ${bench.counts.open} open, ${bench.counts.mended} to judge.`)
})
</script>

<template>
  <div ref="page" class="bench">
    <div class="top-bar">
      <RouterLink class="brand" to="/">Fennip</RouterLink>
      <span v-if="bench.opened"><RouterLink class="soft" :to="`/jobs/${job}`">{{ bench.opened.job.title }}</RouterLink> / <b>{{ bench.opened.name }}</b></span>
      <div v-if="bench.opened" class="rest">
        <span>{{ megapixels(bench.opened.original.width, bench.opened.original.height) }} · {{ bench.opened.original.depth }} bit · {{ bench.opened.about.profile.name }}{{ bench.opened.about.profile.assumed ? ' assumed' : '' }}</span>
        <span :class="{ shows: outbox.count > 0 && !!outbox.trouble }" class="saved" :title="outbox.words" data-test="saved">{{ outbox.words }}</span>
        <ElButton link :disabled="!bench.undoLabel" :title="bench.undoLabel ? `Undo: ${bench.undoLabel}` : ''" data-test="undo" @click="bench.goBack('undo')">Undo <span class="key">Ctrl Z</span></ElButton>
        <ElButton link :disabled="!bench.redoLabel" :title="bench.redoLabel ? `Redo: ${bench.redoLabel}` : ''" data-test="redo" @click="bench.goBack('redo')">Redo</ElButton>
        <Steps />
        <HelpButton :stage="stage" />
      </div>
    </div>
    <StageLine :job="job" :picture="picture" :stage="stage" />
    <div v-if="bench.run" class="run" data-test="run">
      <span>{{ bench.run.state === 'queued' ? 'Waiting for a worker' : runWord }}</span>
      <ElProgress :percentage="Math.round(100 * bench.run.progress)" :stroke-width="5" />
      <ElButton link data-test="cancel" @click="bench.cancel(bench.run!.id)">Cancel</ElButton>
    </div>
    <p v-if="warning" class="warned" data-test="file-warning">{{ warning }}</p>
    <OnlyLooking />
    <p v-if="failed" class="failed">{{ failed }}</p>
    <HandOver v-else-if="bench.opened && stage === 'hand-over'" :job="job" />
    <AssembleStage v-else-if="bench.opened && stage === 'assemble'" :inert="!session.mayChange" :job="job" />
    <div v-else-if="bench.opened" class="room">
      <FinishList v-if="stage === 'finish'" :inert="!session.mayChange" />
      <CorrectList v-else-if="stage === 'correct'" :inert="!session.mayChange" />
      <RebuildList v-else-if="stage === 'rebuild'" :inert="!session.mayChange" />
      <Ledger v-else />
      <div class="middle">
        <div class="tools" :inert="!session.mayChange">
          <div v-if="stage === 'mend'" class="tabs" role="radiogroup" aria-label="Tool">
            <ElButton v-for="tool in TOOLS" :key="tool.id" role="radio" :aria-checked="bench.tool === tool.id" :class="{ on: bench.tool === tool.id }" :data-test="`tool-${tool.id}`" :title="tool.hint" @click="bench.tool = tool.id">{{ tool.word }} <span v-if="tool.key" class="key">{{ tool.key }}</span></ElButton>
          </div>
          <div v-if="stage === 'mend' && (bench.tool === 'spot' || bench.tool === 'stroke' || (bench.tool === 'area' && areas.drawWith === 'grow'))" class="size">
            <span class="key">-</span><ElSlider v-model="bench.toolSize" :min="2" :max="300" :show-tooltip="false" aria-label="Size" /><span class="key">+</span>
            <ElInputNumber v-model="bench.toolSize" :min="2" :max="800" :controls="false" size="small" aria-label="Size in pixels" data-test="tool-size" /> px
          </div>
          <FinishTools v-if="stage === 'finish'" :tools="view?.finishTools ?? null" />
          <CorrectTools v-else-if="stage === 'correct'" />
          <RebuildTools v-else-if="stage === 'rebuild'" />
          <div v-else class="marks-choice">Marks
            <ElButton link v-for="choice in MARKS" :key="choice" :class="{ on: bench.marks === choice }" :data-test="`marks-${choice}`" @click="bench.marks = choice">{{ choice }}</ElButton>
            <span class="key">H</span>
          </div>
        </div>
        <div class="views" :class="{ two: look.beside }">
          <BesideView v-if="look.beside" />
          <PictureView ref="view" :editable="stage === 'mend' && session.mayChange" />
        </div>
        <div class="lenses">
          <span class="soft">Lens</span>
          <ElButton v-for="lens in LENSES" :key="lens" :class="{ on: look.lens === lens }" :aria-pressed="look.lens === lens" :data-test="`lens-${lens}`" @click="look.lens = lens">{{ LENS_WORDS[lens] }}</ElButton>
          <LensSettings v-if="look.lens !== 'plain'" />
          <span class="soft hold">
            <ElButton :class="{ on: look.divider !== null }" :aria-pressed="look.divider !== null" data-test="divide" title="Original on the left, result on the right (D)" @click="view?.toggleDivider()">Divide <span class="key">D</span></ElButton>
            <ElButton :class="{ on: look.beside }" :aria-pressed="look.beside" data-test="beside-toggle" title="The original beside the result, moved with it (B)" @click="look.beside = !look.beside">Beside <span class="key">B</span></ElButton>
            <ElButton :class="{ on: blinking }" :aria-pressed="blinking" data-test="blink" title="Original and result in turn (K)" @click="toggleBlink">Blink <span class="key">K</span></ElButton>
            <ElButton v-if="stage === 'mend' || stage === 'correct' || stage === 'rebuild'" :class="{ on: look.compareScope === 'mend' }" :aria-pressed="look.compareScope === 'mend'" data-test="scope" :title="stage === 'mend' ? 'Compare with the result without the selected mend, not with the original (W)' : 'Compare with the result without the selected step (W)'" @click="look.compareScope = look.compareScope === 'all' ? 'mend' : 'all'">{{ stage === 'mend' ? 'One mend' : 'This one' }} <span class="key">W</span></ElButton>
            <ElButton :class="{ on: look.holdOriginal && !blinking }" data-test="hold" title="The original, as long as it is held (Space)" @pointerdown="holdOriginal" @pointerup="look.holdOriginal = false" @pointercancel="look.holdOriginal = false" @contextmenu.prevent>Hold <span class="key">Space</span></ElButton>
          </span>
        </div>
        <div v-if="hasSteps && list.triedSetting" class="under" :inert="!session.mayChange"><TestStrip /><ToneChart v-if="stage === 'finish'" /><AreaTelltales v-else-if="stage === 'correct'" /></div>
        <div v-else-if="hasSteps" class="under"><Overview /></div>
        <CloseLook v-else />
      </div>
      <div class="right" :inert="!session.mayChange">
        <FinishSlip v-if="stage === 'finish'" />
        <CorrectSlip v-else-if="stage === 'correct'" />
        <RebuildSlip v-else-if="stage === 'rebuild'" />
        <FindSlip v-else-if="stage === 'find'" />
        <MendSlip v-else />
        <RoundMap v-if="stage === 'find' || stage === 'mend'" :key="stage" :open="stage === 'find'" />
      </div>
    </div>
    <p v-else class="failed soft">Opening the picture</p>
  </div>
</template>

<style scoped>
.bench { display: flex; flex-direction: column; height: 100%; overflow: hidden; }
.room { flex: 1; min-height: 0; display: grid; grid-template-columns: 300px 1fr 216px; }
@media (max-width: 1199px) { .room { grid-template-columns: 252px 1fr 206px; } }
.middle { display: grid; grid-template: 36px minmax(0, 1fr) 32px auto / minmax(0, 1fr); min-width: 0; min-height: 0; }
.under { display: flex; gap: 14px; padding: 6px 12px 8px; background: var(--sheet); border-top: 1px solid var(--hairline); height: 176px; box-sizing: border-box; overflow: hidden; }
.right { display: flex; flex-direction: column; min-height: 0; }
.right :deep(.slip) { flex: 1; min-height: 0; }
.views { display: grid; grid-template-columns: minmax(0, 1fr); min-height: 0; }
.views.two { grid-template-columns: minmax(0, 1fr) minmax(0, 1fr); }
.tools { display: flex; align-items: center; gap: 12px; padding: 0 12px 0 8px; background: var(--ground); border-bottom: 1px solid var(--hairline); white-space: nowrap; }
.tabs { display: flex; }
.tabs button { border: 0; background: none; padding: 5px 7px; cursor: pointer; }
.tabs button.on { background: var(--ink); color: #fff; }
.size { display: flex; align-items: center; gap: 3px; }
.size :deep(.el-slider) { width: 60px; flex: none; margin: 0 5px; }
.size :deep(.el-input-number) { width: 48px; }
.size :deep(.el-input__wrapper) { padding: 0 5px; }
.marks-choice { margin-left: auto; display: flex; gap: 6px; color: var(--soft-ink); align-items: center; }
.marks-choice .on { color: var(--ink); font-weight: 700; }
.lenses { display: flex; align-items: center; gap: 2px; padding: 0 10px; background: var(--ground); white-space: nowrap; overflow: hidden; }
.lenses > button, .hold button { border: 0; background: none; padding: 4px 6px; cursor: pointer; border-bottom: 2px solid transparent; }
@media (max-width: 1499px) { .lenses .key { display: none; } }
.lenses button.on { border-bottom-color: var(--ink); font-weight: 700; }
.lenses .hold { margin-left: auto; display: flex; }
.bench :deep(.el-slider) { --el-slider-height: 2px; --el-slider-main-bg-color: #5e5e5e; }
.bench :deep(.el-slider__button) { border-radius: 2px; border-color: var(--ink); background: var(--ink); width: 7px; height: 13px; }
.run { position: absolute; left: 50%; top: 130px; transform: translateX(-50%); z-index: 5; display: grid; grid-template-columns: auto 220px auto; gap: 14px; align-items: center; padding: 7px 14px; background: var(--sheet); border: 1px solid var(--ink); border-radius: 3px; }
/* Over the picture, below its tools; only the button takes the pointer. */
.run { pointer-events: none; }
.run .el-button { pointer-events: auto; }
.failed { padding: 24px; }
.warned { margin: 0; padding: 5px 14px; background: #fff; color: var(--shows); border-bottom: 1px solid var(--hairline); }
.saved { flex: none; max-width: 420px; overflow: hidden; text-overflow: ellipsis; }
</style>
