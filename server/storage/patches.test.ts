import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { makeRaster, rasterSource } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { patchKeys } from '@fennip/core/mend/patches/patch-keys.js'
import { makePatches, type Patch } from '@fennip/core/mend/patches/patch.js'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import type { Step, Treatment } from '@fennip/core/treatment/schema.js'
import { folderStorage } from './folder.js'
import { writePatches, keptPatches } from './patches.js'
import { patchKey, type Storage } from './storage.js'

const home = mkdtempSync(join(tmpdir(), 'fennip-patches-'))
let storage: Storage
const raster = makeRaster(200, 150, 3, 8)
raster.data.forEach((_value, i) => (raster.data[i] = 60 + ((i * 7) % 90)))
const step = (n: number): Step => ({ id: `m${n}`, stage: 'mend', flaw: `f${n}`, method: 'heal', methodVersion: 2, shape: { type: 'disc', x: 40 + 50 * n, y: 70, r: 8 }, softEdgePx: 2, strength: 1, seed: 0, source: { dx: 0, dy: 30 }, chosenBy: 'fennip', reason: 'test' })
const treatment = (sha256: string): Treatment => ({ ...emptyTreatment({ sha256, width: 200, height: 150, channels: 3, depth: 8 }), steps: [0, 1, 2].map(step) })
/** As another thread sees them, which remembers nothing yet. */
const elsewhere = async (): Promise<typeof keptPatches> => {
  vi.resetModules()
  return (await import('./patches.js')).keptPatches
}
const made = (plan: Treatment): Patch[] => makePatches(rasterSource(raster), makeTransfer({ type: 'srgb' }, 8), plan, 3, { get: () => undefined, set: () => undefined })

beforeAll(async () => {
  storage = folderStorage(home)
  await storage.prepare()
})
afterAll(() => rmSync(home, { recursive: true, force: true }))

describe('patches that are kept', () => {
  it('come back as they were, those of the plan alone', async () => {
    const plan = treatment('1'.repeat(64))
    const [first, , third] = made(plan)
    await writePatches(storage, [first!, third!])
    const read = await elsewhere()
    const kept = await read(storage, plan)
    expect([...kept.keys()]).toEqual([first!.key, third!.key])
    const again = kept.get(first!.key)!
    expect(again.region).toEqual(first!.region)
    expect([...again.touched]).toEqual([...first!.touched])
    expect([...again.pixels.data]).toEqual([...first!.pixels.data])
    expect(again.levels).toEqual(first!.levels)
    expect((await read(storage, { ...plan, steps: plan.steps.slice(1) })).has(first!.key)).toBe(false)
  })
  it('are read once and then remembered, and not at all where they were made', async () => {
    const plan = treatment('2'.repeat(64))
    await writePatches(storage, made(plan))
    let reads = 0
    const counting: Storage = { ...storage, read: (key) => (reads++, storage.read(key)) }
    expect((await keptPatches(counting, plan)).size).toBe(3)
    expect(reads).toBe(0)
    const read = await elsewhere()
    await read(counting, plan)
    expect((await read(counting, plan)).size).toBe(3)
    expect(reads).toBe(3)
  })
  it('that are damaged count as not kept, so that they are made anew', async () => {
    const plan = treatment('3'.repeat(64))
    const keys = patchKeys(plan).map(({ key }) => key)
    await storage.write(patchKey(keys[0]!), new Uint8Array([1, 2, 3]))
    await writePatches(storage, [made(plan)[1]!])
    expect([...(await keptPatches(storage, plan)).keys()]).toEqual([keys[1]])
  })
})
