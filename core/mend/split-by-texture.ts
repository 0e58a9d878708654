import { logLight } from '../raster/log-light.js'
import { ln } from '../numbers/exact-math.js'
import { clipRegion, type PixelSource } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import type { Transfer } from '../raster/transfer.js'
import type { Stroke } from '../shape/shape.js'

/** How far along a stroke the ground before and after a place is compared, in widths and at least in pixels. */
const WINDOW = 2
const LEAST_WINDOW = 14
/** The ground changes where its tone differs by so many deviations, or its texture by so many times. */
const TONE = 5
const LEAST_TONE = 0.12
const TEXTURE = 2
/** What of its width a part is shortened by where it meets the next: its round end reaches beyond. */
const TRIM = 0.3

/**
 * Cut a stroke where the ground beside it changes, so that each part is mended from its own kind.
 *
 * @param picture  As mended so far.
 * @returns The parts in their order; the stroke itself when the ground is the same all along.
 *
 * Common practice: a fold that runs over sky and hill is worked from where the two meet, each side apart.
 */
export function splitByTexture(picture: PixelSource, transfer: Transfer, stroke: Stroke): Stroke[] {
  const spacing = Math.max(2, stroke.width / 2)
  const places = alongPath(stroke.points, spacing)
  const window = Math.ceil(Math.max(LEAST_WINDOW, WINDOW * stroke.width) / spacing)
  if (places.length < 2 * window + 1) return [stroke]
  const ground = places.map((place) => groundBeside(picture, transfer, place, stroke.width))
  const change = places.map((_place, i) => (i < window || i >= places.length - window ? 0 : changeAt(ground, i, window)))
  const cuts: number[] = []
  for (;;) {
    const at = change.reduce((best, value, i) => (value > change[best]! ? i : best), 0)
    if (change[at]! <= 1) break
    cuts.push(at)
    for (let i = at - window; i <= at + window; i++) if (i >= 0 && i < change.length) change[i] = 0
  }
  if (cuts.length === 0) return [stroke]
  const trim = Math.max(0, Math.round((TRIM * stroke.width) / spacing))
  const borders = [0, ...cuts.sort((a, b) => a - b), places.length - 1]
  return borders.slice(1).map((end, k) => {
    const from = borders[k]! + (k > 0 ? trim : 0)
    const to = end - (k < borders.length - 2 ? trim : 0)
    return { ...stroke, points: places.slice(from, Math.max(from + 1, to) + 1).map(({ x, y }): [number, number] => [Math.round(10 * x) / 10, Math.round(10 * y) / 10]) }
  })
}

interface Place {
  readonly x: number
  readonly y: number
  /** Direction of the path, of length 1. */
  readonly dx: number
  readonly dy: number
}

/** Places on a path at even distances. */
function alongPath(points: readonly (readonly [number, number])[], spacing: number): Place[] {
  const places: Place[] = []
  let ahead = 0
  for (let i = 1; i < points.length; i++) {
    const [ax, ay] = points[i - 1]!
    const [bx, by] = points[i]!
    const length = Math.sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay))
    if (length === 0) continue
    const [dx, dy] = [(bx - ax) / length, (by - ay) / length]
    for (; ahead <= length; ahead += spacing) places.push({ x: ax + ahead * dx, y: ay + ahead * dy, dx, dy })
    ahead -= length
  }
  const [x, y] = points.at(-1)!
  const last = places.at(-1)
  if (last && (last.x !== x || last.y !== y)) places.push({ ...last, x, y })
  return places
}

/** Tone and fineness of the ground on both sides of a place: log of the light, log of its differences. */
function groundBeside(picture: PixelSource, transfer: Transfer, { x, y, dx, dy }: Place, width: number): { tone: number; texture: number } | null {
  const reach = Math.ceil(1.2 * width + 7)
  const region = clipRegion({ x: Math.floor(x) - reach, y: Math.floor(y) - reach, width: 2 * reach + 1, height: 2 * reach + 1 }, picture.width, picture.height)
  const light = logLight(picture.read(region), transfer)
  let tone = 0
  let texture = 0
  let count = 0
  for (let row = 0; row < region.height; row++) {
    for (let column = 0; column + 1 < region.width; column++) {
      const px = region.x + column + 0.5 - x
      const py = region.y + row + 0.5 - y
      const across = Math.abs(px * dy - py * dx)
      if (Math.abs(px * dx + py * dy) > Math.max(2, width / 2) || across < 0.55 * width + 1.5 || across > 1.1 * width + 6) continue
      const i = row * region.width + column
      tone += light.data[i]!
      texture += Math.abs(light.data[i]! - light.data[i + 1]!)
      count++
    }
  }
  return count < 4 ? null : { tone: tone / count, texture: ln(texture / count + 1e-4) }
}

/** How much the ground changes at a place, as a share of what counts as another ground. */
function changeAt(ground: readonly ({ tone: number; texture: number } | null)[], at: number, window: number): number {
  const before = ground.slice(at - window, at).filter((one) => one !== null)
  const after = ground.slice(at + 1, at + 1 + window).filter((one) => one !== null)
  if (before.length < window / 2 || after.length < window / 2) return 0
  const middle = (list: readonly { tone: number; texture: number }[], of: 'tone' | 'texture') => median(Float32Array.from(list, (one) => one[of]))
  const spread = (list: readonly { tone: number; texture: number }[]) => {
    const centre = middle(list, 'tone')
    return DEVIATION_PER_MAD * median(Float32Array.from(list, (one) => Math.abs(one.tone - centre)))
  }
  const tone = Math.abs(middle(before, 'tone') - middle(after, 'tone')) / Math.max(LEAST_TONE, TONE * Math.max(spread(before), spread(after)))
  const texture = Math.abs(middle(before, 'texture') - middle(after, 'texture')) / ln(TEXTURE)
  return Math.max(tone, texture)
}
