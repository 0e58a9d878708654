import type { OperationContext } from '../operations/operation.js'
import type { FloatRaster } from '../raster/raster.js'
import { boxMean } from '../kernels/smoothing/box.js'
import { distanceFrom } from '../raster/distance-transform.js'
import { labPixels } from '../colour/lab.js'
import { outlinesOfMask } from '../shape/from-mask.js'
import type { ShapePart } from '../treatment/schema.js'
import { brightnessOf } from '../operations/brightness.js'
import { maskWhere } from '../raster/per-pixel.js'

/** A zone that is proposed, in pixels of the picture. */
export interface ZoneProposal {
  readonly name: string
  readonly reason: string
  readonly parts: ShapePart[]
  readonly softEdgePx: number
  /** Share of the picture. */
  readonly share: number
}

/** A proposal covers at least so much of the picture; what covers nearly all of it is no zone. */
const LEAST_SHARE = 0.03
const MOST_SHARE = 0.97
/** Neighbours on the way differ by no more than so much, CIELAB: a sky changes slowly. */
const STEP = 3
/** Local deviation of the brightness below which a place is smooth. */
const SMOOTH = 0.035
/** A border is as uniform as this about its middle colour, CIELAB. */
const BORDER = 9

/**
 * Zones that Fennip proposes: a sky (smooth, reached from the top edge), the dark ground or water (the darker side of the
 * brightness, by Otsu 1979), and a paper border (reached from the edges, of one colour).
 *
 * @param picture  Small, some hundred thousand pixels; encoded values.
 * @param scale    Pixels of the picture on one of these.
 */
export function proposeZones(picture: FloatRaster, scale: number, context: OperationContext): ZoneProposal[] {
  const { width, height } = picture
  const lab = labPixels(picture.data, picture.channels, context.tones.decode, context.toXyz)
  const brightness = brightnessOf(picture, context)
  const mean = boxMean(brightness, 2).data
  const spread = boxMean({ ...brightness, data: brightness.data.map((value, i) => (value - mean[i]!) ** 2) }, 2).data.map(Math.sqrt)
  const proposals: ZoneProposal[] = []
  const add = (name: string, reason: (share: number) => string, mask: Uint8Array) => {
    const whole = tidied(mask, width, height)
    const share = whole.reduce((sum, value) => sum + value, 0) / whole.length
    if (share < LEAST_SHARE || share > MOST_SHARE) return
    const outlines = outlinesOfMask(whole, width, height, Infinity).filter(({ points }) => points.length >= 4)
    const place = ([x, y]: readonly [number, number]): [number, number] => [x * scale, y * scale]
    proposals.push({ name, reason: reason(share), share, softEdgePx: Math.round(3 * scale), parts: outlines.map((outline) => ({ mode: 'add', shape: { ...outline, points: outline.points.map(place), ...(outline.holes ? { holes: outline.holes.map((hole) => hole.map(place)) } : {}) } })) })
  }
  const colour = edgeColour(lab, width, height)
  const border = reachedFrom(edgePlaces(width, height, ['top', 'bottom', 'left', 'right']), width, height, (i) => distanceTo(lab, i, colour) < BORDER)
  const isBorder = coversEdges(border, width, height)
  if (isBorder) add('paper border', (share) => `One colour along the edges, ${percent(share)} of the picture.`, border)
  const start = edgePlaces(width, height, ['top']).filter((i) => spread[i]! < SMOOTH && lab[3 * i]! > 15)
  const sky = reachedFrom(start, width, height, (i, from) => spread[i]! < SMOOTH && Math.abs(lab[3 * i]! - lab[3 * from]!) < STEP && Math.abs(lab[3 * i + 1]! - lab[3 * from + 1]!) < STEP && Math.abs(lab[3 * i + 2]! - lab[3 * from + 2]!) < STEP)
  if (!isBorder) add('the sky', (share) => `Smooth from the upper edge down, ${percent(share)} of the picture.`, sky)
  const threshold = otsu(mean)
  const [dark, light] = [mean.filter((value) => value <= threshold), mean.filter((value) => value > threshold)]
  const gap = light.length > 0 && dark.length > 0 ? light.reduce((sum, value) => sum + value, 0) / light.length - dark.reduce((sum, value) => sum + value, 0) / dark.length : 0
  if (gap > 0.2) add('the dark ground', (share) => `The darker of two groups of tones, ${percent(share)} of the picture.`, maskWhere(mean, (value) => value <= threshold))
  return proposals
}

const percent = (share: number) => `${Math.round(100 * share)} %`

function edgePlaces(width: number, height: number, sides: readonly ('top' | 'bottom' | 'left' | 'right')[]): number[] {
  const places: number[] = []
  if (sides.includes('top')) for (let x = 0; x < width; x++) places.push(x)
  if (sides.includes('bottom')) for (let x = 0; x < width; x++) places.push((height - 1) * width + x)
  if (sides.includes('left')) for (let y = 0; y < height; y++) places.push(y * width)
  if (sides.includes('right')) for (let y = 0; y < height; y++) places.push(y * width + width - 1)
  return places
}

function edgeColour(lab: Float32Array, width: number, height: number): [number, number, number] {
  const places = edgePlaces(width, height, ['top', 'bottom', 'left', 'right'])
  return [0, 1, 2].map((c) => places.map((i) => lab[3 * i + c]!).sort((a, b) => a - b)[places.length >> 1]!) as [number, number, number]
}

const distanceTo = (lab: Float32Array, i: number, [l, a, b]: readonly [number, number, number]) => Math.sqrt((lab[3 * i]! - l) ** 2 + (lab[3 * i + 1]! - a) ** 2 + (lab[3 * i + 2]! - b) ** 2)

/** Whether a mask lies along most of every edge, as the border of a print does. */
function coversEdges(mask: Uint8Array, width: number, height: number): boolean {
  return (['top', 'bottom', 'left', 'right'] as const).every((side) => {
    const places = edgePlaces(width, height, [side])
    return places.filter((i) => mask[i]).length > 0.85 * places.length
  })
}

/** Places that are reached from some by steps that are allowed. */
function reachedFrom(start: readonly number[], width: number, height: number, allowed: (i: number, from: number) => boolean): Uint8Array {
  const reached = new Uint8Array(width * height)
  const stack = start.filter((i) => allowed(i, i))
  for (const i of stack) reached[i] = 1
  while (stack.length > 0) {
    const i = stack.pop()!
    const x = i % width
    for (const next of [x > 0 ? i - 1 : -1, x + 1 < width ? i + 1 : -1, i - width, i + width]) {
      if (next < 0 || next >= reached.length || reached[next] || !allowed(next, i)) continue
      reached[next] = 1
      stack.push(next)
    }
  }
  return reached
}

/** Holes and spikes of up to some pixels closed and cut: grown and shrunk, shrunk and grown. */
function tidied(mask: Uint8Array, width: number, height: number): Uint8Array {
  const grow = (from: Uint8Array, by: number) => {
    const distance = distanceFrom(from, width, height)
    return maskWhere(distance, (d) => d <= by)
  }
  const not = (from: Uint8Array) => maskWhere(from, (value) => value === 0)
  const closed = not(grow(not(grow(mask, 2)), 2))
  return grow(not(grow(not(closed), 2)), 2)
}

/** Threshold that parts values 0..1 into two groups best (Otsu 1979). */
function otsu(values: Float32Array): number {
  const counts = new Float64Array(256)
  for (const value of values) counts[Math.max(0, Math.min(255, Math.floor(255 * value)))]!++
  const all = values.length
  let total = 0
  for (let k = 0; k < 256; k++) total += k * counts[k]!
  let [below, sum, best, at] = [0, 0, -1, 128]
  for (let k = 0; k < 256; k++) {
    below += counts[k]!
    sum += k * counts[k]!
    if (below === 0 || below === all) continue
    const apart = sum / below - (total - sum) / (all - below)
    const between = below * (all - below) * apart * apart
    if (between > best) [best, at] = [between, k]
  }
  return (at + 0.5) / 255
}
