import { logLight } from '../raster/log-light.js'
import { gaussianBlur } from '../raster/blur.js'
import { differenceCiede2000, type Lab } from '../raster/colour-difference.js'
import { PI, cos, sin } from '../numbers/exact-math.js'
import { labOfXyz } from '../raster/lab.js'
import { clipRegion, contains, growRegion, type IntegerRaster, type Plane, type PixelSource, type Region } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import type { Transfer } from '../raster/transfer.js'
import { areaCoverage, touchesArea } from '../shape/area.js'
import { distanceOutside, shapeBounds, shapeThickness, type Disc, type Shape } from '../shape/shape.js'
import { isPlain, sourceShape } from '../mend/heal/donor.js'
import type { Mended } from '../mend/lift/lift.js'
import { shapesTouch } from '../mend/heal/source-search.js'
import type { Area, Measure, Source, Telltales } from '../treatment/schema.js'
import { measureBrokenEdge, slopesOf } from './broken-edge.js'
import { measureGrain } from './grain.js'
import { measureSmear } from './smear.js'

export type TelltaleName = keyof Telltales

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

/** Above what half in a hundred good mends reach, in a sky and in a dive (bench/telltales.ts, seeds 74 and 75). */
const LEFT_OVER = 6.3

/** Would a detector still see a disc here? Its answer against the same question asked all around. */
function measureLeftoverDisc(light: Plane, region: Region, centre: Disc): Measure {
  const answer = (x: number, y: number) => discAnswer(light, x - region.x, y - region.y, Math.max(1.5, 0.7 * centre.r))
  const here = answer(centre.x, centre.y) ?? 0
  const around: number[] = []
  for (let k = 0; k < 16; k++) {
    const angle = (2 * PI * k) / 16
    const distance = (k % 2 === 0 ? 1.7 : 2.3) * centre.r + 2
    const value = answer(centre.x + distance * cos(angle), centre.y + distance * sin(angle))
    if (value !== null) around.push(Math.abs(value))
  }
  const usual = Math.max(2e-4, DEVIATION_PER_MAD * median(Float32Array.from(around)))
  return { value: Math.abs(here) / usual, limit: LEFT_OVER }
}

/** The same for a shape that is no disc: its inside against the band along it, asked again with the shape moved aside. */
function measureLeftoverPath(light: Plane, distance: Plane, thickness: number): Measure {
  const { width, height } = light
  const inside: number[] = []
  const beside: number[] = []
  const band = Math.max(2.5, 0.4 * thickness)
  for (let i = 0; i < distance.data.length; i++) {
    const d = distance.data[i]!
    if (d < -0.3 * thickness) inside.push(i)
    else if (d > 0.5 && d < 0.5 + band) beside.push(i)
  }
  if (inside.length < 3 || beside.length < 6) return { value: 0, limit: LEFT_OVER }
  const answer = (dx: number, dy: number): number | null => {
    const meanOf = (list: readonly number[]): number => {
      let sum = 0
      let n = 0
      for (const i of list) {
        const x = (i % width) + dx
        const y = Math.floor(i / width) + dy
        if (x < 0 || y < 0 || x >= width || y >= height) continue
        // Moved along itself, a path lies on the mend again: only what is untouched is asked.
        if ((dx !== 0 || dy !== 0) && distance.data[y * width + x]! < 0.5) continue
        sum += light.data[y * width + x]!
        n++
      }
      return n < 0.4 * list.length ? NaN : sum / n
    }
    const value = meanOf(inside) - meanOf(beside)
    return value === value ? value : null
  }
  const around: number[] = []
  for (let k = 0; k < 16; k++) {
    const angle = (2 * PI * k) / 16
    const away = (k % 2 === 0 ? 1.7 : 2.3) * thickness + 2
    const value = answer(Math.round(away * cos(angle)), Math.round(away * sin(angle)))
    if (value !== null) around.push(Math.abs(value))
  }
  const usual = Math.max(2e-4, DEVIATION_PER_MAD * median(Float32Array.from(around)))
  return { value: Math.abs(answer(0, 0) ?? 0) / usual, limit: LEFT_OVER }
}

/** Mean inside a disc less the mean of a ring round it; null when it leaves the plane. */
function discAnswer(plane: Plane, x: number, y: number, r: number): number | null {
  const reach = Math.ceil(1.7 * r)
  const left = Math.floor(x) - reach
  const top = Math.floor(y) - reach
  if (left < 0 || top < 0 || left + 2 * reach >= plane.width || top + 2 * reach >= plane.height) return null
  let disc = 0
  let discCount = 0
  let ring = 0
  let ringCount = 0
  for (let row = top; row <= top + 2 * reach; row++) {
    for (let column = left; column <= left + 2 * reach; column++) {
      const dx = column + 0.5 - x
      const dy = row + 0.5 - y
      const d = dx * dx + dy * dy
      if (d < r * r) {
        disc += plane.data[row * plane.width + column]!
        discCount++
      } else if (d > 1.21 * r * r && d < 2.89 * r * r) {
        ring += plane.data[row * plane.width + column]!
        ringCount++
      }
    }
  }
  return discCount === 0 || ringCount === 0 ? null : disc / discCount - ring / ringCount
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
