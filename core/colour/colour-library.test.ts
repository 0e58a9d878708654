import { describe, expect, it } from 'vitest'
import { makeMatrixProfile, makeTableProfile } from '@fennip/codec/test-profile.js'
import { ProblemError } from '../problem.js'
import { measureTableProfile, openTables } from './colour-library.js'
import { readProfile } from './profile.js'
import { decodeValue } from '../raster/transfer.js'

/** Random colours of 16 bits, the same each time. */
const colours = Uint16Array.from({ length: 300 }, (_, i) => (i * 40503 + 977) % 65536)

describe('a profile of tables', () => {
  it('is converted by Little CMS as the matrix and curve it was made from', async () => {
    const tables = await openTables(makeTableProfile('Scanner', [2.2, 2.2, 2.2]))
    const profile = readProfile(makeMatrixProfile('Wide', 563 / 256), 3)
    const seen = tables.toXyz(colours)
    for (let i = 0; i < colours.length; i += 3) {
      const light = [0, 1, 2].map((c) => decodeValue(profile.curve, colours[i + c]! / 65535))
      for (let row = 0; row < 3; row++) expect(seen[i + row]).toBeCloseTo(light.reduce((sum, value, c) => sum + value * profile.toXyz![3 * row + c]!, 0), 2.5)
    }
  })
  it('gives its grey axis and closest matrix to the computation', async () => {
    const measured = await measureTableProfile(makeTableProfile('Scanner', [2.2, 2.2, 2.2]))
    const matrix = readProfile(makeMatrixProfile('Wide', 2.2), 3)
    expect(measured.name).toBe('Scanner')
    expect(measured.isByTables).toBe(true)
    for (const value of [0.05, 0.2, 0.5, 0.8, 1]) expect(decodeValue(measured.curve, value)).toBeCloseTo(value ** 2.2, 3)
    measured.toXyz!.forEach((value, i) => expect(Math.abs(value - matrix.toXyz![i]!)).toBeLessThan(0.01))
  })
  it('with a curve for each channel is taken through the library, not by one of its curves', async () => {
    const profile = makeMatrixProfile('Uneven', 2.2)
    const view = new DataView(profile.buffer)
    // The last tag, bTRC, gets a gamma of its own.
    view.setUint16(profile.length - 4, 460)
    expect(() => readProfile(profile, 3)).toThrow(/curves of their own/)
    const measured = await measureTableProfile(profile)
    const middle = decodeValue(measured.curve, 0.5)
    // Luminance of equal samples: each channel's light by its share of white, from the primaries of the test profile.
    const share = [0.3111, 0.6257, 0.0632]
    expect(middle).toBeCloseTo(share[0]! * 0.5 ** 2.2 + share[1]! * 0.5 ** 2.2 + share[2]! * 0.5 ** (460 / 256), 3)
  })
  it('that cannot be used is said', async () => {
    await expect(measureTableProfile(new Uint8Array(400))).rejects.toThrow(ProblemError)
  })
})
