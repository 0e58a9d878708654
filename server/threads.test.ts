import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readPicture } from '@fennip/codec/read.js'
import { encodePicture } from '@fennip/codec/write.js'
import { makeRandom } from '@fennip/core/random.js'
import { findFlaws } from '@fennip/core/find/find.js'
import type { TileFinds } from '@fennip/core/find/finds.js'
import { levelCount } from '@fennip/core/raster/pyramid.js'
import { makeRaster, rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { packPatch } from '@fennip/core/mend/patches/patch-code.js'
import { makePatches } from '@fennip/core/mend/patches/patch.js'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import { partsOfFlaws } from '@fennip/core/mend/picture/mend-all.js'
import { SEARCH_KINDS, type Flaw, type Step, type Treatment } from '@fennip/core/treatment/schema.js'
import { folderStorage } from './storage/folder.js'
import { keepOriginal } from './storage/storage.js'
import { keptPatches } from './storage/patches.js'
import { Threads } from './threads.js'

/** Many flaws mended side by side: what comes out must not depend on how many threads there are. */

const home = mkdtempSync(join(tmpdir(), 'fennip-threads-'))
const where = { storage: join(home, 'storage'), cacheFolder: join(home, 'cache') }
const [width, height] = [2400, 300]
let treatment: Treatment

/** Keep a file and cut it into tiles. */
async function takenIn(file: string): Promise<string> {
  const sha256 = await keepOriginal(folderStorage(where.storage), file)
  const threads = new Threads(where, 1)
  await threads.takeIn(sha256, 'in.png', { bytes: 1e9, pixels: 1e9 }, () => true)
  await threads.stop()
  return sha256
}
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
  const sha256 = await takenIn(file)
  treatment = { ...emptyTreatment({ sha256, width, height, channels: 1, depth: 8 }), flaws }
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
    expect(partsOfFlaws(treatment.flaws, width).filter(({ flaws }) => flaws.length > 0)).toHaveLength(7)
    const one = await mendWith(1)
    const two = await mendWith(2)
    expect(decisions(two)).toEqual(decisions(one))
    expect(one.map((step) => step.flaw).sort()).toEqual(treatment.flaws.map(({ id }) => id).sort())
    const plan = { ...treatment, steps: two }
    const kept = await keptPatches(folderStorage(where.storage), plan)
    expect(kept.size).toBe(treatment.flaws.length)
    // What was made to be judged is what the steps make, laid on the same pixels, on every level.
    const { header, pixels } = await readPicture(join(home, 'in.png'), 'in.png')
    const anew = makePatches(rasterSource(pixels), makeTransfer(header.profile.curve, header.depth), plan, levelCount(width, height), { get: () => undefined, set: () => undefined })
    for (const patch of anew) expect(Buffer.compare(packPatch(kept.get(patch.key)!), packPatch(patch)), patch.key).toBe(0)
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

describe('a search', () => {
  /** A brown print with a white corner torn off, a brown spot and a bright line: found by its cells and by its pixels. */
  async function tornPrint(): Promise<{ raster: IntegerRaster; sha256: string }> {
    const random = makeRandom(8)
    const teeth = Array.from({ length: 400 }, () => 5 * (random.uniform() - 0.5))
    const raster = makeRaster(640, 480, 3, 8)
    for (let i = 0; i < 640 * 480; i++) {
      const [x, y] = [i % 640, Math.floor(i / 640)]
      const bare = x + 0.8 * y < 120 + teeth[Math.floor((x - y + 500) / 3)]! + 7 * Math.sin((x - y) / 40) + 3 * Math.sin((x - y) / 20)
      const stain = Math.max(0, 1 - Math.hypot(x - 430, y - 300) / 50)
      const tone = 90 + 50 * Math.sin(x / 90) * Math.cos(y / 70) + (Math.abs(x - 250 - 0.1 * y) < 1.5 ? 70 : 0)
      const colour = [1, 0.9 - 0.08 * stain, 0.72 - 0.25 * stain]
      for (let c = 0; c < 3; c++) raster.data[3 * i + c] = Math.round((bare ? 240 : tone * colour[c]!) + 5 * (random.uniform() + random.uniform() - 1))
    }
    const file = join(home, 'torn.png')
    writeFileSync(file, await encodePicture(raster, null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'png', depth: 8, quality: 90 }))
    return { raster, sha256: await takenIn(file) }
  }
  const options = { kinds: [...SEARCH_KINDS], falseFinds: 3 }

  it('finds in threads what it finds in one go, losses and stains among it', async () => {
    const { raster, sha256 } = await tornPrint()
    const threads = new Threads(where, 2)
    const shares: number[] = []
    const found = await threads.search({ sha256, width: 640, height: 480 }, options, (share) => void shares.push(share)).finally(() => threads.stop())
    expect(found).toEqual(findFlaws(rasterSource(raster), makeTransfer({ type: 'srgb' }, 8), options))
    expect(found.map(({ kind }) => kind)).toEqual(expect.arrayContaining(['loss', 'stain']))
    expect(found.filter(({ shape }) => shape.type === 'stroke').length).toBeGreaterThan(0)
    // The only tile is measured for what the whole picture tells, searched for the rest, and put together.
    expect(shares).toEqual([0, 0, 1 / 3, 2 / 3, 1])
  })
  it('ends with what is thrown when its progress is told', async () => {
    const { sha256 } = await tornPrint()
    const threads = new Threads(where, 1)
    await expect(threads.search({ sha256, width: 640, height: 480 }, options, () => {
      throw new RangeError('enough')
    })).rejects.toThrow('enough')
    await threads.stop()
  })
  it('leaves nothing in line when it is ended: tiles that were not begun are passed over', async () => {
    // Three tiles for one thread: by the time the first is through, the second may have been begun.
    const [width, height] = [4200, 64]
    const file = join(home, 'wide.png')
    writeFileSync(file, await encodePicture(makeRaster(width, height, 3, 8), null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'png', depth: 8, quality: 90 }))
    const sha256 = await takenIn(file)
    const threads = new Threads(where, 1)
    const tiles = vi.spyOn(threads, 'searchTile')
    const answers = () => Promise.all(tiles.mock.results.map(({ value }) => value as Promise<TileFinds>))
    const search = (most: number) => threads.search({ sha256, width, height }, { kinds: ['loss'], falseFinds: 3 }, (share) => {
      if (share > most) throw new RangeError('enough')
    })
    const tasks = vi.spyOn(threads as unknown as { run: (name: string) => unknown }, 'run')
    await search(1)
    // No lines are put together where none are looked for.
    expect(tasks.mock.calls.map(([name]) => name)).toEqual(['searchTile', 'searchTile', 'searchTile', 'searchWhole', 'joinSearch'])
    expect((await answers()).map(({ cells }) => cells !== undefined)).toEqual([true, true, true])
    tiles.mockClear()
    await expect(search(0)).rejects.toThrow('enough')
    const ended = (await answers()).map(({ cells }) => cells !== undefined)
    expect([ended[0], ended[2]]).toEqual([true, false])
    await threads.stop()
  })
  it('may be stopped while an answer is on its way', async () => {
    const { sha256 } = await tornPrint()
    const threads = new Threads(where, 1)
    const search = () => threads.searchTile(sha256, { x: 0, y: 0, width: 64, height: 48 }, { kinds: ['loss'], falseFinds: 3 })
    await search()
    const complaint = vi.fn()
    process.once('uncaughtException', complaint)
    const outcome = search().catch((error: Error) => error.message)
    // The answer comes while this thread waits, and is not read before the threads are stopped.
    Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 1500)
    await threads.stop()
    process.off('uncaughtException', complaint)
    expect(await outcome).toBe('Terminating worker thread')
    expect(complaint).not.toHaveBeenCalled()
  })
})
