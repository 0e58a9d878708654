import type { Random } from '../random.js'
import { gaussianWeights } from '../raster/blur.js'
import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'
import { FILL, KNOWN, type FillProblem } from './fill-bridge.js'

/** Grain is what a Gaussian of this deviation takes away, in pixels. */
const GRAIN = gaussianWeights(1.5)
/** Lent grain goes through a finer high pass so often: what was left of its tone would show as a mottle. */
const FINE = gaussianWeights(1)
const PASSES = 3
/** Grain is made no more than so many times stronger, and no sample of it lies further out than so many deviations. */
const STRONGEST = 2
const FURTHEST = 3
/** What is cut off there is made up for (measured on open photographs, bench/known-damage.ts). */
const FULL = 1.1
/** Side of the cells that take their grain from one place, and of the squares over which grain is taken for even. */
const CELL = 12
const TILE = 96
/** How far away a place that lends its grain may lie, and how many are tried. */
const REACH = 40
const TRIES = 24
/** Known pixels no further than this from a gap are compared with those of a place that lends. */
const NEAR = 4

/**
 * Lay grain over content that is smoother than its surroundings: the fine detail of places near by that look alike.
 *
 * @param problem  Its pixels with role FILL hold content without grain; changed in place.
 * @param random   Says which places are tried.
 */
export function layGrain(problem: FillProblem, random: Random): void {
  const { width, height, channels } = problem
  const scratch = new Float32Array(width * height)
  for (let top = 0; top < height; top += TILE) {
    for (let left = 0; left < width; left += TILE) {
      const lenders = lendersWithin(problem, left, top, random)
      if (lenders.length === 0) continue
      for (const plane of channels) layOnPlane(plane, problem, lenders, scratch)
    }
  }
}

/** Pixels to fill of one cell, and how far away the place lies that lends them its grain, as a difference of indices. */
interface Lender {
  readonly gaps: readonly number[]
  readonly shift: number
}

function lendersWithin(problem: FillProblem, left: number, top: number, random: Random): Lender[] {
  const lenders: Lender[] = []
  for (let y = top; y < Math.min(problem.height, top + TILE); y += CELL) {
    for (let x = left; x < Math.min(problem.width, left + TILE); x += CELL) {
      const lender = findLender(problem, x, y, random)
      if (lender) lenders.push(lender)
    }
  }
  return lenders
}

/** A place known whole whose surroundings look most like those of the gaps in a cell; null when there is none. */
function findLender({ width, height, role, channels }: FillProblem, cellLeft: number, cellTop: number, random: Random): Lender | null {
  const gaps: number[] = []
  const witnesses: number[] = []
  const box = { left: Math.max(0, cellLeft - NEAR), right: Math.min(width, cellLeft + CELL + NEAR), top: Math.max(0, cellTop - NEAR), bottom: Math.min(height, cellTop + CELL + NEAR) }
  for (let y = box.top; y < box.bottom; y++) {
    for (let x = box.left; x < box.right; x++) {
      const i = y * width + x
      const within = x >= cellLeft && x < cellLeft + CELL && y >= cellTop && y < cellTop + CELL
      if (role[i] === FILL && within) gaps.push(i)
      else if (role[i] === KNOWN && ((x + y) & 1) === 0) witnesses.push(i)
    }
  }
  if (gaps.length === 0) return null
  const least = { x: Math.max(-REACH, -box.left), y: Math.max(-REACH, -box.top) }
  const most = { x: Math.min(REACH, width - box.right), y: Math.min(REACH, height - box.bottom) }
  let best: Lender | null = null
  let cheapest = Infinity
  for (let attempt = 0; attempt < TRIES; attempt++) {
    const dx = least.x + Math.floor(random.uniform() * (most.x - least.x + 1))
    const dy = least.y + Math.floor(random.uniform() * (most.y - least.y + 1))
    const shift = dy * width + dx
    if (gaps.some((i) => role[i + shift] !== KNOWN)) continue
    let cost = 0
    let count = 1
    for (const i of witnesses) {
      if (role[i + shift] !== KNOWN) continue
      count++
      for (const plane of channels) cost += Math.abs(plane[i]! - plane[i + shift]!)
    }
    // Of a place of which little is known, little is said.
    cost /= count * count
    if (cost < cheapest) {
      cheapest = cost
      best = { gaps, shift }
    }
  }
  return best
}

/** @param scratch  Zeros of the size of the plane; zeros again afterwards. */
function layOnPlane(plane: Float32Array, { width, height }: FillProblem, lenders: readonly Lender[], scratch: Float32Array): void {
  const gaps = Int32Array.from(lenders.flatMap((lender) => lender.gaps))
  const sources = Int32Array.from(lenders.flatMap(({ gaps, shift }) => gaps.map((i) => i + shift)))
  const own = fineDetail(gaps, plane, width, height, GRAIN)
  const whole = fineDetail(sources, plane, width, height, GRAIN)
  const there = deviationOf(own)
  const wanted = deviationOf(whole)
  if (!(wanted > there)) return
  const missing = FULL * Math.sqrt(wanted * wanted - there * there)
  let lent = whole
  let offered = wanted
  // Coarse grain keeps some of its tone: without that too little of it would be left.
  for (let pass = 0; pass < PASSES; pass++) {
    gaps.forEach((i, k) => (scratch[i] = lent[k]!))
    const finer = fineDetail(gaps, scratch, width, height, FINE)
    const left = deviationOf(finer)
    if (missing > STRONGEST * left) break
    lent = finer
    offered = left
  }
  for (const i of gaps) scratch[i] = 0
  const strength = Math.min(STRONGEST, missing / offered)
  const furthest = FURTHEST * offered
  gaps.forEach((i, k) => {
    plane[i] = Math.max(0, Math.min(1, plane[i]! + strength * Math.max(-furthest, Math.min(furthest, lent[k]!))))
  })
}

/** Robust deviation of values about 0. */
function deviationOf(values: Float32Array): number {
  return DEVIATION_PER_MAD * median(values.map((value) => Math.abs(value)))
}

/** What a Gaussian takes away, at a few places only: beyond the edge the edge pixel is repeated. */
function fineDetail(places: Int32Array, plane: Float32Array, width: number, height: number, weights: Float64Array): Float32Array {
  const side = weights.length
  const radius = (side - 1) / 2
  const detail = new Float32Array(places.length)
  for (let k = 0; k < places.length; k++) {
    const i = places[k]!
    const x = i % width
    const y = (i - x) / width
    const inside = x >= radius && y >= radius && x + radius < width && y + radius < height
    let smooth = 0
    for (let v = 0; v < side; v++) {
      const row = inside ? i + (v - radius) * width - radius : Math.max(0, Math.min(height - 1, y + v - radius)) * width
      let sum = 0
      if (inside) for (let u = 0; u < side; u++) sum += weights[u]! * plane[row + u]!
      else for (let u = 0; u < side; u++) sum += weights[u]! * plane[row + Math.max(0, Math.min(width - 1, x + u - radius))]!
      smooth += weights[v]! * sum
    }
    detail[k] = plane[i]! - smooth
  }
  return detail
}
