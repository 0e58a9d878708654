import { afterAll, beforeAll, expect, it } from 'vitest'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { filterBothWays } from '@fennip/core/kernels/smoothing/gaussian.js'
import { srgbProfile } from '@fennip/core/colour/profile.js'
import { makeRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { openBase } from '../storage/base.js'
import { folderStorage } from '../storage/folder.js'
import { tilesPrefix } from '../storage/storage.js'
import { makeTiles } from '../storage/tiles.js'
import { restingAfter } from './rest.js'

/** Between two pieces of work a thread gives back its memory; within one it keeps what it has at hand. */

const home = mkdtempSync(join(tmpdir(), 'fennip-rest-'))
const storage = folderStorage(home)
beforeAll(async () => {
  await storage.prepare()
  await makeTiles(storage, 'abc', makeRaster(40, 30, 3, 8), makeTransfer({ type: 'srgb' }, 8), { width: 40, height: 30, channels: 3, depth: 8, profile: srgbProfile(true) })
})
afterAll(() => rmSync(home, { recursive: true, force: true }))

it('keeps tiles at hand from task to task, and lets go of them when none follows', async () => {
  const base = await restingAfter(() => openBase(storage, 'abc'))
  await restingAfter(() => base.source.read({ x: 0, y: 0, width: 4, height: 4 }))
  await storage.remove(tilesPrefix('abc'))
  // Only what is at hand can be read now.
  await sleep(300)
  await restingAfter(() => expect(base.tileAt(0, 0).width).toBe(40))
  await sleep(1500)
  expect(() => base.tileAt(0, 0)).toThrow('ENOENT')
})

it('gives back what kernels have grown by, and goes on with the same results', async () => {
  const blur = () => filterBothWays(new Float32Array(4000 * 4000).fill(0.5), 4000, 4000, Float64Array.of(0.25, 0.5, 0.25))
  const middle = await restingAfter(() => blur()[4000]!)
  const grown = process.memoryUsage().rss
  await sleep(1500)
  // Three planes of 64 MB lie in the memory of that kernel alone.
  expect(process.memoryUsage().rss).toBeLessThan(grown - 100 * 2 ** 20)
  expect(await restingAfter(() => blur()[4000]!)).toBe(middle)
})

it('does not rest while a task is still at it', async () => {
  await makeTiles(storage, 'def', makeRaster(40, 30, 3, 8), makeTransfer({ type: 'srgb' }, 8), { width: 40, height: 30, channels: 3, depth: 8, profile: srgbProfile(true) })
  await restingAfter(async () => {
    const base = await openBase(storage, 'def')
    base.tileAt(0, 0)
    // Another one of the same thread ends meanwhile.
    await restingAfter(() => undefined)
    await storage.remove(tilesPrefix('def'))
    await sleep(1500)
    expect(base.tileAt(0, 0).width).toBe(40)
  })
})
