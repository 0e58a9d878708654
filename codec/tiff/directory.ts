/**
 * Image file directories as TIFF 6.0 (section 2) defines them: the structure of TIFF files and of Exif blocks.
 */

/** One entry; its value kept as little-endian bytes. */
export interface Entry {
  readonly type: number
  readonly count: number
  readonly bytes: Uint8Array
}

export type Directory = Map<number, Entry>

/** A directory with the ones it points to. */
export interface DirectoryTree {
  readonly main: Directory
  readonly exif?: Directory
  readonly gps?: Directory
}

export const TAG = {
  width: 256, height: 257, description: 270, make: 271, model: 272, orientation: 274, samplesPerPixel: 277,
  xResolution: 282, yResolution: 283, resolutionUnit: 296, software: 305, dateTime: 306, artist: 315,
  copyright: 33432, xmp: 700, iptc: 33723, icc: 34675, exif: 34665, gps: 34853, makerNote: 37500, interoperability: 40965,
} as const

/** Bytes of one value of each field type of TIFF 6.0 (1 to 12), of IFD (13) and of BigTIFF (16 to 18). */
export const TYPE_SIZE = [0, 1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8, 4, 0, 0, 8, 8, 8]

/** Bytes that are turned round together when the byte order changes: rationals are two numbers of four bytes. */
export const unitOf = (type: number): number => (type === 5 || type === 10 ? 4 : TYPE_SIZE[type] ?? 1)

/** Entries and bytes that are read of one Exif block: cameras write some hundred entries and at most a few hundred kilobytes. */
const MOST_ENTRIES = 4096
const MOST_BYTES = 16 * 2 ** 20

/**
 * Read the directory at the head of a TIFF structure, and the Exif and GPS directories it points to.
 *
 * @param bytes  A TIFF file or the content of an Exif block after its name.
 * @returns The directories, or null when this is no TIFF structure. Entries that point outside are left out, and so is
 *          what goes beyond the bounds: entries may lie over one another, and copies of them grow without end.
 */
export function readDirectories(bytes: Uint8Array): DirectoryTree | null {
  if (bytes.length < 14) return null
  const order = String.fromCharCode(bytes[0]!, bytes[1]!)
  if (order !== 'II' && order !== 'MM') return null
  const little = order === 'II'
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (view.getUint16(2, little) !== 42) return null
  const room = { bytes: MOST_BYTES }
  const main = readAt(view, view.getUint32(4, little), little, room)
  const child = (tag: number) => {
    const entry = main.get(tag)
    return entry && entry.bytes.length >= 4 ? readAt(view, new DataView(entry.bytes.buffer, entry.bytes.byteOffset).getUint32(0, true), little, room) : undefined
  }
  const exif = child(TAG.exif)
  const gps = child(TAG.gps)
  return { main, ...(exif ? { exif } : {}), ...(gps ? { gps } : {}) }
}

function readAt(view: DataView, offset: number, little: boolean, room: { bytes: number }): Directory {
  const directory: Directory = new Map()
  if (offset + 2 > view.byteLength) return directory
  const count = Math.min(MOST_ENTRIES, view.getUint16(offset, little))
  for (let i = 0; i < count; i++) {
    const at = offset + 2 + 12 * i
    if (at + 12 > view.byteLength) break
    const type = view.getUint16(at + 2, little)
    const values = view.getUint32(at + 4, little)
    const size = (TYPE_SIZE[type] ?? 0) * values
    if (size === 0) continue
    const from = size <= 4 ? at + 8 : view.getUint32(at + 8, little)
    if (from + size > view.byteLength || size > room.bytes) continue
    room.bytes -= size
    directory.set(view.getUint16(at, little), { type, count: values, bytes: asLittleEndian(view, from, type, size, little) })
  }
  return directory
}

function asLittleEndian(view: DataView, from: number, type: number, size: number, little: boolean): Uint8Array {
  const bytes = new Uint8Array(view.buffer, view.byteOffset + from, size).slice()
  const unit = unitOf(type)
  if (!little && unit > 1) for (let i = 0; i < size; i += unit) bytes.subarray(i, i + unit).reverse()
  return bytes
}

/**
 * Write directories as part of a little-endian TIFF structure.
 *
 * @param start  Bytes of the structure that stand before them.
 * @returns The bytes of directories and values, and where the main directory lies in the structure.
 */
export function writeDirectories(tree: DirectoryTree, start: number): { bytes: Uint8Array; directoryAt: number } {
  const parts: Uint8Array[] = []
  let length = start
  const add = (bytes: Uint8Array): number => {
    if (length % 2 === 1) {
      parts.push(new Uint8Array(1))
      length++
    }
    const at = length
    parts.push(bytes)
    length += bytes.length
    return at
  }
  const main = new Map(tree.main)
  main.delete(TAG.exif)
  main.delete(TAG.gps)
  const mainBytes = new Uint8Array(2 + 12 * (main.size + (tree.exif ? 1 : 0) + (tree.gps ? 1 : 0)) + 4)
  const directoryAt = add(mainBytes)
  const write = (directory: Directory, into: Uint8Array) => {
    const view = new DataView(into.buffer, into.byteOffset, into.byteLength)
    const entries = [...directory].sort(([a], [b]) => a - b)
    view.setUint16(0, entries.length, true)
    entries.forEach(([tag, entry], i) => {
      const at = 2 + 12 * i
      view.setUint16(at, tag, true)
      view.setUint16(at + 2, entry.type, true)
      view.setUint32(at + 4, entry.count, true)
      if (entry.bytes.length <= 4) into.set(entry.bytes, at + 8)
      else view.setUint32(at + 8, add(entry.bytes), true)
    })
  }
  const child = (directory: Directory): Entry => {
    const bytes = new Uint8Array(2 + 12 * directory.size + 4)
    const at = add(bytes)
    write(directory, bytes)
    return longEntry(at)
  }
  if (tree.exif) main.set(TAG.exif, child(tree.exif))
  if (tree.gps) main.set(TAG.gps, child(tree.gps))
  write(main, mainBytes)
  const bytes = new Uint8Array(length - start)
  let at = 0
  for (const part of parts) {
    bytes.set(part, at)
    at += part.length
  }
  return { bytes, directoryAt }
}

/** Directories as a whole little-endian TIFF structure, as Exif blocks are. */
export function writeExif(tree: DirectoryTree): Uint8Array {
  const { bytes, directoryAt } = writeDirectories(tree, 8)
  const result = new Uint8Array(8 + bytes.length)
  result.set([0x49, 0x49, 42, 0])
  new DataView(result.buffer).setUint32(4, directoryAt, true)
  result.set(bytes, 8)
  return result
}

export function longEntry(value: number): Entry {
  const bytes = new Uint8Array(4)
  new DataView(bytes.buffer).setUint32(0, value, true)
  return { type: 4, count: 1, bytes }
}

export function longsEntry(values: readonly number[]): Entry {
  const bytes = new Uint8Array(4 * values.length)
  const view = new DataView(bytes.buffer)
  values.forEach((value, i) => view.setUint32(4 * i, value, true))
  return { type: 4, count: values.length, bytes }
}

export function shortsEntry(values: readonly number[]): Entry {
  return { type: 3, count: values.length, bytes: Uint8Array.from(values.flatMap((value) => [value & 255, value >> 8])) }
}

export function shortEntry(value: number): Entry {
  return { type: 3, count: 1, bytes: Uint8Array.of(value & 255, value >> 8) }
}

export function bytesEntry(bytes: Uint8Array): Entry {
  return { type: 7, count: bytes.length, bytes }
}

export function textEntry(text: string): Entry {
  const bytes = new TextEncoder().encode(`${text}\0`)
  return { type: 2, count: bytes.length, bytes }
}

export function rationalEntry(numerator: number, denominator = 1): Entry {
  const bytes = new Uint8Array(8)
  const view = new DataView(bytes.buffer)
  view.setUint32(0, numerator, true)
  view.setUint32(4, denominator, true)
  return { type: 5, count: 1, bytes }
}

/** First value of an entry as a number, for the integer and rational types. */
export function numberOf(entry: Entry | undefined): number | null {
  if (!entry) return null
  const view = new DataView(entry.bytes.buffer, entry.bytes.byteOffset, entry.bytes.byteLength)
  if (entry.type === 3) return view.getUint16(0, true)
  if (entry.type === 4) return view.getUint32(0, true)
  if (entry.type === 5 && view.getUint32(4, true) !== 0) return view.getUint32(0, true) / view.getUint32(4, true)
  return null
}
