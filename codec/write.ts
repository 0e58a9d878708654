import { DEEP_OUTPUTS, sizeRefusal } from '@fennip/core/output/plan-output.js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import { ProblemError } from '@fennip/core/problem.js'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp, { type Sharp } from 'sharp'
import { embedMetadata } from './embed.js'
import type { WrittenFormat } from './formats.js'
import type { Metadata } from './read.js'
import { rowsOf, rowsOfDepth, type PictureRows } from './rows.js'
import { fillFile, MemorySink, type Sink } from './sink.js'
import { writePng } from './write-png.js'
import { writeTiff } from './tiff/write-tiff.js'

export interface WriteOptions {
  readonly format: WrittenFormat
  readonly depth: 8 | 16
  /** 1..100 for JPEG, WebP and AVIF. */
  readonly quality: number
}

/**
 * Encode a picture that is read some rows at a time. TIFF and PNG are written as they are read; JPEG, WebP and AVIF
 * need all rows at 8 bits; of a large picture JPEG and WebP read them from a file, so that memory does not grow with it.
 *
 * @param rows      1 to 4 channels at the depth of the picture.
 * @param metadata  Profile, Exif and resolution to carry over.
 * @param largePixels  What has more goes through a file.
 * @throws {ProblemError} when the format cannot hold the size.
 */
export async function writePicture(rows: PictureRows, metadata: Metadata, options: WriteOptions, sink: Sink, largePixels = LARGE_PIXELS): Promise<void> {
  const { format, quality } = options
  const refusal = sizeRefusal(format, rows.width, rows.height)
  if (refusal) throw new ProblemError('size-refused', { title: 'The format cannot hold this size', detail: refusal, status: 422 })
  const wanted = rowsOfDepth(rows, DEEP_OUTPUTS.includes(format) ? options.depth : 8)
  if (format === 'tiff') return writeTiff(wanted, metadata, sink)
  if (format === 'png') return writePng(wanted, metadata, sink)
  if (format === 'avif') {
    await sink.write(await encodeAvif(await allRows(wanted), metadata, quality))
    return
  }
  const shown = format === 'jpeg' ? withoutAlpha(wanted) : wanted
  const isLarge = shown.width * shown.height > largePixels
  const encode = async (image: Sharp) => {
    const coloured = image.toColourspace(shown.channels <= 2 ? 'b-w' : 'srgb')
    // Codes that are fitted to a picture save some percent, and hold all of its coefficients in memory.
    const encoded = format === 'jpeg' ? coloured.jpeg({ quality, chromaSubsampling: quality >= 90 ? '4:4:4' : '4:2:0', optimiseCoding: !isLarge }) : coloured.webp({ quality })
    return embedMetadata(new Uint8Array(await encoded.toBuffer()), format, metadata)
  }
  if (isLarge) return sink.write(await throughFile(shown, encode))
  const { data, width, height, channels } = await allRows(shown)
  await sink.write(await encode(sharp(data, { raw: { width, height, channels: channels as 1 | 2 | 3 | 4 }, limitInputPixels: false })))
}

/** The library reads a file row by row; of what stands in memory it makes a copy. */
async function throughFile(rows: PictureRows, encode: (image: Sharp) => Promise<Uint8Array>): Promise<Uint8Array> {
  const folder = await mkdtemp(join(tmpdir(), 'fennip-encode-'))
  try {
    const path = join(folder, 'rows.tif')
    await fillFile(path, (sink) => writeTiff(rows, { icc: null, exif: null, resolutionPerInch: null }, sink, true))
    return await encode(sharp(path, { limitInputPixels: false, unlimited: true, sequentialRead: true }))
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

/**
 * AV1 in its container (AVIF 1.1), colours at full resolution. The library takes profile, Exif and XMP from a file alone,
 * so they reach it in a PNG; what carries a profile is not converted.
 */
async function encodeAvif(whole: IntegerRaster, metadata: Metadata, quality: number): Promise<Uint8Array> {
  const carrier = new MemorySink()
  await writePng(rowsOf(whole), metadata, carrier)
  return new Uint8Array(await sharp(carrier.bytes(), { limitInputPixels: false, unlimited: true }).keepMetadata().avif({ quality, effort: AVIF_EFFORT, chromaSubsampling: '4:4:4' }).toBuffer())
}
/** 0 to 9: more takes several times as long and saves some percent. */
const AVIF_EFFORT = 3

/** So many pixels are encoded in memory. */
const LARGE_PIXELS = 30e6
/** Rows that are gathered at once. */
const GATHERED = 256

async function allRows(rows: PictureRows): Promise<IntegerRaster> {
  const { width, height, channels } = rows
  const data = new Uint8Array(width * height * channels)
  for (let y = 0; y < height; y += GATHERED) data.set((await rows.read(y, Math.min(GATHERED, height - y))).data, y * width * channels)
  return { width, height, channels, data }
}

function withoutAlpha(rows: PictureRows): PictureRows {
  if (rows.channels % 2 === 1) return rows
  const channels = rows.channels - 1
  return {
    ...rows, channels,
    async read(y, count) {
      const part = await rows.read(y, count)
      const data = new (part.data.constructor as Uint8ArrayConstructor)(part.width * part.height * channels)
      for (let i = 0; i < part.width * part.height; i++) for (let c = 0; c < channels; c++) data[i * channels + c] = part.data[i * part.channels + c]!
      return { ...part, channels, data }
    },
  }
}

/**
 * Encode a picture that is in memory.
 *
 * @param pixels  1 or 3 channels.
 * @param alpha   Transparency to join, if any.
 */
export async function encodePicture(pixels: IntegerRaster, alpha: IntegerRaster | null, metadata: Metadata, options: WriteOptions): Promise<Uint8Array> {
  const sink = new MemorySink()
  await writePicture(rowsOf(pixels, alpha), metadata, options, sink)
  return sink.bytes()
}
