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

  /** Marks that a person has still to look at, the one that shows most first. */
  const queue = computed(() => [...byMark.value].filter(([, list]) => !list.every(isJudged))
    .map(([mark, list]) => ({ mark, worst: Math.max(...list.filter((checked) => !isJudged(checked)).map(({ worst }) => worst)) }))
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

  async function save(checked: Checked, label: string, operations: Operation[]): Promise<boolean> {
    const answer = opened.value.get(checked.picture.id)!
    try {
      await api.edit(checked.picture.id, answer.revision, label, operations)
      opened.value = new Map(opened.value).set(checked.picture.id, await api.picture(checked.picture.id))
      return true
    } catch (error) {
      problem.value = error instanceof ProblemError ? error.detail : String(error)
      return false
    }
  }

  /** Judge what is shown, and go on to what is not judged yet. */
  async function judge(state: 'settled' | 'left'): Promise<void> {
    const checked = current.value
    if (!checked) return
    const operations: Operation[] = [{ type: 'setState', ids: [checked.flaw.id], state }]
    // A flaw that is left on purpose has no mend.
    if (state === 'left' && checked.step) operations.unshift({ type: 'remove', list: 'steps', ids: [checked.step.id] })
    if (!(await save(checked, state === 'settled' ? 'Settle' : 'Leave as it is', operations))) return
    frameId.value = null
    if (list.value.every(isJudged) && queue.value.length > 0) select(queue.value[0]!)
  }

  /** Settle the mark in every frame in which nothing shows. */
  async function settleAll(): Promise<void> {
    for (const checked of list.value) if (!isJudged(checked) && checked.step && checked.shows.length === 0) await save(checked, 'Settle', [{ type: 'setState', ids: [checked.flaw.id], state: 'settled' }])
    if (list.value.every(isJudged) && queue.value.length > 0) select(queue.value[0]!)
  }

  return { sensor, markId, problem, reading, byMark, queue, judgedMarks, list, current, counts, open, select, stepMark, stepFrame, judge, settleAll, isJudged, frameId }
})
