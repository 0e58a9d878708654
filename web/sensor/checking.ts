import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { worstOf } from '@fennip/core/mend/next-best.js'
import { ProblemError } from '@fennip/core/problem.js'
import { flawOfMark } from '@fennip/core/series/apply-chart.js'
import type { Flaw, Operation, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { api, type OpenedPicture, type Picture, type Sensor } from '../shared/api.js'

/** What one frame shows of one mark. */
export interface Checked {
  readonly picture: Picture
  readonly treatment: Treatment
  readonly flaw: Flaw
  readonly step: Step | null
  /** Worst telltale over its limit; 0 when nothing shows or there is no mend. */
  readonly worst: number
  readonly shows: string[]
}

/** Checking what a sensor chart did: one mark in all frames, the worst first. */
export const useChecking = defineStore('checking', () => {
  const sensor = shallowRef<Sensor | null>(null)
  const opened = shallowRef(new Map<string, OpenedPicture>())
  const markId = ref<string | null>(null)
  const frameId = ref<string | null>(null)
  const problem = ref('')
  const reading = ref(0)
  let wanted = ''

  async function open(id: string): Promise<void> {
    wanted = id
    try {
      const read = await api.sensor(id)
      if (wanted !== id) return
      if (sensor.value?.id !== id) {
        opened.value = new Map()
        markId.value = null
      }
      sensor.value = read
      problem.value = ''
      await readFrames()
      markId.value ??= queue.value[0] ?? read.chart?.marks[0]?.id ?? null
    } catch (error) {
      problem.value = error instanceof ProblemError ? error.detail : String(error)
    }
  }

  /** Treatments of the frames that changed since they were read. */
  async function readFrames(): Promise<void> {
    const stale = sensor.value!.frames.filter((frame) => frame.revision > 0 && opened.value.get(frame.id)?.revision !== frame.revision)
    reading.value = stale.length
    for (const frame of stale) {
      const answer = await api.picture(frame.id)
      opened.value = new Map(opened.value).set(frame.id, answer)
      reading.value--
    }
  }

  /** Everything that the chart put into frames, by mark. */
  const byMark = computed(() => {
    const marks = new Map<string, Checked[]>()
    for (const frame of sensor.value?.frames ?? []) {
      const answer = opened.value.get(frame.id)
      if (!answer) continue
      const steps = new Map(answer.treatment.steps.map((step) => [step.flaw, step]))
      for (const flaw of answer.treatment.flaws) {
        const mark = sensor.value?.chart?.marks.find(({ id }) => flawOfMark(id) === flaw.id)
        if (!mark) continue
        const step = steps.get(flaw.id) ?? null
        const list = marks.get(mark.id) ?? []
        list.push({ picture: answer.picture, treatment: answer.treatment, flaw, step, worst: step ? worstOf(step) : 0, shows: whatShows(step?.telltales) })
        marks.set(mark.id, list)
      }
    }
    for (const list of marks.values()) list.sort((a, b) => Number(isJudged(a)) - Number(isJudged(b)) || b.worst - a.worst)
    return marks
  })
  const isJudged = ({ flaw }: Checked) => flaw.state === 'settled' || flaw.state === 'left'

  /** Marks that a person has still to look at, the one that shows most first; judging changes nothing of their order. */
  const queue = computed(() => [...byMark.value].filter(([, list]) => !list.every(isJudged))
    .map(([mark, list]) => ({ mark, worst: Math.max(...list.map(({ worst }) => worst)) }))
    .sort((a, b) => b.worst - a.worst).map(({ mark }) => mark))
  const judgedMarks = computed(() => new Map([...byMark.value].map(([mark, list]) => [mark, list.every(isJudged) ? 'judged' : 'open'] as const)))
  const list = computed(() => (markId.value ? byMark.value.get(markId.value) ?? [] : []))
  const current = computed(() => list.value.find(({ picture }) => picture.id === frameId.value) ?? list.value.find((checked) => !isJudged(checked)) ?? list.value[0] ?? null)
  const counts = computed(() => {
    const all = [...byMark.value.values()].flat()
    return { all: all.length, judged: all.filter(isJudged).length, shows: all.filter((checked) => !isJudged(checked) && checked.shows.length > 0).length }
  })

  function select(mark: string): void {
    markId.value = mark
    frameId.value = null
  }

  /** The next or previous mark: of those to be looked at, and of all when none is left. */
  function stepMark(by: 1 | -1): void {
    const marks = queue.value.length > 0 ? queue.value : [...byMark.value.keys()]
    if (marks.length === 0) return
    const at = markId.value ? marks.indexOf(markId.value) : -1
    select(marks[at < 0 ? 0 : (at + by + marks.length) % marks.length]!)
  }

  function stepFrame(by: 1 | -1): void {
    const at = list.value.findIndex(({ picture }) => picture.id === current.value?.picture.id)
    const next = list.value[at + by]
    if (next) frameId.value = next.picture.id
  }

  async function save(picture: string, label: string, operations: Operation[]): Promise<boolean> {
    const answer = opened.value.get(picture)!
    try {
      await api.edit(picture, answer.revision, label, operations, crypto.randomUUID())
      opened.value = new Map(opened.value).set(picture, await api.picture(picture))
      return true
    } catch (error) {
      problem.value = error instanceof ProblemError ? error.detail : String(error)
      return false
    }
  }

  /** Judge what is shown, and go on to what is not judged yet: in this mark, else in the one after it. */
  async function judge(state: 'settled' | 'left'): Promise<void> {
    const checked = current.value
    if (!checked) return
    const after = marksAfter()
    const operations: Operation[] = [{ type: 'setState', ids: [checked.flaw.id], state }]
    // A flaw that is left on purpose has no mend.
    if (state === 'left' && checked.step) operations.unshift({ type: 'remove', list: 'steps', ids: [checked.step.id] })
    if (!(await save(checked.picture.id, state === 'settled' ? 'Settle' : 'Leave as it is', operations))) return
    frameId.value = null
    goOn(after)
  }

  /** Marks to be looked at in the order in which they stand, those behind the current one first. */
  function marksAfter(): string[] {
    const marks = queue.value
    const at = markId.value ? marks.indexOf(markId.value) : -1
    return [...marks.slice(at + 1), ...marks.slice(0, Math.max(0, at))]
  }

  /** To the first of some marks that is still to be looked at, when the current one is done. */
  function goOn(after: readonly string[]): void {
    if (!list.value.every(isJudged)) return
    const open = new Set(queue.value)
    const next = after.find((mark) => open.has(mark))
    if (next) select(next)
  }

  /** Settle the mark in every frame in which nothing shows. */
  async function settleAll(): Promise<void> {
    const after = marksAfter()
    await settle(list.value.filter(showsNothing))
    goOn(after)
  }

  const showsNothing = (checked: Checked) => !isJudged(checked) && checked.step !== null && checked.shows.length === 0
  /** Everything in all frames that shows nothing and is not judged. */
  const unremarkable = computed(() => [...byMark.value.values()].flat().filter(showsNothing))

  /** Settle everything that shows nothing, one step for each frame. */
  async function settleUnremarkable(): Promise<void> {
    const after = marksAfter()
    await settle(unremarkable.value)
    goOn(after)
  }

  async function settle(all: readonly Checked[]): Promise<void> {
    for (const id of new Set(all.map(({ picture }) => picture.id))) {
      const ids = all.filter(({ picture }) => picture.id === id).map(({ flaw }) => flaw.id)
      await save(id, ids.length === 1 ? 'Settle' : `Settle ${ids.length} marks that show nothing`, [{ type: 'setState', ids, state: 'settled' }])
    }
  }

  return { sensor, markId, problem, reading, byMark, queue, judgedMarks, list, current, counts, open, select, stepMark, stepFrame, judge, settleAll, unremarkable, settleUnremarkable, isJudged, frameId }
})
