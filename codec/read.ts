import { ProblemError } from '@fennip/core/problem.js'
import { measureTableProfile } from '@fennip/core/colour/colour-library.js'
import { greyProfile, readProfile, srgbProfile, type ColourProfile } from '@fennip/core/colour/profile.js'
import { makeRaster, type Depth, type IntegerRaster } from '@fennip/core/raster/raster.js'
import exifr from 'exifr'
import { cleanText } from '@fennip/core/text.js'
import { open, stat, type FileHandle } from 'node:fs/promises'
import sharp, { type SharpOptions } from 'sharp'
import { readDirectories, numberOf, shortEntry, TAG, writeExif, type Directory, type DirectoryTree } from './tiff/directory.js'
import { formatOfContent, type Format } from './formats.js'
import { jpegPrecision } from './jpeg.js'
import { checkTiffPage, mainPage, openTiff, tiffMetadata, type TiffPage } from './tiff/tiff.js'

/** What a file says about itself besides its pixels; carried over to what is written. */
export interface Metadata {
  /** ICC profile, byte for byte. */
  readonly icc: Uint8Array | null
  /** Exif as a TIFF structure, upright (orientation 1). */
  readonly exif: Uint8Array | null
  readonly resolutionPerInch: number | null
  /** XMP packet (ISO 16684-1), as it stands in the file. */
  readonly xmp?: Uint8Array | null
  /** IPTC-IIM as the file carries it: bare data sets in TIFF, wrapped in resource blocks in JPEG. */
  readonly iptc?: Uint8Array | null
}

/** How a picture was taken, as far as its file says. */
export interface Camera {
  readonly body?: string
  readonly lens?: string
  readonly aperture?: number
  readonly taken?: string
  /** Light let in, by time, aperture and sensitivity: comparable between exposures of one scene. */
  readonly light?: number
}

/** A picture as its file describes it; width and height as seen upright. */
export interface PictureHeader {
  readonly format: Format
  readonly width: number
  readonly height: number
  readonly channels: 1 | 3
  readonly depth: Depth
  readonly orientation: number
  readonly hasAlpha: boolean
  readonly pages: number
  /** Which page of the file is the picture: its place in the chain, and among the sub-directories there (-1 for none). */
  readonly page: { readonly index: number; readonly subDirectory: number }
  readonly profile: ColourProfile
  readonly metadata: Metadata
  readonly camera: Camera
  /** Things the user should know, in words. */
  readonly notes: readonly string[]
}

export interface DecodedPicture {
  readonly header: PictureHeader
  /** Upright pixels, 1 or 3 channels. */
  readonly pixels: IntegerRaster
  /** Transparency, left as it is and joined again where the format can hold it. */
  readonly alpha: IntegerRaster | null
}

export interface ReadLimits {
  readonly bytes: number
  readonly pixels: number
}

export const DEFAULT_LIMITS: ReadLimits = { bytes: 2 ** 31, pixels: 300e6 }

/**
 * Read what a file says about its picture, without its pixels.
 *
 * @throws {ProblemError} naming the file and the remedy when it cannot be used.
 */
export async function readHeader(path: string, name: string, limits: ReadLimits = DEFAULT_LIMITS): Promise<PictureHeader> {
  const { size } = await stat(path).catch(() => {
    throw new ProblemError('file-missing', { title: 'The file is not there', detail: `${name} cannot be opened. Check the path.`, status: 404 })
  })
  if (size === 0) throw new ProblemError('file-empty', { title: 'The file is empty', detail: `${name} has no content. Copy it again from where it came from.`, status: 422 })
  if (size > limits.bytes) throw new ProblemError('file-too-large', { title: 'The file is too large', detail: `${name} has ${Math.round(size / 1e6)} MB; the limit is ${Math.round(limits.bytes / 1e6)} MB.`, status: 413 })
  const file = await open(path)
  try {
    return await headerOf(file, path, name, size, limits)
  } finally {
    await file.close()
  }
}

/** A header of which nothing bounds the size would cost memory before anything is known of the file. */
const MAY_CLAIM: Record<Format, number> = {
  // Packed bytes that one byte may stand for. Deflate: 1 032 (zlib's own documentation); JPEG: one bit a block of 64 samples
  // (ISO/IEC 10918-1 F.1.2); WebP and TIFF reach more on blank pages, and each part of a TIFF is looked at by itself.
  png: 1100, jpeg: 1100, webp: 20000, tiff: 20000,
}

async function headerOf(file: FileHandle, path: string, name: string, size: number, limits: ReadLimits): Promise<PictureHeader> {
  const format = formatOfContent(await readHead(file, 16))
  if (!format) throw new ProblemError('not-a-picture', { title: 'This is not a picture Fennip can read', detail: `${name} is not a JPEG, PNG, TIFF or WebP file, whatever its name says. Save it in one of these formats.`, status: 415 })
  const notes: string[] = []
  const tiff = format === 'tiff' ? await openTiff(file, size) : null
  const page = tiff ? mainPage(tiff, name) : null
  if (tiff && page) {
    await checkTiffPage(tiff, page, name, 'layout')
    if (page.index > 0 || page.subDirectory >= 0) notes.push(`The file begins with a smaller preview; the full picture is used.`)
  }
  if (format === 'jpeg') {
    const precision = await jpegPrecision(file)
    if (precision !== null && precision !== 8) throw new ProblemError('depth-unknown', { title: 'The sample format is not supported', detail: `${name} has ${precision} bits a sample; Fennip reads JPEG files of 8. Save it as a 16 bit TIFF.`, status: 415 })
  }
  const meta = await sharp(path, openOptions(format, page)).metadata().catch((error: unknown) => {
    throw damaged(name, error)
  })
  const stored = { width: meta.width, height: meta.height }
  if (stored.width * stored.height > limits.pixels || stored.width > 100000 || stored.height > 100000) {
    throw new ProblemError('picture-too-large', { title: 'The picture is too large', detail: `${name} claims ${stored.width} x ${stored.height} pixels; the limit is ${Math.round(limits.pixels / 1e6)} megapixels.`, status: 413 })
  }
  const depth: Depth = meta.depth === 'uchar' ? 8 : 16
  if (!['uchar', 'ushort'].includes(meta.depth ?? '')) throw new ProblemError('depth-unknown', { title: 'The sample format is not supported', detail: `${name} has samples of type ${meta.depth}; Fennip works on 8 and 16 bit integers. Convert it to 16 bit.`, status: 415 })
  const grey = meta.space === 'b-w' || meta.space === 'grey16'
  if (!grey && !['srgb', 'rgb', 'rgb16'].includes(meta.space ?? '')) throw new ProblemError('space-unknown', { title: 'The colour space is not supported', detail: `${name} is in ${meta.space}; Fennip works on grey and RGB. Convert it to RGB.`, status: 415 })
  const channels = grey ? 1 : 3
  if (stored.width * stored.height * meta.channels * (depth / 8) > MAY_CLAIM[format] * size) throw damaged(name, new Error(`it claims ${stored.width} x ${stored.height} pixels and has ${size} bytes`))
  const pages = tiff ? tiff.pages.filter(({ isReduced, isMask, subDirectory }) => !isReduced && !isMask && subDirectory < 0).length : (meta.pages ?? 1)
  if (pages > 1) notes.push(`The file has ${pages} pages; the first is used.`)
  if (meta.hasAlpha) notes.push('The picture has transparency, which is kept as it is.')
  const icc = meta.icc ? new Uint8Array(meta.icc) : null
  let profile: ColourProfile
  try {
    profile = icc ? await profileOf(icc, channels) : channels === 1 ? greyProfile(true) : srgbProfile(true)
  } catch (error) {
    profile = channels === 1 ? greyProfile(true) : srgbProfile(true)
    notes.push(`${error instanceof ProblemError ? error.detail : 'The profile cannot be read.'} sRGB is assumed on screen; the profile itself is kept.`)
  }
  if (!icc) notes.push('The file has no colour profile; sRGB is assumed.')
  const { exif, orientation } = keptExif(tiff && page ? await tiffMetadata(tiff, page, [...KEPT_TAGS, TAG.orientation]) : exifBlock(meta.exif ? new Uint8Array(meta.exif) : null))
  const turned = orientation >= 5
  const resolution = meta.density && meta.density > 1 ? meta.density : null
  return {
    format,
    width: turned ? stored.height : stored.width,
    height: turned ? stored.width : stored.height,
    channels,
    depth,
    orientation,
    hasAlpha: meta.hasAlpha ?? false,
    pages,
    page: { index: page?.index ?? 0, subDirectory: page?.subDirectory ?? -1 },
    profile: { ...profile, name: cleanText(profile.name, 120) },
    metadata: { icc, exif, resolutionPerInch: resolution, xmp: packetOf(meta.xmp), iptc: packetOf(meta.iptc) },
    camera: await readCamera(exif),
    notes,
  }
}

/** Curve and matrix as the profile gives them; where it has tables or a curve for each channel, what comes closest. */
async function profileOf(icc: Uint8Array, channels: 1 | 3): Promise<ColourProfile> {
  try {
    return readProfile(icc, channels)
  } catch (error) {
    if (channels === 1) throw error
    return measureTableProfile(icc).catch(() => {
      throw error
    })
  }
}

/** Larger packets are no description of a picture. */
const MOST_PACKET_BYTES = 4 * 2 ** 20
const packetOf = (bytes: Buffer | undefined): Uint8Array | null => (bytes && bytes.length <= MOST_PACKET_BYTES ? new Uint8Array(bytes) : null)

type PagePlace = Pick<TiffPage, 'index' | 'subDirectory'>

/** Sizes are bounded by the limits, so the library's own bounds, which refuse large tags, are lifted. */
function openOptions(format: Format, page: PagePlace | null): SharpOptions {
  return {
    limitInputPixels: false, unlimited: format === 'tiff', page: page?.index ?? 0,
    ...(page && page.subDirectory >= 0 ? { tiff: { subifd: page.subDirectory } } : {}),
  }
}

/**
 * Compare the checksums of a file's parts, which decoding does not: a TIFF decoder stops at the last byte it needs.
 *
 * @throws {ProblemError} when one does not fit.
 */
export async function checkWhole(path: string, name: string): Promise<void> {
  const file = await open(path)
  try {
    const tiff = await openTiff(file, (await file.stat()).size)
    if (tiff) await checkTiffPage(tiff, mainPage(tiff, name), name, 'checksums')
  } finally {
    await file.close()
  }
}

/**
 * Read a picture, upright and at full depth, in its own encoding.
 *
 * A JPEG file whose data are damaged in places is decoded all the same, and a note says so; anything else that cannot
 * be decoded whole is refused.
 *
 * @throws {ProblemError} naming the file and the remedy.
 */
export async function readPicture(path: string, name: string, limits: ReadLimits = DEFAULT_LIMITS): Promise<DecodedPicture> {
  const header = await readHeader(path, name, limits)
  const wide = header.depth === 16
  const space = header.channels === 1 ? (wide ? 'grey16' : 'b-w') : wide ? 'rgb16' : 'srgb'
  // Without ignoreIcc the library would convert the pixels to another profile.
  const decode = (failOn: 'warning' | 'error' | 'truncated') => sharp(path, { ...openOptions(header.format, header.format === 'tiff' ? header.page : null), failOn, ignoreIcc: true })
    .pipelineColourspace(space)
    .toColourspace(space)
    .raw({ depth: wide ? 'ushort' : 'uchar' })
    .toBuffer({ resolveWithObject: true })
  let isDamaged = false
  const { data, info } = await decode(header.format === 'jpeg' ? 'warning' : 'error').catch(async (error: unknown) => {
    if (header.format !== 'jpeg') throw damaged(name, error)
    isDamaged = true
    return decode('truncated').catch(() => {
      throw damaged(name, error)
    })
  })
  const samples = wide ? new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2) : new Uint8Array(data.buffer, data.byteOffset, data.byteLength)
  const stored = { width: info.width, height: info.height, count: info.channels }
  const pixels = upright(samples, stored, 0, header.channels, header)
  const alpha = header.hasAlpha && stored.count > header.channels ? upright(samples, stored, header.channels, 1, header) : null
  return { header: isDamaged ? { ...header, notes: [DAMAGED_NOTE, ...header.notes] } : header, pixels, alpha }
}

export const DAMAGED_NOTE = 'The file is damaged: part of what is shown may not be what was there. Copy it again from where it came from if you can.'

/** Pick channels and turn the picture as Exif's orientation says (Exif 2.32, tag 274). */
function upright(samples: Uint8Array | Uint16Array, stored: { width: number; height: number; count: number }, first: number, channels: number, header: PictureHeader): IntegerRaster {
  const { width, height, orientation, depth } = header
  if (orientation === 1 && stored.count === channels) return { width, height, channels, data: samples }
  const result = makeRaster(width, height, channels, depth)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let sx = x
      let sy = y
      switch (orientation) {
        case 2: sx = width - 1 - x; break
        case 3: sx = width - 1 - x; sy = height - 1 - y; break
        case 4: sy = height - 1 - y; break
        case 5: sx = y; sy = x; break
        case 6: sx = y; sy = width - 1 - x; break
        case 7: sx = height - 1 - y; sy = width - 1 - x; break
        case 8: sx = height - 1 - y; sy = x; break
      }
      const from = (sy * stored.width + sx) * stored.count + first
      const to = (y * width + x) * channels
      for (let c = 0; c < channels; c++) result.data[to + c] = samples[from + c]!
    }
  }
  return result
}

async function readHead(file: FileHandle, length: number): Promise<Uint8Array> {
  const { buffer, bytesRead } = await file.read(new Uint8Array(length), 0, length, 0)
  return buffer.subarray(0, bytesRead)
}

/** Tags of a TIFF's own directory that are worth keeping besides its pixels. */
const KEPT_TAGS: readonly number[] = [TAG.description, TAG.make, TAG.model, TAG.xResolution, TAG.yResolution, TAG.resolutionUnit, TAG.software, TAG.dateTime, TAG.artist, TAG.copyright]

/** The directories of an Exif block as a picture file carries it, with or without its name. */
function exifBlock(block: Uint8Array | null): DirectoryTree | null {
  if (!block) return null
  return readDirectories(block.length > 6 && String.fromCharCode(...block.subarray(0, 4)) === 'Exif' ? block.subarray(6) : block)
}

/** What is carried over of a file's metadata, and how its picture is turned. */
function keptExif(tree: DirectoryTree | null): { exif: Uint8Array | null; orientation: number } {
  if (!tree) return { exif: null, orientation: 1 }
  const orientation = numberOf(tree.main.get(TAG.orientation)) ?? 1
  const main: Directory = new Map([...tree.main].filter(([tag]) => KEPT_TAGS.includes(tag)))
  main.set(TAG.orientation, shortEntry(1))
  const exif = tree.exif ? new Map([...tree.exif].filter(([tag]) => tag !== TAG.makerNote && tag !== TAG.interoperability)) : undefined
  const kept = writeExif({ main, ...(exif ? { exif } : {}), ...(tree.gps ? { gps: tree.gps } : {}) })
  return { exif: kept, orientation: orientation >= 1 && orientation <= 8 ? orientation : 1 }
}

async function readCamera(exif: Uint8Array | null): Promise<Camera> {
  if (!exif) return {}
  const tags = (await exifr.parse(Buffer.from(exif), { tiff: true, exif: true, gps: false, reviveValues: false }).catch(() => null)) as Record<string, unknown> | null
  if (!tags) return {}
  const text = (value: unknown) => (typeof value === 'string' ? cleanText(value, 200) || undefined : undefined)
  const body = [text(tags.Make), text(tags.Model)].filter(Boolean).join(' ')
  const lens = text(tags.LensModel)
  const taken = text(tags.DateTimeOriginal)
  const number = (value: unknown) => (typeof value === 'number' && value > 0 ? value : null)
  const [time, aperture, sensitivity] = [number(tags.ExposureTime), number(tags.FNumber), number(tags.ISO)]
  // Exif 2.32: an exposure is its time by its sensitivity over the square of the f-number.
  const light = time === null ? null : (time * (sensitivity ?? 100)) / (aperture ?? 1) ** 2
  return {
    ...(body ? { body } : {}),
    ...(lens ? { lens } : {}),
    ...(typeof tags.FNumber === 'number' ? { aperture: tags.FNumber } : {}),
    ...(taken ? { taken } : {}),
    ...(light ? { light } : {}),
  }
}

function damaged(name: string, error: unknown): ProblemError {
  const why = error instanceof Error ? error.message.split('\n')[0] : 'it cannot be decoded'
  return new ProblemError('file-damaged', { title: 'The file is damaged', detail: `${name} cannot be read to its end (${why}). Copy it again from where it came from.`, status: 422 })
}

