import { clipRegion, crop, growRegion, makeRaster, rasterSource, type IntegerRaster, type Plane, type Region } from '../raster/raster.js'
import { median } from '../numbers/statistics.js'
import { makeToneSpace } from '../colour/tone-space.js'
import type { TransferCurve } from '../raster/transfer.js'
import { resample } from '../render/resample.js'
import { toFloat } from '../render/samples.js'
import { alignRescan } from '../rescan/align-rescan.js'
import { correlation } from '../rescan/compare-places.js'
import { placeIn, scaleOf, type Similarity } from '../rescan/similarity.js'
import { alignedPlace, alignPictures, UNMOVED, type Alignment } from '../rescan/align.js'
import { spreadInwards } from './spread-inwards.js'
import { floatsOf } from '../raster/per-pixel.js'

/** A picture with the tone curve of its profile. */
export interface Sourced { readonly pixels: IntegerRaster; readonly curve: TransferCurve }

export interface BroughtOver {
  /** 16 bits, encoded as the picture that it was brought into. */
  readonly raster: IntegerRaster
  readonly similarity: Similarity
  /** Light of the picture over that of the other, a channel. */
  readonly gains: readonly number[]
  /** Correlation of both around the zone, -1..1. */
  readonly likeness: number
}

/** So wide a ring around the zone is compared, as a share of the zone and in pixels. */
const [RING_SHARE, LEAST_RING, MOST_RING] = [0.25, 12, 120]
/** The zone's surroundings are aligned once more by themselves, since things at other distances lie otherwise; it may move them so far, as a share of their size. */
const MOST_LOCAL = 0.03
/** Below this cover a pixel belongs to the surroundings. */
const OUTSIDE = 0.02

/**
 * Bring what another picture of the same scene shows into a zone: aligned (the whole, then the surroundings of the zone),
 * matched in light by channel in the ring around the zone, and what is left of a difference at the edge is spread smoothly
 * over the zone (`spreadInwards`), so that nothing steps.
 *
 * @param cover  Of the zone, 0..1 a pixel of the picture.
 */
export function bringOver(picture: Sourced, other: Sourced, cover: Float32Array, onShare: (share: number) => void = () => undefined): BroughtOver {
  const { width, height, channels } = picture.pixels
  const similarity = alignRescan({ ...rasterSource(picture.pixels), curve: picture.curve }, { ...rasterSource(other.pixels), curve: other.curve })
  onShare(0.5)
  const zone = boundsOf(cover, width, height)
  const ring = Math.round(Math.max(LEAST_RING, Math.min(MOST_RING, RING_SHARE * Math.max(zone.width, zone.height))))
  const region = clipRegion(growRegion(zone, ring), width, height)
  const here = crop(toFloat(picture.pixels), region)
  const seen = (local: Alignment) => resample(region, { scale: Math.max(1, scaleOf(similarity)), mapping: (x, y) => {
    const [px, py] = alignedPlace(local, region.width, region.height, x - region.x, y - region.y)
    return placeIn(similarity, px + region.x, py + region.y)
  } }, toFloat(other.pixels), { x: 0, y: 0 }, other.pixels).data
  const inside = crop({ width, height, channels: 1, data: cover }, region).data
  const local = localAlignment(here.data as Float32Array, seen(UNMOVED), inside, region, channels)
  const there = seen(local)
  const likeness = likenessAround(here.data as Float32Array, there, inside, channels)
  onShare(0.8)
  const [own, theirs] = [makeToneSpace(picture.curve), makeToneSpace(other.curve)]
  const gains = Array.from({ length: channels }, (_, c) => gainOf(here.data as Float32Array, there, inside, channels, c, own.decode, theirs.decode))
  const brought = new Float32Array(there.length)
  for (let i = 0; i < there.length; i++) brought[i] = own.encode(Math.min(1, gains[i % channels]! * theirs.decode(there[i]!)))
  for (let c = 0; c < channels; c++) spreadDifference(here.data as Float32Array, brought, inside, region, channels, c)
  const raster = makeRaster(width, height, channels, 16)
  const floats = toFloat(picture.pixels).data
  for (let i = 0; i < floats.length; i++) raster.data[i] = Math.round(65535 * floats[i]!)
  for (let y = 0; y < region.height; y++) {
    for (let x = 0; x < region.width; x++) {
      const i = y * region.width + x
      if (inside[i] === 0) continue
      const to = ((y + region.y) * width + x + region.x) * channels
      for (let c = 0; c < channels; c++) raster.data[to + c] = Math.round(65535 * Math.max(0, Math.min(1, here.data[i * channels + c]! * (1 - inside[i]!) + brought[i * channels + c]! * inside[i]!)))
    }
  }
  onShare(1)
  return { raster, similarity, gains, likeness }
}

/** Whether both show the same around the zone. */
function likenessAround(here: Float32Array, there: Float32Array, inside: Float32Array, channels: number): number {
  const green = channels === 3 ? 1 : 0
  const around = Array.from(inside.keys()).filter((i) => inside[i]! <= OUTSIDE)
  return correlation(around.map((i) => here[i * channels + green]!), around.map((i) => there[i * channels + green]!))
}

function boundsOf(cover: Float32Array, width: number, height: number): Region {
  let [left, top, right, bottom] = [width, height, 0, 0]
  for (let i = 0; i < cover.length; i++) {
    if (cover[i]! <= 0) continue
    const [x, y] = [i % width, Math.floor(i / width)]
    left = Math.min(left, x)
    right = Math.max(right, x + 1)
    top = Math.min(top, y)
    bottom = Math.max(bottom, y + 1)
  }
  return right > left ? { x: left, y: top, width: right - left, height: bottom - top } : { x: 0, y: 0, width: 0, height: 0 }
}

/** The surroundings of the zone aligned by themselves; what lies in the zone has no say, since it is what differs. */
function localAlignment(here: Float32Array, there: Float32Array, inside: Float32Array, { width, height }: Region, channels: number): Alignment {
  const green = channels === 3 ? 1 : 0
  const plane = (data: Float32Array): Plane => ({ width, height, data: floatsOf(inside.length, (i) => (inside[i]! > OUTSIDE ? 0.5 : data[i * channels + green]!)) })
  const found = alignPictures(plane(here), plane(there))
  const most = MOST_LOCAL * Math.max(width, height)
  return Math.abs(found.dx) > most || Math.abs(found.dy) > most || Math.abs(found.turnDegrees) > 1 || Math.abs(found.scale - 1) > 0.02 ? UNMOVED : found
}

function gainOf(here: Float32Array, there: Float32Array, inside: Float32Array, channels: number, c: number, decodeHere: (value: number) => number, decodeThere: (value: number) => number): number {
  const ratios: number[] = []
  for (let i = 0; i < inside.length; i++) {
    const [a, b] = [here[i * channels + c]!, there[i * channels + c]!]
    if (inside[i]! > OUTSIDE || a < 0.04 || b < 0.04 || a > 0.97 || b > 0.97) continue
    ratios.push(decodeHere(a) / decodeThere(b))
  }
  return ratios.length < 30 ? 1 : median(Float32Array.from(ratios))
}

/** Add to what was brought what it lacks around the zone, carried inwards. */
function spreadDifference(here: Float32Array, brought: Float32Array, inside: Float32Array, { width, height }: Region, channels: number, c: number): void {
  const known = inside.map((value) => (value > OUTSIDE ? 0 : 1))
  const difference = floatsOf(inside.length, (i) => here[i * channels + c]! - brought[i * channels + c]!)
  const smooth = spreadInwards(difference, known, width, height)
  for (let i = 0; i < smooth.length; i++) brought[i * channels + c]! += inside[i]! > OUTSIDE ? smooth[i]! : 0
}
