import { depthOf, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { ProblemError } from '@fennip/core/problem.js'
import { open, rename, rm } from 'node:fs/promises'
import sharp from 'sharp'
import { embedMetadata } from './embed.js'
import { DEEP_FORMATS, type Format } from './formats.js'
import type { Metadata } from './read.js'

export interface WriteOptions {
  readonly format: Format
  readonly depth: 8 | 16
  /** 1..100 for JPEG and WebP. */
  readonly quality: number
}

/** What cannot be kept when a picture is written so; empty when everything can. */
export function lossesOf(pixels: IntegerRaster, hasAlpha: boolean, options: WriteOptions): string[] {
  const losses: string[] = []
  if (depthOf(pixels) === 16 && !DEEP_FORMATS.includes(options.format)) losses.push(`${options.format.toUpperCase()} holds 8 bits a sample; the picture has 16. Choose TIFF or PNG to keep them.`)
  else if (depthOf(pixels) === 16 && options.depth === 8) losses.push('The picture has 16 bits a sample and is written with 8.')
  if (hasAlpha && options.format === 'jpeg') losses.push('JPEG has no transparency; it is left out.')
  return losses
}

/**
 * Encode a picture.
 *
 * @param pixels    1 or 3 channels.
 * @param alpha     Transparency to join, if any.
 * @param metadata  Profile, Exif and resolution to carry over.
 */
export async function encodePicture(pixels: IntegerRaster, alpha: IntegerRaster | null, metadata: Metadata, options: WriteOptions): Promise<Uint8Array> {
  const deep = options.depth === 16 && DEEP_FORMATS.includes(options.format)
  const samples = join(deep ? pixels : toEightBits(pixels), alpha && options.format !== 'jpeg' ? (deep ? alpha : toEightBits(alpha)) : null)
  const grey = pixels.channels === 1
  const raw = { width: samples.width, height: samples.height, channels: samples.channels as 1 | 2 | 3 | 4 }
  let image = sharp(samples.data, { raw, limitInputPixels: false }).toColourspace(grey ? (deep ? 'grey16' : 'b-w') : deep ? 'rgb16' : 'srgb')
  const perMillimetre = (metadata.resolutionPerInch ?? 72) / 25.4
  switch (options.format) {
    case 'jpeg': image = image.jpeg({ quality: options.quality, chromaSubsampling: options.quality >= 90 ? '4:4:4' : '4:2:0' }); break
    case 'png': image = image.png({ compressionLevel: 6, adaptiveFiltering: true }); break
    case 'webp': image = image.webp({ quality: options.quality }); break
    case 'tiff': image = image.tiff({ compression: 'deflate', predictor: 'horizontal', xres: perMillimetre, yres: perMillimetre }); break
  }
  const bytes = new Uint8Array(await image.toBuffer())
  return embedMetadata(bytes, options.format, metadata)
}

/** 16 bit samples to 8 bits, rounded: 257 sixteen bit steps are one. */
export function toEightBits(raster: IntegerRaster): IntegerRaster {
  if (raster.data instanceof Uint8Array) return raster
  const data = new Uint8Array(raster.data.length)
  for (let i = 0; i < data.length; i++) data[i] = Math.floor(raster.data[i]! / 257 + 0.5)
  return { ...raster, data }
}

function join(pixels: IntegerRaster, alpha: IntegerRaster | null): IntegerRaster {
  if (!alpha) return pixels
  const channels = pixels.channels + 1
  const data = new (pixels.data.constructor as Uint8ArrayConstructor)(pixels.width * pixels.height * channels)
  for (let i = 0; i < pixels.width * pixels.height; i++) {
    for (let c = 0; c < pixels.channels; c++) data[i * channels + c] = pixels.data[i * pixels.channels + c]!
    data[i * channels + pixels.channels] = alpha.data[i]!
  }
  return { ...pixels, channels, data }
}

/**
 * Put bytes into a file so that there is either all of it or none: written beside, flushed, then renamed.
 *
 * @throws {ProblemError} when the disk is full.
 */
export async function writeFileWhole(path: string, bytes: Uint8Array): Promise<void> {
  const beside = `${path}.${process.pid}.${Math.random().toString(36).slice(2, 10)}.part`
  try {
    const file = await open(beside, 'wx')
    try {
      await file.writeFile(bytes)
      await file.sync()
    } finally {
      await file.close()
    }
    await rename(beside, path)
  } catch (error) {
    await rm(beside, { force: true })
    throw diskProblem(error, path)
  }
}

/** A failed write as a problem the user can act on. */
export function diskProblem(error: unknown, path: string): unknown {
  const code = (error as NodeJS.ErrnoException | null)?.code
  if (code === 'ENOSPC' || code === 'EDQUOT') return new ProblemError('disk-full', { title: 'The disk is full', detail: `There is no room to write ${path}. Nothing was stored; free some space and try again.`, status: 507 })
  return error
}
