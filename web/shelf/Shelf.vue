<script setup lang="ts">
import { ElButton, ElDialog, ElInput, ElMessageBox, ElProgress } from 'element-plus'
import { onMounted, onUnmounted, ref } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { ProblemError } from '@fennip/core/problem.js'
import { api, listen, type Deleted, type Job, type Run } from '../shared/api.js'
import AccountMenu from '../access/AccountMenu.vue'
import { useSession } from '../access/session.js'
import { counted, minutesLeft } from '../shared/words.js'
import Arrivals from '../sheet/Arrivals.vue'
import Thumbnail from '../sheet/Thumbnail.vue'

const router = useRouter()
const session = useSession()
const jobs = ref<Job[] | null>(null)
const deleted = ref<Deleted[]>([])
const titleField = ref<InstanceType<typeof ElInput>>()
const problem = ref('')
const asking = ref(false)
const title = ref('')
const client = ref('')

async function load(): Promise<void> {
  try {
    const answer = await api.jobs()
    jobs.value = answer.jobs
    deleted.value = answer.deleted
    problem.value = ''
  } catch (error) {
    problem.value = error instanceof ProblemError ? `${error.title}. ${error.detail}` : String(error)
  }
}
async function make(): Promise<void> {
  try {
    const { id } = await api.makeJob({ title: title.value.trim(), client: client.value.trim() })
    await router.push(`/jobs/${id}`)
  } catch (error) {
    problem.value = error instanceof ProblemError ? error.detail : String(error)
  }
}
async function attempt(act: () => Promise<unknown>): Promise<void> {
  try {
    await act()
    await load()
  } catch (error) {
    problem.value = error instanceof ProblemError ? error.detail : String(error)
  }
}
async function remove(job: Job): Promise<void> {
  const pictures = `${counted(job.pictures, 'picture', 'pictures')}`
  const sure = await ElMessageBox.confirm(`${job.title} goes with its ${pictures} and everything done to them. For a day it can be brought back from the shelf.`, 'Delete the job', { confirmButtonText: 'Delete', cancelButtonText: 'Keep it', type: 'warning' }).then(() => true, () => false)
  if (sure) await attempt(() => api.delete('jobs', job.id))
}
const STAGE_WORDS = { find: 'Find', mend: 'Mend', 'hand-over': 'Hand over' } as const
const total = (job: Job) => job.open + job.mended + job.settled + job.left
/** Archives of jobs that are being taken in. */
const chooser = ref<HTMLInputElement>()
const arrivals = ref<InstanceType<typeof Arrivals>>()
const taking = ref<Run[]>([])
function chosen(event: Event): void {
  const input = event.target as HTMLInputElement
  arrivals.value?.add(input.files ?? [])
  input.value = ''
}
async function note(id: string): Promise<void> {
  const run = await api.run(id).catch(() => null)
  if (!run) return
  const others = taking.value.filter((candidate) => candidate.id !== id)
  taking.value = run.state === 'done' || run.state === 'cancelled' ? others : [...others, run]
  if (run.state === 'done') await load()
}
const follow = (id: string) => void note(id)
async function leave(run: Run): Promise<void> {
  if (run.state !== 'failed') await api.cancel(run.id).catch(() => undefined)
  taking.value = taking.value.filter((candidate) => candidate.id !== run.id)
}
let stop = () => {}
onMounted(() => {
  void load()
  stop = listen('*', (event) => {
    if (event.type !== 'run') void load()
    else if (taking.value.some(({ id }) => id === event.run)) void note(event.run!)
  })
})
onUnmounted(() => stop())
</script>

<template>
  <div class="shelf">
    <div class="top-bar"><span class="brand">Fennip</span><span class="soft">Shelf</span><span class="rest"><AccountMenu /></span></div>
    <main tabindex="-1" data-home>
      <header>
        <div><h1>Jobs</h1><p class="soft">One job is one commission: its pictures, and what is still to be done on them.</p></div>
        <div v-if="session.mayChange" class="acts"><ElButton data-test="take-job" @click="chooser?.click()">Take a job in</ElButton><ElButton type="primary" data-test="new-job" @click="asking = true">New job</ElButton></div>
        <input ref="chooser" type="file" accept=".zip,application/zip" hidden data-test="archive-file" @change="chosen" />
      </header>
      <p v-if="problem" class="shows">{{ problem }}</p>
      <Arrivals ref="arrivals" @arrived="follow" />
      <div v-for="run in taking" :key="run.id" class="taking" data-test="taking"><b>Taking a job in</b><span v-if="run.state === 'failed'" class="shows">{{ run.problem?.detail }}</span><ElProgress v-else :percentage="Math.round(100 * run.progress)" :stroke-width="5" /><ElButton link @click="leave(run)">{{ run.state === 'failed' ? 'Dismiss' : 'Cancel' }}</ElButton></div>
      <p v-if="jobs && jobs.length === 0" class="soft">The shelf is empty. Make a job, then drop pictures on its contact sheet.</p>
      <div v-for="job in jobs ?? []" :key="job.id" class="job" data-test="job" @click.self="router.push(`/jobs/${job.id}`)">
        <div><RouterLink :to="`/jobs/${job.id}`" data-test="job-link"><b>{{ job.title }}</b></RouterLink><span class="soft">{{ job.client }}</span><span v-if="job.notes" class="soft notes">{{ job.notes }}</span></div>
        <span>{{ counted(job.pictures, 'picture', 'pictures') }}</span>
        <div class="progress">
          <div class="bar"><i class="settled" :style="{ width: `${(100 * (job.settled + job.left)) / Math.max(1, total(job))}%` }" /><i class="mended" :style="{ width: `${(100 * job.mended) / Math.max(1, total(job))}%` }" /></div>
          <span class="soft">{{ total(job) === 0 ? 'not searched yet' : `${job.settled + job.left} of ${total(job)} flaws judged` }}</span>
        </div>
        <div class="newest"><RouterLink v-for="picture in job.newest" :key="picture.id" :to="`/jobs/${job.id}/pictures/${picture.id}/${picture.stage}`" :title="`${picture.name}: go on in ${STAGE_WORDS[picture.stage]}`" :aria-label="`${picture.name}: go on in ${STAGE_WORDS[picture.stage]}`" data-test="shelf-picture"><Thumbnail :picture="picture" :width="104" :most="70" /></RouterLink></div>
        <span class="left">{{ total(job) === 0 ? '' : minutesLeft(job.open, job.mended) }}</span>
        <ElButton v-if="session.mayChange" text size="small" data-test="delete-job" :aria-label="`Delete ${job.title}`" @click="remove(job)">Delete</ElButton>
      </div>
      <section v-if="deleted.length > 0" class="gone" data-test="deleted-jobs">
        <h2>Deleted within a day</h2>
        <p v-for="job in deleted" :key="job.id">{{ job.name }} <ElButton size="small" data-test="restore-job" @click="attempt(() => api.restore('jobs', job.id))">Bring back</ElButton></p>
      </section>
    </main>
    <ElDialog v-model="asking" title="New job" width="420px" @opened="titleField?.focus()">
      <form class="form" @submit.prevent="make">
        <label>Title<ElInput ref="titleField" v-model="title" maxlength="200" data-test="job-title" /></label>
        <label>Client<ElInput v-model="client" maxlength="200" /></label>
        <ElButton type="primary" native-type="submit" :disabled="title.trim() === ''" data-test="make-job">Make the job</ElButton>
      </form>
    </ElDialog>
  </div>
</template>

<style scoped>
.shelf { min-height: 100%; }
main { max-width: 1080px; margin: 0 auto; padding: 26px 24px; }
header { display: flex; justify-content: space-between; align-items: end; margin-bottom: 18px; }
h1 { margin: 0; font-size: 20px; }
p { margin: 2px 0 0; }
.job { display: grid; grid-template-columns: minmax(0, 1fr) 80px minmax(140px, 260px) 130px 60px; gap: 20px; align-items: center; padding: 16px 18px; background: #fff; border: 1px solid var(--hairline); border-radius: 3px; margin-bottom: 8px; }
.newest { grid-column: 1 / -1; display: flex; gap: 6px; flex-wrap: wrap; order: 9; }
.job { cursor: pointer; }
.job:hover { border-color: var(--soft-ink); }
.job b { display: block; font-size: 15px; }
.job span { display: block; }
.notes { font-size: 12px; }
.acts { display: flex; gap: 8px; }
.taking { display: grid; grid-template-columns: 150px 1fr auto; gap: 16px; align-items: center; padding: 10px 18px; background: #fff; border: 1px solid var(--hairline); margin-bottom: 8px; }
.bar { display: flex; height: 5px; background: #dadada; margin-bottom: 4px; }
.bar .settled { background: var(--settled); }
.bar .mended { background: repeating-linear-gradient(90deg, var(--settled) 0 4px, #dadada 4px 6px); }
.left { text-align: right; }
.gone { margin-top: 26px; color: var(--soft-ink); }
.gone h2 { font-size: 13px; margin: 0 0 6px; }
</style>
