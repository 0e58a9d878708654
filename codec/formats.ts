import { ProblemError } from '@fennip/core/problem.js'

export const FORMATS = ['jpeg', 'png', 'tiff', 'webp'] as const
export type Format = (typeof FORMATS)[number]

export const MEDIA_TYPES: Record<Format, string> = { jpeg: 'image/jpeg', png: 'image/png', tiff: 'image/tiff', webp: 'image/webp' }
export const EXTENSIONS: Record<Format, string> = { jpeg: 'jpg', png: 'png', tiff: 'tif', webp: 'webp' }

/** Formats that can hold 16 bits a sample. */
export const DEEP_FORMATS: readonly Format[] = ['png', 'tiff']

/**
 * Longest side in pixels that a format can hold.
 *
 * JPEG: ISO/IEC 10918-1 B.2.2 has 16 bits, of which the encoder takes 65 500; WebP container specification: 14 bits; PNG
 * 3rd edition 11.2.1: 31 bits; TIFF 6.0: 32 bits.
 */
export const LONGEST_SIDE: Record<Format, number> = { jpeg: 65500, png: 2 ** 31 - 1, tiff: 2 ** 31 - 1, webp: 16383 }

/** Why a picture of this size cannot be written in a format; null when it can. */
export function sizeRefusal(format: Format, width: number, height: number): string | null {
  const longest = LONGEST_SIDE[format]
  if (Math.max(width, height) <= longest) return null
  return `${format === 'webp' ? 'WebP' : format.toUpperCase()} holds at most ${longest} pixels a side; the picture is ${width} x ${height}. Choose TIFF or PNG.`
}

/**
 * Tell a format from the first bytes, never from the name.
 *
 * JPEG: ISO/IEC 10918-1 B.1.1.3; PNG 3rd edition 5.2; TIFF 6.0 section 2; WebP container specification (RIFF).
 */
export function formatOfContent(head: Uint8Array): Format | null {
  const at = (i: number) => head[i] ?? -1
  if (at(0) === 0xff && at(1) === 0xd8 && at(2) === 0xff) return 'jpeg'
  if (at(0) === 0x89 && at(1) === 0x50 && at(2) === 0x4e && at(3) === 0x47) return 'png'
  // Version 42, or 43 with offsets of 64 bits.
  const version = (value: number) => value === 42 || value === 43
  if ((at(0) === 0x49 && at(1) === 0x49 && version(at(2)) && at(3) === 0) || (at(0) === 0x4d && at(1) === 0x4d && at(2) === 0 && version(at(3)))) return 'tiff'
  if (at(0) === 0x52 && at(1) === 0x49 && at(2) === 0x46 && at(3) === 0x46 && at(8) === 0x57 && at(9) === 0x45 && at(10) === 0x42 && at(11) === 0x50) return 'webp'
  return null
}

/** Format of a file to be written, told from its name. */
export function formatOfName(name: string): Format {
  const extension = name.toLowerCase().split('.').at(-1) ?? ''
  const format = { jpg: 'jpeg', jpeg: 'jpeg', png: 'png', tif: 'tiff', tiff: 'tiff', webp: 'webp' }[extension] as Format | undefined
  if (!format) {
    throw new ProblemError('format-unknown', { title: 'The file format is not known', detail: `${name} does not end in .jpg, .png, .tif or .webp. Give it one of these endings.`, status: 415 })
  }
  return format
}
