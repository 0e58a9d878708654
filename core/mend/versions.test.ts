import { createHash } from 'node:crypto'
import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { makeRaster, rasterSource, type PixelSource } from '../raster/raster.js'
import { makeTransfer } from '../raster/transfer.js'
import type { Shape } from '../shape/shape.js'
import { carryOut, type MethodName } from './methods.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [260, 240]

/** Stripes, checks and an edge, with noise; whole numbers only, so that it is the same on every machine. */
function ground(channels: 1 | 3): PixelSource {
  const random = makeRandom(12)
  const raster = makeRaster(width, height, channels, 8)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) {
    const tone = 90 + ((x * 3 + y) % 37) + (x > 2 * y - 100 ? 50 : 0) + (((x >> 4) + (y >> 3)) % 2) * 12
    for (let c = 0; c < channels; c++) raster.data[(y * width + x) * channels + c] = Math.floor(tone + 9 * c + 8 * random.uniform())
  }
  return rasterSource(raster)
}

const corners = (x: number, y: number, r: number): [number, number][] => [[x - r, y], [x - r / 2, y - r], [x + r, y - r / 2], [x + r, y + r / 2], [x, y + r]]
const SHAPES: Record<string, Shape> = {
  disc: { type: 'disc', x: 130, y: 118, r: 9 },
  stroke: { type: 'stroke', points: [[90, 80], [150, 110], [170, 160]], width: 7 },
  outline: { type: 'outline', points: corners(130, 120, 17), holes: [corners(131, 121, 6)] },
  wide: { type: 'disc', x: 130, y: 118, r: 26 },
}

/** First half of the SHA-256 of what a version of a method made, on one channel and on three, when it was pinned. */
const PINNED: readonly (readonly [MethodName, number, string, string])[] = [
  ['heal', 2, 'disc', '5892363a3f89fb05'],
  ['heal', 2, 'stroke', '1c8c946f793b6767'],
  ['heal', 2, 'outline', '02f2c851947f9f05'],
  ['heal', 2, 'wide', '90aa5f63acbc6677'],
  ['clone', 2, 'disc', '9907b528cd351298'],
  ['clone', 2, 'stroke', '7603708c5aeda03d'],
  ['clone', 2, 'outline', '886d20a999994e85'],
  ['clone', 2, 'wide', '3c91ff3b644e2e05'],
  ['fill', 4, 'disc', '0cc2fedb6fea0f0f'],
  ['fill', 4, 'stroke', 'f9136459dd08cd6e'],
  ['fill', 4, 'outline', 'b732a78cdb5e4b06'],
  ['fill', 4, 'wide', 'd642c8c5b3af6bd7'],
]

describe('a version of a method, once documents use it, makes the same bytes for ever', () => {
  it.each(PINNED)('%s %i of a %s', (method, methodVersion, name, pinned) => {
    const hash = createHash('sha256')
    for (const channels of [1, 3] as const) {
      const { pixels } = carryOut(ground(channels), transfer, { method, methodVersion, shape: SHAPES[name]!, softEdgePx: 4, strength: 1, seed: 3, ...(method === 'fill' ? {} : { source: { dx: 52, dy: -31 } }) })
      hash.update(Uint8Array.from(pixels.data))
    }
    expect(hash.digest('hex').slice(0, 16)).toBe(pinned)
  })
})
