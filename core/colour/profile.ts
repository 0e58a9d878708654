import { ProblemError } from '../problem.js'
import type { TransferCurve } from '../raster/transfer.js'

/** What Fennip needs to know of a colour profile. */
export interface ColourProfile {
  readonly name: string
  /** Whether the file carried it, or it is assumed because the file carried none. */
  readonly assumed: boolean
  readonly curve: TransferCurve
  /** Linear RGB of the picture to XYZ of the profile connection space (D50), row by row; none for grey. */
  readonly toXyz: readonly number[] | null
  /** Whether curve and matrix are only the closest to what the profile says: the screen converts by the profile itself. */
  readonly isByTables?: boolean
}

/** Where a part of a profile lies. */
interface Place { readonly at: number; readonly size: number }

/** sRGB primaries adapted to D50 by the Bradford transform; values of the sRGB profile published by the ICC. */
const SRGB_TO_XYZ = [0.4360747, 0.3850649, 0.1430804, 0.2225045, 0.7168786, 0.0606169, 0.0139322, 0.0971045, 0.7141733]

export function srgbProfile(assumed: boolean): ColourProfile {
  return { name: 'sRGB', assumed, curve: { type: 'srgb' }, toXyz: SRGB_TO_XYZ }
}

export function greyProfile(assumed: boolean): ColourProfile {
  return { name: 'grey, sRGB curve', assumed, curve: { type: 'srgb' }, toXyz: null }
}

/**
 * Read an ICC profile of the matrix or grey kind.
 *
 * @param bytes     The profile as it stands in the file.
 * @param channels  1 for grey, 3 for RGB.
 * @returns Its name, curve and matrix.
 * @throws {ProblemError} when the profile is damaged, of another colour space, defined by tables, or has a curve for each channel.
 *
 * ICC.1:2022: header 7.2, tag table 7.3, curveType 10.6, parametricCurveType 10.18, XYZType 10.31.
 */
export function readProfile(bytes: Uint8Array, channels: number): ColourProfile {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const text = (at: number, length: number) => String.fromCharCode(...bytes.subarray(at, at + length))
  if (bytes.length < 132 || text(36, 4) !== 'acsp') throw unreadable('it does not begin as a profile must')
  const space = text(16, 4)
  if (space !== (channels === 1 ? 'GRAY' : 'RGB ')) throw unreadable(`it describes ${space.trim()} and the picture has ${channels} channel${channels === 1 ? '' : 's'}`)
  const tags = new Map<string, Place>()
  const count = view.getUint32(128)
  for (let i = 0; i < Math.min(count, 200); i++) {
    const entry = 132 + 12 * i
    if (entry + 12 > bytes.length) throw unreadable('its table of contents is cut off')
    const at = view.getUint32(entry + 4)
    const size = view.getUint32(entry + 8)
    if (at + size > bytes.length) throw unreadable('one of its parts is cut off')
    tags.set(text(entry, 4), { at, size })
  }
  const curveTag = tags.get(channels === 1 ? 'kTRC' : 'gTRC')
  if (!curveTag) throw unreadable('it has no tone curve')
  const curve = readCurve(view, curveTag.at)
  if (channels === 3 && ['rTRC', 'bTRC'].some((tag) => !sameBytes(bytes, curveTag, tags.get(tag)))) throw unreadable('its channels have tone curves of their own')
  const name = readName(view, tags.get('desc')) ?? 'embedded profile'
  if (channels === 1) return { name, assumed: false, curve, toXyz: null }
  const columns = ['rXYZ', 'gXYZ', 'bXYZ'].map((tag) => {
    const found = tags.get(tag)
    if (!found) throw unreadable('it has tables in place of primaries')
    return [0, 1, 2].map((i) => view.getInt32(found.at + 8 + 4 * i) / 65536)
  })
  const toXyz = [0, 1, 2].flatMap((row) => columns.map((column) => column[row]!))
  return { name, assumed: false, curve, toXyz }
}

function sameBytes(bytes: Uint8Array, a: Place, b: Place | undefined): boolean {
  return b !== undefined && a.size === b.size && (a.at === b.at || bytes.subarray(a.at, a.at + a.size).every((value, i) => value === bytes[b.at + i]))
}

function readCurve(view: DataView, at: number): TransferCurve {
  const type = view.getUint32(at)
  if (type === 0x63757276) {
    const count = view.getUint32(at + 8)
    if (count === 0) return { type: 'linear' }
    if (count === 1) return { type: 'gamma', gamma: view.getUint16(at + 12) / 256 }
    const values = Array.from({ length: Math.min(count, 65536) }, (_, i) => view.getUint16(at + 12 + 2 * i) / 65535)
    return { type: 'table', values }
  }
  if (type === 0x70617261) {
    const kind = view.getUint16(at + 8)
    const length = [1, 3, 4, 5, 7][kind]
    if (length === undefined) throw unreadable('its tone curve is of an unknown type')
    const parameters = Array.from({ length }, (_, i) => view.getInt32(at + 12 + 4 * i) / 65536)
    return { type: 'parametric', function: kind, parameters }
  }
  throw unreadable('its tone curve is of an unknown type')
}

function readName(view: DataView, tag: Place | undefined): string | null {
  if (!tag) return null
  const type = view.getUint32(tag.at)
  const characters: string[] = []
  if (type === 0x64657363) {
    const length = Math.min(view.getUint32(tag.at + 8), tag.size - 12)
    for (let i = 0; i < length - 1; i++) characters.push(String.fromCharCode(view.getUint8(tag.at + 12 + i)))
  } else if (type === 0x6d6c7563) {
    const length = view.getUint32(tag.at + 20)
    const start = tag.at + view.getUint32(tag.at + 24)
    for (let i = 0; i + 1 < length; i += 2) characters.push(String.fromCharCode(view.getUint16(start + i)))
  }
  const name = characters.join('').trim()
  return name === '' ? null : name
}

function unreadable(why: string): ProblemError {
  return new ProblemError('profile-unreadable', {
    title: 'The colour profile cannot be used',
    detail: `The profile in the file cannot be used: ${why}.`,
    status: 422,
  })
}
