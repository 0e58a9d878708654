import { logLight } from '../raster/log-light.js'
import { gaussianBlur } from '../raster/blur.js'
import { differenceCiede2000, type Lab } from '../colour/colour-difference.js'
import { labOfXyz } from '../colour/lab.js'
import { clipRegion, contains, growRegion, type IntegerRaster, type Plane, type PixelSource, type Region } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import type { Transfer } from '../raster/transfer.js'
import { areaCoverage, touchesArea } from '../shape/zone/area.js'
import { distanceOutside, shapeBounds, shapeThickness, type Shape } from '../shape/shape.js'
import { isPlain, sourceShape } from '../shape/donor.js'
import type { Mended } from './mended.js'
import { shapesTouch } from '../shape/shapes-touch.js'
import type { Area, Measure, Source, TelltaleName, Telltales } from '../treatment/schema.js'
import { measureBrokenEdge, slopesOf } from './broken-edge.js'
import { measureGrain } from './grain.js'
import { measureSmear } from './smear.js'
import { measureLeftoverDisc, measureLeftoverPath } from './left-over.js'

export const TELLTALE_NAMES: readonly TelltaleName[] = ['leftover', 'toneStep', 'grain', 'repeat', 'brokenEdge', 'smear', 'subjectTouched', 'taintedSource']

/** A measure as a share of its limit: above 1 the mend shows. What was not measured shows nothing. */
export function severity(name: TelltaleName, measure: Measure | undefined): number {
  if (!measure) return 0
  return name === 'grain' ? Math.abs(measure.value - 1) / measure.limit : measure.value / measure.limit
}

/** Names of the telltales that give a mend away, worst first. */
export function whatShows(telltales: Telltales | undefined): TelltaleName[] {
  if (!telltales) return []
  return TELLTALE_NAMES.filter((name) => severity(name, telltales[name]) > 1).sort((a, b) => severity(b, telltales[b]) - severity(a, telltales[a]))
}

/** What a mend is measured on. */
export interface MendUnderTest {
  /** The picture with the mend in it. */
  readonly picture: PixelSource
  readonly transfer: Transfer
  readonly shape: Shape
  readonly source?: Source
  /** Shapes of flaws that are open. */
  readonly openFlaws: readonly Shape[]
  /** Which pixels the mend touched, and what they might not have been. */
  readonly mended?: Mended
  readonly guards?: readonly Area[]
}

/** Grain is judged through a high pass of the first deviation in pixels, structure between both. */
const FINE_FILTER = 1.5
const COARSE_FILTER = 4

/**
 * Measure what gives a mend away.
 *
 * Every number is compared with what the untouched surroundings show by themselves.
 */
export function measureTelltales(mend: MendUnderTest): Telltales {
  const { picture, transfer, shape } = mend
  const thickness = Math.max(1.5, shapeThickness(shape))
  const region = clipRegion(growRegion(shapeBounds(shape), Math.ceil(2.4 * thickness + 9)), picture.width, picture.height)
  const pixels = picture.read(region)
  const light = logLight(pixels, transfer)
  const distance = distanceOutside(shape, region, 2.4 * thickness + 9)
  const sectors = sectorsOf(shape, region)
  // Between these lie structure and form; finer is grain.
  const fine = gaussianBlur(light, FINE_FILTER)
  const coarse = gaussianBlur(light, COARSE_FILTER)
  const slopes = slopesOf(fine)
  return {
    leftover: shape.type === 'disc' ? measureLeftoverDisc(light, region, shape) : measureLeftoverPath(light, distance, thickness),
    toneStep: measureToneStep(pixels, transfer, distance, thickness, sectors),
    grain: measureGrain(pixels, distance),
    repeat: measureRepeat(mend, light, fine, coarse, region, distance),
    brokenEdge: measureBrokenEdge(slopes, distance),
    smear: measureSmear(fine, coarse, slopes, distance, thickness, sectors),
    subjectTouched: measureSubject(mend),
    taintedSource: measureTaint(mend),
  }
}

const SECTORS = 8

/** Which eighth of a shape's outline a pixel belongs to: by direction round a disc, along the longer side of others. */
function sectorsOf(shape: Shape, region: Region): (x: number, y: number) => number {
  if (shape.type === 'disc') {
    return (x, y) => {
      const dx = region.x + x + 0.5 - shape.x
      const dy = region.y + y + 0.5 - shape.y
      return (dy > 0 ? 4 : 0) + (dx > 0 ? 2 : 0) + (Math.abs(dx) > Math.abs(dy) ? 1 : 0)
    }
  }
  const bounds = shapeBounds(shape)
  const wide = bounds.width > bounds.height
  return (x, y) => {
    const along = wide ? (region.x + x - bounds.x) / bounds.width : (region.y + y - bounds.y) / bounds.height
    return Math.max(0, Math.min(SECTORS - 1, Math.floor(along * SECTORS)))
  }
}

/** Outlines moved outward by so many bands show what colours differ by themselves. */
const BANDS_OUTWARD = [0, 1.6, 2.6, 3.6]

/** Difference of colour across the outline, against the same across the outline moved outward. */
function measureToneStep(pixels: IntegerRaster, transfer: Transfer, distance: Plane, thickness: number, sectorAt: (x: number, y: number) => number): Measure {
  const band = Math.max(2.5, 0.3 * thickness)
  const outlines = BANDS_OUTWARD.map((bands) => bands * band)
  const colours = sectorColours(pixels, transfer, distance, outlines.flatMap((outward): [number, number][] => [[outward - band, outward], [outward, outward + band]]), sectorAt)
  const [here, ...around] = outlines.map((_outward, n) => {
    let sum = 0
    let count = 0
    for (let s = 0; s < SECTORS; s++) {
      const inner = colours[2 * n]![s]
      const outer = colours[2 * n + 1]![s]
      if (!inner || !outer) continue
      sum += differenceCiede2000(inner, outer)
      count++
    }
    return count === 0 ? 0 : sum / count
  })
  return { value: here!, limit: 2.64 * Math.max(...around) + 0.48 }
}

/** Mean colour of each sector of each band of distances, from its first to before its second; null of fewer than four pixels. */
function sectorColours({ channels, width, data }: IntegerRaster, { light }: Transfer, distance: Plane, bands: readonly (readonly [number, number])[], sectorAt: (x: number, y: number) => number): (Lab | null)[][] {
  const sums = bands.map(() => new Float64Array(4 * SECTORS))
  const from = Float64Array.from(bands, ([least]) => least)
  const to = Float64Array.from(bands, ([, most]) => most)
  const nearest = Math.min(...from)
  const furthest = Math.max(...to)
  const [green, blue] = channels === 1 ? [0, 0] : [1, 2]
  for (let i = 0; i < distance.data.length; i++) {
    const d = distance.data[i]!
    if (d < nearest || d >= furthest) continue
    const at = 4 * sectorAt(i % width, Math.floor(i / width))
    const k = i * channels
    const first = light[data[k]!]!
    const second = light[data[k + green]!]!
    const third = light[data[k + blue]!]!
    for (let n = 0; n < sums.length; n++) {
      if (d < from[n]! || d >= to[n]!) continue
      const sum = sums[n]!
      sum[at]! += first
      sum[at + 1]! += second
      sum[at + 2]! += third
      sum[at + 3]! += 1
    }
  }
  return sums.map((sum) => Array.from({ length: SECTORS }, (_value, s) => {
    const count = sum[4 * s + 3]!
    return count < 4 ? null : labOfLight(sum[4 * s]! / count, sum[4 * s + 1]! / count, sum[4 * s + 2]! / count)
  }))
}

/** White of sRGB: D65 (IEC 61966-2-1). */
const D65 = [0.95047, 1, 1.08883] as const

/** CIELAB of linear light, its primaries taken as those of sRGB: the differences measured here are local ones. */
function labOfLight(r: number, g: number, b: number): Lab {
  return labOfXyz([
    0.4124564 * r + 0.3575761 * g + 0.1804375 * b,
    0.2126729 * r + 0.7151522 * g + 0.072175 * b,
    0.0193339 * r + 0.119192 * g + 0.9503041 * b,
  ], D65)
}

/**
 * Likeness of the mend and its source in structure coarser than grain, beyond what noise would show, and as far as that
 * structure stands out from its surroundings: of ordinary texture nobody knows a piece again.
 */
function measureRepeat(mend: MendUnderTest, light: Plane, fine: Plane, coarse: Plane, region: Region, distance: Plane): Measure {
  const { source, shape, picture, transfer } = mend
  const limit = 0.9
  // Mirrored, turned or scaled, a pattern is not seen as the same one.
  if (!source || !isPlain(source)) return { value: 0, limit }
  const here = growRegion(clipRegion(shapeBounds(shape), picture.width, picture.height), 6)
  const there = { ...here, x: here.x + source.dx, y: here.y + source.dy }
  if (!contains({ x: 0, y: 0, width: picture.width, height: picture.height }, there) || !contains(region, here)) return { value: 0, limit }
  const b = bandPass(logLight(picture.read(there), transfer))
  const detail = new Float32Array(here.width * here.height)
  let ab = 0
  let aa = 0
  let bb = 0
  let n = 0
  let around = 0
  let aroundCount = 0
  for (let row = 0, i = 0; row < region.height; row++) {
    const y = row + region.y - here.y
    for (let column = 0; column < region.width; column++, i++) {
      const ours = fine.data[i]! - coarse.data[i]!
      const d = distance.data[i]!
      if (d > 3) {
        around += ours * ours
        aroundCount++
      }
      const x = column + region.x - here.x
      if (d > -1 || x < 0 || y < 0 || x >= here.width || y >= here.height) continue
      const theirs = b[y * here.width + x]!
      ab += ours * theirs
      aa += ours * ours
      bb += theirs * theirs
      detail[n++] = Math.abs(light.data[i]! - fine.data[i]!)
    }
  }
  if (n < 12 || aroundCount < 12) return { value: 0, limit }
  const likeness = ab / Math.sqrt(aa * bb + 1e-20)
  // White noise of deviation s leaves about 0.028 s^2 between Gaussians of 1.5 and 4 px (1/4pi(1/s1^2 + 1/s2^2 - 4/(s1^2 + s2^2))).
  const deviation = DEVIATION_PER_MAD * median(detail, n)
  const noise = 0.028 * deviation * deviation
  const structure = Math.max(0, 1 - (3 * noise) / (aa / n + 1e-20))
  const distinct = Math.min(1, aa / n / (4 * (around / aroundCount) + 1e-20))
  return { value: Math.max(0, likeness) * structure * distinct, limit }
}

function bandPass(plane: Plane): Float32Array {
  const coarse = gaussianBlur(plane, COARSE_FILTER).data
  return gaussianBlur(plane, FINE_FILTER).data.map((value, i) => value - coarse[i]!)
}

/** Was a pixel changed that lies wholly in a guard? */
function measureSubject({ mended, guards = [] }: MendUnderTest): Measure {
  const limit = 0.5
  if (!mended) return { value: 0, limit }
  const guard = areaCoverage(guards, mended.region)
  return { value: guard && mended.touched.some((value, i) => value === 1 && guard.data[i] === 1) ? 1 : 0, limit }
}

/** Does the source take from a flaw that is still open, or from a guard? */
function measureTaint({ source, shape, openFlaws, guards = [] }: MendUnderTest): Measure {
  const limit = 0.5
  if (!source) return { value: 0, limit }
  const moved = sourceShape(shape, source)
  return { value: openFlaws.some((flaw) => shapesTouch(moved, flaw)) || touchesArea(moved, guards) ? 1 : 0, limit }
}
