import { WaveTable } from '../kernels/waves.js'
import { makeRandom } from '../random.js'
import { exp, ln } from '../raster/exact-math.js'
import { FILL, KNOWN, type FillProblem } from './fill-bridge.js'
import { layGrain } from './lay-grain.js'

/** Side of the blocks that are filled at once, where a gap is wide and along its edges, and of the window that speaks for one. */
const WIDE_BLOCK = 8
const BLOCK = 4
const WINDOW = 32
/** A pixel's say falls by this factor with every pixel of distance; what was filled says less than what is known. */
const DECAY = 0.68
const SECOND_HAND = 0.8
/**
 * Waves of more turns than this within a window are not chosen: grain is laid on afterwards, and of what else a gap holds
 * they say nothing that can be measured (bench/known-damage.ts), at more than twice the time.
 */
const FINEST = 9
const LIMITS = { most: 75, share: 0.45, least: 1e-4 }

/**
 * Fill gaps with the few waves that go on best from what is known around: as fills of the second and third version do.
 *
 * Block by block, those with the most known pixels near by first, a sparse sum of waves is fitted to the window round a
 * block, near pixels counting more, and read off inside: edges and patterns that cross a gap go on through it. Such
 * content is smoother than a photograph, so grain is laid over it at the end.
 *
 * @param problem  Changed in place: pixels with role FILL get values; roles stay.
 * @param seed     Which places lend their grain.
 * @param prior    How likely a wave of each frequency is.
 *
 * Kaup, Meisinger and Aach 2005, "Frequency selective signal extrapolation with applications to error concealment in
 * image communication"; Seiler and Kaup 2010, "Complex-valued frequency selective extrapolation for fast image and video
 * signal extrapolation" (all of it in the frequency domain). The numbers above were set on open photographs with scratches
 * (bench/known-damage.ts).
 */
export function fillWaves(problem: FillProblem, seed: number, prior: Float32Array = PRIOR): void {
  const { width, height, channels, role } = problem
  const table = new WaveTable({ width, height, channels, known: role.map((value) => (value === KNOWN ? 1 : 0)) }, { side: WINDOW, says: SAY, secondHand: SECOND_HAND, prior, ...LIMITS })
  // A block deep inside sees nothing before its neighbours are filled; one that never does keeps what it has.
  for (let waiting = blocksOf(problem), before = Infinity; waiting.length < before; ) {
    before = waiting.length
    waiting = waiting.filter(({ x, y, border, gaps }) => !table.continueInto(x - border, y - border, gaps))
  }
  layGrain(problem, makeRandom(seed), 24)
}

interface Block {
  /** Of its first pixel. */
  readonly x: number
  readonly y: number
  /** From the edge of its window, in pixels. */
  readonly border: number
  /** Indices of the pixels to fill. */
  readonly gaps: readonly number[]
  /** How much the known pixels of its window have to say. */
  readonly support: number
}

/** How much each pixel of a window has to say. */
const SAY = Float64Array.from({ length: WINDOW * WINDOW }, (_value, i) => {
  const dx = (i % WINDOW) + 0.5 - WINDOW / 2
  const dy = Math.floor(i / WINDOW) + 0.5 - WINDOW / 2
  return exp(ln(DECAY) * Math.sqrt(dx * dx + dy * dy))
})

/** Pictures hold more of the coarse than of the fine. */
function priorUpTo(finest: number): Float32Array {
  const columns = WINDOW / 2 + 1
  return Float32Array.from({ length: WINDOW * columns }, (_value, i) => {
    const u = i % columns
    const y = Math.floor(i / columns)
    const v = Math.min(y, WINDOW - y)
    if (Math.max(u, v) > finest) return 0
    const rest = Math.max(0, 1 - Math.sqrt(2 * (u * u + v * v)) / WINDOW)
    return rest * rest * rest
  })
}

const PRIOR = priorUpTo(FINEST)
/** With all waves that a window can hold: the method as it first was. */
export const OPEN_PRIOR = priorUpTo(WINDOW)

/** Blocks with anything to fill; those for which most is known come first. */
function blocksOf(problem: FillProblem): Block[] {
  const blocks: Block[] = []
  for (let y = 0; y < problem.height; y += WIDE_BLOCK) {
    for (let x = 0; x < problem.width; x += WIDE_BLOCK) {
      const gaps = gapsWithin(problem, x, y, WIDE_BLOCK)
      if (gaps.length === 0) continue
      if (gaps.length === WIDE_BLOCK * WIDE_BLOCK) blocks.push(blockAt(problem, x, y, WIDE_BLOCK, gaps))
      else for (const dy of [0, BLOCK]) for (const dx of [0, BLOCK]) {
        const part = gapsWithin(problem, x + dx, y + dy, BLOCK)
        if (part.length > 0) blocks.push(blockAt(problem, x + dx, y + dy, BLOCK, part))
      }
    }
  }
  return blocks.sort((a, b) => b.support - a.support)
}

function gapsWithin({ width, height, role }: FillProblem, left: number, top: number, side: number): number[] {
  const gaps: number[] = []
  for (let y = top; y < Math.min(height, top + side); y++) for (let x = left; x < Math.min(width, left + side); x++) if (role[y * width + x] === FILL) gaps.push(y * width + x)
  return gaps
}

function blockAt({ width, height, role }: FillProblem, x: number, y: number, side: number, gaps: readonly number[]): Block {
  const border = (WINDOW - side) / 2
  let support = 0
  for (let v = Math.max(0, y - border); v < Math.min(height, y - border + WINDOW); v++) {
    for (let u = Math.max(0, x - border); u < Math.min(width, x - border + WINDOW); u++) if (role[v * width + u] === KNOWN) support += SAY[(v - y + border) * WINDOW + u - x + border]!
  }
  return { x, y, border, gaps, support }
}
