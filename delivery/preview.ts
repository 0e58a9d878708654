import sharp from 'sharp'
import { MemorySink } from '@fennip/codec/sink.js'
import { toEightBits, type PictureRows } from '@fennip/codec/rows.js'
import { encodePicture, writePicture } from '@fennip/codec/write.js'
import type { Output } from '@fennip/core/output/output.js'
import { scaledTo } from '@fennip/core/finish/size.js'
import { depthOfOutput, longestSide, pairSizes, type OutputPlan } from '@fennip/core/output/plan-output.js'
import { srgbProfile } from '@fennip/core/colour/profile.js'
import { conversionBetween } from '@fennip/core/output/convert-profile.js'
import { levelCount, levelSize } from '@fennip/core/raster/pyramid.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { rounded } from '@fennip/core/render/samples.js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import type { Finished } from './finished.js'
import { layOut } from './pair.js'
import { deliveredSize, planUpTo, renderRows, wholeRaster } from './rendering.js'
import { planOf } from './write-output.js'

/** What a file will be, before it is written. */
export interface OutputPreview extends OutputPlan {
  /** About how many bytes it will have, from bands of it that were encoded. */
  readonly bytes: number
  /** A small JPEG of it as a data address. */
  readonly picture: string
}

const LONGEST = 720
/** Bands of the picture that are encoded, and rows of each. */
const [BANDS, BAND_ROWS] = [3, 48]
const NOTHING_KEPT = { icc: null, exif: null, resolutionPerInch: null }

export async function previewOutput(finished: Finished, output: Output): Promise<OutputPreview> {
  const plan = planOf(finished, output)
  const small = await smallPicture(finished, output, Math.min(LONGEST, Math.max(plan.width, plan.height)))
  const jpeg = await encodePicture(small, null, NOTHING_KEPT, { format: 'jpeg', depth: 8, quality: 82 })
  return { ...plan, bytes: plan.refusal ? 0 : await aboutBytes(finished, output, plan, small), picture: `data:image/jpeg;base64,${Buffer.from(jpeg).toString('base64')}` }
}

/** The file in 8 bits of sRGB, for the screen. */
async function smallPicture(finished: Finished, output: Output, longest: number): Promise<IntegerRaster> {
  if (output.content !== 'pair') return smallStage(finished, 'finish', longest)
  const small = { ...output, longestPx: longest }
  const { one } = pairSizes(small, deliveredSize(finished))
  const side = Math.max(one.width, one.height)
  return layOut(finished, small, await smallStage(finished, 'original', side), await smallStage(finished, 'finish', side))
}

/** A stage small, from the nearest level above where levels are at hand. */
async function smallStage(finished: Finished, stage: 'original' | 'finish', longest: number): Promise<IntegerRaster> {
  const { base, treatment, memory, readSmaller } = finished
  const conversion = conversionBetween(base.profile, srgbProfile(false), base.channels)
  const delivered = deliveredSize(finished)
  const level = Math.min(levelCount(base.width, base.height) - 1, Math.floor(Math.log2(Math.max(delivered.width, delivered.height) / longest)))
  const wanted = scaledTo(delivered, longest)
  if (!readSmaller || level < 1) return toEightBits(await wholeRaster(renderRows({ ...finished, alpha: null }, { stage, longest, depth: 8, conversion })))
  const chain = new Chain(base, planUpTo(treatment, stage), { memory, below: stage === 'original' ? 'original' : 'mended' })
  const size = levelSize(delivered.width, delivered.height, level)
  const pixels = chain.deliver({ x: 0, y: 0, ...size }, level, (region, at) => readSmaller(region, at, stage === 'finish'))
  conversion?.(pixels)
  const { data, width, height, channels } = rounded(pixels, 8)
  const resized = await sharp(data, { raw: { width, height, channels: channels as 1 | 3 } }).resize(wanted.width, wanted.height, { fit: 'fill', kernel: 'lanczos3' }).raw().toBuffer({ resolveWithObject: true })
  return { width: resized.info.width, height: resized.info.height, channels: resized.info.channels, data: new Uint8Array(resized.data) }
}

async function aboutBytes(finished: Finished, output: Output, { width, height }: OutputPlan, small: IntegerRaster): Promise<number> {
  const format = output.format === 'ora' ? 'png' : output.format
  const options = { format, depth: depthOfOutput(output), quality: output.quality } as const
  if (output.content === 'pair') {
    const bytes = (await encodePicture(small, null, NOTHING_KEPT, options)).length
    return Math.round(bytes * Math.max(1, width / small.width) ** 2)
  }
  const rows = renderRows(finished, { longest: longestSide(output, deliveredSize(finished)), sharpening: output.sharpen, depth: options.depth, rowsTogether: BAND_ROWS })
  const band = Math.min(BAND_ROWS, Math.floor(rows.height / BANDS))
  if (band < 8) return width * height * finished.base.channels * (options.depth / 8)
  const bands: PictureRows = { ...rows, height: BANDS * band, read: (y, count) => readBands(rows, band, y, count) }
  const sink = new MemorySink()
  await writePicture(bands, NOTHING_KEPT, options, sink)
  // Layers hold the original, the flattened result, and what lies between.
  return Math.round((sink.length / (BANDS * band * width)) * width * height * (output.format === 'ora' ? 2.1 : 1))
}

async function readBands(rows: PictureRows, band: number, y: number, count: number): Promise<IntegerRaster> {
  const parts: IntegerRaster[] = []
  for (let at = y; at < y + count; ) {
    const k = Math.floor(at / band)
    const inside = Math.min(band - (at % band), y + count - at)
    const start = Math.floor(((k + 0.5) * rows.height) / BANDS - band / 2)
    parts.push(await rows.read(start + (at % band), inside))
    at += inside
  }
  const first = parts[0]!
  const data = new (first.data.constructor as Uint8ArrayConstructor)(first.width * count * first.channels)
  let at = 0
  for (const part of parts) {
    data.set(part.data, at)
    at += part.data.length
  }
  return { ...first, height: count, data }
}
