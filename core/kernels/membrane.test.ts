import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { LANES, relaxMembrane } from './membrane.js'

const HOW = { stiffness: 3, over: 1.85, sweeps: 7 }

/** A domain with holes, what draws its cells in so many channels, and where it starts from. */
function problem(seed: number, width: number, height: number, channels: number) {
  const random = makeRandom(seed)
  const cells: number[] = []
  for (let i = 0; i < width * height; i++) if (random.uniform() < 0.8) cells.push(i)
  const domain = new Set(cells)
  const sidesOf = (i: number) => {
    const x = i % width
    return (x > 0 && domain.has(i - 1) ? 1 : 0) + (x + 1 < width && domain.has(i + 1) ? 2 : 0) + (domain.has(i - width) ? 4 : 0) + (domain.has(i + width) ? 8 : 0)
  }
  const surface = Float32Array.from({ length: LANES * width * height }, (_value, k) => (k % LANES < channels ? random.uniform() : 0))
  const say = cells.map(() => (random.uniform() < 0.3 ? random.uniform() : 0))
  const sides = cells.map(sidesOf)
  const bits = (side: number) => [1, 2, 4, 8].filter((bit) => side & bit).length
  const weights = Float64Array.from({ length: LANES * cells.length }, (_value, k) => say[Math.floor(k / LANES)]! + HOW.stiffness * bits(sides[Math.floor(k / LANES)]!))
  const pulls = Float64Array.from({ length: LANES * cells.length }, (_value, k) => (k % LANES < channels ? say[Math.floor(k / LANES)]! * random.uniform() : 0))
  return { cells: { at: Int32Array.from(cells), sides: Uint8Array.from(sides) }, surface, pulls, weights }
}

/** One channel after another, cell after cell: successive over-relaxation as Young 1954 has it. */
function slowly(surface: Float32Array, width: number, { at, sides }: { at: Int32Array; sides: Uint8Array }, pulls: Float64Array, weights: Float64Array): Float32Array {
  const result = surface.slice()
  for (let c = 0; c < LANES; c++) {
    for (let sweep = 0; sweep < HOW.sweeps; sweep++) {
      at.forEach((i, k) => {
        const weight = weights[LANES * k + c]!
        if (weight <= 0) return
        let sum = pulls[LANES * k + c]!
        for (const [bit, beside] of [[1, i - 1], [2, i + 1], [4, i - width], [8, i + width]] as const) if (sides[k]! & bit) sum += HOW.stiffness * result[LANES * beside + c]!
        result[LANES * i + c]! += HOW.over * (sum / weight - result[LANES * i + c]!)
      })
    }
  }
  return result
}

describe('the relaxation of a membrane', () => {
  it.each([1, 3, 4])('in %i channels equals plain code to the last bit, cells that stand alone included', (channels) => {
    const { cells, surface, pulls, weights } = problem(60 + channels, 13, 9, channels)
    const expected = slowly(surface, 13, cells, pulls, weights)
    const before = surface.slice()
    relaxMembrane(surface, 13, cells, pulls, weights, HOW)
    expect(surface).toEqual(expected)
    expect(surface).not.toEqual(before)
  })
  it('swept diagonal by diagonal gives the same as row by row', () => {
    const [width, channels] = [17, 3]
    const { cells, surface, pulls, weights } = problem(71, width, 12, channels)
    const order = Array.from(cells.at.keys()).sort((a, b) => {
      const diagonal = (k: number) => (cells.at[k]! % width) + Math.floor(cells.at[k]! / width)
      return diagonal(a) - diagonal(b) || cells.at[a]! - cells.at[b]!
    })
    const four = (values: Float64Array) => Float64Array.from(order.flatMap((k) => [...values.subarray(LANES * k, LANES * k + LANES)]))
    const turned = { at: Int32Array.from(order, (k) => cells.at[k]!), sides: Uint8Array.from(order, (k) => cells.sides[k]!) }
    const rowByRow = surface.slice()
    relaxMembrane(rowByRow, width, cells, pulls, weights, HOW)
    relaxMembrane(surface, width, turned, four(pulls), four(weights), HOW)
    expect(surface).toEqual(rowByRow)
  })
})
