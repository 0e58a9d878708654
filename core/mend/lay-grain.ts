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
      const gaps = Int32Array.from(lenders.flatMap((lender) => lender.gaps))
      const sources = Int32Array.from(lenders.flatMap(({ gaps, shift }) => gaps.map((i) => i + shift)))
      for (const plane of channels) layOnPlane(plane, problem, gaps, sources, scratch)
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
  for (let y = cellTop; y < Math.min(height, cellTop + CELL); y++) {
    for (let x = cellLeft, i = y * width + x; x < Math.min(width, cellLeft + CELL); x++, i++) if (role[i] === FILL) gaps.push(i)
  }
  if (gaps.length === 0) return null
  const witnesses: number[] = []
  const box = { left: Math.max(0, cellLeft - NEAR), right: Math.min(width, cellLeft + CELL + NEAR), top: Math.max(0, cellTop - NEAR), bottom: Math.min(height, cellTop + CELL + NEAR) }
  for (let y = box.top; y < box.bottom; y++) {
    for (let x = box.left + ((box.left + y) & 1); x < box.right; x += 2) if (role[y * width + x] === KNOWN) witnesses.push(y * width + x)
  }
  const least = { x: Math.max(-REACH, -box.left), y: Math.max(-REACH, -box.top) }
  const most = { x: Math.min(REACH, width - box.right), y: Math.min(REACH, height - box.bottom) }
  let best: Lender | null = null
  let cheapest = Infinity
  for (let attempt = 0; attempt < TRIES; attempt++) {
    const dx = least.x + Math.floor(random.uniform() * (most.x - least.x + 1))
    const dy = least.y + Math.floor(random.uniform() * (most.y - least.y + 1))
    const shift = dy * width + dx
    if (!isKnown(role, gaps, shift)) continue
    let cost = 0
    let count = 1
    for (let k = 0; k < witnesses.length; k++) {
      const i = witnesses[k]!
      if (role[i + shift] !== KNOWN) continue
      count++
      for (let c = 0; c < channels.length; c++) cost += Math.abs(channels[c]![i]! - channels[c]![i + shift]!)
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

/** Whether all of some pixels, shifted, are known. */
function isKnown(role: Uint8Array, pixels: readonly number[], shift: number): boolean {
  for (let k = 0; k < pixels.length; k++) if (role[pixels[k]! + shift] !== KNOWN) return false
  return true
}

/**
 * @param sources  For each of the gaps, the pixel that lends it its grain.
 * @param scratch  Zeros of the size of the plane; zeros again afterwards.
 */
function layOnPlane(plane: Float32Array, { width, height }: FillProblem, gaps: Int32Array, sources: Int32Array, scratch: Float32Array): void {
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
    for (let k = 0; k < gaps.length; k++) scratch[gaps[k]!] = lent[k]!
    const finer = fineDetail(gaps, scratch, width, height, FINE)
    const left = deviationOf(finer)
    if (missing > STRONGEST * left) break
    lent = finer
    offered = left
  }
  for (const i of gaps) scratch[i] = 0
  const strength = Math.min(STRONGEST, missing / offered)
  const furthest = FURTHEST * offered
  for (let k = 0; k < gaps.length; k++) {
    const i = gaps[k]!
    plane[i] = Math.max(0, Math.min(1, plane[i]! + strength * Math.max(-furthest, Math.min(furthest, lent[k]!))))
  }
}

/** Robust deviation of values about 0. */
function deviationOf(values: Float32Array): number {
  return DEVIATION_PER_MAD * median(values.map((value) => Math.abs(value)))
}

/** What a Gaussian takes away, at a few places only: beyond the edge the edge pixel is repeated. */
function fineDetail(places: Int32Array, plane: Float32Array, width: number, height: number, weights: Float64Array): Float32Array {
  const side = weights.length
  const radius = (side - 1) / 2
  const { left, right, top, bottom } = boxOf(places, width)
  const columns = right - left + 1
  // Sums along rows, each made when it is first asked for: places that lie close together share most of theirs.
  const across = new Float64Array(columns * (bottom - top + side)).fill(NaN)
  const detail = new Float32Array(places.length)
  for (let k = 0; k < places.length; k++) {
    const i = places[k]!
    const x = i % width
    const y = (i - x) / width
    let smooth = 0
    for (let v = 0; v < side; v++) {
      const at = (y - top + v) * columns + x - left
      let sum = across[at]!
      if (Number.isNaN(sum)) {
        sum = sumAlongRow(plane, Math.max(0, Math.min(height - 1, y + v - radius)) * width, width, x, weights)
        across[at] = sum
      }
      smooth += weights[v]! * sum
    }
    detail[k] = plane[i]! - smooth
  }
  return detail
}

/** @param row  Index of its first pixel. */
function sumAlongRow(plane: Float32Array, row: number, width: number, x: number, weights: Float64Array): number {
  const side = weights.length
  const first = x - (side - 1) / 2
  let sum = 0
  if (first >= 0 && first + side <= width) for (let u = 0; u < side; u++) sum += weights[u]! * plane[row + first + u]!
  else for (let u = 0; u < side; u++) sum += weights[u]! * plane[row + Math.max(0, Math.min(width - 1, first + u))]!
  return sum
}

function boxOf(places: Int32Array, width: number): { left: number; right: number; top: number; bottom: number } {
  const box = { left: Infinity, right: -Infinity, top: Infinity, bottom: -Infinity }
  for (const i of places) {
    const x = i % width
    const y = (i - x) / width
    box.left = Math.min(box.left, x)
    box.right = Math.max(box.right, x)
    box.top = Math.min(box.top, y)
    box.bottom = Math.max(box.bottom, y)
  }
  return box
}
