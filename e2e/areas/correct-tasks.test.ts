import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Page } from 'playwright-core'
import { Correcting } from './correcting.js'
import { Harness } from '../harness.js'

/** Tasks of the stage Correct as docs/tasks tells them, each on a picture of the demo and counted in clicks. */

let harness: Harness
let page: Page
let work: Correcting
beforeAll(async () => {
  harness = await Harness.start(['pylon-7-west.jpg', 'valley-haze.jpg', 'seat-cover.jpg', 'upper-station-night.jpg'], {}, { width: 1200, height: 800 })
  page = harness.page
  work = new Correcting(harness)
}, 120_000)
afterAll(() => harness.stop())

const spread = (values: readonly number[]) => {
  const mean = values.reduce((sum, value) => sum + value, 0) / values.length
  return Math.sqrt(values.reduce((sum, value) => sum + (value - mean) ** 2, 0) / values.length)
}
const meanOf = (values: readonly number[], channel: number) => values.filter((_, i) => i % 3 === channel).reduce((sum, value) => sum + value, 0) / (values.length / 3)

describe('dark dust over a sky', () => {
  it('is cleared in one go, the hill kept, and the same zone is used again', async () => {
    const id = await work.open('pylon-7-west.jpg')
    const size = (await harness.opened(id)).picture.original
    await work.tool('in', 0.27 * size.width)
    await work.stroke(size, [[0.08, 0.1], [0.95, 0.1], [0.95, 0.3], [0.08, 0.3]])
    await expect.poll(async () => (await work.zones(id)).length).toBe(1)
    await work.correct(id, 'clear-specks')
    const [step] = await work.steps(id)
    expect(step!.settings.polarity).toBe('dark')
    // Something of the sky was dust, and most of it was none.
    const { result, before } = await work.samplesAt(id, 0.2 * size.width, 0.1 * size.height, 200)
    const changed = result.filter((value, i) => Math.abs(value - before[i]!) > 3).length / result.length
    expect(changed).toBeGreaterThan(0)
    expect(changed).toBeLessThan(0.2)
    await work.correct(id, 'even-out')
    expect(new Set((await work.steps(id)).map(({ zone }) => zone)).size).toBe(1)
    // The hill, out of the zone, is what it was.
    expect(await work.changeAt(id, 0.3 * size.width, 0.9 * size.height)).toBe(0)
    expect(work.clicks).toBeLessThan(8)
  })
})

describe('haze over a valley and two streaks of flare', () => {
  it('is dialled away, and each streak sinks into its surroundings while the rope keeps its colour', async () => {
    const id = await work.open('valley-haze.jpg')
    const size = (await harness.opened(id)).picture.original
    const haze = async () => (await work.samplesAt(id, 0.45 * size.width, 0.62 * size.height, 30))
    await work.correct(id, 'clear-haze')
    const cleared = await haze()
    // What lies in haze has more contrast, and is darker.
    expect(spread(cleared.result)).toBeGreaterThan(1.1 * spread(cleared.before))
    // Along a streak: 0.82 (x - 0.3) + 0.57 (y - 0.2) = 0 and 0.76 (x - 0.62) + 0.65 (y - 0.25) = 0 (demo/areas.ts).
    for (const [n, streak] of [[0.82, 0.57, 0.3, 0.2], [0.76, 0.65, 0.62, 0.25]].entries()) {
      const [a, b, x0, y0] = streak as [number, number, number, number]
      const on = (y: number): [number, number] => [x0 - (b / a) * (y - y0), y]
      await harness.test('zone-new').click()
      await work.tool('in', 0.05 * size.width)
      await work.stroke(size, [on(0.06), on(0.2), on(0.34)])
      await expect.poll(async () => (await work.zones(id)).length).toBe(n + 1)
      await work.correct(id, 'match')
      const [x, y] = on(0.2)
      const { result, before } = await work.samplesAt(id, x * size.width - 5, y * size.height - 5, 10)
      const beside = await work.samplesAt(id, (x + 0.09) * size.width - 5, y * size.height - 5, 10)
      // Green over magenta, against what lies beside it.
      const tint = (values: readonly number[]) => meanOf(values, 1) - (meanOf(values, 0) + meanOf(values, 2)) / 2
      expect(Math.abs(tint(result) - tint(beside.result)), `streak ${n}`).toBeLessThan(0.7 * Math.abs(tint(before) - tint(beside.before)))
    }
    // The rope, green like the first streak, lies in no zone of them.
    const rope = (x: number): [number, number] => [x * size.width - 4, (0.86 - 0.34 * x + 0.06 * x * x) * size.height - 4]
    const { result } = await work.samplesAt(id, ...rope(0.8), 8)
    expect(meanOf(result, 1)).toBeGreaterThan(meanOf(result, 0))
  })
})

describe('moire on a cloth', () => {
  it('is calmed where it is, and nowhere else', async () => {
    const id = await work.open('seat-cover.jpg')
    const size = (await harness.opened(id)).picture.original
    await work.tool('in', 0.29 * size.width)
    await work.stroke(size, [[0.38, 0.45], [0.56, 0.45], [0.56, 0.55], [0.38, 0.55]])
    await expect.poll(async () => (await work.zones(id)).length).toBe(1)
    await work.correct(id, 'calm-moire')
    const { result, before } = await work.samplesAt(id, 0.44 * size.width, 0.47 * size.height, 40)
    // What beats is colour: green and blue of the cloth go together, of the moire they do not.
    const beats = (values: readonly number[]) => spread(values.filter((_, i) => i % 3 === 1).map((green, i) => green - values[3 * i + 2]!))
    expect(beats(result)).toBeLessThan(0.6 * beats(before))
    expect(await work.changeAt(id, 0.93 * size.width, 0.1 * size.height)).toBe(0)
    expect(work.clicks).toBeLessThan(6)
  })
})

describe('a smudge where a lamp was taken out', () => {
  it('gets grain back that is like the sky around it, its tone kept', async () => {
    const id = await work.open('upper-station-night.jpg')
    const size = (await harness.opened(id)).picture.original
    await work.tool('in', 0.075 * size.width)
    await page.mouse.click(...(await work.at(0.79, 0.12, size)))
    work.clicks++
    await expect.poll(async () => (await work.zones(id)).length).toBe(1)
    await work.correct(id, 'grain')
    const inside = await work.samplesAt(id, 0.79 * size.width - 7, 0.12 * size.height - 7, 14)
    const around = await work.samplesAt(id, 0.7 * size.width, 0.1 * size.height, 14)
    const green = (values: readonly number[]) => values.filter((_, i) => i % 3 === 1)
    // As restless as the sky, which it was not, and as light as it was.
    expect(spread(green(inside.before))).toBeLessThan(0.6 * spread(green(around.before)))
    expect(spread(green(inside.result)) / spread(green(around.result))).toBeGreaterThan(0.7)
    expect(spread(green(inside.result)) / spread(green(around.result))).toBeLessThan(1.4)
    expect(Math.abs(meanOf(inside.result, 1) - meanOf(inside.before, 1))).toBeLessThan(1.5)
    expect(work.clicks).toBeLessThan(6)
    expect(harness.complaints).toEqual([])
  })
})
