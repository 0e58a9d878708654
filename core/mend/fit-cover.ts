import { exp, ln } from '../raster/exact-math.js'
import { minimise } from '../raster/minimise.js'
import { clipRegion, growRegion, type PixelSource } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'
import type { Transfer } from '../raster/transfer.js'
import { roundTo } from '../round.js'
import { distanceOutside, shapeBounds, shapeThickness, type Shape } from '../shape/shape.js'
import type { Cover } from './cover.js'

/** A cover that was fitted, and what speaks for it. */
export interface CoverFit {
  readonly cover: Cover
  /** Share of the shape in which what lies beneath is given back, 0..1. */
  readonly given: number
  /** Share of the shape that is hidden and filled, 0..1. */
  readonly filled: number
  /** Whether the gradients say that it adds light rather than takes it. */
  readonly addsLight: boolean
  /**
   * How unlike its surroundings the place is after the lift: mean square, in deviations, of the tone and roughness of its rings
   * over those of the same rings laid on places around. About 1 where it is right; null where too few places are free.
   */
  readonly strangeness: number | null
}

/** Half the width, in cells, at which a cover is fitted; of what is wider, cells are averaged down to it. */
const WORKING_DEPTH = 9
/** Steps of opacity from the outline to the middle. */
const MOST_STEPS = 7
/** Noise was drawn after the light was lost: brought up with it, it is damped by this power of what came through. */
const DAMPING = 0.5
/** Where more is hidden than this, noise takes over: it is drawn out by 1 / (1 - a). */
const HIDDEN = 0.72
/** What a hidden cell costs over what one around does: given back is kept unless it is rougher, or further from the ground, by as much. */
const HIDING_COSTS = 0.4
/** Say of a cell's tone, which should be about that of the ground around, in the cost of a pair; and so many deviations of the ground are usual. */
const [GROUND_SAYS, GROUND_SCALE] = [0.25, 2.5]
/** What stays lighter than the ground by so many of its deviations is something light that lies on it. */
const STANDS_OUT = 3
/** What adds less light than this share of it is as good as nothing; and the most that is tried, as a logarithm. */
const [LEAST_ADDED, MOST_ADDED] = [0.12, 7]
/** Scale of the loss in deviations, as for shadows. */
const LOSS_SCALE = 2.2
/** Added to light before the logarithm: black is no infinite depth. */
const DARKEST = 0.003
/** What is looked at beside the shape, over its depth. */
const SURROUNDINGS = 3.2
/** Edges of the rings, as distances from the outline over the depth of the shape: one outside, three inside. */
const RINGS = [0.6, 0, -1 / 3, -2 / 3, -10] as const
/** Variance of tone and roughness that is as good as none. */
const LEAST_VARIANCE = 4e-5
/** So many free places around are asked at most, and at least. */
const [MOST_PLACES, LEAST_PLACES] = [24, 6]
/** Rounds in which the ground under a cover is relaxed before the fit. */
const RELAXATIONS = 120

interface Cells {
  readonly width: number
  readonly height: number
  /** Linear light, a plane a channel. */
  readonly light: readonly Float32Array[]
  /** Share of the depth of the shape, 0 outside to 1 in its middle. */
  readonly depth: Float32Array
  /** 1 where another open flaw lies: it says nothing. */
  readonly barred: Uint8Array
  /** Distance from the outline over the depth of the shape, negative inside. */
  readonly distance: Float32Array
}

/**
 * Fit how much light a cover takes at each depth, so that what it lets through has the gradients of its surroundings
 * (Geman and McClure's loss, as for shadows) and about their tone. Any outline will do: a grain of dust seen through the
 * opening of a lens is no disc.
 *
 * @param shape   Round what is covered, generous rather than tight.
 * @param others  Open flaws around.
 * @returns The fit; null where the shape is too small or leaves too little around.
 */
export function fitCover(picture: PixelSource, transfer: Transfer, shape: Shape, others: readonly Shape[] = []): CoverFit | null {
  const thickness = shapeThickness(shape)
  if (thickness < 1.5) return null
  let factor = 1
  while (thickness / factor > WORKING_DEPTH) factor *= 2
  const cells = cellsOf(picture, transfer, shape, thickness, factor, others)
  const inside = indices(cells.depth, (d) => d > 0)
  const outside = indices(cells.distance, (d) => d > 0 && d < 1.2).filter((i) => cells.depth[i] === 0 && cells.barred[i] === 0)
  if (inside.length < 6 || outside.length < 20) return null
  const steps = Math.max(2, Math.min(MOST_STEPS, Math.round(thickness / factor)))
  const ground = cells.light.map((plane) => relaxed(plane, cells))
  const spread = gradientSpread(cells, outside)
  const usual = meanCost(cells, spread)
  const groundLog = logOf(ground, cells.light.length)
  const groundSpread = groundDeviation(cells, outside)
  const veil = cells.light.map(() => 0)
  const value = (opacity: readonly number[]) => costOf(cells, opacity, veil, spread, usual, groundLog, groundSpread)
  const start = firstOpacities(cells, ground, veil, inside, steps)
  const found = minimise((at) => value(rising(at)), start, start.map((a) => (a < 0.5 ? 0.12 : -0.12)), 26 * (steps + 1))
  const opacity = rising(found.at)
  // The same for a cover that adds light: its strength is a negative opacity.
  const lightest = firstBrightness(cells, ground, inside, steps)
  const brighter = minimise((at) => value(risingBrightness(at)), lightest, lightest.map((a) => Math.max(0.1, 0.3 * a)), 26 * (steps + 1))
  const brightness = risingBrightness(brighter.at)
  const log = uncovered(cells, opacity, veil)
  const middle = inside.filter((i) => cells.depth[i]! > 0.5 && log[i]! === log[i]!)
  const stands = middle.reduce((sum, i) => sum + log[i]! - groundLog[i]!, 0) / Math.max(1, middle.length)
  const addsLight = (brighter.value < found.value && brightness.at(-1)! < -LEAST_ADDED) || stands > STANDS_OUT * groundSpread
  const opacityAt = (i: number) => interpolated(opacity, cells.depth[i]!)
  const given = inside.filter((i) => opacityAt(i) > 0.02 && opacityAt(i) < HIDDEN).length / inside.length
  const filled = inside.filter((i) => opacityAt(i) >= HIDDEN).length / inside.length
  return { addsLight, strangeness: strangenessOf(cells, opacity, veil, spread), cover: { veil, opacity: opacity.map((value) => roundTo(value, 4)), hidden: HIDDEN, damping: DAMPING }, given, filled }
}

const indices = (plane: Float32Array, fits: (value: number) => boolean): number[] => Array.from(plane.keys()).filter((i) => fits(plane[i]!))

function cellsOf(picture: PixelSource, transfer: Transfer, shape: Shape, thickness: number, factor: number, others: readonly Shape[]): Cells {
  const region = clipRegion(growRegion(shapeBounds(shape), Math.ceil(Math.max(10, SURROUNDINGS * thickness) + factor)), picture.width, picture.height)
  const pixels = picture.read(region)
  const [width, height] = [Math.floor(region.width / factor), Math.floor(region.height / factor)]
  const distance = distanceOutside(shape, region, SURROUNDINGS * thickness + 12).data
  const share = 1 / (factor * factor)
  const depth = new Float32Array(width * height)
  const away = new Float32Array(width * height)
  const barred = new Uint8Array(width * height)
  const light = Array.from({ length: picture.channels }, () => new Float32Array(width * height))
  for (let y = 0; y < height * factor; y++) {
    for (let x = 0; x < width * factor; x++) {
      const cell = Math.floor(y / factor) * width + Math.floor(x / factor)
      const i = y * region.width + x
      depth[cell]! += share * Math.max(0, Math.min(1, -distance[i]! / thickness))
      away[cell]! += (share * distance[i]!) / thickness
      for (let c = 0; c < light.length; c++) light[c]![cell]! += share * transfer.light[pixels.data[i * picture.channels + c]!]!
    }
  }
  for (const other of others) {
    const d = distanceOutside(other, region, 2).data
    for (let cell = 0; cell < barred.length; cell++) {
      const [x, y] = [(cell % width) * factor + (factor >> 1), Math.floor(cell / width) * factor + (factor >> 1)]
      if (d[y * region.width + x]! < 1) barred[cell] = 1
    }
  }
  return { width, height, light, depth, barred, distance: away }
}

/** What the surroundings say of the inside: the plane without curvature (Laplace), by successive over-relaxation. */
function relaxed(plane: Float32Array, { width, height, depth, barred }: Cells): Float32Array {
  const result = plane.slice()
  const unknown = indices(depth, (d) => d > 0)
  for (let i = 0; i < barred.length; i++) if (barred[i] === 1 && depth[i] === 0) unknown.push(i)
  let [sum, count] = [0, 0]
  for (let i = 0; i < plane.length; i++) {
    if (depth[i]! > 0 || barred[i] === 1) continue
    sum += plane[i]!
    count++
  }
  for (const i of unknown) result[i] = sum / Math.max(1, count)
  for (let round = 0; round < RELAXATIONS; round++) {
    for (const i of unknown) {
      const [x, y] = [i % width, Math.floor(i / width)]
      const around = (result[x > 0 ? i - 1 : i]! + result[x < width - 1 ? i + 1 : i]! + result[y > 0 ? i - width : i]! + result[y < height - 1 ? i + width : i]!) / 4
      result[i]! += 1.7 * (around - result[i]!)
    }
  }
  return result
}

/** Opacity at each depth by least squares of what is seen on what the surroundings say; the fit starts from it. */
function firstOpacities({ light, depth }: Cells, ground: readonly Float32Array[], veil: readonly number[], inside: readonly number[], steps: number): number[] {
  const products = new Float64Array(steps + 1)
  const squares = new Float64Array(steps + 1).fill(1e-9)
  for (const i of inside) {
    const k = Math.min(steps, Math.round(depth[i]! * steps))
    for (let c = 0; c < light.length; c++) {
      const way = veil[c]! - ground[c]![i]!
      products[k]! += (light[c]![i]! - ground[c]![i]!) * way
      squares[k]! += way * way
    }
  }
  return rising(Array.from(products, (value, k) => value / squares[k]!))
}

/** How much lighter than the ground each ring is, as a logarithm; never falling inward. */
function firstBrightness({ light, depth }: Cells, ground: readonly Float32Array[], inside: readonly number[], steps: number): number[] {
  const [seen, beneath] = [new Float64Array(steps + 1), new Float64Array(steps + 1).fill(1e-6)]
  for (const i of inside) {
    const k = Math.min(steps, Math.round(depth[i]! * steps))
    for (let c = 0; c < light.length; c++) {
      seen[k]! += light[c]![i]!
      beneath[k]! += ground[c]![i]!
    }
  }
  let most = 0
  return Array.from(seen, (value, k) => (most = Math.max(most, Math.min(MOST_ADDED, ln(Math.max(1e-6, value) / beneath[k]!)))))
}

/** Opacities below 0 that multiply the light; never weaker inward. */
function risingBrightness(added: readonly number[]): number[] {
  let most = 0
  return added.map((value) => 1 - exp((most = Math.max(most, Math.min(MOST_ADDED, value)))))
}

/** Opacities from 0 to 1 that never fall inward. */
function rising(opacities: readonly number[]): number[] {
  let most = 0
  return opacities.map((value) => (most = Math.max(most, Math.min(0.999, value))))
}

function interpolated(opacity: readonly number[], depth: number): number {
  if (depth <= 0) return 0
  const at = Math.min(1, depth) * (opacity.length - 1)
  const k = Math.min(opacity.length - 2, Math.floor(at))
  return opacity[k]! + (at - k) * (opacity[k + 1]! - opacity[k]!)
}

/** Log light as it is without the cover; NaN where that is hidden or says nothing. */
function uncovered({ light, depth, barred }: Cells, opacity: readonly number[], veil: readonly number[]): Float32Array {
  const result = new Float32Array(depth.length)
  for (let i = 0; i < result.length; i++) {
    const a = interpolated(opacity, depth[i]!)
    if (barred[i] === 1 || a >= HIDDEN) {
      result[i] = NaN
      continue
    }
    let sum = 0
    for (let c = 0; c < light.length; c++) sum += Math.max(0, light[c]![i]! - a * veil[c]!)
    result[i] = ln(DARKEST + sum / light.length / (1 - a))
  }
  return result
}

function costAndPairs(cells: Cells, opacity: readonly number[], veil: readonly number[], spread: number, log = uncovered(cells, opacity, veil)): { cost: number; pairs: number; hidden: number } {
  const { width, height, depth } = cells
  const scale = 1 / (spread * spread * LOSS_SCALE * LOSS_SCALE)
  let [cost, pairs, hidden] = [0, 0, 0]
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      for (const j of [x + 1 < width ? i + 1 : -1, y + 1 < height ? i + width : -1]) {
        if (j < 0 || (depth[i] === 0 && depth[j] === 0)) continue
        const r = log[j]! - log[i]!
        if (r !== r) {
          hidden++
          continue
        }
        const z = r * r * scale
        cost += z / (1 + z)
        pairs++
      }
    }
  }
  return { cost, pairs, hidden }
}

function costOf(cells: Cells, opacity: readonly number[], veil: readonly number[], spread: number, usual: number, ground: Float32Array, groundSpread: number): number {
  const log = uncovered(cells, opacity, veil)
  const { cost, hidden } = costAndPairs(cells, opacity, veil, spread, log)
  const scale = 1 / (groundSpread * groundSpread * GROUND_SCALE * GROUND_SCALE)
  let tones = 0
  for (let i = 0; i < log.length; i++) {
    if (cells.depth[i] === 0 || cells.barred[i] === 1) continue
    const off = log[i]! - ground[i]!
    // Hidden: NaN.
    if (off !== off) tones += HIDING_COSTS
    else tones += (GROUND_SAYS * off * off * scale) / (1 + off * off * scale)
  }
  return cost + hidden * usual + tones
}

/** Tone of each ring over that of the outermost, and its roughness: what a place looks like through the rings. Null where it leaves the window or touches what must not be asked. */
function lookThrough(cells: Cells, log: Float32Array, scale: number, dx: number, dy: number): number[] | null {
  const { width, height, distance } = cells
  const count = RINGS.length - 1
  const tones = new Float64Array(count)
  const rough = new Float64Array(count)
  const [seen, pairs] = [new Float64Array(count), new Float64Array(count)]
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (distance[i]! > RINGS[0]) continue
      const [px, py] = [x + dx, y + dy]
      if (px < 0 || py < 0 || px >= width || py >= height) return null
      const j = py * width + px
      // Moved aside, the shape must not lie on itself.
      if ((dx !== 0 || dy !== 0) && distance[i]! <= 0 && distance[j]! <= 0.2) return null
      if (log[j]! !== log[j]!) continue
      let ring = 0
      while (ring < count - 1 && distance[i]! < RINGS[ring + 1]!) ring++
      tones[ring]! += log[j]!
      seen[ring]!++
      for (const k of [px + 1 < width ? j + 1 : -1, py + 1 < height ? j + width : -1]) {
        if (k < 0) continue
        const r = log[k]! - log[j]!
        if (r !== r) continue
        const z = r * r * scale
        rough[ring]! += z / (1 + z)
        pairs[ring]!++
      }
    }
  }
  if (seen[0]! < 6) return null
  const look: number[] = []
  for (let ring = 1; ring < count; ring++) {
    look.push(seen[ring]! > 0 ? tones[ring]! / seen[ring]! - tones[0]! / seen[0]! : NaN)
    look.push(pairs[ring]! > 0 ? rough[ring]! / pairs[ring]! - rough[0]! / Math.max(1, pairs[0]!) : NaN)
  }
  return look
}

function strangenessOf(cells: Cells, opacity: readonly number[], veil: readonly number[], spread: number): number | null {
  const log = uncovered(cells, opacity, veil)
  const scale = 1 / (spread * spread * LOSS_SCALE * LOSS_SCALE)
  const here = lookThrough(cells, log, scale, 0, 0)
  if (!here) return null
  const around: number[][] = []
  const step = Math.max(2, Math.round(Math.min(cells.width, cells.height) / 9))
  for (let dy = -4 * step; dy <= 4 * step; dy += step) {
    for (let dx = -4 * step; dx <= 4 * step; dx += step) {
      const look = dx === 0 && dy === 0 ? null : lookThrough(cells, log, scale, dx, dy)
      if (look) around.push(look)
    }
  }
  if (around.length < LEAST_PLACES) return null
  const chosen = around.length <= MOST_PLACES ? around : around.filter((_, k) => k % Math.ceil(around.length / MOST_PLACES) === 0)
  let [sum, count] = [0, 0]
  here.forEach((value, k) => {
    const theirs = chosen.map((look) => look[k]!).filter((one) => one === one)
    if (value !== value || theirs.length < LEAST_PLACES) return
    const mean = theirs.reduce((total, one) => total + one, 0) / theirs.length
    const variance = theirs.reduce((total, one) => total + (one - mean) ** 2, 0) / (theirs.length - 1)
    sum += (value - mean) ** 2 / (variance + LEAST_VARIANCE)
    count++
  })
  return count === 0 ? null : sum / count
}

/** Log of the mean light of all channels. */
function logOf(planes: readonly Float32Array[], channels: number): Float32Array {
  return planes[0]!.map((_, i) => ln(DARKEST + planes.reduce((sum, plane) => sum + Math.max(0, plane[i]!), 0) / channels))
}

/** Deviation of the log light around from its middle: how far a ground may be from what lies beside it. */
function groundDeviation(cells: Cells, outside: readonly number[]): number {
  const log = logOf(cells.light, cells.light.length)
  const middle = median(Float32Array.from(outside, (i) => log[i]!))
  return Math.max(0.03, DEVIATION_PER_MAD * median(Float32Array.from(outside, (i) => Math.abs(log[i]! - middle))))
}

/** Deviation of the gradients of the log light around. */
function gradientSpread(cells: Cells, outside: readonly number[]): number {
  const log = uncovered(cells, [0, 0], cells.light.map(() => 0))
  const isOutside = new Uint8Array(log.length)
  for (const i of outside) isOutside[i] = 1
  const values: number[] = []
  for (const i of outside) {
    if ((i + 1) % cells.width !== 0 && isOutside[i + 1]) values.push(Math.abs(log[i + 1]! - log[i]!))
    if (i + cells.width < log.length && isOutside[i + cells.width]) values.push(Math.abs(log[i + cells.width]! - log[i]!))
  }
  return Math.max(2e-3, DEVIATION_PER_MAD * median(Float32Array.from(values)))
}

/** Mean cost of a pair around. */
function meanCost(cells: Cells, spread: number): number {
  const { width, height, depth, light } = cells
  const log = uncovered(cells, [0, 0], light.map(() => 0))
  const scale = 1 / (spread * spread * LOSS_SCALE * LOSS_SCALE)
  let [cost, pairs] = [0, 0]
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      for (const j of [x + 1 < width ? i + 1 : -1, y + 1 < height ? i + width : -1]) {
        if (j < 0 || depth[i]! > 0 || depth[j]! > 0) continue
        const r = log[j]! - log[i]!
        if (r !== r) continue
        const z = r * r * scale
        cost += z / (1 + z)
        pairs++
      }
    }
  }
  return pairs === 0 ? 0.3 : cost / pairs
}
