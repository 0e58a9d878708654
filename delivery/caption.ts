import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import * as fontkit from 'fontkit'
import sharp from 'sharp'
import type { Plane } from '@fennip/core/raster/raster.js'

const require = createRequire(import.meta.url)
/** The typeface of the product, as its package ships it. */
export const fontFile = (weight: 400 | 500 | 600 | 700): string => require.resolve(`@fontsource/hanken-grotesk/files/hanken-grotesk-latin-${weight}-normal.woff`)

let typeface: fontkit.Font | null = null

/**
 * A line of text as coverage, 0..1, drawn from the outlines of the typeface: what fonts a machine has does not matter.
 *
 * @param height  Of the line, in pixels.
 * @returns As wide as the text is, at most `most`.
 */
export async function lineOfText(text: string, height: number, most: number): Promise<Plane> {
  typeface ??= fontkit.create(readFileSync(fontFile(400))) as fontkit.Font
  const { ascent, descent } = typeface
  const scale = height / (ascent - descent)
  let across = 0
  const glyphs = typeface.layout(text)
  const paths = glyphs.glyphs.map((glyph, i) => {
    const { xAdvance, xOffset } = glyphs.positions[i]!
    // Outlines grow upwards, pictures downwards.
    const path = `<path transform="translate(${((across + xOffset) * scale).toFixed(3)} ${(ascent * scale).toFixed(3)}) scale(${scale.toFixed(6)} ${(-scale).toFixed(6)})" d="${glyph.path.toSVG()}"/>`
    across += xAdvance
    return path
  })
  const width = Math.max(1, Math.min(most, Math.ceil(across * scale)))
  const rows = Math.ceil(height)
  const { data } = await sharp(Buffer.from(`<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${rows}" fill="#fff">${paths.join('')}</svg>`)).raw().toBuffer({ resolveWithObject: true })
  const channels = data.length / (width * rows)
  return { width, height: rows, data: Float32Array.from({ length: width * rows }, (_, i) => data[i * channels + channels - 1]! / 255) }
}
