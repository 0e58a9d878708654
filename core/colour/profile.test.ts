import { describe, expect, it } from 'vitest'
import { makeMatrixProfile } from '@fennip/codec/test-profile.js'
import { ProblemError } from '../problem.js'
import { readProfile } from './profile.js'
import { decodeValue, makeTransfer, type TransferCurve } from '../raster/transfer.js'

/** A grey profile with one curve, made by the rules of ICC.1:2022 (header 7.2, tag table 7.3). */
function greyProfile(curve: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(144 + curve.length)
  const view = new DataView(bytes.buffer)
  const write = (at: number, text: string) => bytes.set(Uint8Array.from(text, (letter) => letter.charCodeAt(0)), at)
  view.setUint32(0, bytes.length)
  write(12, 'mntrGRAYXYZ ')
  write(36, 'acsp')
  view.setUint32(128, 1)
  write(132, 'kTRC')
  view.setUint32(136, 144)
  view.setUint32(140, curve.length)
  bytes.set(curve, 144)
  return bytes
}

/** ICC.1:2022 10.6 curveType. */
function curveOf(...values: number[]): Uint8Array {
  const bytes = new Uint8Array(12 + 2 * values.length)
  const view = new DataView(bytes.buffer)
  view.setUint32(0, 0x63757276)
  view.setUint32(8, values.length)
  values.forEach((value, i) => view.setUint16(12 + 2 * i, value))
  return bytes
}

/** ICC.1:2022 10.18 parametricCurveType, parameters as s15Fixed16Number. */
function parametricOf(type: number, ...parameters: number[]): Uint8Array {
  const bytes = new Uint8Array(12 + 4 * parameters.length)
  const view = new DataView(bytes.buffer)
  view.setUint32(0, 0x70617261)
  view.setUint16(8, type)
  parameters.forEach((value, i) => view.setInt32(12 + 4 * i, Math.round(value * 65536)))
  return bytes
}

const curveIn = (bytes: Uint8Array): TransferCurve => readProfile(greyProfile(bytes), 1).curve

describe('tone curves of profiles (ICC.1:2022)', () => {
  it('no entry is a straight line, one is a gamma as u8Fixed8Number', () => {
    expect(curveIn(curveOf())).toEqual({ type: 'linear' })
    expect(curveIn(curveOf(0x0180))).toEqual({ type: 'gamma', gamma: 1.5 })
  })
  it('many entries are a table that is followed in straight pieces', () => {
    const curve = curveIn(curveOf(0, 16384, 65535))
    expect(decodeValue(curve, 0.25)).toBeCloseTo(8192 / 65535, 6)
    expect(decodeValue(curve, 1)).toBe(1)
  })
  it('parametric functions follow table 68, each in its own pieces', () => {
    // Type 3 with the parameters of IEC 61966-2-1 is the curve of sRGB.
    const srgb = curveIn(parametricOf(3, 2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045))
    for (const value of [0, 0.02, 0.04, 0.1, 0.5, 0.9, 1]) expect(decodeValue(srgb, value)).toBeCloseTo(decodeValue({ type: 'srgb' }, value), 3)
    expect(decodeValue(curveIn(parametricOf(0, 2)), 0.5)).toBeCloseTo(0.25, 4)
    // Y = (aX + b)^g for X >= -b/a, else 0; type 2 adds c.
    const first = curveIn(parametricOf(1, 2, 2, -0.5))
    expect(decodeValue(first, 0.2)).toBe(0)
    expect(decodeValue(first, 0.5)).toBeCloseTo(0.25, 4)
    const second = curveIn(parametricOf(2, 2, 2, -0.5, 0.1))
    expect(decodeValue(second, 0.2)).toBeCloseTo(0.1, 4)
    expect(decodeValue(second, 0.5)).toBeCloseTo(0.35, 4)
    // Y = (aX + b)^g + e for X >= d, else cX + f.
    const fourth = curveIn(parametricOf(4, 2, 1, 0, 0.5, 0.4, 0.05, 0.02))
    expect(decodeValue(fourth, 0.2)).toBeCloseTo(0.12, 4)
    expect(decodeValue(fourth, 0.6)).toBeCloseTo(0.41, 4)
  })
  it('a curve that falls or is flat in places can still be undone: the nearest sample is taken', () => {
    const transfer = makeTransfer(curveIn(curveOf(0, 30000, 20000, 65535)), 8)
    for (let i = 1; i < 256; i++) expect(transfer.light[i]!).toBeGreaterThanOrEqual(transfer.light[i - 1]!)
    expect(transfer.encode(transfer.light[255]!)).toBe(255)
    expect(transfer.encode(-1)).toBe(0)
    expect(transfer.encode(9)).toBe(255)
  })
})

describe('profiles that cannot be used', () => {
  const refused = (bytes: Uint8Array, channels: 1 | 3): string => {
    try {
      readProfile(bytes, channels)
    } catch (error) {
      expect(error).toBeInstanceOf(ProblemError)
      expect((error as ProblemError).type).toBe('profile-unreadable')
      return (error as ProblemError).detail
    }
    throw new Error('it was not refused')
  }
  it('are refused with the reason', () => {
    expect(refused(new Uint8Array(20), 3)).toContain('does not begin')
    expect(refused(greyProfile(curveOf()), 3)).toContain('GRAY')
    expect(refused(greyProfile(parametricOf(9, 1)), 1)).toContain('unknown type')
    const cut = greyProfile(curveOf(1, 2, 3))
    expect(refused(cut.subarray(0, cut.length - 6), 1)).toContain('cut off')
  })
  it('of tables alone are told from matrix profiles', () => {
    const bytes = makeMatrixProfile('Tables', 2.2)
    // The red primary goes by another name: it is not there.
    const text = String.fromCharCode(...bytes)
    bytes.set([0x58], text.indexOf('rXYZ'))
    expect(refused(bytes, 3)).toContain('tables in place of primaries')
  })
  it('without a name are called embedded', () => {
    expect(readProfile(greyProfile(curveOf()), 1)).toEqual({ name: 'embedded profile', assumed: false, curve: { type: 'linear' }, toXyz: null })
  })
})
