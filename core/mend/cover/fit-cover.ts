import { exp, ln } from '../../numbers/exact-math.js'
import { minimise } from '../../numbers/minimise.js'
import type { PixelSource } from '../../raster/raster.js'
import type { Transfer } from '../../raster/transfer.js'
import { roundTo } from '../../round.js'
import { shapeThickness, type Shape } from '../../shape/shape.js'
import type { Cover } from './cover.js'
import { cellsOf, eachPair, groundOf, indicesOf, logOf, pairCost, type Cells, type Ground } from './cover-cells.js'
import { strangenessOf } from './strangeness.js'

/** A cover that was fitted. */
export interface CoverFit {
  readonly cover: Cover
  /** Share of the shape in which what lies beneath is given back, 0..1. */
  readonly given: number
  /** Share of the shape that is hidden and filled, 0..1. */
  readonly filled: number
}

/** A cover that takes light by depth, and what speaks for it. */
export interface DepthFit extends CoverFit {
  /** Whether the gradients say that it adds light rather than takes it. */
  readonly addsLight: boolean
  /** How unlike its surroundings the place is after the lift (see `strangenessOf`); null where too few places are free. */
  readonly strangeness: number | null
}

/** Half the width, in cells, at which a cover is fitted; of what is wider, cells are averaged down to it. */
const WORKING_DEPTH = 9
/** Steps of opacity from the outline to the middle. */
const [LEAST_STEPS, MOST_STEPS] = [2, 7]
/** Rounds of the search for each step. */
const ROUNDS = 26
/** Noise was drawn after the light was lost: brought up with it, it is damped by this power of what came through. */
const DAMPING = 0.5
/** Where more is hidden than this, noise takes over: it is drawn out by 1 / (1 - a). Below the second there is nothing to give back. */
const [HIDDEN, LEAST_OPACITY] = [0.72, 0.02]
/** What a hidden cell costs over what one around does: given back is kept unless it is rougher, or further from the ground, by as much. */
const HIDING_COSTS = 0.4
/** Say of a cell's tone, which should be about that of the ground around, in the cost of a pair; and so many deviations of the ground are usual. */
const [GROUND_SAYS, GROUND_SCALE] = [0.25, 2.5]
/** What stays lighter than the ground by so many of its deviations is something light that lies on it. */
const STANDS_OUT = 3
/** What adds less light than this share of it is as good as nothing; and the most that is tried, as a logarithm. */
const [LEAST_ADDED, MOST_ADDED] = [0.12, 7]

/**
 * Fit how much light a cover takes at each depth, so that what it lets through has the gradients of its surroundings
 * (Geman and McClure's loss, as for shadows) and about their tone. Any outline will do: a grain of dust seen through the
 * opening of a lens is no disc.
 *
 * @param shape   Round what is covered, generous rather than tight.
 * @param others  Open flaws around.
 * @returns The fit; null where the shape is too small or leaves too little around.
 */
export function fitCover(picture: PixelSource, transfer: Transfer, shape: Shape, others: readonly Shape[] = []): DepthFit | null {
  const thickness = shapeThickness(shape)
  let factor = 1
  while (thickness / factor > WORKING_DEPTH) factor *= 2
  const cells = cellsOf(picture, transfer, shape, thickness, factor, others)
  const inside = indicesOf(cells.depth, (d) => d > 0)
  const ground = groundOf(cells)
  if (inside.length < 6 || !ground) return null
  const steps = Math.max(LEAST_STEPS, Math.min(MOST_STEPS, Math.round(thickness / factor)))
  const usual = costAround(cells, ground)
  const search = (start: readonly number[], reach: (value: number) => number, opacitiesOf: (at: readonly number[]) => number[]) => {
    const { at, value } = minimise((tried) => costOf(cells, ground, usual, opacitiesOf(tried)), start, start.map(reach), ROUNDS * (steps + 1))
    return { opacity: opacitiesOf(at), value }
  }
  const rings = ringTones(cells, ground, inside, steps)
  const taking = search(neverFalling(rings.map(({ taken }) => Math.min(0.999, taken))), (a) => (a < 0.5 ? 0.12 : -0.12), (at) => neverFalling(at).map((a) => Math.min(0.999, a)))
  // A cover that adds light has an opacity below 0: light is multiplied by 1 / (1 - a).
  const adding = search(neverFalling(rings.map(({ added }) => Math.min(MOST_ADDED, added))), (added) => Math.max(0.1, 0.3 * added), (at) => neverFalling(at).map((added) => 1 - exp(Math.min(MOST_ADDED, added))))
  const { opacity } = taking
  const log = uncovered(cells, opacity)
  const middle = inside.filter((i) => cells.depth[i]! > 0.5 && log[i]! === log[i]!)
  const lighter = middle.reduce((sum, i) => sum + log[i]! - ground.log[i]!, 0) / Math.max(1, middle.length)
  const share = (fits: (a: number) => boolean) => inside.filter((i) => fits(opacityAt(opacity, cells.depth[i]!))).length / inside.length
  return {
    cover: { veil: Array.from({ length: picture.channels }, () => 0), opacity: opacity.map((value) => roundTo(value, 4)), hidden: HIDDEN, damping: DAMPING },
    given: share((a) => a > LEAST_OPACITY && a < HIDDEN), filled: share((a) => a >= HIDDEN),
    addsLight: (adding.value < taking.value && adding.opacity.at(-1)! < -LEAST_ADDED) || lighter > STANDS_OUT * ground.toneDeviation,
    strangeness: strangenessOf(cells, log, ground.gradientDeviation),
  }
}

/** What the tones of the rings of a shape say by themselves: the search starts from it. */
function ringTones({ light, depth }: Cells, ground: Ground, inside: readonly number[], steps: number): { taken: number; added: number }[] {
  const sums = Array.from({ length: steps + 1 }, () => ({ seen: 0, beneath: 1e-6, products: 0, squares: 1e-9 }))
  for (const i of inside) {
    const ring = sums[Math.min(steps, Math.round(depth[i]! * steps))]!
    ring.seen += light[i]!
    ring.beneath += ground.light[i]!
    ring.products += (ground.light[i]! - light[i]!) * ground.light[i]!
    ring.squares += ground.light[i]! ** 2
  }
  // Opacity by least squares of what is missing on the ground; light added as a logarithm.
  return sums.map(({ seen, beneath, products, squares }) => ({ taken: products / squares, added: ln(Math.max(1e-6, seen) / beneath) }))
}

/** From 0 on, and inward never less than outside of it. */
function neverFalling(values: readonly number[]): number[] {
  let most = 0
  return values.map((value) => (most = Math.max(most, value)))
}

function opacityAt(opacity: readonly number[], depth: number): number {
  if (depth <= 0) return 0
  const at = Math.min(1, depth) * (opacity.length - 1)
  const k = Math.min(opacity.length - 2, Math.floor(at))
  return opacity[k]! + (at - k) * (opacity[k + 1]! - opacity[k]!)
}

/** Log light as it is without the cover; NaN where that is hidden or says nothing. */
function uncovered({ light, depth, barred }: Cells, opacity: readonly number[]): Float32Array {
  return logOf(light.map((value, i) => {
    const a = opacityAt(opacity, depth[i]!)
    return barred[i] === 1 || a >= HIDDEN ? NaN : value / (1 - a)
  }))
}

/** Cost of a fit: of the gradients in what is given back, of its tone against that of the ground, and of what is hidden. */
function costOf(cells: Cells, { log: groundLog, toneDeviation, gradientDeviation }: Ground, usual: number, opacity: readonly number[]): number {
  const { depth, barred } = cells
  const log = uncovered(cells, opacity)
  let cost = 0
  eachPair(cells, (i, j) => {
    if (depth[i] === 0 && depth[j] === 0) return
    const difference = log[j]! - log[i]!
    cost += difference === difference ? pairCost(difference, gradientDeviation) : usual
  })
  for (let i = 0; i < log.length; i++) {
    if (depth[i] === 0 || barred[i] === 1) continue
    const off = ((log[i]! - groundLog[i]!) / (toneDeviation * GROUND_SCALE)) ** 2
    cost += off === off ? (GROUND_SAYS * off) / (1 + off) : HIDING_COSTS
  }
  return cost
}

/** Mean cost of a pair of neighbours around. */
function costAround(cells: Cells, { gradientDeviation }: Ground): number {
  const log = uncovered(cells, [0, 0])
  let [cost, pairs] = [0, 0]
  eachPair(cells, (i, j) => {
    const difference = log[j]! - log[i]!
    if (cells.depth[i]! > 0 || cells.depth[j]! > 0 || difference !== difference) return
    cost += pairCost(difference, gradientDeviation)
    pairs++
  })
  return cost / Math.max(1, pairs)
}
