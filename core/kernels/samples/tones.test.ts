import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster } from '../../raster/raster.js'
import { forgetKernels } from '../module.js'
import { roundedFloats, throughTables, valuesOfSamples, type LazyTable } from './tones.js'

/** A table that counts what is asked of it. */
function lazyTable(entries: number, value: (entry: number) => number): LazyTable & { readonly asked: number[] } {
  const values = new Float32Array(entries).fill(-1)
  const asked: number[] = []
  return { values, asked, compute(entry) { asked.push(entry); values[entry] = value(entry) } }
}

const CASES = [[8, 1], [8, 3], [16, 1], [16, 3]] as const
const entriesOf = (depth: 8 | 16) => 2 ** depth

describe('tables over samples', () => {
  it.each(CASES)('of %i bits in %i channels give each sample the value of its channel', (depth, channels) => {
    const random = makeRandom(depth + channels)
    const raster = makeRaster(37, 11, channels, depth)
    raster.data.forEach((_value, i) => (raster.data[i] = random.integer() & (entriesOf(depth) - 1)))
    const tables = Array.from({ length: channels }, (_, c) => lazyTable(entriesOf(depth), (entry) => (entry + c) / (entriesOf(depth) + 2)))
    expect(valuesOfSamples(raster, tables)).toEqual(Float32Array.from(raster.data, (sample, i) => tables[i % channels]!.values[sample]!))
    // Nothing is computed that no sample has, and nothing twice.
    tables.forEach(({ asked }, c) => expect([...asked].sort((a, b) => a - b)).toEqual([...new Set(raster.data.filter((_value, i) => i % channels === c))].sort((a, b) => a - b)))
  })
  it('ask once for what channels share', () => {
    const raster = makeRaster(5, 4, 3, 8)
    raster.data.forEach((_value, i) => (raster.data[i] = i % 4))
    const table = lazyTable(256, (entry) => entry / 10)
    expect(valuesOfSamples(raster, [table, table, table])).toEqual(Float32Array.from(raster.data, (sample) => sample / 10))
    expect([...table.asked].sort()).toEqual([0, 1, 2, 3])
    // What is known is not asked for again, not even when the memory of the kernels was given back.
    forgetKernels()
    valuesOfSamples(raster, [table, table, table])
    expect(table.asked).toHaveLength(4)
  })
})

describe('tables over floats', () => {
  it.each([1, 3])('in %i channels lead in a straight line from entry to entry', (channels) => {
    const random = makeRandom(channels)
    const steps = 100
    const data = Float32Array.from({ length: 50 * channels }, (_value, i) => (i < 2 * channels ? i % 2 : random.uniform()))
    const curve = (entry: number) => (Math.min(entry, steps) / steps) ** 2
    const tables = Array.from({ length: channels }, () => lazyTable(steps + 2, curve))
    const expected = data.map((value) => {
      const step = Math.floor(value * steps)
      const [low, high] = [Math.fround(curve(step)), Math.fround(curve(step + 1))]
      return low + (high - low) * (value * steps - step)
    })
    throughTables(data, channels, steps, tables)
    expect(data).toEqual(expected)
    expect(Math.max(...tables.flatMap(({ asked }) => asked))).toBeLessThanOrEqual(steps + 1)
  })
})

describe('rounding floats', () => {
  it.each([8, 16] as const)('to %i bits takes the nearest sample, and every sample back to itself', (depth) => {
    const most = entriesOf(depth) - 1
    const all = Float32Array.from({ length: most + 1 }, (_value, i) => i / most)
    expect([...roundedFloats(all, depth)]).toEqual(Array.from(all, (_value, i) => i))
    const random = makeRandom(depth)
    const between = Float32Array.from({ length: 999 }, () => random.uniform())
    expect([...roundedFloats(between, depth)]).toEqual(Array.from(between, (value) => Math.floor(value * most + 0.5)))
  })
  it('takes what is no number for black', () => {
    expect([...roundedFloats(Float32Array.of(NaN, 0.5), 8)]).toEqual([0, 128])
  })
})
