import type { PathReader } from '../kernels/paths.js'
import { between, chainsOf, meeting, type Tip } from './join-lines.js'
import type { MeasuredPath } from './lines.js'
import type { RidgePath } from './ridges.js'

/** Widest gap that is asked about, in pixels of the plane that the paths are read in, and as a share of the longer line. */
const WIDEST = 90
const SHARE = 0.8
/** Share of the fainter line's difference that is left over a gap that it crosses, and by how many deviations of the mean. */
const LEFT = 0.5
const CERTAIN = 3
/** Cosine of the turn that it may make there at most. */
const STRAIGHT = 0.94

/**
 * Lines that are seen in several paths, where texture is too strong for a ridge to be followed all along: what lies between
 * two ends that look at each other is asked whether the line goes on there, all of the gap at once.
 *
 * @param reader  Of the plane that all of them were measured in.
 * @param scale   Pixels of the paths in one of that plane's.
 * @returns       Which of the paths are parts of one line, and the path that runs through them.
 */
export function bridged(reader: PathReader, scale: number, measured: readonly MeasuredPath[]): { parts: readonly MeasuredPath[]; path: RidgePath }[] {
  const cost = (p: MeasuredPath, a: Tip, q: MeasuredPath, b: Tip): number => {
    const met = meeting(p, a, q, b, Math.min(WIDEST * scale, SHARE * Math.max(p.length, q.length)))
    if (!met || met.gap < 2 * scale || Math.min(met.facing, met.toward) < STRAIGHT || !between(p.difference / q.difference, 2)) return Infinity
    reader.follow(straight(a, b, scale), scale)
    const { mean, values } = reader.ask((p.width + q.width) / 4 / scale, 0)
    const expected = Math.min(Math.abs(p.difference), Math.abs(q.difference))
    const share = (Math.sign(p.difference) * mean) / expected
    // Neighbouring answers share pixels: about half of them are independent.
    const deviation = Math.max(p.stray, q.stray) / Math.sqrt(values.length / 2)
    return share > LEFT && share * expected > CERTAIN * deviation ? 1 - Math.min(1, share) : Infinity
  }
  return chainsOf(measured, cost).filter((chain) => chain.length > 1).map((chain) => {
    const parts = chain.map(({ index }) => measured[index]!)
    const legs = chain.map(({ index, reversed }) => (reversed ? backward(measured[index]!.path.points) : measured[index]!.path.points))
    const total = parts.reduce((sum, { length }) => sum + length, 0)
    const over = (value: (part: MeasuredPath) => number) => parts.reduce((sum, part) => sum + value(part) * part.length, 0) / total
    return { parts, path: { points: connected(legs, 2 ** parts[0]!.path.octave), sign: parts[0]!.path.sign, octave: parts[0]!.path.octave, response: over(({ response }) => response), unrest: over(({ unrest }) => unrest) } }
  })
}

interface Place { readonly x: number; readonly y: number }

/** Points between two, about `step` apart, with neither of them. */
function straight(a: Place, b: Place, step: number): Float64Array {
  const count = Math.max(1, Math.round(Math.sqrt((a.x - b.x) ** 2 + (a.y - b.y) ** 2) / step) - 1)
  return Float64Array.from({ length: 2 * count }, (_value, i) => {
    const share = ((i >> 1) + 1) / (count + 1)
    return i % 2 === 0 ? a.x + share * (b.x - a.x) : a.y + share * (b.y - a.y)
  })
}

function backward(points: Float64Array): Float64Array {
  return Float64Array.from(points, (_value, i) => points[points.length - 2 - i + 2 * (i % 2)]!)
}

/** Legs one behind the other, straight over what lies between. */
function connected(legs: readonly Float64Array[], step: number): Float64Array {
  const parts = legs.flatMap((leg, k) => {
    const before = legs[k - 1]
    return before ? [straight({ x: before[before.length - 2]!, y: before[before.length - 1]! }, { x: leg[0]!, y: leg[1]! }, step), leg] : [leg]
  })
  const points = new Float64Array(parts.reduce((sum, part) => sum + part.length, 0))
  let at = 0
  for (const part of parts) {
    points.set(part, at)
    at += part.length
  }
  return points
}
