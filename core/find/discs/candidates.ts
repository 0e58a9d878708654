import { halvePlane, PlaneWorkshop, type KernelPlane } from '../../kernels/finding/planes.js'
import type { Plane } from '../../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'

/** A place where something rounder than its surroundings stands out. */
export interface Candidate {
  /** Centre in pixels of the searched plane. */
  readonly x: number
  readonly y: number
  /** Radius that answers best, in pixels. */
  readonly radius: number
  /** How strongly it stands out, in deviations; negative for dark. Comparable among candidates of one search only. */
  readonly response: number
  /** Deviation of responses here over the quietest tenth of the plane: 1 in a plain sky, large in texture. */
  readonly unrest: number
  /** Mean over spread of the differences in all directions, where the search measures it. */
  readonly evenness: number
  /** Its strength over what the stronger of the candidates around have: a flaw stands out, gravel is all alike. */
  readonly standing: number
  /** How many candidates there are around. */
  readonly crowd: number
}

type Size = Pick<Plane, 'width' | 'height'>

/** Side of the blocks over which responses are compared, in pixels of the octave: fewer where an octave is small. */
export const blockSide = (octave: number) => (octave < 2 ? 32 : 16)

/** Responses weaker than this are not looked at more closely: a speck is sharp and must stand out by more than chance. */
const LEAST_RESPONSE = 4
/** Candidates lie at least so many pixels of an octave from its edge. */
const BORDER = 3
/** From this response on a candidate counts among those that others are held against. */
const NOTED_RESPONSE = 7

/** Radius of the disc that a difference of two binomial filters answers to best, by number of passes. */
const SCALES = [
  { inner: 0, outer: 2, radius: 1.1, octaves: 'first' },
  { inner: 1, outer: 4, radius: 2.1, octaves: 'all' },
  { inner: 2, outer: 8, radius: 3.0, octaves: 'later' },
] as const

export interface Octaves {
  /** Plane at half the size of the one before it. */
  readonly planes: readonly Plane[]
}

/** The plane and its halves, as many as discs up to `largestRadius` need. */
export function makeOctaves(plane: Plane, largestRadius: number): Octaves {
  const planes = [plane]
  while (4 * 2 ** (planes.length - 1) < largestRadius && Math.min(planes.at(-1)!.width, planes.at(-1)!.height) >= 48) {
    planes.push(halfOf(planes.at(-1)!))
  }
  return { planes }
}

/** Every kind that is looked for asks for the same halves. */
const halves = new WeakMap<Plane, Plane>()

function halfOf(plane: Plane): Plane {
  let half = halves.get(plane)
  if (!half) {
    half = halvePlane(plane)
    halves.set(plane, half)
  }
  return half
}

/**
 * Scale space extrema: places where a difference of Gaussians is largest in space and among scales.
 *
 * @param octaves  From `makeOctaves`.
 * @returns Candidates, strongest first, none within another's radius.
 *
 * Lindeberg 1998, "Feature detection with automatic scale selection", with binomial filters for Gaussians.
 */
export function findCandidates(octaves: Octaves): readonly Candidate[] {
  const found: Unplaced[] = []
  for (let octave = 0; octave < octaves.planes.length; octave++) {
    const plane = octaves.planes[octave]!
    const { width, height } = plane
    if (width < 16 || height < 16) break
    const wanted = SCALES.filter((scale) => scale.octaves === 'all' || (scale.octaves === 'first') === (octave === 0))
    const last = Math.max(...wanted.map((scale) => scale.outer))
    const workshop = new PlaneWorkshop(width, height, last + 3)
    const response = workshop.plane(last + 1)
    const room = workshop.plane(last + 2)
    workshop.plane(0).data.set(plane.data)
    for (let pass = 1; pass <= last; pass++) workshop.blur(workshop.plane(pass - 1), workshop.plane(pass))
    for (const scale of wanted) {
      workshop.subtract(workshop.plane(scale.inner), workshop.plane(scale.outer), response)
      // A ground that curves, such as a bank of cloud, answers with a constant that has nothing to do with a disc.
      workshop.subtractBoxMean(response, octave === 0 ? 8 : 6)
      const side = blockSide(octave)
      const spread = blockDeviations(workshop, response, plane, side)
      const step = 2 ** octave
      for (const i of workshop.extrema(response, BORDER, spread, side, LEAST_RESPONSE, room)) {
        const x = i % width
        const y = (i - x) / width
        const deviation = spread.data[Math.min(spread.height - 1, Math.floor(y / side)) * spread.width + Math.min(spread.width - 1, Math.floor(x / side))]!
        found.push({ x: (x + 0.5) * step, y: (y + 0.5) * step, radius: scale.radius * step, response: response.data[i]! / deviation, unrest: deviation / spread.quiet, evenness: 1, standing: 0, crowd: 0 })
      }
    }
  }
  return seenAmongOthers(strongestOnly(found))
}

/** Side of the squares, three by three of which are what lies around a candidate, in pixels of the searched plane. */
const AROUND = 64
/** What stands over this share of those around is what others are held against; fewer than so many say nothing. */
const STRONGER = 0.8
const FEW = 6

/** A candidate before it is seen among the others. */
type Unplaced = Omit<Candidate, 'standing' | 'crowd'> & { standing: number; crowd: number }

const strengthOf = ({ response, unrest }: Unplaced) => Math.abs(response) * unrest

/** Candidates with how they stand among those around them. */
function seenAmongOthers(found: readonly Unplaced[]): readonly Candidate[] {
  const strengths = new Surroundings()
  for (const candidate of found) if (Math.abs(candidate.response) >= NOTED_RESPONSE) strengths.add(candidate.x, candidate.y, strengthOf(candidate))
  for (const candidate of found) {
    const { usual, crowd } = strengths.around(candidate.x, candidate.y)
    candidate.standing = strengthOf(candidate) / Math.max(NOTED_RESPONSE, usual)
    candidate.crowd = crowd
  }
  return found
}

/** Strengths by square, and what is usual around each. */
class Surroundings {
  private readonly squares = new Map<number, number[]>()
  private readonly known = new Map<number, { usual: number; crowd: number }>()

  private squareAt(x: number, y: number): number {
    return Math.floor(y / AROUND) * CELLS + Math.floor(x / AROUND)
  }

  add(x: number, y: number, strength: number): void {
    const at = this.squareAt(x, y)
    const list = this.squares.get(at)
    if (list) list.push(strength)
    else this.squares.set(at, [strength])
  }

  around(x: number, y: number): { usual: number; crowd: number } {
    const at = this.squareAt(x, y)
    let here = this.known.get(at)
    if (!here) {
      const strengths: number[] = []
      for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) strengths.push(...(this.squares.get(at + dy * CELLS + dx) ?? []))
      // As numbers that need no comparing function they are sorted many times as fast.
      here = { usual: strengths.length < FEW ? NOTED_RESPONSE : Float64Array.from(strengths).sort()[Math.floor(STRONGER * strengths.length)]!, crowd: strengths.length }
      this.known.set(at, here)
    }
    return here
  }
}

/**
 * Robust deviation of responses in blocks, each the larger of its own and what its neighbours' middle says, so that the
 * quiet side of an edge does not make the edge look strong.
 */
export function blockDeviations(workshop: PlaneWorkshop, response: KernelPlane, { width, height }: Size, side: number): Plane & { quiet: number } {
  const columns = Math.max(1, Math.floor(width / side))
  const rows = Math.max(1, Math.floor(height / side))
  const own = workshop.blockMedians(response, side)
  for (let k = 0; k < own.length; k++) own[k] = Math.max(1e-7, DEVIATION_PER_MAD * own[k]!)
  const result = new Float32Array(columns * rows)
  const around = new Float32Array(9)
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      let n = 0
      for (let y = Math.max(0, row - 1); y <= Math.min(rows - 1, row + 1); y++) {
        for (let x = Math.max(0, column - 1); x <= Math.min(columns - 1, column + 1); x++) around[n++] = own[y * columns + x]!
      }
      const middle = median(around, n)
      // A block that a large flaw fills is restless because of the flaw: not more than a little above its neighbours.
      result[row * columns + column] = Math.max(middle, Math.min(own[row * columns + column]!, 1.5 * middle))
    }
  }
  const sorted = result.slice().sort()
  return { width: columns, height: rows, data: result, quiet: sorted[Math.floor(sorted.length / 10)]! }
}

/** Strongest first; one inside a stronger one of the same sign and alike in size is the same thing seen twice. */
export function strongestOnly<C extends Omit<Candidate, 'standing' | 'crowd'>>(found: C[]): C[] {
  const places = new KnownPlaces()
  const kept: C[] = []
  for (const candidate of strongestFirst(found)) {
    if (places.has(candidate)) continue
    places.add(candidate)
    kept.push(candidate)
  }
  return kept
}

/** Candidates by size and place: what is small is asked about what is small alone, in small cells. */
class KnownPlaces {
  private readonly sizes: { readonly radius: number; readonly side: number; readonly cells: Map<number, Round[]> }[] = []

  add(candidate: Round): void {
    let size
    for (const known of this.sizes) if (known.radius === candidate.radius) size = known
    if (!size) this.sizes.push((size = { radius: candidate.radius, side: 2 * candidate.radius + 2, cells: new Map<number, Round[]>() }))
    const key = Math.floor(candidate.y / size.side) * CELLS + Math.floor(candidate.x / size.side)
    const cell = size.cells.get(key)
    if (cell) cell.push(candidate)
    else size.cells.set(key, [candidate])
  }

  /** Whether one that was added is the same thing. */
  has(candidate: Round): boolean {
    for (const { radius, side, cells } of this.sizes) {
      if (!(candidate.radius > ALIKE * radius)) continue
      const reach = Math.max(APART * radius, WITHIN * candidate.radius)
      const right = Math.floor((candidate.x + reach) / side)
      const below = Math.floor((candidate.y + reach) / side)
      for (let y = Math.floor((candidate.y - reach) / side); y <= below; y++) {
        for (let x = Math.floor((candidate.x - reach) / side); x <= right; x++) {
          const others = cells.get(y * CELLS + x)
          if (others) for (let k = 0; k < others.length; k++) if (isSameThing(candidate, others[k]!)) return true
        }
      }
    }
    return false
  }
}

/** Steps of a deviation by which responses are told apart, and more candidates than one search has. */
const STEPS = 65536
const MOST = 2 ** 24

/** In the order of their responses, alike ones as they come: numbers are sorted many times as fast as candidates are. */
function strongestFirst<C extends { readonly response: number }>(found: readonly C[]): C[] {
  const keys = new Float64Array(found.length)
  for (let i = 0; i < keys.length; i++) keys[i] = i - MOST * Math.round(STEPS * Math.min(Math.abs(found[i]!.response), STRONGEST))
  keys.sort()
  const sorted: C[] = []
  for (let n = 0; n < keys.length; n++) sorted.push(found[((keys[n]! % MOST) + MOST) % MOST]!)
  return sorted
}

/** More than any response: what is as exact a number as this, in steps and among so many. */
const STRONGEST = 8191

/** More cells than there are in a row. */
const CELLS = 65536
/** Least radius over a stronger one's of what may be the same thing. */
const ALIKE = 0.6
/** So near, in radii of the larger, are two of one sign that are the same thing; in radii of the stronger, two of both signs. */
const WITHIN = 0.7
const APART = 1.2

type Round = Pick<Candidate, 'x' | 'y' | 'radius' | 'response'>

function isSameThing(candidate: Round, stronger: Round): boolean {
  if (!(candidate.radius > ALIKE * stronger.radius)) return false
  const across = stronger.x - candidate.x
  const down = stronger.y - candidate.y
  const sameSign = stronger.response < 0 === candidate.response < 0
  return Math.sqrt(across * across + down * down) < (sameSign ? WITHIN * Math.max(stronger.radius, candidate.radius) : APART * stronger.radius)
}
