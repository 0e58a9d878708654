<script setup lang="ts">
import { ElButton, ElMessageBox, ElProgress, ElTable, ElTableColumn } from 'element-plus'
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { ProblemError } from '@fennip/core/problem.js'
import { STAGE_WORDS } from '@fennip/core/treatment/words.js'
import { api, listen, type OpenedJob, type Run, type RunFile, type Space, type TimeSpent } from '../shared/api.js'
import OnlyLooking from '../access/OnlyLooking.vue'
import { useSession } from '../access/session.js'
import { counted, RUN_WORDS } from '../shared/words.js'
import { setTitle } from '../router.js'
import { megabytes } from './output-words.js'

/** What outlives the work: the job as an archive, its contact sheet, the room it takes and the time it took. */
const props = defineProps<{ job: string }>()
const session = useSession()
const opened = ref<OpenedJob | null>(null)
const runs = ref<Run[]>([])
const space = ref<Space | null>(null)
const spent = ref<TimeSpent[]>([])
const problem = ref('')
const report = (error: unknown) => (problem.value = error instanceof ProblemError ? error.detail : String(error))
async function attempt<T>(act: () => Promise<T>): Promise<T | null> {
  try {
    const answer = await act()
    problem.value = ''
    return answer
  } catch (error) {
    report(error)
    return null
  }
}
const loadRuns = async () => (runs.value = (await attempt(() => api.jobRuns(props.job)))?.runs ?? runs.value)
const loadSpace = async () => (space.value = (await attempt(() => api.space(props.job))) ?? space.value)
async function load(): Promise<void> {
  opened.value = await attempt(() => api.job(props.job))
  if (opened.value) setTitle('Hand over', opened.value.title)
  spent.value = (await attempt(() => api.time(props.job)))?.spent ?? []
  await loadRuns()
  await loadSpace()
}
let stop = () => {}
onMounted(() => {
  void load()
  stop = listen('*', (event) => {
    if (event.type !== 'run') return
    const known = runs.value.find(({ id }) => id === event.run)
    if (known && (event.state === 'running' || event.state === 'queued')) Object.assign(known, { state: event.state, progress: event.progress })
    else if (known || event.picture === props.job) void loadRuns().then(loadSpace)
  })
})
onUnmounted(() => stop())

const begin = async (kind: 'archive' | 'contact-sheet') => {
  const run = await attempt(() => (kind === 'archive' ? api.archive(props.job) : api.contactSheet(props.job)))
  if (run && !runs.value.some(({ id }) => id === run.id)) runs.value = [run, ...runs.value]
}
const isUnderWay = ({ state }: Run) => state === 'queued' || state === 'running'
const isBusy = (kind: Run['kind']) => runs.value.some((run) => run.kind === kind && isUnderWay(run))
const filesOf = ({ result }: Run) => (result?.files as RunFile[] | undefined) ?? []
const when = ({ createdAt }: Run) => new Date(createdAt).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })

const SPACE_ROWS: { id: keyof Space; word: string; help: string; disposable?: 'mends' | 'files' | 'archives' }[] = [
  { id: 'originals', word: 'Originals', help: 'the very files that came' },
  { id: 'tiles', word: 'Pixels for the bench', help: 'originals cut into tiles; every screen reads them' },
  { id: 'mends', word: 'Kept mends', help: 'made again when they are asked for', disposable: 'mends' },
  { id: 'files', word: 'Written files and reports', help: 'can be written again', disposable: 'files' },
  { id: 'archives', word: 'Archives and contact sheets', help: 'can be written again', disposable: 'archives' },
]
const total = computed(() => (space.value ? Object.values(space.value).reduce((sum, { bytes }) => sum + bytes, 0) : 0))
async function throwAway(row: (typeof SPACE_ROWS)[number]): Promise<void> {
  const sure = await ElMessageBox.confirm(`${row.word}, ${megabytes(space.value![row.id].bytes)}, are thrown away: ${row.help}. No treatment and no original is touched.`, 'Throw away', { confirmButtonText: 'Throw away', cancelButtonText: 'Keep', type: 'warning' }).then(() => true, () => false)
  if (!sure) return
  space.value = (await attempt(() => api.throwAway(props.job, row.disposable!))) ?? space.value
  await loadRuns()
}

/** Minutes by picture and stage. */
const times = computed(() => {
  const rows = new Map<string, { name: string; stages: Record<string, number>; sum: number }>()
  for (const { picture, name, stage, seconds } of spent.value) {
    const row = rows.get(picture) ?? { name, stages: {}, sum: 0 }
    row.stages[stage] = (row.stages[stage] ?? 0) + seconds
    row.sum += seconds
    rows.set(picture, row)
  }
  return [...rows.values()]
})
const stages = computed(() => Object.keys(STAGE_WORDS).filter((stage) => spent.value.some((entry) => entry.stage === stage)) as (keyof typeof STAGE_WORDS)[])
const minutes = (seconds: number | undefined) => (!seconds ? '' : seconds < 60 ? 'under 1' : String(Math.round(seconds / 60)))
const allMinutes = computed(() => Math.round(times.value.reduce((sum, row) => sum + row.sum, 0) / 60))
</script>

<template>
  <div class="job-hand-over">
    <div class="top-bar"><RouterLink class="brand" to="/">Fennip</RouterLink><span v-if="opened"><RouterLink class="soft" :to="`/jobs/${job}`">{{ opened.title }}</RouterLink> / <b>Hand over</b></span></div>
    <OnlyLooking />
    <main v-if="opened" tabindex="-1" data-home>
      <h1>Hand over the job</h1>
      <p v-if="problem" class="shows" data-test="problem">{{ problem }}</p>
      <section>
        <header><div><h2>Archive</h2><p class="soft">One zip file with every original, treatment, history, chart, written file and report, readable without Fennip. The shelf takes it in again to the same state.</p></div>
          <div v-if="session.mayChange" class="acts"><ElButton data-test="write-sheet" :loading="isBusy('contact-sheet')" @click="begin('contact-sheet')">Write the contact sheet</ElButton><ElButton type="primary" data-test="write-archive" :loading="isBusy('archive')" @click="begin('archive')">Write the archive</ElButton></div>
        </header>
        <p v-if="runs.length === 0" class="soft">Nothing has been written of the whole job yet.</p>
        <div v-for="run in runs" :key="run.id" class="run-row" data-test="job-run">
          <span>{{ RUN_WORDS[run.kind].batch }}</span><span class="soft">{{ when(run) }}</span>
          <span v-if="isUnderWay(run)" class="under-way"><ElProgress :percentage="Math.round(100 * run.progress)" :stroke-width="5" /><ElButton v-if="session.mayChange" link @click="attempt(() => api.cancel(run.id))">Cancel</ElButton></span>
          <span v-else-if="run.state === 'failed'" class="shows">{{ run.problem?.detail }}</span>
          <span v-else-if="run.state === 'cancelled'" class="soft">cancelled</span>
          <span v-else-if="filesOf(run).length === 0" class="soft">thrown away</span>
          <a v-for="(file, i) in filesOf(run)" :key="file.name" :href="`/api/runs/${run.id}/files/${i}`" download data-test="job-download">{{ file.name }}, {{ megabytes(file.bytes) }}</a>
        </div>
      </section>
      <section v-if="space">
        <header><div><h2>Space</h2><p class="soft">{{ megabytes(total) }} in all.</p></div></header>
        <table class="space">
          <tbody>
            <tr v-for="row in SPACE_ROWS" :key="row.id" data-test="space-row">
              <td>{{ row.word }}<small class="soft">{{ row.help }}</small></td>
              <td class="bar"><i :style="{ width: `${(100 * space[row.id].bytes) / Math.max(1, total)}%` }" /></td>
              <td class="number">{{ megabytes(space[row.id].bytes) }}</td>
              <td class="number soft">{{ counted(space[row.id].files, 'file', 'files') }}</td>
              <td class="number"><ElButton v-if="row.disposable && session.mayChange" size="small" :disabled="space[row.id].files === 0" :data-test="`throw-${row.id}`" @click="throwAway(row)">Throw away</ElButton></td>
            </tr>
          </tbody>
        </table>
      </section>
      <section>
        <header><div><h2>Time</h2><p class="soft">{{ times.length === 0 ? 'No time has been counted yet. It is counted while a picture is open and worked on.' : `${allMinutes} minutes at the bench, by picture and stage.` }}</p></div><a v-if="times.length > 0" :href="`/api/jobs/${job}/time.csv`" download data-test="time-csv">As CSV</a></header>
        <ElTable v-if="times.length > 0" :data="times" size="small" data-test="time-table">
          <ElTableColumn prop="name" label="Picture" min-width="180" />
          <ElTableColumn v-for="stage in stages" :key="stage" :label="STAGE_WORDS[stage]" align="right"><template #default="{ row }">{{ minutes(row.stages[stage]) }}</template></ElTableColumn>
          <ElTableColumn label="Minutes in all" align="right"><template #default="{ row }">{{ minutes(row.sum) }}</template></ElTableColumn>
        </ElTable>
      </section>
    </main>
    <p v-else class="soft waiting">{{ problem || 'Opening the job' }}</p>
  </div>
</template>

<style scoped>
.job-hand-over { height: 100%; overflow-y: auto; }
main { max-width: 1040px; margin: 0 auto; padding: 20px 24px 40px; }
h1 { font-size: 20px; margin: 0 0 14px; }
h2 { font-size: 15px; margin: 0; }
section { background: #fff; border: 1px solid var(--hairline); border-radius: 3px; padding: 14px 18px; margin-bottom: 12px; }
section > header { display: flex; justify-content: space-between; gap: 24px; align-items: start; margin-bottom: 8px; }
p { margin: 2px 0 0; }
.acts { display: flex; gap: 8px; flex: none; }
main a { text-decoration: underline; text-underline-offset: 2px; }
.run-row { display: grid; grid-template-columns: 190px 160px 1fr; gap: 14px; padding: 6px 0; border-top: 1px solid var(--hairline); align-items: center; }
.under-way { display: grid; grid-template-columns: 1fr auto; gap: 12px; align-items: center; }
.space { width: 100%; border-collapse: collapse; }
.space td { padding: 6px 12px 6px 0; border-top: 1px solid var(--hairline); }
.space small { display: block; }
.space .bar { width: 240px; }
.space .bar i { display: block; height: 8px; background: var(--soft-ink); min-width: 1px; }
.number { text-align: right; white-space: nowrap; }
.waiting { padding: 24px; }
</style>
