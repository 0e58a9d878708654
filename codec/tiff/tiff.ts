import type { FileHandle } from 'node:fs/promises'
import { inflateSync } from 'node:zlib'
import { ProblemError } from '@fennip/core/problem.js'
import { TAG, TYPE_SIZE, unitOf, type Directory, type DirectoryTree } from './directory.js'

/**
 * What a TIFF file says about the layout of its pages, read from the file without its pixels, so that a file that cannot
 * be decoded whole is refused before it costs memory.
 *
 * TIFF 6.0 (1992); BigTIFF as the TIFF library documents it (64 bit offsets, version 43); NewSubfileType and
 * SubIFDs from TIFF Technical Note 1; the colour filter array from TIFF/EP (ISO 12234-2).
 */

/** One page: an image file directory that describes a picture. */
export interface TiffPage {
  /** Place in the chain of top-level directories; a sub-directory has the index of its parent. */
  readonly index: number
  /** Place among the sub-directories of its parent; -1 for a page of the chain. */
  readonly subDirectory: number
  readonly width: number
  readonly height: number
  readonly bits: readonly number[]
  readonly samples: number
  readonly compression: number
  readonly photometric: number
  readonly planar: boolean
  readonly tiled: boolean
  /** Rows and columns of pixels of one strip or tile. */
  readonly segment: { readonly width: number; readonly height: number }
  readonly isReduced: boolean
  readonly isMask: boolean
  readonly tags: ReadonlyMap<number, TagPlace>
}

/** A tag whose value lies somewhere in the file. */
interface TagPlace { readonly type: number; readonly count: number; readonly at: number; readonly size: number }

/** A TIFF file opened for reading its directories. */
export interface TiffFile {
  readonly file: FileHandle
  readonly size: number
  readonly little: boolean
  readonly pages: readonly TiffPage[]
}

const LAYOUT = {
  newSubfileType: 254, width: 256, height: 257, bits: 258, compression: 259, photometric: 262, stripOffsets: 273, samples: 277, rowsPerStrip: 278,
  stripByteCounts: 279, planar: 284, tileWidth: 322, tileHeight: 323, tileOffsets: 324, tileByteCounts: 325, subDirectories: 330,
} as const

/** Directories with more entries, and files with more pages, are no pictures; sizes in entries and pages. */
const MOST_ENTRIES = 4096
const MOST_PAGES = 1000
/** Strips or tiles of one page that are looked at: a picture of 300 megapixels in rows of one pixel has 17 000. */
const MOST_SEGMENTS = 2_000_000
/** Metadata that is kept of a file, in bytes of one value and of all together. */
const LARGEST_VALUE = 4 * 2 ** 20
const MOST_METADATA = 16 * 2 ** 20

/**
 * Read the directories of a TIFF or BigTIFF file.
 *
 * @param file  Open for reading.
 * @param size  Of the file in bytes.
 * @returns Null when it does not begin as a TIFF file.
 */
export async function openTiff(file: FileHandle, size: number): Promise<TiffFile | null> {
  const head = await bytesAt(file, size, 0, 16)
  if (!head || head.byteLength < 8) return null
  const order = head.getUint16(0)
  if (order !== 0x4949 && order !== 0x4d4d) return null
  const little = order === 0x4949
  const version = head.getUint16(2, little)
  if (version !== 42 && version !== 43) return null
  const big = version === 43
  const pages: TiffPage[] = []
  const seen = new Set<number>()
  let at = big ? Number(head.getBigUint64(8, little)) : head.getUint32(4, little)
  for (let index = 0; at !== 0 && index < MOST_PAGES && !seen.has(at); index++) {
    seen.add(at)
    const directory = await readDirectory(file, size, at, little, big)
    if (!directory) break
    pages.push(await pageOf({ file, size, little }, directory.tags, index, -1))
    const children = await numbersOf({ file, size, little }, directory.tags.get(LAYOUT.subDirectories), 16)
    for (const [k, child] of (children ?? []).entries()) {
      if (seen.has(child)) continue
      seen.add(child)
      const below = await readDirectory(file, size, child, little, big)
      if (below) pages.push(await pageOf({ file, size, little }, below.tags, index, k))
    }
    at = directory.next
  }
  return { file, size, little, pages }
}

async function readDirectory(file: FileHandle, size: number, at: number, little: boolean, big: boolean): Promise<{ tags: Map<number, TagPlace>; next: number } | null> {
  const [countBytes, entryBytes, inlineBytes] = big ? [8, 20, 8] : [2, 12, 4]
  const counted = await bytesAt(file, size, at, countBytes)
  if (!counted || counted.byteLength < countBytes) return null
  const count = big ? Number(counted.getBigUint64(0, little)) : counted.getUint16(0, little)
  if (count > MOST_ENTRIES) return null
  const view = await bytesAt(file, size, at + countBytes, count * entryBytes + inlineBytes)
  if (!view || view.byteLength < count * entryBytes) return null
  const tags = new Map<number, TagPlace>()
  for (let i = 0; i < count; i++) {
    const entry = i * entryBytes
    const type = view.getUint16(entry + 2, little)
    const values = big ? Number(view.getBigUint64(entry + 4, little)) : view.getUint32(entry + 4, little)
    const bytes = (TYPE_SIZE[type] ?? 0) * values
    if (bytes === 0) continue
    const inline = entry + (big ? 12 : 8)
    const place = bytes <= inlineBytes ? at + countBytes + inline : big ? Number(view.getBigUint64(inline, little)) : view.getUint32(inline, little)
    tags.set(view.getUint16(entry, little), { type, count: values, at: place, size: bytes })
  }
  const after = count * entryBytes
  const next = view.byteLength < after + inlineBytes ? 0 : big ? Number(view.getBigUint64(after, little)) : view.getUint32(after, little)
  return { tags, next }
}

type Opened = Pick<TiffFile, 'file' | 'size' | 'little'>

async function pageOf(opened: Opened, tags: ReadonlyMap<number, TagPlace>, index: number, subDirectory: number): Promise<TiffPage> {
  const numbers = (tag: number, most = 16) => numbersOf(opened, tags.get(tag), most)
  const first = async (tag: number, otherwise: number) => (await numbers(tag))?.[0] ?? otherwise
  const width = await first(LAYOUT.width, 0)
  const height = await first(LAYOUT.height, 0)
  const tiled = tags.has(LAYOUT.tileWidth)
  const kind = await first(LAYOUT.newSubfileType, 0)
  const samples = await first(LAYOUT.samples, 1)
  return {
    index, subDirectory, width, height, samples, tiled, tags,
    bits: (await numbers(LAYOUT.bits)) ?? [1],
    compression: await first(LAYOUT.compression, 1),
    photometric: await first(LAYOUT.photometric, 1),
    planar: (await first(LAYOUT.planar, 1)) === 2,
    segment: tiled
      ? { width: await first(LAYOUT.tileWidth, width), height: await first(LAYOUT.tileHeight, height) }
      : { width, height: Math.min(height, await first(LAYOUT.rowsPerStrip, height)) },
    isReduced: (kind & 1) !== 0,
    isMask: (kind & 4) !== 0,
  }
}

async function bytesAt(file: FileHandle, size: number, at: number, length: number): Promise<DataView | null> {
  if (!Number.isSafeInteger(at) || at < 0 || at >= size) return null
  const { buffer, bytesRead } = await file.read(new Uint8Array(Math.min(length, size - at)), 0, undefined, at)
  return new DataView(buffer.buffer, buffer.byteOffset, bytesRead)
}

/** Values of an integer tag; null when it is not there, lies outside the file or has more values than `most`. */
async function numbersOf({ file, size, little }: Opened, place: TagPlace | undefined, most: number): Promise<number[] | null> {
  if (!place || place.at + place.size > size) return null
  const unit = TYPE_SIZE[place.type]!
  const count = Math.min(place.count, most)
  const view = await bytesAt(file, size, place.at, count * unit)
  if (!view) return null
  const read: Record<number, (at: number) => number> = {
    1: (at) => view.getUint8(at), 3: (at) => view.getUint16(at, little), 4: (at) => view.getUint32(at, little), 13: (at) => view.getUint32(at, little),
    16: (at) => Number(view.getBigUint64(at, little)), 18: (at) => Number(view.getBigUint64(at, little)),
  }
  const value = read[place.type]
  return value ? Array.from({ length: count }, (_, i) => value(i * unit)) : null
}

const COLOUR_FILTER_ARRAY = 32803
const LINEAR_RAW = 34892

/**
 * The page that is meant when a file is opened: the first of full resolution.
 *
 * @throws {ProblemError} when there is none, or when the file holds a camera's raw samples.
 */
export function mainPage({ pages }: TiffFile, name: string): TiffPage {
  if (pages.some(({ photometric }) => photometric === COLOUR_FILTER_ARRAY || photometric === LINEAR_RAW)) {
    throw new ProblemError('raw-file', { title: 'Raw files need developing first', detail: `${name} holds the raw samples of a camera, not a finished picture. Develop it, save it as a 16 bit TIFF, and bring that in.`, status: 415 })
  }
  const pictures = pages.filter(({ width, height, isMask }) => width > 0 && height > 0 && !isMask)
  const page = pictures.find(({ isReduced }) => !isReduced) ?? pictures[0]
  if (!page) throw damagedTiff(name, 'it has no page with a picture')
  return page
}

const COMPRESSIONS: Record<number, string> = {
  1: 'none', 2: 'CCITT RLE', 3: 'CCITT Group 3', 4: 'CCITT Group 4', 5: 'LZW', 7: 'JPEG', 8: 'deflate', 32946: 'deflate', 32773: 'PackBits', 50001: 'WebP',
}
/** Compressions that have a name and no decoder here. */
const UNREAD_COMPRESSIONS: Record<number, string> = {
  6: 'old-style JPEG', 34712: 'JPEG 2000', 33003: 'JPEG 2000', 33004: 'JPEG 2000', 33005: 'JPEG 2000', 34887: 'LERC', 34892: 'lossy JPEG of raw files', 34925: 'LZMA', 50000: 'ZSTD', 50002: 'JPEG XL',
  32809: 'ThunderScan', 34676: 'SGI LogLuv', 34677: 'SGI LogLuv', 34661: 'JBIG',
}
const DEFLATE: readonly number[] = [8, 32946]
const UNREAD_SPACES: Record<number, string> = { 5: 'CMYK', 8: 'CIELab', 9: 'ICCLab', 10: 'ITULab', 32844: 'LogL', 32845: 'LogLuv' }
/** Packed bytes that one byte of a file may stand for: CCITT Group 4 reaches 5 000 on a white page, deflate 1 032, LZW 2 700. */
const LARGEST_RATIO = 20000

/**
 * Check that a page can be decoded whole: its compression and layout are known, and every strip or tile lies in the
 * file with as many bytes as the page needs.
 *
 * @param depth  `layout` reads no pixels; `checksums` compares the checksum of every deflated strip as well.
 * @throws {ProblemError} naming the file, what is wrong and the remedy.
 */
export async function checkTiffPage(tiff: TiffFile, page: TiffPage, name: string, depth: 'layout' | 'checksums'): Promise<void> {
  const unsupported = (type: string, what: string, remedy: string) => new ProblemError(type, { title: 'This kind of TIFF is not read', detail: `${name} ${what}. ${remedy}`, status: 415 })
  if (!(page.compression in COMPRESSIONS)) {
    throw unsupported('compression-unknown', `is compressed by ${UNREAD_COMPRESSIONS[page.compression] ?? `method ${page.compression}`}, which Fennip cannot read`, 'Save it uncompressed, or with LZW or deflate.')
  }
  const space = UNREAD_SPACES[page.photometric]
  if (space) throw new ProblemError('space-unknown', { title: 'The colour space is not supported', detail: `${name} is in ${space}; Fennip works on grey and RGB. Convert it to RGB.`, status: 415 })
  const odd = page.bits.find((bits) => ![1, 2, 4, 8, 16, 32, 64].includes(bits))
  if (odd !== undefined) throw unsupported('depth-unknown', `has ${odd} bits a sample; Fennip reads 8 and 16`, 'Convert it to 16 bit.')
  if (page.planar && page.tiled) throw unsupported('layout-unknown', 'keeps each colour in tiles of its own', 'Save it with interleaved colours.')
  await checkSegments(tiff, page, name, depth)
}

async function checkSegments(tiff: TiffFile, page: TiffPage, name: string, depth: 'layout' | 'checksums'): Promise<void> {
  const { width, height, segment, tiled, planar, samples, compression } = page
  const planes = planar ? samples : 1
  const across = Math.ceil(width / Math.max(1, segment.width))
  const down = Math.ceil(height / Math.max(1, segment.height))
  const expected = across * down * planes
  if (segment.width < 1 || segment.height < 1 || expected > MOST_SEGMENTS) throw damagedTiff(name, 'its strips have no sensible size')
  const offsets = await numbersOf(tiff, page.tags.get(tiled ? LAYOUT.tileOffsets : LAYOUT.stripOffsets), expected)
  const counts = await numbersOf(tiff, page.tags.get(tiled ? LAYOUT.tileByteCounts : LAYOUT.stripByteCounts), expected)
  if (!offsets || !counts || offsets.length < expected || counts.length < expected) throw damagedTiff(name, `it lists ${offsets?.length ?? 0} of the ${expected} parts of its picture`)
  const rowBytes = Math.ceil((segment.width * (planar ? 1 : samples) * page.bits[0]!) / 8)
  for (let i = 0; i < expected; i++) {
    const [at, bytes] = [offsets[i]!, counts[i]!]
    if (bytes === 0 || at < 8 || at + bytes > tiff.size) throw damagedTiff(name, `part ${i + 1} of ${expected} of its picture lies outside the file`)
    const row = Math.floor((i % (across * down)) / across)
    const rows = tiled ? segment.height : Math.min(segment.height, height - row * segment.height)
    const raw = rows * rowBytes
    // YCbCr strips may be subsampled and hold less than one sample for each pixel and channel.
    if (compression === 1 && bytes < (page.photometric === 6 ? raw / 3 : raw)) throw damagedTiff(name, `part ${i + 1} of ${expected} of its picture holds ${bytes} of ${raw} bytes`)
    if (raw > LARGEST_RATIO * bytes) throw damagedTiff(name, `part ${i + 1} of ${expected} claims ${raw} bytes and holds ${bytes}`)
  }
  if (depth === 'checksums' && DEFLATE.includes(compression)) await checkDeflated(tiff, name, offsets, counts, (i) => {
    const row = Math.floor((i % (across * down)) / across)
    return (tiled ? segment.height : Math.min(segment.height, height - row * segment.height)) * rowBytes
  })
}

/**
 * Inflate every strip: the decoder stops at the last byte it needs, so only this compares the checksum behind it
 * (Adler-32, RFC 1950 section 2.2).
 */
async function checkDeflated({ file }: TiffFile, name: string, offsets: readonly number[], counts: readonly number[], rawBytes: (index: number) => number): Promise<void> {
  for (const [i, at] of offsets.entries()) {
    const packed = new Uint8Array(counts[i]!)
    await file.read(packed, 0, packed.length, at)
    let inflated: number
    try {
      inflated = inflateSync(packed, { maxOutputLength: rawBytes(i) * 2 + 65536 }).length
    } catch {
      throw damagedTiff(name, `part ${i + 1} of ${offsets.length} of its picture cannot be unpacked`)
    }
    if (inflated < rawBytes(i)) throw damagedTiff(name, `part ${i + 1} of ${offsets.length} of its picture ends too early`)
  }
}

/**
 * Metadata of a page with the Exif and GPS directories it points to, values as little-endian bytes.
 *
 * @param wanted  Tags of the page itself that are read.
 */
export async function tiffMetadata(tiff: TiffFile, page: TiffPage, wanted: readonly number[]): Promise<DirectoryTree> {
  let room = MOST_METADATA
  const valuesOf = async (tags: ReadonlyMap<number, TagPlace>, isWanted: (tag: number) => boolean): Promise<Directory> => {
    const directory: Directory = new Map()
    for (const [tag, { type, count, at, size }] of tags) {
      if (!isWanted(tag) || size > Math.min(room, LARGEST_VALUE) || at + size > tiff.size) continue
      room -= size
      const bytes = new Uint8Array(size)
      await tiff.file.read(bytes, 0, size, at)
      const unit = unitOf(type)
      if (!tiff.little && unit > 1) for (let i = 0; i < size; i += unit) bytes.subarray(i, i + unit).reverse()
      directory.set(tag, { type, count, bytes })
    }
    return directory
  }
  const child = async (tag: number) => {
    const at = (await numbersOf(tiff, page.tags.get(tag), 1))?.[0]
    const big = page.tags.get(tag)?.type === 16 || page.tags.get(tag)?.type === 18
    const directory = at === undefined ? null : await readDirectory(tiff.file, tiff.size, at, tiff.little, big)
    return directory ? valuesOf(directory.tags, () => true) : undefined
  }
  const main = await valuesOf(page.tags, (tag) => wanted.includes(tag))
  const [exif, gps] = [await child(TAG.exif), await child(TAG.gps)]
  return { main, ...(exif ? { exif } : {}), ...(gps ? { gps } : {}) }
}

function damagedTiff(name: string, why: string): ProblemError {
  return new ProblemError('file-damaged', { title: 'The file is damaged', detail: `${name} cannot be read whole: ${why}. Copy it again from where it came from.`, status: 422 })
}
