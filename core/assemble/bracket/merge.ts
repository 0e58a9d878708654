import { clipRegion, depthOf, growRegion, makeRaster, maximumOf, type IntegerRaster, type Plane } from '../../raster/raster.js'
import { partsOf } from '../../raster/parts.js'
import { distanceFrom } from '../../raster/distance-transform.js'
import { makeToneSpace, type ToneSpace } from '../../colour/tone-space.js'
import type { TransferCurve } from '../../raster/transfer.js'
import { median } from '../../numbers/statistics.js'
import { resample } from '../../render/resample.js'
import { toFloat } from '../../render/samples.js'
import { alignedPlace, alignPictures, UNMOVED, type Alignment } from '../../rescan/align.js'
import { CLIPPED, DARK, findMoving, log2, type MovingThing } from './moving-things.js'
import { spreadInwards } from '../spread-inwards.js'
import { maskWhere } from '../../raster/per-pixel.js'

/** One exposure of a bracket. */
export interface Exposure {
  readonly pixels: IntegerRaster
  /** Light let in over that of the others, from time, aperture and sensitivity; fitted when not known. */
  readonly light?: number | undefined
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

/** So far around what is taken from one exposure it goes over into the merge, in pixels. */
const FADE_PX = 12
/** The difference at its edge is measured in a ring of this width, in pixels. */
const RING_PX = 40

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
  const tonesOf = tonesOfPixels(light, ratios, isOutside, reference, channels, tones)
  const raster = makeRaster(width, height, channels, 16)
  const values = new Float64Array(channels)
  for (let i = 0; i < width * height; i++) {
    if (owner[i] === 0 || !tonesOf(i, owner[i]! - 1, values)) tonesOf(i, null, values)
    for (let c = 0; c < channels; c++) raster.data[i * channels + c] = Math.round(65535 * values[c]!)
  }
  onShare(0.9)
  joinOwned(raster, owner, tonesOf)
  onShare(1)
  return { raster, reference, alignments, ratios, moving, owner }
}

/** Tones of a pixel, 0..1, as one exposure has them, or as all do for null; false where that one does not show it. */
type TonesOf = (index: number, exposure: number | null, into: Float64Array) => boolean

function tonesOfPixels(light: readonly Float32Array[], ratios: readonly number[], isOutside: readonly ((index: number) => boolean)[], reference: number, channels: number, tones: ToneSpace): TonesOf {
  // The brightest light that any exposure still tells apart, over white of the reference.
  const white = Math.max(1, 1 / Math.min(...ratios))
  return (i, exposure, into) => {
    into.fill(0)
    let total = 0
    for (let e = 0; e < light.length; e++) {
      if (exposure !== null && exposure !== e) continue
      const data = light[e]!
      let [least, most] = [1, 0]
      for (let c = 0; c < channels; c++) {
        least = Math.min(least, data[i * channels + c]!)
        most = Math.max(most, data[i * channels + c]!)
      }
      const say = exposure === null ? hat(most, least) * ratios[e]! : 1
      if (say <= 0 || isOutside[e]!(i)) continue
      total += say
      for (let c = 0; c < channels; c++) into[c]! += (say * tones.decode(data[i * channels + c]!)) / ratios[e]!
    }
    if (total === 0) {
      if (exposure !== null) return false
      // Clipped or black in all: the reference says what it can.
      total = 1
      for (let c = 0; c < channels; c++) into[c] = tones.decode(light[reference]![i * channels + c]!)
    }
    let peak = 0
    for (let c = 0; c < channels; c++) peak = Math.max(peak, into[c]! / total)
    const drawn = peak <= 0 ? 1 : drawnIn(peak, white) / peak
    for (let c = 0; c < channels; c++) into[c] = Math.max(0, Math.min(1, tones.encode((into[c]! / total) * drawn)))
    return true
  }
}

/**
 * Lay what is from one exposure into the merge without a seam: what both differ by around it is carried over it, and just
 * beyond its edge it fades.
 */
function joinOwned(raster: IntegerRaster, owner: Uint8Array, tonesOf: TonesOf): void {
  const { width, height, channels, data } = raster
  const [all, one] = [new Float64Array(channels), new Float64Array(channels)]
  for (const exposure of new Set(owner)) {
    if (exposure === 0) continue
    for (const { label, box, labels } of partsOwnedBy(owner, exposure, width, height)) {
      const region = clipRegion(growRegion(box, RING_PX), width, height)
      const size = region.width * region.height
      const place = (i: number) => ((i / region.width | 0) + region.y) * width + (i % region.width) + region.x
      const known = new Float32Array(size)
      const inside = maskWhere(known, (_, i) => labels[place(i)] === label)
      const distance = distanceFrom(inside, region.width, region.height)
      const differences = Array.from({ length: channels }, () => new Float32Array(size))
      const tonesOfOne = new Float32Array(size * channels)
      const isShown = new Uint8Array(size)
      for (let i = 0; i < size; i++) {
        if (!tonesOf(place(i), exposure - 1, one)) continue
        isShown[i] = 1
        tonesOfOne.set(one, i * channels)
        // Where it is clipped or black it says nothing of how both differ.
        const says = owner[place(i)] === 0 && Math.max(...one) < CLIPPED && Math.min(...one) > DARK
        if (!says) continue
        known[i] = 1
        tonesOf(place(i), null, all)
        for (let c = 0; c < channels; c++) differences[c]![i] = all[c]! - one[c]!
      }
      const carried = differences.map((difference) => spreadInwards(difference, known, region.width, region.height))
      for (let i = 0; i < size; i++) {
        const share = inside[i] === 1 ? isShown[i]! : owner[place(i)] === 0 && known[i] === 1 ? Math.max(0, 1 - distance[i]! / FADE_PX) : 0
        if (share === 0) continue
        for (let c = 0; c < channels; c++) {
          const at = place(i) * channels + c
          const laid = 65535 * Math.max(0, Math.min(1, tonesOfOne[i * channels + c]! + carried[c]![i]!))
          data[at] = Math.round(data[at]! + share * (laid - data[at]!))
        }
      }
    }
  }
}

function partsOwnedBy(owner: Uint8Array, exposure: number, width: number, height: number) {
  const { labels, parts } = partsOf(owner.map((value) => (value === exposure ? 1 : 0)), width, height)
  return parts.map((part) => ({ ...part, labels }))
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
