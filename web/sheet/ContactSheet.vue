<script setup lang="ts">
import { ElButton, ElCheckbox, ElMessage, ElMessageBox, ElOption, ElProgress, ElRadioButton, ElRadioGroup, ElSelect } from 'element-plus'
import { useLocalStorage, useThrottleFn } from '@vueuse/core'
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { proposeBrackets } from '@fennip/core/assemble/bracket/propose-brackets.js'
import { DEFAULT_FALSE_FINDS } from '@fennip/core/find/find.js'
import { ProblemError } from '@fennip/core/problem.js'
import { setTitle } from '../router.js'
import { api, listen, type Batch, type OpenedJob, type Picture, type Run, type SensorSummary } from '../shared/api.js'
import { useKeptFocus } from '../shared/keys.js'
import { counted, minutesLeft } from '../shared/words.js'
import OnlyLooking from '../access/OnlyLooking.vue'
import { useSession } from '../access/session.js'
import HelpButton from '../help/HelpButton.vue'
import Arrivals from './Arrivals.vue'
import BatchPanel from './BatchPanel.vue'
import PictureList from './PictureList.vue'
import { arranged, FILTERS, ORDERS, type Filter, type Order } from './sorting.js'

const props = defineProps<{ job: string }>()
const sheet = ref<OpenedJob | null>(null)
const batches = ref<Batch[]>([])
const sensors = ref<SensorSummary[]>([])
const problem = ref('')
const chosen = ref(new Set<string>())
const dismissed = ref(new Set<string>())
const working = ref(new Map<string, { kind: Run['kind']; progress: number }>())
const dropping = ref(false)
const picker = ref<HTMLInputElement>()
const arrivals = ref<InstanceType<typeof Arrivals>>()
const session = useSession()
const view = useLocalStorage<'rows' | 'large'>('fennip-sheet', 'rows')
const order = ref<Order>('arrival')
const filter = ref<Filter>('all')

async function load(): Promise<void> {
  try {
    const [job, list, bodies] = await Promise.all([api.job(props.job), api.batches(props.job), api.sensors(props.job)])
    sheet.value = job
    setTitle(job.title)
    batches.value = list.batches
    sensors.value = bodies.sensors
    problem.value = ''
  } catch (error) {
    problem.value = error instanceof ProblemError ? error.detail : String(error)
  }
}
/** Many pictures may end at once: the sheet is read again at most so often. */
const loadSoon = useThrottleFn(load, 700, true)

function onDrop(event: DragEvent): void {
  dropping.value = false
  if (session.mayChange && event.dataTransfer) arrivals.value?.add(event.dataTransfer.files)
}
function onPick(): void {
  if (picker.value?.files) arrivals.value?.add(picker.value.files)
  if (picker.value) picker.value.value = ''
}

const shown = computed(() => arranged(sheet.value?.list ?? [], order.value, filter.value, sheet.value?.pace ?? {}))
function toggle(id: string): void {
  const next = new Set(chosen.value)
  if (!next.delete(id)) next.add(id)
  chosen.value = next
}
const allChosen = computed(() => shown.value.length > 0 && shown.value.every(({ id }) => chosen.value.has(id)))
const toggleAll = () => (chosen.value = allChosen.value ? new Set() : new Set(shown.value.map(({ id }) => id)))

async function attempt(act: () => Promise<unknown>): Promise<void> {
  try {
    await act()
    await load()
  } catch (error) {
    ElMessage({ type: 'error', message: error instanceof ProblemError ? error.detail : String(error), showClose: true })
  }
}
const begin = (kind: Batch['kind'], parameters: Record<string, unknown>) => attempt(() => api.beginBatch(props.job, kind, shown.value.filter(({ id }) => chosen.value.has(id)).map(({ id }) => id), parameters))
const putAside = (picture: Picture) => attempt(() => api.aside(picture.id, !picture.setAside))
const remove = async (picture: Picture) => {
  const sure = await ElMessageBox.confirm(`${picture.name} goes with everything done to it. For a day it can be brought back from this sheet.`, 'Delete the picture', { confirmButtonText: 'Delete', cancelButtonText: 'Keep it', type: 'warning' }).then(() => true, () => false)
  if (sure) await attempt(() => api.delete('pictures', picture.id))
}
const restore = (id: string) => attempt(() => api.restore('pictures', id))
const dismissArrival = (id: string) => attempt(() => api.delete('pictures', id))
const page = ref<HTMLElement>()
useKeptFocus(page, () => page.value?.querySelector<HTMLElement>('[data-home]'))
const steer = (batch: Batch, what: 'pause' | 'resume' | 'cancel' | 'retry') => attempt(() => api.steerBatch(batch.id, what))
const isOver = (batch: Batch) => batch.items.every(({ state }) => state === 'done' || state === 'cancelled' || state === 'failed')
/** Work that is under way, and the last that ended. */
const shownBatches = computed(() => batches.value.filter((batch, i) => !dismissed.value.has(batch.id) && (!isOver(batch) || i === 0)))
/** The one sensor of all that is chosen, when it has a chart. */
const chartOfChosen = computed(() => {
  const bodies = new Set((sheet.value?.list ?? []).filter(({ id }) => chosen.value.has(id)).map(({ sensor }) => sensor?.id ?? ''))
  const [only] = bodies
  return bodies.size === 1 ? sensors.value.find(({ id, marks }) => id === only && marks) ?? null : null
})

/** Frames that are a bracket by their times and light. */
const brackets = computed(() => (!session.mayChange ? [] : proposeBrackets((sheet.value?.list ?? []).map(({ id, original, about }) => ({ id, width: original.width, height: original.height, ...about.camera })))))
const namesOf = (ids: readonly string[]) => ids.map((id) => sheet.value?.list.find((picture) => picture.id === id)?.name ?? '').join(', ')
const router = useRouter()
/** What is chosen may be merged when it is of one size. */
const canMerge = computed(() => {
  const pictures = (sheet.value?.list ?? []).filter(({ id }) => chosen.value.has(id))
  return pictures.length >= 2 && pictures.length <= 9 && new Set(pictures.map(({ original: { width, height, channels } }) => `${width} ${height} ${channels}`)).size === 1
})
/** The middle one by its light is the reference; the stage Assemble shows how it goes. */
const merge = (ids: readonly string[]) => attempt(async () => {
  const light = (id: string) => sheet.value!.list.find((picture) => picture.id === id)?.about.camera.light ?? 0
  const ordered = [...ids].sort((a, b) => light(a) - light(b))
  const reference = ordered[ordered.length >> 1]!
  await api.merge(reference, ordered)
  await router.push(`/jobs/${props.job}/pictures/${reference}/assemble`)
})
/** Scans with pieces of one print: laid on one sheet, on which they are fitted. */
const canLay = computed(() => {
  const pictures = (sheet.value?.list ?? []).filter(({ id }) => chosen.value.has(id))
  return pictures.length >= 2 && pictures.length <= 8 && new Set(pictures.map(({ original }) => original.channels)).size === 1
})
const layTogether = () => attempt(async () => {
  const ids = (sheet.value?.list ?? []).flatMap(({ id }) => (chosen.value.has(id) ? [id] : []))
  await api.layTogether(ids[0]!, ids)
  await router.push(`/jobs/${props.job}/pictures/${ids[0]!}/assemble`)
})

const sum = computed(() => {
  const list = (sheet.value?.list ?? []).filter(({ setAside }) => !setAside)
  const open = list.reduce((total, { counts }) => total + (counts.open ?? 0), 0)
  const mended = list.reduce((total, { counts }) => total + (counts.mended ?? 0), 0)
  const own = sheet.value?.pace.judge || sheet.value?.pace.mend ? ' at your own pace' : ''
  return `${counted(sheet.value?.list.length ?? 0, 'picture', 'pictures')}, ${list.filter(({ searched }) => searched).length} searched${open + mended > 0 ? `, ${minutesLeft(open, mended, sheet.value?.pace)}${own}` : ''}.`
})

let stop = () => {}
onMounted(() => {
  void load()
  stop = listen('*', (event) => {
    if (event.type !== 'run') return void loadSoon()
    const next = new Map(working.value)
    if (event.state === 'running' || event.state === 'queued') next.set(event.picture!, { kind: event.kind as Run['kind'], progress: event.progress! })
    else next.delete(event.picture!)
    working.value = next
    void loadSoon()
  })
})
onUnmounted(() => stop())
</script>

<template>
  <div ref="page" class="sheet" :class="{ dropping }" @dragover.prevent="dropping = session.mayChange" @dragleave="dropping = false" @drop.prevent="onDrop">
    <div class="top-bar"><RouterLink class="brand" to="/">Fennip</RouterLink><span><RouterLink class="soft" to="/">Shelf</RouterLink> / <b>{{ sheet?.title }}</b></span><span class="rest"><RouterLink class="soft" :to="`/jobs/${job}/hand-over`" data-test="job-hand-over">Archive, space, time</RouterLink><HelpButton stage="sheet" /></span></div>
    <OnlyLooking />
    <header>
      <div tabindex="-1" data-home><h1>{{ sheet?.title }}</h1><p class="soft">{{ problem || sum }}</p></div>
      <div v-if="session.mayChange" class="actions">
        <ElButton data-test="add" @click="picker?.click()">Add pictures</ElButton>
        <span class="soft">{{ chosen.size }} selected:</span>
        <ElButton :disabled="chosen.size === 0" data-test="find-chosen" @click="begin('find', { falseFinds: DEFAULT_FALSE_FINDS })">Find</ElButton>
        <ElButton :disabled="!chartOfChosen" data-test="chart-chosen" :title="chartOfChosen ? `Chart of ${chartOfChosen.name}: ${chartOfChosen.marks} marks` : 'Select frames of one camera body whose chart has been learned'" @click="begin('chart', { sensor: chartOfChosen!.id })">Apply chart</ElButton>
        <ElButton :disabled="chosen.size === 0" data-test="mend-chosen" @click="begin('mend', {})">Mend</ElButton>
        <ElButton :disabled="chosen.size === 0" data-test="export-chosen" title="Write the files that are kept for this job, of each" @click="begin('export', {})">Hand over</ElButton>
        <ElButton :disabled="!canMerge" data-test="merge-chosen" title="Exposures of one scene become one picture of 16 bits: select two or more of one size" @click="merge([...chosen])">Merge</ElButton>
        <ElButton :disabled="!canLay" data-test="lay-chosen" title="Scans with pieces of one torn print become one sheet, on which they are fitted: select two or more" @click="layTogether">Lay together</ElButton>
        <input ref="picker" type="file" multiple accept=".jpg,.jpeg,.png,.tif,.tiff,.webp" hidden data-test="picker" @change="onPick" />
      </div>
    </header>
    <Arrivals ref="arrivals" :job="job" @arrived="load" />
    <div v-for="coming in sheet?.arriving ?? []" :key="coming.id" class="coming" data-test="arriving">
      <b>{{ coming.name }}</b>
      <template v-if="coming.state === 'failed'"><span class="shows" data-test="arrival-problem">{{ coming.problem }}</span><ElButton v-if="session.mayChange" text size="small" data-test="dismiss-arrival" @click="dismissArrival(coming.id)">Dismiss</ElButton></template>
      <template v-else><ElProgress :percentage="Math.round(100 * (working.get(coming.id)?.progress ?? coming.progress))" :stroke-width="5" :aria-label="`Taking in ${coming.name}`" /><span class="soft">{{ coming.state === 'running' ? 'being taken in' : 'waits to be taken in' }}</span></template>
    </div>
    <BatchPanel v-for="batch in shownBatches" :key="batch.id" :batch="batch" @steer="(what) => steer(batch, what)" @dismiss="dismissed = new Set([...dismissed, batch.id])" />
    <div v-for="ids in brackets" :key="ids.join()" class="coming" data-test="bracket-proposal">
      <b>A bracket</b><span class="soft">{{ namesOf(ids) }} were taken one after another with different light.</span><ElButton size="small" data-test="merge-bracket" @click="merge(ids)">Merge them</ElButton>
    </div>
    <div class="choice">
      <span>Show <ElSelect v-model="filter" size="small" aria-label="Which pictures" data-test="filter"><ElOption v-for="(word, id) in FILTERS" :key="id" :value="id" :label="word" /></ElSelect></span>
      <span>Order <ElSelect v-model="order" size="small" aria-label="Order of the pictures" data-test="order"><ElOption v-for="(word, id) in ORDERS" :key="id" :value="id" :label="word" /></ElSelect></span>
      <ElRadioGroup v-model="view" size="small" aria-label="How pictures are shown"><ElRadioButton value="rows" data-test="view-rows">Rows</ElRadioButton><ElRadioButton value="large" data-test="view-large">Large</ElRadioButton></ElRadioGroup>
      <span v-if="sensors.length > 0" class="bodies">Camera bodies
        <RouterLink v-for="sensor in sensors" :key="sensor.id" :to="`/jobs/${job}/sensors/${sensor.id}`" data-test="sensor"><span class="linked">{{ sensor.name }}</span> <span class="soft">{{ counted(sensor.frames, 'frame', 'frames') }}, {{ sensor.marks === null ? 'no chart' : `${sensor.marks} marks` }}</span></RouterLink>
      </span>
    </div>
    <div v-if="view === 'rows'" class="heads"><ElCheckbox v-if="session.mayChange" :model-value="allChosen" aria-label="Select all that are shown" data-test="all" @change="toggleAll" /><span v-else /><span /><span>Picture</span><span class="right">Flaws</span><span>Of which</span><span>Where</span><span class="right">Time left</span><span>Verdict</span><span /></div>
    <PictureList :job="job" :pictures="shown" :view="view" :pace="sheet?.pace ?? {}" :chosen="chosen" :working="working" @toggle="toggle" @aside="putAside" @delete="remove" />
    <p v-if="sheet && sheet.list.length === 0 && !arrivals?.arrivals.length && sheet.arriving.length === 0" class="empty soft">Drop photographs here: JPEG, PNG, TIFF or WebP, 8 or 16 bit. The originals are never changed.</p>
    <p v-else-if="sheet && shown.length === 0" class="empty soft">No picture is {{ FILTERS[filter] }}.</p>
    <section v-if="(sheet?.deleted.length ?? 0) > 0" class="gone" data-test="deleted-pictures">
      <h2>Deleted within a day</h2>
      <p v-for="gone in sheet!.deleted" :key="gone.id">{{ gone.name }} <ElButton v-if="session.mayChange" size="small" data-test="restore-picture" @click="restore(gone.id)">Bring back</ElButton></p>
    </section>
  </div>
</template>

<style scoped>
.sheet { min-height: 100%; }
.sheet.dropping { box-shadow: inset 0 0 0 3px var(--settled); }
header { display: flex; justify-content: space-between; align-items: end; padding: 16px 20px 12px; background: var(--sheet); border-bottom: 1px solid var(--hairline); }
h1 { margin: 0; font-size: 20px; }
p { margin: 2px 0 0; }
.actions { display: flex; gap: 8px; align-items: center; }
.actions .soft { margin-left: 10px; white-space: nowrap; }
.coming { display: grid; grid-template-columns: 220px 1fr auto; gap: 16px; align-items: center; padding: 10px 20px; background: #fff; border-bottom: 1px solid var(--hairline); }
.gone { padding: 16px 20px; color: var(--soft-ink); }
.gone h2 { font-size: 13px; margin: 0 0 6px; }
.choice { flex-wrap: wrap; display: flex; gap: 18px; align-items: center; padding: 7px 20px; background: var(--ground); border-bottom: 1px solid var(--hairline); }
.choice :deep(.el-select) { width: 150px; }
.bodies { margin-left: auto; display: flex; gap: 14px; }
.linked { text-decoration: underline; text-underline-offset: 2px; }
.heads, .sheet :deep(.row) { display: grid; grid-template-columns: 26px 126px minmax(130px, 1fr) 46px minmax(120px, 214px) 112px 92px 108px 44px; gap: 12px; align-items: center; padding: 0 16px 0 10px; }
.heads { border-left: 3px solid transparent; height: 30px; color: var(--soft-ink); border-bottom: 1px solid var(--hairline); }
.right { text-align: right; }
.empty { padding: 60px 20px; text-align: center; }
</style>
