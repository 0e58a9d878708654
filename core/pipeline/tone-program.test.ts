import { describe, expect, it } from 'vitest'
import type { TonePart } from '../operations/operation.js'
import { makeRandom } from '../random.js'
import { makeRaster, type FloatRaster } from '../raster/raster.js'
import { toFloat } from '../render/samples.js'
import { contextOf } from './chain.js'
import { compileTone } from './tone-program.js'

/** Fused tables and matrices against one function after the other on every value. */
const profile = { curve: { type: 'srgb' }, luminance: [0.2225, 0.7169, 0.0606], toXyz: null, channels: 3 }
const context = contextOf({ width: 40, height: 30, channels: 3, depth: 8, profile } as unknown as Parameters<typeof contextOf>[0])
const each = (change: (value: number) => number): TonePart => ({ kind: 'channels', functions: [change, change, change] })
const rows = [0.6, 0.3, 0.1, 0.2, 0.7, 0.1, 0.15, 0.25, 0.6]
const PARTS: readonly TonePart[] = [
  each((value) => value ** 0.8),
  { kind: 'channels', functions: [(value) => value * 0.9, (value) => value, (value) => 0.05 + 0.9 * value] },
  { kind: 'matrix', rows },
  each((value) => 1 - (1 - value) ** 1.3),
]
function slowly(values: readonly number[]): number[] {
  const { decode, encode } = context.tones
  let now = [...values]
  for (const part of PARTS) {
    if (part.kind === 'channels') now = now.map((value, c) => Math.max(0, Math.min(1, part.functions[c]!(value))))
    else {
      const light = now.map((value) => decode(value))
      now = [0, 1, 2].map((row) => encode(light.reduce((sum, value, c) => sum + part.rows[3 * row + c]! * value, 0)))
    }
  }
  return now
}
const random = makeRandom(4)

describe('a tone program', () => {
  for (const depth of [8, 16] as const) {
    it(`gives samples of ${depth} bits what its parts give one after the other`, () => {
      const raster = makeRaster(40, 30, 3, depth)
      raster.data.forEach((_value, i) => (raster.data[i] = Math.floor(random.uniform() * (depth === 8 ? 256 : 65536))))
      const before = toFloat(raster).data.slice()
      const { data } = compileTone(PARTS, context).run(raster)
      let worst = 0
      for (let i = 0; i < data.length; i += 3) slowly([...before.subarray(i, i + 3)]).forEach((value, c) => (worst = Math.max(worst, Math.abs(data[i + c]! - value))))
      expect(worst).toBeLessThan(2e-5)
    })
  }
  it('gives floats between the steps of its tables what lies between, and leaves samples as they were', () => {
    const floats: FloatRaster = { width: 20, height: 10, channels: 3, data: Float32Array.from({ length: 600 }, () => random.uniform()) }
    const before = floats.data.slice()
    const { data } = compileTone(PARTS, context).run(floats)
    for (let i = 0; i < data.length; i += 3) slowly([...before.subarray(i, i + 3)]).forEach((value, c) => expect(Math.abs(data[i + c]! - value)).toBeLessThan(3e-5))
    const raster = makeRaster(4, 4, 3, 8)
    raster.data.fill(90)
    compileTone(PARTS, context).run(raster)
    expect(new Set(raster.data)).toEqual(new Set([90]))
  })
  it('stays between black and white', () => {
    const raster = makeRaster(2, 1, 3, 8)
    raster.data.set([0, 128, 255, 255, 0, 10])
    const { data } = compileTone([each((value) => 3 * value - 1)], context).run(raster)
    expect(Math.min(...data)).toBe(0)
    expect(Math.max(...data)).toBe(1)
  })
})
