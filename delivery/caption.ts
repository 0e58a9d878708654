import { createRequire } from 'node:module'
import sharp from 'sharp'
import type { Plane } from '@fennip/core/raster/raster.js'

const require = createRequire(import.meta.url)
/** The typeface of the product, as its package ships it. */
export const fontFile = (weight: 400 | 500 | 600 | 700): string => require.resolve(`@fontsource/hanken-grotesk/files/hanken-grotesk-latin-${weight}-normal.woff`)

/**
 * A line of text as coverage, 0..1.
 *
 * @param height  Of the line, in pixels.
 * @returns As wide as the text is, at most `most`.
 */
export async function lineOfText(text: string, height: number, most: number): Promise<Plane> {
  const escaped = text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
  const drawn = await sharp({ text: { text: escaped, font: 'Hanken Grotesk', fontfile: fontFile(400), rgba: false, dpi: Math.round(72 * (height / 16)) } }).raw().toBuffer({ resolveWithObject: true })
  const { width, height: rows, channels } = drawn.info
  const shown = Math.min(width, most)
  const data = new Float32Array(shown * rows)
  for (let y = 0; y < rows; y++) for (let x = 0; x < shown; x++) data[y * shown + x] = drawn.data[(y * width + x) * channels]! / 255
  return { width: shown, height: rows, data }
}
