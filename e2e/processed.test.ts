import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { encodePicture } from '../codec/write.js'
import { distanceAt } from '../core/shape/shape.js'
import { wipeOut, type ProcessedPlace } from '../demo/damage.js'
import { arrival, upload } from '../demo/load.js'
import { expose } from '../demo/photograph.js'
import { pylonLight } from '../demo/pictures.js'
import { Harness } from './harness.js'

/** A picture from which an earlier tool took things out: the smudges it left are found, mended and judged. */

let harness: Harness
let picture: string
let wiped: readonly ProcessedPlace[]
const treatment = async () => (await harness.opened(picture)).treatment

beforeAll(async () => {
  harness = await Harness.start([])
  const light = await pylonLight({ width: 1500, height: 1000 })
  const { clean } = expose(light, light, { electrons: 6000, readNoise: 8, grainSize: 0, depth: 8, seed: 3 })
  wiped = wipeOut(clean, { count: 12, radius: [10, 18], reach: 3, seed: 5 })
  const bytes = await encodePicture(clean, null, { icc: null, exif: null, resolutionPerInch: 300 }, { format: 'tiff', depth: 8, quality: 95 })
  expect((await arrival(harness.address, await upload(harness.address, harness.job, 'pylon-3-worked-over.tif', bytes))).status).toBe(200)
  picture = await harness.pictureNamed('pylon-3-worked-over.tif')
})
afterAll(() => harness.stop())

describe('a picture that was worked over before', () => {
  it('has its smudges found when they are looked for, and named', async () => {
    await harness.open(picture, 'find')
    await harness.searchFor('flat')
    const { flaws } = await treatment()
    expect(new Set(flaws.map(({ kind }) => kind))).toEqual(new Set(['smudge']))
    // What lies on grass and bushes stays rougher than noise, though it was wiped.
    const found = wiped.filter(({ x, y }) => flaws.some(({ shape }) => distanceAt(shape, x, y) < 0))
    expect(found.length).toBeGreaterThanOrEqual(6)
    expect(flaws.length - found.length).toBeLessThanOrEqual(1)
    await expect.poll(() => harness.test('ledger-row').first().textContent()).toContain('Smudge')
  })

  it('has them mended with grain, none of them lifted', async () => {
    await harness.open(picture, 'mend')
    await harness.mendAllOpen()
    const { flaws, steps } = await treatment()
    expect(steps).toHaveLength(flaws.length)
    for (const { method } of steps) expect(method).not.toBe('lift')
    // Where the ground has no grain like it near by, the mend says that it shows.
    const even = steps.filter(({ telltales }) => telltales!.grain.value > 0.8 && telltales!.grain.value < 1.2)
    expect(even.length).toBeGreaterThan(0.7 * steps.length)
    for (const { reason } of steps.filter((step) => !even.includes(step))) expect(reason).toMatch(/shows/)
    await harness.test('ledger-row').first().click()
    await harness.ready()
    expect(harness.complaints).toEqual([])
  })
})
