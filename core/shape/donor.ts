import { cos, sin } from '../numbers/exact-math.js'
import { clipRegion, type PixelSource, type Region } from '../raster/raster.js'
import { shapeCentre, type Shape } from './shape.js'
import type { Source } from '../treatment/schema.js'

/** Where the content of a source lies, seen from the place it is laid on. */
interface Placing {
  /** The place turns, mirrors and scales about this corner of pixels, so that mirrored pixels fall on pixels. */
  readonly pivotX: number
  readonly pivotY: number
  readonly dx: number
  readonly dy: number
  /** From an offset at the place to one at the source. */
  readonly xx: number
  readonly xy: number
  readonly yx: number
  readonly yy: number
  /** Pixels of the source for one of the place; above 1 the source is laid on smaller. */
  readonly step: number
}

function placingOf(shape: Shape, source: Source): Placing {
  const { x, y } = shapeCentre(shape)
  const { mirror = false, turn = 0, scale = 1 } = source
  const c = turn === 0 ? 1 : cos(turn)
  const s = turn === 0 ? 0 : sin(turn)
  const flip = mirror ? -1 : 1
  return { pivotX: Math.floor(x + 0.5), pivotY: Math.floor(y + 0.5), dx: source.dx, dy: source.dy, xx: (flip * c) / scale, xy: (flip * s) / scale, yx: -s / scale, yy: c / scale, step: 1 / scale }
}

/** Whether a source is laid on as it is, neither mirrored nor turned nor scaled. */
export function isPlain({ mirror = false, turn = 0, scale = 1 }: Source): boolean {
  return !mirror && turn === 0 && scale === 1
}

function sourcePoint(placing: Placing, x: number, y: number): [number, number] {
  const px = x - placing.pivotX
  const py = y - placing.pivotY
  return [placing.pivotX + placing.dx + placing.xx * px + placing.xy * py, placing.pivotY + placing.dy + placing.yx * px + placing.yy * py]
}

/** The shape that a mend of a given shape takes from: moved, and mirrored, turned and scaled with its source. */
export function sourceShape<S extends Shape>(shape: S, source: Source): S {
  const placing = placingOf(shape, source)
  const move = (points: [number, number][]) => points.map(([x, y]): [number, number] => sourcePoint(placing, x, y))
  if (shape.type === 'disc') {
    const [x, y] = sourcePoint(placing, shape.x, shape.y)
    return { ...shape, x, y, r: shape.r * placing.step }
  }
  if (shape.type === 'stroke') return { ...shape, points: move(shape.points), width: shape.width * placing.step }
  return { ...shape, points: move(shape.points), ...(shape.holes ? { holes: shape.holes.map(move) } : {}) }
}

/** Rectangle of pixels that may be read for a rectangle of the place; it may leave the picture. */
export function donorRegion(region: Region, shape: Shape, source: Source): Region {
  if (isPlain(source)) return { ...region, x: region.x + source.dx, y: region.y + source.dy }
  const placing = placingOf(shape, source)
  const corners = [[region.x, region.y], [region.x + region.width, region.y], [region.x, region.y + region.height], [region.x + region.width, region.y + region.height]]
    .map(([x, y]) => sourcePoint(placing, x!, y!))
  const reach = Math.ceil(2 * Math.max(1, placing.step)) + 1
  const left = Math.floor(Math.min(...corners.map(([x]) => x))) - reach
  const top = Math.floor(Math.min(...corners.map(([, y]) => y))) - reach
  return { x: left, y: top, width: Math.ceil(Math.max(...corners.map(([x]) => x))) + reach - left, height: Math.ceil(Math.max(...corners.map(([, y]) => y))) + reach - top }
}

/**
 * The pixels that a mend takes from its source, laid out as the place.
 *
 * @param region  Rectangle of the place, inside the picture.
 * @returns Samples row by row, channels together, not rounded; beyond the picture its edge pixel is repeated.
 * @throws {RangeError} when the source lies wholly outside the picture.
 *
 * Mirrored, turned or scaled sources are resampled with Keys' cubic kernel (Keys 1981, a = -1/2), widened where the
 * source is laid on smaller, so that nothing finer than the new pixels is folded back.
 */
export function readDonor(picture: PixelSource, region: Region, shape: Shape, source: Source): Float32Array {
  const { channels } = picture
  const wanted = donorRegion(region, shape, source)
  const inside = clipRegion(wanted, picture.width, picture.height)
  if (inside.width === 0 || inside.height === 0) throw new RangeError('The source of a mend lies outside the picture')
  const pixels = picture.read(inside)
  const result = new Float32Array(region.width * region.height * channels)
  const column = (x: number) => Math.max(0, Math.min(inside.width - 1, x - inside.x))
  const row = (y: number) => Math.max(0, Math.min(inside.height - 1, y - inside.y))
  if (isPlain(source)) {
    for (let y = 0; y < region.height; y++) {
      const sy = row(wanted.y + y)
      for (let x = 0; x < region.width; x++) {
        const from = (sy * inside.width + column(wanted.x + x)) * channels
        const to = (y * region.width + x) * channels
        for (let c = 0; c < channels; c++) result[to + c] = pixels.data[from + c]!
      }
    }
    return result
  }
  const placing = placingOf(shape, source)
  const stretch = Math.max(1, placing.step)
  const reach = Math.ceil(2 * stretch)
  const sums = new Float64Array(channels)
  for (let y = 0; y < region.height; y++) {
    for (let x = 0; x < region.width; x++) {
      const [sx, sy] = sourcePoint(placing, region.x + x + 0.5, region.y + y + 0.5)
      const left = Math.floor(sx - 0.5)
      const top = Math.floor(sy - 0.5)
      sums.fill(0)
      let weights = 0
      for (let j = top - reach + 1; j <= top + reach; j++) {
        const wy = cubic((j + 0.5 - sy) / stretch)
        if (wy === 0) continue
        for (let i = left - reach + 1; i <= left + reach; i++) {
          const weight = wy * cubic((i + 0.5 - sx) / stretch)
          if (weight === 0) continue
          weights += weight
          const from = (row(j) * inside.width + column(i)) * channels
          for (let c = 0; c < channels; c++) sums[c]! += weight * pixels.data[from + c]!
        }
      }
      const to = (y * region.width + x) * channels
      for (let c = 0; c < channels; c++) result[to + c] = sums[c]! / weights
    }
  }
  return result
}

/** Keys' cubic convolution kernel with a = -1/2. */
function cubic(t: number): number {
  const d = Math.abs(t)
  if (d >= 2) return 0
  return d < 1 ? (1.5 * d - 2.5) * d * d + 1 : ((-0.5 * d + 2.5) * d - 4) * d + 2
}
