import { clipRegion, maximumOf, type PixelSource, type Region } from '../raster/raster.js'
import { shapeCentre, type Shape } from '../shape/shape.js'
import { placeIn, scaleOf, type Similarity } from './similarity.js'

/** Whether a place of one scan is seen in another, and where. */
export interface SeenPlace {
  /** How far the paper lies off the similarity there, in pixels of the second. */
  readonly shift: readonly [number, number]
  /** Correlation of the place in both at the best shift, -1..1. */
  readonly likeness: number
  readonly fits: boolean
}

/** How far paper may lie off: it is never quite flat. In pixels of the second scan. */
const MOST_SHIFT = 3
/** Points along a side of what is compared, and what it shows around a flaw, in radii and pixels. */
const [POINTS, AROUND, LEAST_AROUND] = [25, 1.8, 9]
/** From this correlation on a place is told surely enough to follow it; below the other it is something else. */
const [SURE, STRANGE] = [0.65, 0.25]

/**
 * Look for the place of a flaw in another scan. A flaw of the print is there again; what lay on the glass is not.
 */
export function comparePlace(first: PixelSource, second: PixelSource, similarity: Similarity, shape: Shape): SeenPlace {
  const { x, y, r } = shapeCentre(shape)
  const around = Math.min(60, Math.max(LEAST_AROUND, AROUND * r))
  const spacing = (2 * around) / (POINTS - 1)
  const offsets = Array.from({ length: POINTS * POINTS }, (_, i): [number, number] => [((i % POINTS) - (POINTS - 1) / 2) * spacing, (Math.floor(i / POINTS) - (POINTS - 1) / 2) * spacing])
  const [mx, my] = placeIn(similarity, x, y)
  const reach = Math.ceil(around * scaleOf(similarity) * 1.5) + MOST_SHIFT + 2
  const far: Region = { x: Math.floor(mx) - reach, y: Math.floor(my) - reach, width: 2 * reach + 1, height: 2 * reach + 1 }
  if (mx < 0 || my < 0 || mx >= second.width || my >= second.height) return { shift: [0, 0], likeness: 0, fits: false }
  const one = sampler(first, { x: Math.floor(x - around) - 2, y: Math.floor(y - around) - 2, width: Math.ceil(2 * around) + 5, height: Math.ceil(2 * around) + 5 })
  const two = sampler(second, far)
  const before = offsets.map(([dx, dy]) => one(x + dx, y + dy))
  const places = offsets.map(([dx, dy]) => placeIn(similarity, x + dx, y + dy))
  let best = { likeness: -1, dx: 0, dy: 0 }
  let unmoved = 0
  const at = (dx: number, dy: number) => correlation(before, places.map(([px, py]) => two(px + dx, py + dy)))
  for (const step of [1, 0.5, 0.25]) {
    const from = { ...best }
    const range = step === 1 ? MOST_SHIFT : step
    for (let dy = -range; dy <= range; dy += step) {
      for (let dx = -range; dx <= range; dx += step) {
        const [tx, ty] = step === 1 ? [dx, dy] : [from.dx + dx, from.dy + dy]
        const likeness = at(tx, ty)
        if (tx === 0 && ty === 0) unmoved = likeness
        if (likeness > best.likeness) best = { likeness, dx: tx, dy: ty }
      }
    }
  }
  // Where nothing can be told, the similarity of the whole is believed.
  const isSure = best.likeness >= SURE && best.likeness > unmoved + 0.03
  return { shift: isSure ? [best.dx, best.dy] : [0, 0], likeness: best.likeness, fits: best.likeness >= STRANGE }
}

/** Values of the channel that carries most of the brightness, straight between pixels. */
function sampler(source: PixelSource, wanted: Region): (x: number, y: number) => number {
  const region = clipRegion(wanted, source.width, source.height)
  const { data, width, height, channels } = source.read(region)
  const green = channels === 3 ? 1 : 0
  const most = maximumOf(source.depth)
  return (x, y) => {
    const px = Math.max(0, Math.min(width - 1.001, x - 0.5 - region.x))
    const py = Math.max(0, Math.min(height - 1.001, y - 0.5 - region.y))
    const [left, top] = [Math.floor(px), Math.floor(py)]
    const [s, t] = [px - left, py - top]
    const value = (dx: number, dy: number) => data[((Math.min(height - 1, top + dy)) * width + Math.min(width - 1, left + dx)) * channels + green]! / most
    return (value(0, 0) * (1 - s) + value(1, 0) * s) * (1 - t) + (value(0, 1) * (1 - s) + value(1, 1) * s) * t
  }
}

/** Correlation of two series of one length, -1..1; 0 where either is even. */
export function correlation(a: ArrayLike<number>, b: ArrayLike<number>): number {
  let [ma, mb] = [0, 0]
  for (let i = 0; i < a.length; i++) {
    ma += a[i]! / a.length
    mb += b[i]! / a.length
  }
  let [ab, aa, bb] = [0, 0, 0]
  for (let i = 0; i < a.length; i++) {
    const [da, db] = [a[i]! - ma, b[i]! - mb]
    ab += da * db
    aa += da * da
    bb += db * db
  }
  return aa === 0 || bb === 0 ? 0 : ab / Math.sqrt(aa * bb)
}
