import { GrainTable } from '../../kernels/filling/grain.js'
import type { Random } from '../../random.js'
import { gaussianWeights } from '../../raster/blur.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import { KNOWN, type FillProblem } from './fill-problem.js'
import { gapCells, type GapCell } from './gap-cells.js'

/** Grain is what a Gaussian of this deviation takes away, in pixels. */
const GRAIN = gaussianWeights(1.5)
/** Lent grain goes through a finer high pass so often: what was left of its tone would show as a mottle. */
const FINE = gaussianWeights(1)
const PASSES = 3
/** Grain is made no more than so many times stronger, and no sample of it lies further out than so many deviations. */
const STRONGEST = 2
const FURTHEST = 3
/** What is cut off there is made up for (measured on open photographs, bench/mending/known-damage.ts). */
const FULL = 1.1
/** Side of the cells that take their grain from one place, and of the squares over which grain is taken for even. */
const CELL = 12
const TILE = 96
/** How far away a place that lends its grain may lie. */
const REACH = 40
/** Known pixels no further than this from a gap are compared with those of a place that lends. */
const NEAR = 4

/**
 * Lay grain over content that is smoother than its surroundings: the fine detail of places near by that look alike.
 *
 * @param problem  Its pixels with role FILL hold content without grain; changed in place.
 * @param random   Says which places are tried.
 * @param tries    How many for a cell: of more than a dozen nothing is gained that can be measured (bench/mending/known-damage.ts).
 */
export function layGrain(problem: FillProblem, random: Random, tries: number): void {
  const { width, height, channels } = problem
  const tile = TILE * TILE
  // Places that lend lie up to REACH away from the tile.
  const widest = Math.min(width, TILE + 2 * REACH)
  const table = new GrainTable(problem, tile, widest * (Math.min(height, TILE + 2 * REACH) + GRAIN.length), GRAIN.length)
  for (const cells of tilesOf(gapCells(problem, CELL))) {
    const lenders = cells.flatMap((cell) => findLender(problem, table, cell, random, tries) ?? [])
    if (lenders.length === 0) continue
    const gaps = new Int32Array(lenders.reduce((sum, lender) => sum + lender.gaps.length, 0))
    const sources = gaps.slice()
    let n = 0
    for (const lender of lenders) {
      for (let k = 0; k < lender.gaps.length; k++, n++) {
        gaps[n] = lender.gaps[k]!
        sources[n] = gaps[n]! + lender.shift
      }
    }
    for (let c = 0; c < channels.length; c++) layOnPlane(c, problem, table, gaps, sources)
  }
}

/** Cells tile by tile, row by row. */
function tilesOf(cells: readonly GapCell[]): GapCell[][] {
  const tiles = new Map<string, GapCell[]>()
  for (const cell of cells) {
    const key = `${Math.floor(cell.top / TILE)} ${Math.floor(cell.left / TILE)}`
    tiles.set(key, [...(tiles.get(key) ?? []), cell])
  }
  return [...tiles.values()].sort(([a], [b]) => Math.floor(a!.top / TILE) - Math.floor(b!.top / TILE) || a!.left - b!.left)
}

/** Pixels to fill of one cell, and how far away the place lies that lends them its grain, as a difference of indices. */
interface Lender {
  readonly gaps: readonly number[]
  readonly shift: number
}

/** A place known whole whose surroundings look most like those of the gaps in a cell; null when there is none. */
function findLender({ width, height, role }: FillProblem, table: GrainTable, { left: cellLeft, top: cellTop, gaps }: GapCell, random: Random, tries: number): Lender | null {
  const witnesses: number[] = []
  const box = { left: Math.max(0, cellLeft - NEAR), right: Math.min(width, cellLeft + CELL + NEAR), top: Math.max(0, cellTop - NEAR), bottom: Math.min(height, cellTop + CELL + NEAR) }
  for (let y = box.top; y < box.bottom; y++) {
    for (let x = box.left + ((box.left + y) & 1); x < box.right; x += 2) if (role[y * width + x] === KNOWN) witnesses.push(y * width + x)
  }
  const least = { x: Math.max(-REACH, -box.left), y: Math.max(-REACH, -box.top) }
  const most = { x: Math.min(REACH, width - box.right), y: Math.min(REACH, height - box.bottom) }
  const costOf = table.ask(gaps, witnesses)
  let best: Lender | null = null
  let cheapest = Infinity
  for (let attempt = 0; attempt < tries; attempt++) {
    const dx = least.x + Math.floor(random.uniform() * (most.x - least.x + 1))
    const dy = least.y + Math.floor(random.uniform() * (most.y - least.y + 1))
    const shift = dy * width + dx
    const cost = costOf(shift)
    if (cost < cheapest) {
      cheapest = cost
      best = { gaps, shift }
    }
  }
  return best
}

/** @param sources  For each of the gaps, the pixel that lends it its grain. */
function layOnPlane(c: number, { channels, width }: FillProblem, table: GrainTable, gaps: Int32Array, sources: Int32Array): void {
  const box = boxOf(gaps, width)
  const own = table.fineDetail(c, gaps, box, GRAIN)
  const whole = table.fineDetail(c, sources, boxOf(sources, width), GRAIN)
  const there = deviationOf(own)
  const wanted = deviationOf(whole)
  if (!(wanted > there)) return
  const missing = FULL * Math.sqrt(wanted * wanted - there * there)
  const scratch = table.planes[channels.length]!
  let lent = whole
  let offered = wanted
  // Coarse grain keeps some of its tone: without that too little of it would be left.
  for (let pass = 0; pass < PASSES; pass++) {
    for (let k = 0; k < gaps.length; k++) scratch[gaps[k]!] = lent[k]!
    const finer = table.fineDetail(channels.length, gaps, box, FINE)
    const left = deviationOf(finer)
    if (missing > STRONGEST * left) break
    lent = finer
    offered = left
  }
  for (let k = 0; k < gaps.length; k++) scratch[gaps[k]!] = 0
  const strength = Math.min(STRONGEST, missing / offered)
  const furthest = FURTHEST * offered
  const plane = table.planes[c]!
  for (let k = 0; k < gaps.length; k++) {
    const i = gaps[k]!
    channels[c]![i] = plane[i] = Math.max(0, Math.min(1, plane[i]! + strength * Math.max(-furthest, Math.min(furthest, lent[k]!))))
  }
}

/** Robust deviation of values about 0. */
function deviationOf(values: Float32Array): number {
  const sizes = values.slice()
  for (let k = 0; k < sizes.length; k++) sizes[k] = Math.abs(sizes[k]!)
  return DEVIATION_PER_MAD * median(sizes)
}

/** The smallest box round some places. */
function boxOf(places: Int32Array, width: number): { left: number; top: number; columns: number; rows: number } {
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity]
  for (let k = 0; k < places.length; k++) {
    const x = places[k]! % width
    const y = (places[k]! - x) / width
    left = Math.min(left, x)
    right = Math.max(right, x)
    top = Math.min(top, y)
    bottom = Math.max(bottom, y)
  }
  return { left, top, columns: right - left + 1, rows: bottom - top + 1 }
}
