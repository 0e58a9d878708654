import { scaledTo } from '../finish/size.js'
import type { Size } from '../operations/operation.js'
import type { Output, OutputFormat } from './output.js'

const CM_PER_INCH = 2.54

/** What is known of the result before a file of it is written. */
export interface Delivered extends Size {
  readonly depth: 8 | 16
  readonly hasAlpha: boolean
  readonly channels: number
  /** Pixels on an inch as the picture or its finish says; null when nothing does. */
  readonly perInch: number | null
}

/** What a file will be. */
export interface OutputPlan extends Size {
  readonly perInch: number | null
  /** Centimetres on paper; null when no resolution is known. */
  readonly paper: { readonly widthCm: number; readonly heightCm: number } | null
  /** What the format cannot hold and what else is lost, in sentences. */
  readonly losses: readonly string[]
  /** Why it cannot be written at all; null when it can. */
  readonly refusal: string | null
}

/** Names of the formats in sentences. */
export const FORMAT_WORDS: Readonly<Record<OutputFormat, string>> = { tiff: 'TIFF', png: 'PNG', jpeg: 'JPEG', webp: 'WebP', avif: 'AVIF', ora: 'OpenRaster' }
/** Formats that can hold 16 bits a sample. */
export const DEEP_OUTPUTS: readonly OutputFormat[] = ['tiff', 'png', 'ora']
/** Formats whose samples come back as they were written. */
const LOSSLESS: readonly OutputFormat[] = ['tiff', 'png', 'ora']

/**
 * Longest side in pixels that a format can hold.
 *
 * JPEG: ISO/IEC 10918-1 B.2.2 has 16 bits, of which the encoder takes 65 500; WebP container specification: 14 bits; PNG
 * 3rd edition 11.2.1: 31 bits; TIFF 6.0: 32 bits; AVIF: 16 384 in the encoder's library; OpenRaster is made of PNG.
 */
const LONGEST_SIDE: Readonly<Record<OutputFormat, number>> = { jpeg: 65500, png: 2 ** 31 - 1, tiff: 2 ** 31 - 1, webp: 16383, avif: 16384, ora: 2 ** 31 - 1 }

/** Why a picture of this size cannot be written in a format; null when it can. */
export function sizeRefusal(format: OutputFormat, width: number, height: number): string | null {
  const longest = LONGEST_SIDE[format]
  if (Math.max(width, height) <= longest) return null
  return `${FORMAT_WORDS[format]} holds at most ${longest} pixels a side; the picture is ${width} x ${height}. Choose TIFF or PNG.`
}

/** What a format cannot hold of a picture, in sentences. */
export function formatLosses(picture: Pick<Delivered, 'depth' | 'hasAlpha'>, { format, depth }: Pick<Output, 'format' | 'depth'>): string[] {
  const losses: string[] = []
  if (picture.depth === 16 && !DEEP_OUTPUTS.includes(format)) losses.push(`${FORMAT_WORDS[format]} holds 8 bits a sample; the picture has 16. Choose TIFF or PNG to keep them.`)
  else if (picture.depth === 16 && depth === 8) losses.push('The picture has 16 bits a sample and is written with 8.')
  if (picture.hasAlpha && format === 'jpeg') losses.push('JPEG has no transparency; it is left out.')
  return losses
}

/** Size, paper and losses of a file that is not written yet. */
export function planOutput(output: Output, delivered: Delivered): OutputPlan {
  const { format, content } = output
  const perInch = output.perInch > 0 ? output.perInch : delivered.perInch
  const { width, height } = sizeOfOutput(output, delivered)
  const paper = perInch ? { widthCm: (width / perInch) * CM_PER_INCH, heightCm: (height / perInch) * CM_PER_INCH } : null
  const losses = formatLosses(delivered, { format, depth: depthOfOutput(output) })
  if (delivered.hasAlpha && content === 'pair' && format !== 'jpeg') losses.push('A pair has no transparency; it is left out.')
  if (!LOSSLESS.includes(format)) losses.push(`${FORMAT_WORDS[format]} keeps samples only nearly: work goes on from a TIFF.`)
  if (!output.personal) losses.push('The place, names of persons and serial numbers in the file are left out.')
  if (width * height > delivered.width * delivered.height * 1.02 && content === 'picture') losses.push('It is larger than the picture is: nothing is seen that was not there before.')
  const refusal = content === 'layers' && format !== 'ora' ? 'Layers are written as OpenRaster.' : content !== 'layers' && format === 'ora' ? 'OpenRaster is written with layers.' : sizeRefusal(format, width, height)
  return { width, height, perInch, paper, losses, refusal }
}

/** Bits a sample that are written. */
export const depthOfOutput = ({ format, content, depth }: Pick<Output, 'format' | 'content' | 'depth'>): 8 | 16 => (DEEP_OUTPUTS.includes(format) && content !== 'pair' ? depth : 8)

/** Gap between the pictures of a row and around a pair, and the height of its caption, as shares of the longest side of one picture. */
export const PAIR_GAP = 0.02
export const PAIR_CAPTION = 0.05

/** Size of one of the pictures of a pair, and of its sheet. */
export function pairSizes(output: Output, delivered: Size): { readonly one: Size; readonly gap: number; readonly caption: number; readonly sheet: Size } {
  const longest = Math.max(delivered.width, delivered.height)
  const [gapShare, captionShare] = [PAIR_GAP * longest, output.caption === '' ? 0 : PAIR_CAPTION * longest]
  const across = output.layout === 'row' ? 2 : 1
  const wide = { width: across * delivered.width + (across + 1) * gapShare, height: delivered.height + 2 * gapShare + captionShare }
  const wanted = output.longestPx > 0 ? output.longestPx : Math.max(wide.width, wide.height)
  const scale = wanted / Math.max(wide.width, wide.height)
  const one = { width: Math.max(1, Math.floor(delivered.width * scale)), height: Math.max(1, Math.floor(delivered.height * scale)) }
  const [gap, caption] = [Math.round(gapShare * scale), Math.round(captionShare * scale)]
  return { one, gap, caption, sheet: { width: across * one.width + (across + 1) * gap, height: one.height + 2 * gap + caption } }
}

/** Pixels of the file. */
function sizeOfOutput(output: Output, delivered: Size): Size {
  if (output.content === 'pair') return pairSizes(output, delivered).sheet
  return output.content === 'layers' ? delivered : scaledTo(delivered, longestSide(output, delivered))
}

/** Longest side of a file in pixels. */
export function longestSide(output: Output, delivered: Size): number {
  return Math.max(1, Math.round(scaleOfOutput(output, delivered) * Math.max(delivered.width, delivered.height)))
}

/** How many times larger than the delivered picture a file of it is. */
function scaleOfOutput({ longestPx, widthCm, perInch }: Pick<Output, 'longestPx' | 'widthCm' | 'perInch'>, { width, height }: Size): number {
  if (longestPx > 0) return Math.min(1, longestPx / Math.max(width, height))
  if (widthCm > 0 && perInch > 0) return ((widthCm / CM_PER_INCH) * perInch) / width
  return 1
}
