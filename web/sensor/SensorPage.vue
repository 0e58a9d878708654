<script setup lang="ts">
import { ElButton, ElCheckbox, ElMessage, ElMessageBox, ElProgress, ElSlider } from 'element-plus'
import { useThrottleFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { ProblemError } from '@fennip/core/problem.js'
import { LEAST_FRAMES } from '@fennip/core/series/learn-chart.js'
import { api, listen, type Picture, type Run } from '../shared/api.js'
import { setTitle } from '../router.js'
import OnlyLooking from '../access/OnlyLooking.vue'
import { useSession } from '../access/session.js'
import HelpButton from '../help/HelpButton.vue'
import { useKeys } from '../help/use-keys.js'
import { useKeptFocus } from '../shared/keys.js'
import { counted, RUN_WORDS, thousands } from '../shared/words.js'
import { useChecking } from './checking.js'
import MarkCheck from './MarkCheck.vue'
import SensorGraphs from './SensorGraphs.vue'
import SensorMap from './SensorMap.vue'

const props = defineProps<{ job: string; sensor: string }>()
const checking = useChecking()
const session = useSession()
const router = useRouter()
const chosen = ref(new Set<string>())
const running = ref(new Map<string, { kind: Run['kind']; progress: number; run: string }>())
const picker = ref<HTMLInputElement>()
/** Full stops and halves between, as apertures are written. */
const APERTURES = [4, 5.6, 8, 11, 16, 22, 32]
const apertureStep = ref(4)
const aperture = computed(() => APERTURES[apertureStep.value]!)
const chart = computed(() => checking.sensor?.chart ?? null)
const frames = computed(() => [...(checking.sensor?.frames ?? [])].sort((a, b) => (a.about.camera.taken ?? '').localeCompare(b.about.camera.taken ?? '')))
const learned = computed(() => new Map((chart.value?.frames ?? []).map((frame) => [frame.name, frame])))
const learning = computed(() => [...running.value.values()].find(({ kind }) => kind === 'learn') ?? null)

const load = () => checking.open(props.sensor)
const loadSoon = useThrottleFn(load, 800, true)

function toggle(id: string): void {
  const next = new Set(chosen.value)
  if (!next.delete(id)) next.add(id)
  chosen.value = next
}
const toggleAll = () => (chosen.value = chosen.value.size === frames.value.length ? new Set() : new Set(frames.value.map(({ id }) => id)))
async function attempt(act: () => Promise<unknown>): Promise<void> {
  try {
    await act()
    await load()
  } catch (error) {
    if (error === 'cancel' || error === 'close') return
    ElMessage({ type: 'error', message: error instanceof ProblemError ? error.detail : String(error), showClose: true })
  }
}
const inOrder = () => frames.value.filter(({ id }) => chosen.value.has(id)).map(({ id }) => id)
const learn = () => attempt(() => api.learn(props.sensor, inOrder()))
const apply = () => attempt(() => api.beginBatch(props.job, 'chart', inOrder(), { sensor: props.sensor }))
const carry = (from: Picture) => attempt(() => api.beginBatch(props.job, 'carry', inOrder().filter((id) => id !== from.id), { from: from.id }))
const correct = (picture: Picture) => attempt(async () => {
  const { value } = await ElMessageBox.prompt('Name of the camera body that took it; nothing when none did.', picture.name, { confirmButtonText: 'Keep', cancelButtonText: 'Cancel', inputValue: checking.sensor!.name })
  await api.takenBy(picture.id, value.trim())
})
const takeIn = () => attempt(async () => {
  const file = picker.value?.files?.[0]
  if (!file) return
  picker.value!.value = ''
  let document: unknown
  try {
    document = JSON.parse(await file.text())
  } catch {
    throw new ProblemError('not-json', { title: 'This is no chart', detail: `${file.name} is not JSON. Choose a file that was kept from a sensor page.`, status: 422 })
  }
  const { marks } = await api.takeChart(props.sensor, document)
  ElMessage({ type: 'success', message: `${marks} marks were taken in.` })
})

const page = ref<HTMLElement>()
useKeptFocus(page, () => page.value?.querySelector<HTMLElement>('[data-home]'))
watch(() => checking.sensor?.name, (name) => name && setTitle(`Sensor of ${name}`, checking.sensor!.job.title))
useKeys(['sensor'], {
  'mark-next': () => checking.stepMark(1),
  'mark-back': () => checking.stepMark(-1),
  'frame-next': () => checking.stepFrame(1),
  'frame-back': () => checking.stepFrame(-1),
  'mark-settle': { act: () => void checking.judge('settled'), when: () => session.mayChange },
  'mark-leave': { act: () => void checking.judge('left'), when: () => session.mayChange },
  'mark-settle-all': { act: () => void checking.settleAll(), when: () => session.mayChange },
  'mark-settle-quiet': { act: () => void checking.settleUnremarkable(), when: () => session.mayChange },
  'mark-open': () => {
    const { current } = checking
    if (current) void router.push(`/jobs/${props.job}/pictures/${current.picture.id}/mend?flaw=${current.flaw.id}`)
  },
})

let stop = () => {}
onMounted(() => {
  void load()
  stop = listen('*', (event) => {
    if (event.type === 'run') {
      const next = new Map(running.value)
      if (event.state === 'running' || event.state === 'queued') next.set(event.picture!, { kind: event.kind as Run['kind'], progress: event.progress!, run: event.run! })
      else {
        next.delete(event.picture!)
        if (event.state === 'failed') void api.run(event.run!).then((run) => ElMessage({ type: 'error', message: run.problem?.detail ?? 'The work failed.', showClose: true, duration: 8000 }))
      }
      running.value = next
      if (event.state !== 'running') void loadSoon()
    } else void loadSoon()
  })
})
onUnmounted(() => stop())
</script>

<template>
  <div ref="page" class="page">
    <div class="top-bar">
      <RouterLink class="brand" to="/">Fennip</RouterLink>
      <span v-if="checking.sensor"><RouterLink class="soft" :to="`/jobs/${job}`">{{ checking.sensor.job.title }}</RouterLink> / <b>Sensor of {{ checking.sensor.name }}</b></span>
      <div class="rest">
        <a v-if="chart" class="link-button" :href="`/api/sensors/${sensor}/chart`" download data-test="chart-keep">Keep the chart as a file</a>
        <ElButton v-if="session.mayChange" link data-test="chart-take" @click="picker?.click()">Take a chart in</ElButton>
        <input ref="picker" type="file" accept=".json,application/json" hidden data-test="chart-picker" @change="takeIn" />
        <HelpButton stage="sensor" />
      </div>
    </div>
    <OnlyLooking />
    <p v-if="checking.problem" class="shows note">{{ checking.problem }}</p>
    <div class="room">
      <section class="map" aria-label="Sensor chart" tabindex="0">
        <template v-if="chart">
          <div class="line">
            <b data-test="marks-known">{{ thousands(chart.marks.length) }} marks</b>
            <span class="soft">learned from {{ counted(chart.frames.length, 'frame', 'frames') }}, shown at f/{{ aperture }}</span>
            <ElSlider v-model="apertureStep" :min="0" :max="APERTURES.length - 1" :show-tooltip="false" aria-label="Aperture" />
          </div>
          <SensorMap :chart="chart" :aperture="aperture" :selected="checking.markId" :judged="checking.judgedMarks" @select="checking.select" />
          <SensorGraphs :chart="chart" :aperture="aperture" :selected="checking.markId" @select="checking.select" />
        </template>
        <div v-else class="none">
          <h1>No chart yet</h1>
          <p>What sits at the same place in several frames while the scene changes is dust on the sensor. Choose {{ LEAST_FRAMES }} frames or more of {{ checking.sensor?.name }} on the right, taken with a small aperture where there are any, and learn its chart.</p>
        </div>
      </section>
      <MarkCheck :job="job" />
      <section class="frames" aria-label="Frames">
        <div class="line"><b v-if="!session.mayChange">{{ counted(frames.length, 'frame', 'frames') }}</b><ElCheckbox v-else :model-value="frames.length > 0 && chosen.size === frames.length" :indeterminate="chosen.size > 0 && chosen.size < frames.length" aria-label="Select all frames" data-test="all-frames" @change="toggleAll"><b>{{ counted(frames.length, 'frame', 'frames') }}</b></ElCheckbox></div>
        <div class="list" tabindex="0" role="group" aria-label="Frames of this body">
          <div v-for="frame in frames" :key="frame.id" class="frame" data-test="frame">
            <ElCheckbox v-if="session.mayChange" :model-value="chosen.has(frame.id)" :aria-label="`Select ${frame.name}`" @change="toggle(frame.id)" />
            <div>
              <RouterLink :to="`/jobs/${job}/pictures/${frame.id}/mend`"><b>{{ frame.name }}</b></RouterLink>
              <small class="soft">f/{{ frame.about.camera.aperture ?? '?' }}<template v-if="learned.has(frame.name)"> · {{ learned.get(frame.name)!.seen }} marks, scale {{ learned.get(frame.name)!.scale.toFixed(4) }}</template></small>
              <small v-if="running.has(frame.id)" class="soft">{{ RUN_WORDS[running.get(frame.id)!.kind].doing }} {{ Math.round(100 * running.get(frame.id)!.progress) }} %</small>
              <small v-if="session.mayChange" class="acts"><ElButton link class="soft" data-test="other-body" @click="correct(frame)">Other body</ElButton><ElButton link v-if="(frame.counts.mended ?? 0) + (frame.counts.settled ?? 0) > 0" class="soft" :disabled="chosen.size === 0 || (chosen.size === 1 && chosen.has(frame.id))" title="Carry the mends of this frame to the frames that are selected" data-test="carry" @click="carry(frame)">Carry its mends</ElButton></small>
            </div>
          </div>
        </div>
        <div v-if="learning" class="learning"><span class="soft">{{ RUN_WORDS.learn.doing }}</span><ElProgress :percentage="Math.round(100 * learning.progress)" :stroke-width="5" /><ElButton v-if="session.mayChange" link @click="api.cancel(learning.run)">Cancel</ElButton></div>
        <ElButton v-if="session.mayChange" :type="chart ? undefined : 'primary'" data-test="learn" :disabled="chosen.size < LEAST_FRAMES || !!learning" @click="learn">{{ chart ? 'Learn anew' : 'Learn the chart' }} from {{ chosen.size }}</ElButton>
        <ElButton v-if="session.mayChange" :type="chart ? 'primary' : undefined" data-test="apply" :disabled="!chart || chosen.size === 0" @click="apply">Apply to {{ chosen.size }}</ElButton>
      </section>
    </div>
  </div>
</template>

<style scoped>
.page { display: flex; flex-direction: column; height: 100%; overflow: hidden; }
.note { margin: 0; padding: 6px 14px; }
.room { flex: 1; min-height: 0; display: grid; grid-template-columns: minmax(0, 1fr) 430px 232px; }
.map { padding: 12px 14px; overflow-y: auto; display: flex; flex-direction: column; gap: 10px; }
.line { display: flex; gap: 12px; align-items: center; white-space: nowrap; }
.line :deep(.el-slider) { width: 130px; margin-left: auto; flex: none; --el-slider-height: 2px; --el-slider-main-bg-color: #5e5e5e; }
.line :deep(.el-slider__button) { border-radius: 2px; border-color: var(--ink); background: var(--ink); width: 7px; height: 13px; }
.none { max-width: 420px; margin: 60px auto; }
.none h1 { font-size: 20px; margin: 0 0 6px; }
.frames { display: flex; flex-direction: column; gap: 8px; padding: 12px 12px; background: var(--sheet); min-height: 0; }
.list { flex: 1; overflow-y: auto; min-height: 0; }
.frame { display: flex; gap: 6px; padding: 6px 0; border-bottom: 1px solid var(--hairline); align-items: start; }
.frame small { display: block; }
.acts { display: flex !important; gap: 12px; }
.acts .link-button { text-decoration: underline; text-underline-offset: 2px; }
.learning { display: flex; flex-direction: column; gap: 2px; }
.frames .plain-button { justify-content: center; flex: none; }
</style>
