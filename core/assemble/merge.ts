import type { Plane } from '../raster/raster.js'
import { depthOf, makeRaster, maximumOf, type IntegerRaster } from '../raster/raster.js'
import { partsOf } from '../raster/parts.js'
import { boxMean } from '../raster/box.js'
import { ln } from '../numbers/exact-math.js'
import { squareExtreme } from '../raster/extremes.js'
import { distanceFrom } from '../raster/distance-transform.js'
import { makeToneSpace } from '../raster/tone-space.js'
import type { TransferCurve } from '../raster/transfer.js'
import { median } from '../numbers/statistics.js'
import { resample } from '../render/resample.js'
import { toFloat } from '../render/samples.js'
import { alignedPlace, alignPictures, UNMOVED, type Alignment } from '../rescan/align.js'

/** One exposure of a bracket. */
export interface Exposure {
  readonly pixels: IntegerRaster
  /** Light let in over that of the others, from time, aperture and sensitivity; fitted when not known. */
  readonly light?: number | undefined
}

/** Something that moved between the exposures. */
export interface MovingThing {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
  /** Exposure that it is taken from. */
  readonly from: number
}

/** A part of the reference that is taken from one exposure by hand, moved or not. */
export interface ChosenPart {
  /** Row by row of the picture: above one half it is taken. */
  readonly cover: Float32Array
  readonly from: number
}

export interface Merged {
  /** 16 bits, encoded by the curve of the reference. */
  readonly raster: IntegerRaster
  readonly reference: number
  readonly alignments: readonly Alignment[]
  /** Light of each exposure over that of the reference, as fitted. */
  readonly ratios: readonly number[]
  readonly moving: readonly MovingThing[]
  /** Which exposure each pixel of a moving thing is from, plus 1; 0 where all serve. */
  readonly owner: Uint8Array
}

/** A tone above this share is clipped or nearly so, below that there is mostly noise. */
const [CLIPPED, DARK] = [0.965, 0.035]
/** What moved differs by more than so many deviations of what the noise leaves, and by this share of its light. */
const [DEVIATIONS, LEAST_RATIO] = [4.5, 0.12]
/** Things are looked for on a level of at most so many pixels. */
const MOVING_PIXELS = 900_000
/** Smaller changes are noise at edges, as a share of the picture. */
const LEAST_THING = 0.00012
/** Another exposure than the reference shows a thing when so much less of it is clipped or black, as a share. */
const SHOWS_MORE = 0.08
/** So far around a thing its exposure is taken whole, and over as much more it goes over into the merge, in pixels of that level. */
const [AROUND, BLEND] = [3, 4]

/**
 * Merge exposures of one scene, aligned, each moving thing from one of them.
 *
 * Light is the mean of what each exposure says of it, by how far it is from clipping and from noise (Debevec and Malik 1997,
 * with the response known: the curve of the profile). Highlights beyond the reference are drawn in below white (Reinhard and
 * others 2002, with their white point), so that the middle tones stay those of the reference.
 *
 * @param chosen  Exposures for moving things by their order, where they were chosen by hand.
 * @param parts   What is taken from one exposure besides; later ones lie over earlier ones and over what moved.
 */
export function mergeExposures(exposures: readonly Exposure[], curve: TransferCurve, asked?: number, chosen: ReadonlyMap<number, number> = new Map(), onShare: (share: number) => void = () => undefined, parts: readonly ChosenPart[] = []): Merged {
  const { width, height, channels } = exposures[0]!.pixels
  const tones = makeToneSpace(curve)
  const planes = exposures.map(({ pixels }) => brightnessOf(pixels))
  const reference = asked ?? bestExposed(planes)
  const alignments = planes.map((plane, i) => {
    const alignment = i === reference ? UNMOVED : alignPictures(planes[reference]!, plane)
    onShare((0.4 * (i + 1)) / planes.length)
    return alignment
  })
  // Light of every exposure in the place of the reference.
  const light = exposures.map(({ pixels }, i) => {
    const floats = toFloat(pixels)
    const seen = i === reference ? floats : resample({ x: 0, y: 0, width, height }, { scale: 1, mapping: (x, y) => alignedPlace(alignments[i]!, width, height, x, y) }, floats, { x: 0, y: 0 }, { width, height })
    onShare(0.4 + (0.25 * (i + 1)) / exposures.length)
    return seen.data
  })
  const isOutside = alignments.map((alignment, i) => (i === reference ? () => false : (index: number) => {
    const [x, y] = alignedPlace(alignment, width, height, (index % width) + 0.5, Math.floor(index / width) + 0.5)
    return x < 0 || y < 0 || x >= width || y >= height
  }))
  const ratios = light.map((data, i) => (i === reference ? 1 : ratioOf(data, light[reference]!, channels, tones.decode, exposures[i]!.light !== undefined && exposures[reference]!.light !== undefined ? exposures[i]!.light! / exposures[reference]!.light! : null)))
  const { moving, owner } = findMoving(light, ratios, isOutside, reference, width, height, channels, tones.decode, chosen)
  for (const { cover, from } of parts) for (let i = 0; i < owner.length; i++) if (cover[i]! > 0.5) owner[i] = from + 1
  onShare(0.75)
  const raster = makeRaster(width, height, channels, 16)
  const softOwner = blended(owner, width, height)
  // The brightest light that any exposure still tells apart, over white of the reference.
  const white = Math.max(1, 1 / Math.min(...ratios))
  const values = new Float64Array(channels)
  for (let i = 0; i < width * height; i++) {
    values.fill(0)
    let total = 0
    let longest = -1
    for (let e = 0; e < light.length; e++) {
      const data = light[e]!
      let [least, most] = [1, 0]
      for (let c = 0; c < channels; c++) {
        least = Math.min(least, data[i * channels + c]!)
        most = Math.max(most, data[i * channels + c]!)
      }
      let say = owner[i] === 0 ? hat(most, least) * ratios[e]! : owner[i] === e + 1 ? 1 : 0
      if (owner[i] === 0 && softOwner.share[i]! > 0) say = say * (1 - softOwner.share[i]!) + (softOwner.from[i] === e + 1 ? softOwner.share[i]! * 4 : 0)
      if (say > 0 && isOutside[e]!(i)) say = 0
      if (say <= 0) continue
      longest = e
      total += say
      for (let c = 0; c < channels; c++) values[c]! += (say * tones.decode(data[i * channels + c]!)) / ratios[e]!
    }
    if (longest < 0) {
      // Clipped or black in all: the reference says what it can.
      total = 1
      for (let c = 0; c < channels; c++) values[c] = tones.decode(light[reference]![i * channels + c]!)
    }
    let peak = 0
    for (let c = 0; c < channels; c++) peak = Math.max(peak, values[c]! / total)
    const drawn = peak <= 0 ? 1 : drawnIn(peak, white) / peak
    for (let c = 0; c < channels; c++) raster.data[i * channels + c] = Math.max(0, Math.min(65535, Math.round(65535 * tones.encode((values[c]! / total) * drawn))))
  }
  onShare(1)
  return { raster, reference, alignments, ratios, moving, owner }
}

/** Light below the knee stays; above it goes over smoothly to white, which is where the darkest exposure clips. */
const KNEE = 0.6
export function drawnIn(light: number, white: number): number {
  if (light <= KNEE || white <= 1) return Math.min(1, light)
  const [over, most] = [(light - KNEE) / (1 - KNEE), (white - KNEE) / (1 - KNEE)]
  // Reinhard's curve with a white point: slope 1 at the knee, 1 at white.
  return KNEE + (1 - KNEE) * Math.min(1, (over * (1 + over / (most * most))) / (1 + over))
}

/** How far a pixel is from clipping and from noise: 0 to 1. */
function hat(most: number, least: number): number {
  if (most >= CLIPPED) return 0
  const upper = Math.min(1, (CLIPPED - most) / 0.2)
  const lower = Math.max(0.02, Math.min(1, (least - DARK) / 0.15))
  return upper * lower
}

function brightnessOf({ width, height, channels, data }: IntegerRaster): Plane {
  const scale = 1 / maximumOf(depthOf({ width, height, channels, data }))
  const plane = new Float32Array(width * height)
  const weights = channels === 1 ? [1] : [0.3, 0.59, 0.11]
  for (let i = 0; i < plane.length; i++) for (let c = 0; c < weights.length; c++) plane[i]! += weights[c]! * data[i * channels + c]! * scale
  return { width, height, data: plane }
}

/** The exposure with the fewest pixels that are clipped or black. */
function bestExposed(planes: readonly Plane[]): number {
  const lost = planes.map(({ data }) => data.reduce((sum, value) => sum + (value > CLIPPED || value < DARK ? 1 : 0), 0))
  return lost.indexOf(Math.min(...lost))
}

/** Median ratio of the light of two exposures where both are well exposed; as Exif says when that cannot be measured. */
function ratioOf(data: Float32Array, reference: Float32Array, channels: number, decode: (value: number) => number, told: number | null): number {
  const ratios: number[] = []
  const step = channels * Math.max(1, Math.floor(data.length / channels / 60_000))
  for (let i = channels > 1 ? 1 : 0; i < data.length; i += step) {
    const [a, b] = [data[i]!, reference[i]!]
    if (a > 0.15 && a < 0.9 && b > 0.15 && b < 0.9) ratios.push(decode(a) / decode(b))
  }
  if (ratios.length < 200) return told ?? 1
  const fitted = median(Float32Array.from(ratios))
  // Exif rounds its times; what is measured is nearer, unless it is something else altogether.
  return told !== null && Math.abs(log2(fitted / told)) > 0.7 ? told : fitted
}

function findMoving(light: readonly Float32Array[], ratios: readonly number[], isOutside: readonly ((index: number) => boolean)[], reference: number, width: number, height: number, channels: number, decode: (value: number) => number, chosen: ReadonlyMap<number, number>): { moving: MovingThing[]; owner: Uint8Array } {
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
  const { labels, parts } = partsOf(Uint8Array.from(closed), w, h)
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

/** Around moving things the exposure they are from fades into the merge. */
function blended(owner: Uint8Array, width: number, height: number): { share: Float32Array; from: Uint8Array } {
  const share = new Float32Array(owner.length)
  const from = new Uint8Array(owner.length)
  for (const exposure of new Set(owner)) {
    if (exposure === 0) continue
    const distance = distanceFrom(owner.map((value) => (value === exposure ? 1 : 0)), width, height)
    for (let i = 0; i < owner.length; i++) {
      if (owner[i] !== 0 || distance[i]! > 4 * BLEND) continue
      const value = 1 - distance[i]! / (4 * BLEND)
      if (value <= share[i]!) continue
      share[i] = value
      from[i] = exposure
    }
  }
  return { share, from }
}

/** Stops between two amounts of light. */
const log2 = (ratio: number) => ln(Math.max(1e-9, ratio)) * 1.4426950408889634
