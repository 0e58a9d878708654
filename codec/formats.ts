import type { OutputFormat } from '@fennip/core/output/output.js'
import { ProblemError } from '@fennip/core/problem.js'

export const FORMATS = ['jpeg', 'png', 'tiff', 'webp'] as const
export type Format = (typeof FORMATS)[number]

/** Formats of one picture that are written. */
export type WrittenFormat = Format | 'avif'

export const MEDIA_TYPES: Record<OutputFormat, string> = { jpeg: 'image/jpeg', png: 'image/png', tiff: 'image/tiff', webp: 'image/webp', avif: 'image/avif', ora: 'image/openraster' }
export const EXTENSIONS: Record<OutputFormat, string> = { jpeg: 'jpg', png: 'png', tiff: 'tif', webp: 'webp', avif: 'avif', ora: 'ora' }

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
export function outputFormatOfName(name: string): OutputFormat {
  const extension = name.toLowerCase().split('.').at(-1) ?? ''
  const format = ({ jpg: 'jpeg', jpeg: 'jpeg', png: 'png', tif: 'tiff', tiff: 'tiff', webp: 'webp', avif: 'avif', ora: 'ora' } as const)[extension]
  if (!format) {
    throw new ProblemError('format-unknown', { title: 'The file format is not known', detail: `${name} does not end in .jpg, .png, .tif, .webp, .avif or .ora. Give it one of these endings.`, status: 415 })
  }
  return format
}

/** Format of a file of one picture to be written, told from its name. */
export function formatOfName(name: string): WrittenFormat {
  const format = outputFormatOfName(name)
  if (format === 'ora') throw new ProblemError('format-unknown', { title: 'Only a treatment has layers', detail: `${name} would hold layers, which fennip apply writes. Give it the ending .jpg, .png, .tif, .webp or .avif.`, status: 415 })
  return format
}
