import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { ProblemError } from '@fennip/core/problem.js'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import { applyEdit, emptyTreatment } from '@fennip/core/treatment/edit.js'
import type { Flaw, Operation, Step, Telltales, Treatment } from '@fennip/core/treatment/schema.js'

/** A server with three frames of one sensor, to each of which a chart was applied. */
const original = { sha256: 'a'.repeat(64), width: 900, height: 600, channels: 3, depth: 8 } as const
let kept: Record<string, { revision: number; treatment: Treatment }>
let refuse: ProblemError | null
let reads: string[]
const saved: { picture: string; label: string; operations: Operation[] }[] = []

const telltales = (severity: number): Telltales => ({
  leftover: { value: severity, limit: 1 }, toneStep: { value: 0, limit: 1 }, grain: { value: 1, limit: 0.2 }, repeat: { value: 0, limit: 1 }, taintedSource: { value: 0, limit: 1 },
})
const flawOf = (mark: string, x: number, more: Partial<Flaw> = {}): Flaw => ({ id: `chart-${mark}`, kind: 'dust', shape: { type: 'disc', x, y: 100, r: 8 }, state: 'mended', contrast: -2, weight: 20, confidence: 0.9, origin: 'chart', ...more })
const stepOf = (mark: string, severity: number): Step => ({ id: `m-${mark}`, stage: 'mend', flaw: `chart-${mark}`, method: 'heal', methodVersion: 2, shape: { type: 'disc', x: 50, y: 60, r: 10 }, softEdgePx: 3, strength: 1, seed: 0, source: { dx: 30, dy: 0 }, chosenBy: 'fennip', reason: 'test', telltales: telltales(severity) })
const treatmentOf = (marks: Record<string, number>): Treatment => ({ ...emptyTreatment(original), flaws: Object.keys(marks).map((mark, i) => flawOf(mark, 100 * (i + 1))), steps: Object.entries(marks).map(([mark, severity]) => stepOf(mark, severity)) })
const markOf = (id: string): SensorChart['marks'][number] => ({ id, x: 10, y: 10, core: 4, light: 5, sureness: 0.9, seen: 3, looked: 3, firstSeen: null })
const chart: SensorChart = { format: 'fennip-sensor-chart', version: 1, sensor: 'OT-1', frame: { width: 900, height: 600 }, spread: 60, marks: ['d1', 'd2', 'd3'].map(markOf), frames: [] }
const frameOf = (id: string) => ({ id, name: `${id}.jpg`, original, levels: 2, revision: kept[id]!.revision })

vi.mock('../shared/api.js', () => ({
  api: {
    sensor: () => Promise.resolve({ id: 's', name: 'OT-1', job: { id: 'j', title: 'x' }, chart, frames: Object.keys(kept).map(frameOf) }),
    picture: (id: string) => {
      reads.push(id)
      return Promise.resolve({ picture: frameOf(id), revision: kept[id]!.revision, treatment: kept[id]!.treatment, runs: [] })
    },
    edit: (picture: string, revision: number, label: string, operations: Operation[]) => {
      if (refuse) return Promise.reject(refuse)
      expect(revision).toBe(kept[picture]!.revision)
      kept[picture] = { revision: revision + 1, treatment: applyEdit(kept[picture]!.treatment, operations).treatment }
      saved.push({ picture, label, operations })
      return Promise.resolve({ revision: revision + 1, rebased: false })
    },
  },
}))
const { useChecking } = await import('./checking.js')
let checking: ReturnType<typeof useChecking>
const stateOf = (picture: string, mark: string) => kept[picture]!.treatment.flaws.find(({ id }) => id === `chart-${mark}`)!.state

beforeEach(async () => {
  setActivePinia(createPinia())
  kept = {
    noon: { revision: 1, treatment: treatmentOf({ d1: 0.2, d2: 0.4 }) },
    cable: { revision: 1, treatment: treatmentOf({ d1: 0.3, d2: 2.5, d3: 0.1 }) },
    evening: { revision: 1, treatment: { ...treatmentOf({ d1: 1.4 }), flaws: [...treatmentOf({ d1: 1.4 }).flaws, { ...flawOf('other', 5), id: 'h1', origin: 'hand' }] } },
    empty: { revision: 0, treatment: emptyTreatment(original) },
  }
  refuse = null
  reads = []
  saved.length = 0
  checking = useChecking()
  await checking.open('s')
})

describe('checking a chart', () => {
  it('begins with the mark that shows most, its frames the worst first', () => {
    expect(checking.markId).toBe('d2')
    expect(checking.queue).toEqual(['d2', 'd1', 'd3'])
    expect(checking.list.map(({ picture }) => picture.id)).toEqual(['cable', 'noon'])
    expect(checking.current!.picture.id).toBe('cable')
    expect(checking.current!.shows).toEqual(['leftover'])
  })
  it('counts what the chart put there and nothing else', () => {
    expect(checking.counts).toEqual({ all: 6, judged: 0, shows: 2 })
    expect(checking.byMark.get('d1')!.map(({ picture }) => picture.id)).toEqual(['evening', 'cable', 'noon'])
  })
  it('reads no frame that nothing was done to, and none twice that did not change', async () => {
    expect(reads.sort()).toEqual(['cable', 'evening', 'noon'])
    reads = []
    await checking.open('s')
    expect(reads).toEqual([])
    kept.noon = { ...kept.noon!, revision: 2 }
    await checking.open('s')
    expect(reads).toEqual(['noon'])
  })
  it('settles what is shown, then goes to the next frame, then to the next mark', async () => {
    await checking.judge('settled')
    expect(stateOf('cable', 'd2')).toBe('settled')
    expect(checking.markId).toBe('d2')
    expect(checking.current!.picture.id).toBe('noon')
    await checking.judge('settled')
    expect(stateOf('noon', 'd2')).toBe('settled')
    // The one after it in the list, not the first of it.
    expect(checking.markId).toBe('d1')
    expect(checking.current!.picture.id).toBe('evening')
    expect(checking.judgedMarks.get('d2')).toBe('judged')
    expect(checking.counts).toEqual({ all: 6, judged: 2, shows: 1 })
  })
  it('leaves a flaw by taking its mend out, in one gesture', async () => {
    await checking.judge('left')
    expect(saved).toHaveLength(1)
    expect(saved[0]).toMatchObject({ picture: 'cable', label: 'Leave as it is', operations: [{ type: 'remove', list: 'steps', ids: ['m-d2'] }, { type: 'setState', ids: ['chart-d2'], state: 'left' }] })
    expect(kept.cable!.treatment.steps.map(({ flaw }) => flaw)).toEqual(['chart-d1', 'chart-d3'])
  })
  it('settles one mark where nothing shows, and leaves what shows to be looked at', async () => {
    checking.select('d1')
    await checking.settleAll()
    expect([stateOf('noon', 'd1'), stateOf('cable', 'd1'), stateOf('evening', 'd1')]).toEqual(['settled', 'settled', 'mended'])
    expect(checking.markId).toBe('d1')
    expect(checking.current!.picture.id).toBe('evening')
  })
  it('steps through marks that are not judged, round the end, and through frames up to the ends', () => {
    checking.stepMark(1)
    expect(checking.markId).toBe('d1')
    checking.stepMark(1)
    checking.stepMark(1)
    expect(checking.markId).toBe('d2')
    checking.stepMark(-1)
    expect(checking.markId).toBe('d3')
    checking.select('d1')
    checking.stepFrame(1)
    expect(checking.current!.picture.id).toBe('cable')
    checking.stepFrame(1)
    checking.stepFrame(1)
    expect(checking.current!.picture.id).toBe('noon')
  })
  it('says why a judgement was not kept, and stays', async () => {
    refuse = new ProblemError('changed-elsewhere', { title: 'Changed', detail: 'It was changed in another window.', status: 409 })
    await checking.judge('settled')
    expect(checking.problem).toBe('It was changed in another window.')
    expect(checking.current!.picture.id).toBe('cable')
    expect(stateOf('cable', 'd2')).toBe('mended')
  })
})
