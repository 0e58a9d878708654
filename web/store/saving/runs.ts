import { computed, ref, type Ref, type ShallowRef } from 'vue'
import type { SearchedArea } from '@fennip/core/find/searched-area.js'
import { api, type ExportRequest, type OpenedPicture, type Run } from '../../shared/api.js'

interface Worked {
  readonly opened: ShallowRef<OpenedPicture['picture'] | null>
  readonly revision: Ref<number>
  readonly problem: Ref<string | null>
  /** Wait until everything is saved. */
  settled(): Promise<void>
  report(error: unknown): void
}

const isUnderWay = (state: string) => state === 'queued' || state === 'running'

/** Long work of the server on the open picture. */
export function useRuns({ opened, revision, problem, settled, report }: Worked) {
  const runs = ref<Run[]>([])
  const run = computed(() => runs.value.find(({ state }) => isUnderWay(state)) ?? null)

  /** How often something was heard of a run. */
  const heard = new Map<string, number>()
  /** Take note of what the server tells of a run; it tells things in the order in which they happen. */
  async function noteRun(id: string, state: string, progress: number): Promise<void> {
    const count = (heard.get(id) ?? 0) + 1
    heard.set(id, count)
    if (isUnderWay(state) && runs.value.some((candidate) => candidate.id === id)) {
      runs.value = runs.value.map((candidate) => (candidate.id === id ? { ...candidate, state, progress } : candidate))
      return
    }
    const fresh = await api.run(id)
    // More was heard of it meanwhile: this answer may be from before that.
    if (heard.get(id) !== count) return
    runs.value = [fresh, ...runs.value.filter((candidate) => candidate.id !== id)]
    if (fresh.state === 'failed') problem.value = fresh.problem?.detail ?? 'The work failed.'
  }

  const beginning = new Set<Run['kind']>()
  /** Begin work on the server; what is asked for again before it has answered is begun once. */
  async function startRun(kind: Run['kind'], begin: () => Promise<Run>): Promise<void> {
    if (beginning.has(kind)) return
    beginning.add(kind)
    try {
      await settled()
      const begun = await begin()
      if (!runs.value.some((candidate) => candidate.id === begun.id)) runs.value = [begun, ...runs.value]
    } catch (error) {
      report(error)
    } finally {
      beginning.delete(kind)
    }
  }
  const find = (kinds: string[], falseFinds: number, where: SearchedArea & { like?: string } = {}) => startRun('find', () => api.find(opened.value!.id, kinds, falseFinds, where))
  const mendAll = () => startRun('mend', () => api.mend(opened.value!.id, revision.value))
  const handOver = (body: ExportRequest) => startRun('export', () => api.export(opened.value!.id, body))
  async function cancel(id: string): Promise<void> {
    await api.cancel(id).catch(report)
  }

  return { runs, run, noteRun, find, mendAll, handOver, cancel }
}
