import { ln } from '../../numbers/exact-math.js'
import { median } from '../../numbers/statistics.js'
import { boxMean } from '../../kernels/smoothing/box.js'
import { squareExtreme } from '../../kernels/filters/extremes.js'
import { partsOf } from '../../raster/parts.js'
import { maskWhere } from '../../raster/per-pixel.js'

/** Something that moved between the exposures. */
export interface MovingThing {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
  /** Exposure that it is taken from. */
  readonly from: number
}

/** A tone above this share is clipped or nearly so, below that there is mostly noise. */
export const [CLIPPED, DARK] = [0.965, 0.035]
/** What moved differs by more than so many deviations of what the noise leaves, and by this share of its light. */
const [DEVIATIONS, LEAST_RATIO] = [4.5, 0.12]
/** Things are looked for on a level of at most so many pixels. */
const MOVING_PIXELS = 900_000
/** Smaller changes are noise at edges, as a share of the picture. */
const LEAST_THING = 0.00012
/** Another exposure than the reference shows a thing when so much less of it is clipped or black, as a share. */
const SHOWS_MORE = 0.08
/** So far around a thing its exposure is taken whole, in pixels of that level. */
const AROUND = 3

/**
 * What moved between exposures that lie on each other: places where their light disagrees after exposure, grouped to whole
 * things.
 *
 * @param light      Encoded tones of every exposure in the place of the reference, row by row, channels together.
 * @param ratios     Light of each over that of the reference.
 * @param isOutside  Whether a pixel lies beyond the edge of an exposure.
 * @param chosen     Exposures for things by their order, where they were chosen by hand.
 * @returns The things, and which exposure each of their pixels is from, plus 1; 0 where all serve.
 */
export function findMoving(light: readonly Float32Array[], ratios: readonly number[], isOutside: readonly ((index: number) => boolean)[], reference: number, width: number, height: number, channels: number, decode: (value: number) => number, chosen: ReadonlyMap<number, number>): { moving: MovingThing[]; owner: Uint8Array } {
  let step = 1
  while ((width * height) / (step * step) > MOVING_PIXELS) step++
  const [w, h] = [Math.ceil(width / step), Math.ceil(height / step)]
  const green = channels > 1 ? 1 : 0
  // Encoded tone and light on the level, the mean of its pixels.
  const small = light.map((data) => {
    const plane = new Float32Array(w * h)
    for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) {
      let [sum, count] = [0, 0]
      for (let py = y * step; py < Math.min(height, (y + 1) * step); py++) for (let px = x * step; px < Math.min(width, (x + 1) * step); px++) {
        sum += data[(py * width + px) * channels + green]!
        count++
      }
      plane[y * w + x] = sum / count
    }
    return boxMean({ width: w, height: h, data: plane }, 1).data
  })
  const changed = new Float32Array(w * h)
  for (let e = 0; e < small.length; e++) {
    if (e === reference) continue
    const [a, b] = [small[e]!, small[reference]!]
    const difference = new Float32Array(w * h)
    const usable = new Uint8Array(w * h)
    for (let i = 0; i < difference.length; i++) {
      // Beyond its edge an exposure says nothing, and just inside the mean is half made of that.
      const [px, py] = [(i % w) * step, Math.floor(i / w) * step]
      const corners = [[px - 2 * step, py - 2 * step], [px + 3 * step, py - 2 * step], [px - 2 * step, py + 3 * step], [px + 3 * step, py + 3 * step]]
      if (corners.some(([x, y]) => isOutside[e]!(Math.max(0, Math.min(height - 1, y!)) * width + Math.max(0, Math.min(width - 1, x!))))) continue
      if (a[i]! > CLIPPED - 0.03 || b[i]! > CLIPPED - 0.03 || a[i]! < DARK || b[i]! < DARK) {
        // Where one is clipped the other must be light, and the other way round.
        const expected = decode(b[i]!) * ratios[e]!
        const isOdd = (a[i]! > CLIPPED - 0.03 && expected < 0.55) || (a[i]! < DARK && expected > 0.12)
        difference[i] = isOdd ? 1 : 0
        continue
      }
      usable[i] = 1
      difference[i] = Math.abs(log2(decode(a[i]!) / (decode(b[i]!) * ratios[e]!)))
    }
    const sample = Float32Array.from(difference.filter((_, i) => usable[i] === 1))
    const noise = sample.length > 100 ? 1.4826 * median(sample) : 0.05
    // Edges that lie off by a part of a pixel are no movement.
    for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) {
      const i = y * w + x
      const gx = b[y * w + Math.min(w - 1, x + 1)]! - b[y * w + Math.max(0, x - 1)]!
      const gy = b[Math.min(h - 1, y + 1) * w + x]! - b[Math.max(0, y - 1) * w + x]!
      const edge = (0.45 * Math.sqrt(gx * gx + gy * gy)) / Math.max(0.03, b[i]!)
      if (difference[i]! > Math.max(LEAST_RATIO * 1.6, DEVIATIONS * noise) + 3 * edge) changed[i] = 1
    }
  }
  // Whole things: specks taken away, holes and gaps closed, a margin around.
  const opened = squareExtreme(squareExtreme({ width: w, height: h, data: changed }, 1, 'least'), 1 + AROUND + 5, 'greatest')
  const closed = squareExtreme(opened, 5, 'least').data
  const { labels, parts } = partsOf(maskWhere(closed, (value) => value !== 0), w, h)
  const moving: MovingThing[] = []
  const from = new Uint8Array(parts.length + 1)
  for (const { label, area, box } of parts) {
    if (area < LEAST_THING * w * h + (2 * AROUND + 1) ** 2) continue
    // The reference, unless another shows so much more of it.
    const lost = small.map((plane) => {
      let count = 0
      for (let y = box.y; y < box.y + box.height; y++) for (let i = y * w + box.x; i < y * w + box.x + box.width; i++) if (labels[i] === label && (plane[i]! > CLIPPED - 0.03 || plane[i]! < DARK)) count++
      return count / area
    })
    const best = lost.indexOf(Math.min(...lost))
    const picked = chosen.get(moving.length) ?? (lost[reference]! > lost[best]! + SHOWS_MORE ? best : reference)
    from[label] = picked + 1
    moving.push({ x: box.x * step, y: box.y * step, width: box.width * step, height: box.height * step, from: picked })
  }
  const owner = new Uint8Array(width * height)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) owner[y * width + x] = from[labels[Math.floor(y / step) * w + Math.floor(x / step)]!]!
  return { moving, owner }
}

/** Stops between two amounts of light. */
export const log2 = (ratio: number) => ln(Math.max(1e-9, ratio)) * 1.4426950408889634
