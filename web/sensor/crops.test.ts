import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Step, Treatment } from '@fennip/core/treatment/schema.js'
import type { Picture } from '../shared/api.js'

/** Workers that note what they are asked. */
interface Asked { opened: string[]; loaded: string[][]; painted: string[]; ended: boolean }
const workers: Asked[] = []
let failing = false
vi.stubGlobal('Worker', class {
  asked: Asked = { opened: [], loaded: [], painted: [], ended: false }
  constructor() {
    workers.push(this.asked)
  }
  terminate() {
    this.asked.ended = true
  }
})
vi.mock('comlink', () => ({
  wrap: ({ asked }: { asked: Asked }) => ({
    open: (picture: Picture) => Promise.resolve(void asked.opened.push(picture.id)),
    load: (treatment: Treatment) => (failing ? Promise.reject(new Error('away')) : Promise.resolve(void asked.loaded.push(treatment.steps.map(({ id }) => id)))),
    paintCrop: (_region: unknown, { show }: { show: string }) => Promise.resolve((asked.painted.push(show), `${show} of ${asked.opened.at(-1)}`)),
  }),
}))
const { CropPainters } = await import('./crops.js')

const original = { sha256: 'a'.repeat(64), width: 2000, height: 1500, channels: 3, depth: 8 } as const
const picture = (id: string) => ({ id, original }) as unknown as Picture
const step = (id: string, x: number): Step => ({ id, stage: 'mend', flaw: `f-${id}`, method: 'heal', methodVersion: 2, shape: { type: 'disc', x, y: 300, r: 10 }, softEdgePx: 3, strength: 1, seed: 0, source: { dx: 30, dy: 0 }, chosenBy: 'fennip', reason: 'test' })
const treatment = { flaws: [], areas: [], steps: [step('near', 305), step('beside', 350), step('far', 1500)] } as unknown as Treatment
const region = { x: 250, y: 250, width: 112, height: 112 }

describe('crops of many pictures', () => {
  let painters: InstanceType<typeof CropPainters>
  beforeEach(() => {
    workers.length = 0
    failing = false
    painters = new CropPainters()
  })
  const pair = (id: string) => painters.pair(picture(id), treatment, region)

  it('come before and after, with only those mends worked out that reach the place', async () => {
    expect(await pair('a')).toEqual({ before: 'original of a', after: 'result of a' })
    expect(workers[0]!.loaded).toEqual([['near', 'beside']])
  })
  it('of the same picture come from the worker that has it open', async () => {
    await pair('a')
    await pair('b')
    await pair('a')
    expect(workers.map(({ opened }) => opened)).toEqual([['a'], ['b']])
    expect(workers[0]!.painted).toHaveLength(4)
  })
  it('of more pictures than workers go to the one that was idle longest, and each keeps its order', async () => {
    const answers = await Promise.all(['a', 'b', 'c', 'd', 'b'].map(pair))
    expect(answers.map(({ after }) => after as unknown as string)).toEqual(['a', 'b', 'c', 'd', 'b'].map((id) => `result of ${id}`))
    expect(workers).toHaveLength(3)
    expect(workers[0]!.opened).toEqual(['a', 'd'])
    expect(workers[1]!.opened).toEqual(['b'])
  })
  it('go on after one that failed', async () => {
    failing = true
    await expect(pair('a')).rejects.toThrow('away')
    failing = false
    expect((await pair('a')).after).toBe('result of a')
  })
  it('end with their workers', async () => {
    await Promise.all([pair('a'), pair('b')])
    painters.end()
    expect(workers.map(({ ended }) => ended)).toEqual([true, true])
  })
})
