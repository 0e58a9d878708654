import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import { settleMembrane, type MembraneCells } from './membrane.js'

const HOW = { stiffness: 3, over: 1.85, sweeps: 7, rounds: 3 }

/** A domain with holes, and known differences in so many channels at some of its cells. */
function problem(seed: number, width: number, height: number, channels: number) {
  const random = makeRandom(seed)
  const cells: number[] = []
  for (let i = 0; i < width * height; i++) if (random.uniform() < 0.8) cells.push(i)
  const domain = new Set(cells)
  const sides = cells.map((i) => {
    const x = i % width
    return (x > 0 && domain.has(i - 1) ? 1 : 0) + (x + 1 < width && domain.has(i + 1) ? 2 : 0) + (domain.has(i - width) ? 4 : 0) + (domain.has(i + width) ? 8 : 0)
  })
  const say = Float32Array.from({ length: width * height }, (_value, i) => (domain.has(i) && random.uniform() < 0.4 ? random.uniform() : 0))
  const differences = Array.from({ length: channels }, () => Float32Array.from(say, () => random.uniform() - 0.5))
  return { cells: { at: Int32Array.from(cells), sides: Uint8Array.from(sides) }, say, differences }
}

/** One channel after another, cell after cell: reweighting after Geman and McClure, over-relaxation as Young 1954 has it. */
function slowly(width: number, { at, sides }: MembraneCells, difference: Float32Array, say: Float32Array): Float32Array {
  const surface = new Float32Array(say.length)
  const spoken = [...at].filter((i) => say[i]! > 0)
  const middle = median(Float32Array.from(spoken, (i) => difference[i]!))
  for (const i of at) surface[i] = middle
  for (let round = 0; round < HOW.rounds; round++) {
    const spread = Math.max(1e-6, 2.5 * DEVIATION_PER_MAD * median(Float32Array.from(spoken, (i) => Math.abs(difference[i]! - surface[i]!))))
    const trust = Array.from(at, (i) => {
      const z = (difference[i]! - surface[i]!) / spread
      return say[i] === 0 ? 0 : Math.fround(say[i]! / ((1 + z * z) * (1 + z * z)))
    })
    for (let sweep = 0; sweep < HOW.sweeps; sweep++) {
      at.forEach((i, k) => {
        const neighbours = ([[1, i - 1], [2, i + 1], [4, i - width], [8, i + width]] as const).filter(([bit]) => sides[k]! & bit)
        const weight = trust[k]! + HOW.stiffness * neighbours.length
        if (weight <= 0) return
        let sum = trust[k]! * difference[i]!
        for (const [, beside] of neighbours) sum += HOW.stiffness * surface[beside]!
        surface[i]! += HOW.over * (sum / weight - surface[i]!)
      })
    }
  }
  return surface
}

describe('a membrane', () => {
  it.each([1, 3, 4])('in %i channels equals plain code to the last bit, cells that stand alone included', (channels) => {
    const { cells, say, differences } = problem(60 + channels, 13, 9, channels)
    expect(settleMembrane(13, cells, differences, say, HOW)).toEqual(differences.map((difference) => slowly(13, cells, difference, say)))
  })
  it('swept diagonal by diagonal gives the same as row by row', () => {
    const width = 17
    const { cells, say, differences } = problem(71, width, 12, 3)
    const order = Array.from(cells.at.keys()).sort((a, b) => {
      const diagonal = (k: number) => (cells.at[k]! % width) + Math.floor(cells.at[k]! / width)
      return diagonal(a) - diagonal(b) || cells.at[a]! - cells.at[b]!
    })
    const turned = { at: Int32Array.from(order, (k) => cells.at[k]!), sides: Uint8Array.from(order, (k) => cells.sides[k]!) }
    expect(turned.at).not.toEqual(cells.at)
    expect(settleMembrane(width, turned, differences, say, HOW)).toEqual(settleMembrane(width, cells, differences, say, HOW))
  })
  it('of which nothing is known lies flat', () => {
    const { cells, say, differences } = problem(72, 11, 8, 2)
    for (const surface of settleMembrane(11, cells, differences, say.map(() => 0), HOW)) expect(surface.every((value) => value === 0)).toBe(true)
  })
})
