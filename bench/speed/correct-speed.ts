import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { makeOperationStep } from '../../core/pipeline/make-step.js'
import { makeRandom } from '../../core/random.js'
import { srgbProfile } from '../../core/colour/profile.js'
import { rasterLevels } from '../../core/raster/pyramid.js'
import { crop, type IntegerRaster } from '../../core/raster/raster.js'
import { makeTransfer } from '../../core/raster/transfer.js'
import { Chain, contextOf } from '../../core/pipeline/chain.js'
import { blockSize } from '../../delivery/rendering.js'

/**
 * Clearing specks on 24 megapixels at radius 10 and 50, one thread, against the median of the computer-vision library at the
 * same radius in the same run (compiled to WebAssembly, one thread, 8 bit).
 */

const cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule
if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))
const [WIDTH, HEIGHT] = [6000, 4000]
const { uniform } = makeRandom(5)
const data = new Uint8Array(WIDTH * HEIGHT * 3)
for (let i = 0; i < data.length; i++) data[i] = 90 + Math.floor(10 * uniform()) + ((i / 3) % 6000 < 3000 ? 20 : 0)
for (let n = 0; n < 8000; n++) {
  const [cx, cy, r] = [Math.floor(uniform() * WIDTH), Math.floor(uniform() * HEIGHT), 1 + Math.floor(6 * uniform())]
  for (let y = Math.max(0, cy - r); y < Math.min(HEIGHT, cy + r); y++) for (let x = Math.max(0, cx - r); x < Math.min(WIDTH, cx + r); x++) if ((x - cx) ** 2 + (y - cy) ** 2 < r * r) data.fill(220, 3 * (y * WIDTH + x), 3 * (y * WIDTH + x) + 3)
}
const raster: IntegerRaster = { width: WIDTH, height: HEIGHT, channels: 3, data }
const base = { width: WIDTH, height: HEIGHT, channels: 3 as const, profile: srgbProfile(false) }
const levels = rasterLevels(raster, makeTransfer(base.profile.curve, 8))
const times: number[] = []
for (const radius of [10, 50]) {
  const step = makeOperationStep('s', 'clear-specks', { sizePx: 2 * radius, polarity: 'bright' }, new Chain(base, {}).survey(undefined, levels.read), contextOf(base))
  const chain = new Chain(base, { operations: [step] })
  const began = performance.now()
  // In the blocks that an export takes.
  const { rows, columns } = blockSize(chain.reach(0))
  for (let y = 0; y < HEIGHT; y += rows) for (let x = 0; x < WIDTH; x += columns) chain.read({ x, y, width: Math.min(columns, WIDTH - x), height: Math.min(rows, HEIGHT - y) }, 0, (region) => crop(raster, region))
  const own = performance.now() - began
  const [source, into] = [cv.matFromArray(HEIGHT, WIDTH, cv.CV_8UC3, data as unknown as number[]), new cv.Mat()]
  const before = performance.now()
  cv.medianBlur(source, into, 2 * radius + 1)
  const library = performance.now() - before
  source.delete()
  into.delete()
  times.push(own)
  console.log(`radius ${radius}: ${(own / 1000).toFixed(1)} s, median of the library ${(library / 1000).toFixed(1)} s, ratio ${(own / library).toFixed(2)}`)
}
console.log(`radius 50 over radius 10: ${(times[1]! / times[0]!).toFixed(2)}`)
