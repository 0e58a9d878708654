import { TONE_WINDOW, ToneTable } from '../../kernels/filling/tone-waves.js'
import { makeRandom } from '../../random.js'
import { exp, ln } from '../../numbers/exact-math.js'
import { KNOWN, type FillProblem } from './fill-problem.js'
import { gapCells } from './gap-cells.js'
import { layGrain } from './lay-grain.js'

/** Side of the cells whose gaps are filled at once when they lie close together, else quarter by quarter. */
const CELL = 8
/** No pixel of a cell lies further from the middle of its gaps than this, or it is quartered. */
const APART = 3.2
/** A pixel's say falls by this factor with every pixel of distance; what was filled says less than what is known. */
const DECAY = 0.64
const SECOND_HAND = 0.8
const LIMITS = { most: 50, share: 0.5, least: 1e-4 }

/**
 * Fill gaps with the few waves that go on best from what is known around.
 *
 * Group by group, those with the most known pixels near by first, a sparse sum of waves is fitted to the window round a
 * group of gaps, near pixels counting more, and read off inside: edges and patterns that cross a gap go on through it.
 * Waves are chosen by the tone of all channels together, and each channel has its own share of them. Such content is
 * smoother than a photograph, so grain is laid over it at the end.
 *
 * @param problem  Changed in place: pixels with role FILL get values; roles stay.
 * @param seed     Which places lend their grain.
 *
 * Kaup, Meisinger and Aach 2005, "Frequency selective signal extrapolation with applications to error concealment in
 * image communication"; Seiler and Kaup 2010, "Complex-valued frequency selective extrapolation for fast image and video
 * signal extrapolation" (all of it in the frequency domain). The numbers above were set on open photographs with scratches
 * (bench/mending/known-damage.ts).
 */
export function fillToneWaves(problem: FillProblem, seed: number): void {
  const table = new ToneTable(problem, { says: SAY, secondHand: SECOND_HAND, prior: likelihood, ...LIMITS })
  const groups = groupsOf(problem)
  // A group deep inside sees nothing before its neighbours are filled; one that never does keeps what it has.
  for (let waiting = groups, before = Infinity; waiting.length < before; ) {
    before = waiting.length
    waiting = waiting.filter(({ left, top, gaps }) => !table.continueInto(left, top, gaps))
  }
  problem.channels.forEach((plane, c) => {
    const filled = table.plane(c)
    for (const { gaps } of groups) for (let k = 0; k < gaps.length; k++) plane[gaps[k]!] = filled[gaps[k]!]!
  })
  layGrain(problem, makeRandom(seed), 12)
}

/** Gaps that are filled at once. */
interface Group {
  /** Of the window round them, which may lie partly outside. */
  readonly left: number
  readonly top: number
  /** Their indices. */
  readonly gaps: readonly number[]
  /** How much the known pixels have to say in the middle half of the window, where nearly all is said. */
  readonly support: number
}

const QUARTER = TONE_WINDOW / 4

/** How much each pixel of a window has to say. */
const SAY = Float32Array.from({ length: TONE_WINDOW * TONE_WINDOW }, (_value, i) => {
  const dx = (i % TONE_WINDOW) + 0.5 - TONE_WINDOW / 2
  const dy = Math.floor(i / TONE_WINDOW) + 0.5 - TONE_WINDOW / 2
  return exp(ln(DECAY) * Math.sqrt(dx * dx + dy * dy))
})

/** Pictures hold more of the coarse than of the fine. */
function likelihood(u: number, v: number): number {
  const rest = Math.max(0, 1 - Math.sqrt(2 * (u * u + v * v)) / TONE_WINDOW)
  return rest * rest * rest
}

/** Groups of gaps; those for which most is known come first. */
function groupsOf(problem: FillProblem): Group[] {
  const groups: Group[] = []
  for (const { gaps } of gapCells(problem, CELL)) {
    if (gaps.length === CELL * CELL || reachOf(gaps, problem.width) <= APART) groups.push(groupAround(gaps, problem))
    else for (const quarter of quartersOf(gaps, problem.width)) groups.push(groupAround(quarter, problem))
  }
  return groups.sort((a, b) => b.support - a.support)
}

function quartersOf(gaps: readonly number[], width: number): number[][] {
  const quarters: number[][] = [[], [], [], []]
  for (const i of gaps) {
    const x = i % width
    const right = x % CELL >= CELL / 2
    const low = ((i - x) / width) % CELL >= CELL / 2
    quarters[(low ? 2 : 0) + (right ? 1 : 0)]!.push(i)
  }
  return quarters.filter((quarter) => quarter.length > 0)
}

function middleOf(gaps: readonly number[], width: number): [number, number] {
  let x = 0
  let y = 0
  for (const i of gaps) {
    x += i % width
    y += Math.floor(i / width)
  }
  return [x / gaps.length, y / gaps.length]
}

/** How far the furthest of some gaps lies from their middle, in pixels. */
function reachOf(gaps: readonly number[], width: number): number {
  const [x, y] = middleOf(gaps, width)
  let furthest = 0
  for (const i of gaps) furthest = Math.max(furthest, (i % width - x) ** 2 + (Math.floor(i / width) - y) ** 2)
  return Math.sqrt(furthest)
}

function groupAround(gaps: readonly number[], { width, height, role }: FillProblem): Group {
  const [x, y] = middleOf(gaps, width)
  const left = Math.round(x + 0.5) - TONE_WINDOW / 2
  const top = Math.round(y + 0.5) - TONE_WINDOW / 2
  let support = 0
  for (let v = Math.max(QUARTER, -top); v < Math.min(TONE_WINDOW - QUARTER, height - top); v++) {
    const row = (v + top) * width + left
    for (let u = Math.max(QUARTER, -left); u < Math.min(TONE_WINDOW - QUARTER, width - left); u++) if (role[row + u] === KNOWN) support += SAY[v * TONE_WINDOW + u]!
  }
  return { left, top, gaps, support }
}
