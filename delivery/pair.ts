import { pairSizes } from '@fennip/core/output/plan-output.js'
import type { Output } from '@fennip/core/output/output.js'
import type { Conversion } from '@fennip/core/output/convert-profile.js'
import { makeRaster, paste, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { lineOfText } from './caption.js'
import type { Finished } from './finished.js'
import { deliveredSize, renderRows, wholeRaster, type RenderedResult } from './rendering.js'

/** Grey of the caption and of the line between the halves, 8 bit. */
const [INK, RULE] = [40, 255]

/** Before and after on one white sheet of 8 bits, with a caption. */
export async function renderPair(finished: Finished, output: Output, conversion: Conversion | null, rendered: RenderedResult | null, onShare: (share: number) => void): Promise<IntegerRaster> {
  const { one } = pairSizes(output, deliveredSize(finished))
  const opaque = { ...finished, alpha: null }
  const options = { longest: Math.max(one.width, one.height), depth: 8, sharpening: output.sharpen, conversion } as const
  const before = await wholeRaster(renderRows(opaque, { ...options, stage: 'original' }, null, (share) => onShare(share / 2)))
  return layOut(finished, output, before, await wholeRaster(renderRows(opaque, options, rendered, (share) => onShare(0.5 + share / 2))))
}

/** The sheet, from both pictures at their size on it. */
export async function layOut(finished: Finished, output: Output, before: IntegerRaster, after: IntegerRaster): Promise<IntegerRaster> {
  const { one, gap, caption, sheet } = pairSizes(output, deliveredSize(finished))
  const page = makeRaster(sheet.width, sheet.height, before.channels, 8)
  page.data.fill(255)
  const place = (picture: IntegerRaster, x: number) => paste(page, picture, x, gap)
  if (output.layout === 'row') {
    place(before, gap)
    place(after, 2 * gap + one.width)
  } else {
    place(after, gap)
    const half = Math.floor(one.width / 2)
    for (let y = 0; y < before.height; y++) {
      const from = y * before.width * before.channels
      page.data.set(before.data.subarray(from, from + half * before.channels), ((y + gap) * page.width + gap) * page.channels)
      const rule = ((y + gap) * page.width + gap + half) * page.channels
      page.data.fill(RULE, rule, rule + Math.max(1, Math.round(gap / 12)) * page.channels)
    }
  }
  if (output.caption !== '' && caption >= 8) await drawCaption(page, output.caption, caption, gap)
  return page
}

async function drawCaption(page: IntegerRaster, text: string, height: number, gap: number): Promise<void> {
  const line = await lineOfText(text, height * 0.62, page.width - 2 * gap)
  const top = page.height - gap - height + Math.round((height + gap - line.height) / 2)
  for (let y = 0; y < line.height; y++) {
    for (let x = 0; x < line.width; x++) {
      const cover = line.data[y * line.width + x]!
      if (cover === 0 || y + top >= page.height) continue
      const at = ((y + top) * page.width + x + gap) * page.channels
      for (let c = 0; c < page.channels; c++) page.data[at + c] = Math.round(255 + cover * (INK - 255))
    }
  }
}
