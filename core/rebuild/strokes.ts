import { Type, type Static } from '@sinclair/typebox'
import type { Plane, Region } from '../raster/raster.js'

/** A stroke as the hand made it; a third number at a point is the pressure of the pen, 0..1. */
export const StrokeSchema = Type.Object(
  {
    points: Type.Array(Type.Array(Type.Number(), { minItems: 2, maxItems: 3 }), { minItems: 1, maxItems: 2000 }),
    widthPx: Type.Number({ minimum: 0.5, maximum: 2000 }),
    opacity: Type.Number({ minimum: 1, maximum: 100 }),
    hardness: Type.Number({ minimum: 0, maximum: 100 }),
    tone: Type.Array(Type.Number({ minimum: 0, maximum: 1 }), { minItems: 1, maxItems: 3 }),
    pen: Type.Union([Type.Literal('size'), Type.Literal('opacity')]),
  },
  { additionalProperties: false },
)
export type DrawnStroke = Static<typeof StrokeSchema>

/** Where a stroke goes, and how wide: what a stroke of texture or an edge needs too. */
export type StrokePath = Pick<DrawnStroke, 'points' | 'widthPx'>

/** Setting of a path along which something is done. @param description  What of the picture it follows. */
export const pathSetting = (description: string) =>
  Type.Array(Type.Array(Type.Number(), { minItems: 2, maxItems: 3 }), { title: 'Path', minItems: 1, maxItems: 2000, default: [[0, 0]], unit: 'points', description } as object)

/** A pen at half its pressure draws what is set; common practice. */
const LEAST = 0.4
const RISE = 1.2
export const pressureFactor = (pressure: number | undefined): number => (pressure === undefined ? 1 : LEAST + RISE * pressure)

/** Rectangle of pixels of the picture that a stroke may touch. */
export function strokeBounds({ points, widthPx }: StrokePath): Region {
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity]
  for (const [x, y] of points as [number, number][]) {
    left = Math.min(left, x)
    right = Math.max(right, x)
    top = Math.min(top, y)
    bottom = Math.max(bottom, y)
  }
  const r = (widthPx / 2) * (LEAST + RISE) + 1
  const [x, y] = [Math.floor(left - r), Math.floor(top - r)]
  return { x, y, width: Math.ceil(right + r) - x, height: Math.ceil(bottom + r) - y }
}

/**
 * How much of a stroke each pixel takes. A dab is round, full up to the hardness and smoothly nothing at the radius; of all
 * dabs along the path the strongest counts, so that the stroke is even whatever the pace of the hand was.
 *
 * @param region  Pixels of a level.
 * @param scale   Pixels of the picture on one of the level.
 * @param into    Values of the region; kept where they are larger.
 * @returns The part of the region that may have changed.
 */
export function layStroke(stroke: Omit<DrawnStroke, 'tone'>, region: Region, scale: number, into: Float32Array): Region | null {
  const { points, widthPx, opacity, hardness, pen } = stroke
  let [left, top, right, bottom] = [region.width, region.height, 0, 0]
  const count = Math.max(1, points.length - 1)
  for (let s = 0; s < count; s++) {
    const a = points[s]!
    const b = points[Math.min(points.length - 1, s + 1)]!
    const [fa, fb] = [pressureFactor(a[2]), pressureFactor(b[2])]
    const [ra, rb] = pen === 'size' ? [(widthPx / 2) * fa, (widthPx / 2) * fb] : [widthPx / 2, widthPx / 2]
    const [oa, ob] = pen === 'opacity' ? [Math.min(1, fa), Math.min(1, fb)] : [1, 1]
    const most = Math.max(ra, rb)
    const x0 = Math.max(0, Math.floor((Math.min(a[0]!, b[0]!) - most) / scale) - region.x)
    const x1 = Math.min(region.width, Math.ceil((Math.max(a[0]!, b[0]!) + most) / scale) - region.x + 1)
    const y0 = Math.max(0, Math.floor((Math.min(a[1]!, b[1]!) - most) / scale) - region.y)
    const y1 = Math.min(region.height, Math.ceil((Math.max(a[1]!, b[1]!) + most) / scale) - region.y + 1)
    if (x0 >= x1 || y0 >= y1) continue
    left = Math.min(left, x0)
    right = Math.max(right, x1)
    top = Math.min(top, y0)
    bottom = Math.max(bottom, y1)
    const [dx, dy] = [b[0]! - a[0]!, b[1]! - a[1]!]
    const length = dx * dx + dy * dy
    for (let y = y0; y < y1; y++) {
      const py = (region.y + y + 0.5) * scale - a[1]!
      for (let x = x0; x < x1; x++) {
        const px = (region.x + x + 0.5) * scale - a[0]!
        const t = length === 0 ? 0 : Math.max(0, Math.min(1, (px * dx + py * dy) / length))
        const [ex, ey] = [px - t * dx, py - t * dy]
        const distance = Math.sqrt(ex * ex + ey * ey)
        // Never sharper than a pixel of the level, so that no stair shows.
        const radius = ra + (rb - ra) * t
        const fade = Math.max(scale, radius * (1 - hardness / 100))
        const share = Math.max(0, Math.min(1, (radius + scale / 2 - distance) / fade))
        if (share === 0) continue
        const value = share * share * (3 - 2 * share) * (opacity / 100) * (oa + (ob - oa) * t)
        const at = y * region.width + x
        if (value > into[at]!) into[at] = value
      }
    }
  }
  return right > left ? { x: left, y: top, width: right - left, height: bottom - top } : null
}

/** A layer of strokes: colour already multiplied by cover, so that both can be softened alike. */
export interface StrokeLayer {
  readonly cover: Plane
  readonly colours: readonly Plane[]
}

/** Strokes laid over one another in their order. @param channels  1 or 3; a grey tone serves all channels. */
export function paintLayer(strokes: readonly DrawnStroke[], region: Region, scale: number, channels: number): StrokeLayer {
  const { width, height } = region
  const plane = (): Plane => ({ width, height, data: new Float32Array(width * height) })
  const cover = plane()
  const colours = Array.from({ length: channels }, plane)
  const alpha = new Float32Array(width * height)
  for (const stroke of strokes) {
    const touched = layStroke(stroke, region, scale, alpha)
    if (!touched) continue
    for (let y = touched.y; y < touched.y + touched.height; y++) {
      for (let i = y * width + touched.x; i < y * width + touched.x + touched.width; i++) {
        const share = alpha[i]!
        if (share === 0) continue
        alpha[i] = 0
        cover.data[i] = cover.data[i]! + share * (1 - cover.data[i]!)
        for (let c = 0; c < channels; c++) {
          const tone = stroke.tone[Math.min(c, stroke.tone.length - 1)]!
          colours[c]!.data[i] = colours[c]!.data[i]! * (1 - share) + tone * share
        }
      }
    }
  }
  return { cover, colours }
}
