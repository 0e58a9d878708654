import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { encodePicture } from '@fennip/codec/write.js'
import { makeRandom } from '@fennip/core/random.js'
import { makeRaster } from '@fennip/core/raster/raster.js'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import { partsOfFlaws } from '@fennip/core/treatment/mend-all.js'
import type { Flaw, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { folderStorage } from './storage/folder.js'
import { keepOriginal } from './storage/storage.js'
import { keptPatches } from './storage/patches.js'
import { Threads } from './threads.js'

/** Many flaws mended side by side: what comes out must not depend on how many threads there are. */

const home = mkdtempSync(join(tmpdir(), 'fennip-threads-'))
const where = { storage: join(home, 'storage'), cacheFolder: join(home, 'cache') }
const [width, height] = [2400, 300]
let treatment: Treatment
beforeAll(async () => {
  const random = makeRandom(5)
  const raster = makeRaster(width, height, 1, 8)
  for (let i = 0; i < raster.data.length; i++) raster.data[i] = 120 + Math.round(6 * (random.uniform() + random.uniform() - 1))
  const flaws: Flaw[] = []
  for (let row = 0; row < 4; row++) {
    for (let column = 0; column < 50; column++) {
      const [x, y] = [30 + 47 * column, 40 + 70 * row]
      for (let dy = -2; dy <= 2; dy++) for (let dx = -2; dx <= 2; dx++) raster.data[(y + dy) * width + x + dx] = 235
      flaws.push({ id: `f${flaws.length}`, kind: 'speck', shape: { type: 'disc', x: x + 0.5, y: y + 0.5, r: 3 }, state: 'open', contrast: 20, weight: 60, confidence: 0.99, origin: 'found' })
    }
  }
  const storage = folderStorage(where.storage)
  await storage.prepare()
  const file = join(home, 'in.png')
  writeFileSync(file, await encodePicture(raster, null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'png', depth: 8, quality: 90 }))
  treatment = { ...emptyTreatment({ sha256: await keepOriginal(storage, file), width, height, channels: 1, depth: 8 }), flaws }
})
afterAll(() => rmSync(home, { recursive: true, force: true }))

async function mendWith(count: number, onProgress: (share: number) => boolean = () => true): Promise<Step[]> {
  const threads = new Threads(where, count)
  try {
    return await threads.mendOpenFlaws(treatment, null, onProgress)
  } finally {
    await threads.stop()
  }
}
const decisions = (steps: readonly Step[]) => steps.map(({ id: _id, ...step }) => step)

describe('many flaws', () => {
  it('are mended alike by one thread and by two, each once, and their patches are kept', async () => {
    expect(partsOfFlaws(treatment.flaws, width).parts.length).toBeGreaterThan(1)
    const one = await mendWith(1)
    const two = await mendWith(2)
    expect(decisions(two)).toEqual(decisions(one))
    expect(one.map((step) => step.flaw).sort()).toEqual(treatment.flaws.map(({ id }) => id).sort())
    expect((await keptPatches(folderStorage(where.storage), { ...treatment, steps: two })).size).toBe(treatment.flaws.length)
  })
  it('tell progress that only grows, to the end, and stop when they are told to', async () => {
    const shares: number[] = []
    await mendWith(2, (share) => shares.push(share) > 0)
    expect(shares.every((share, i) => i === 0 || share >= shares[i - 1]! - 1e-9)).toBe(true)
    expect(shares.at(-1)).toBeCloseTo(1, 6)
    const few = await mendWith(2, (share) => share < 0.1)
    expect(few.length).toBeLessThan(treatment.flaws.length / 2)
  })
})
