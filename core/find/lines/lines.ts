import type { Plane, Region } from '../../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import { PathReader } from '../../kernels/finding/paths.js'
import { followedOn } from './follow-on.js'
import { lineAlone } from '../judging/judge.js'
import { withoutCopies } from './line-copies.js'
import { lineFeatures } from './line-features.js'
import { makeOctaves } from '../discs/candidates.js'
import type { ColourLook } from '../discs/colour.js'
import { findRidges, type RidgePath } from './ridges.js'
import { TakenPlaces } from './taken-places.js'
import { lengthOf, mean, noiseOf, PROFILE, sharesOf, spread, STANDS_OUT, steadyShare, STRETCH, widthAt, wiggleOf } from './line-measures.js'

/** Lines up to this wide are found, in pixels. */
const WIDEST = 26
const LAST_OCTAVE = 3

/** What was measured along a line or a piece of one; means are over its points. */
export interface LinePiece {
  /** Along its middle, in pixels of the picture, about two pixels apart or as wide as it is. */
  readonly points: readonly (readonly [number, number])[]
  /** Pixels between the edges, where a fifth of the middle's difference is left. */
  readonly width: number
  readonly length: number
  /** Mean difference of the middle and both sides, log light; negative where darker. */
  readonly difference: number
  /** Mean of both sides, log light as `logLight` tells it. */
  readonly ground: number
  /** Mean difference over the deviation of a pixel. */
  readonly contrast: number
  /** The same summed along it, against what the same question finds beside it. */
  readonly weight: number
  /** Share of its stretches that stand out as a whole does: an edge of texture comes and goes. */
  readonly steadiness: number
  /** How much the sides differ from each other over how much the middle differs from them. */
  readonly unevenness: number
  /** The strongest answer to the same question asked beside it, over its own: near 1 in weave and brick. */
  readonly echo: number
  readonly response: number
  readonly unrest: number
  /** Width of its edges over its own: what lay on the lens or on the print is sharper than the picture. */
  readonly softness: number
  /** How far its way strays from a smooth bend, in pixels of its own scale: texture runs jagged, a hair bends evenly. */
  readonly wiggle: number
  /** Share of what lies around that stands out as much as its middle does: nothing near a scratch is as bright, much in texture is. */
  readonly topped: number
  /** Correlation along it of what lies on both sides: it crosses things that go on behind it, where an edge parts two. */
  readonly likeness: number
  /** Correlation along it of its middle with what lies beside it: what it lies on shows through a scratch. */
  readonly through: number
  /** What its colour says against that of its sides. */
  readonly change: number
  readonly paler: number
  /** What lies across it, from half a pixel to the next of the plane that it was read from, as a share of how far its middle stands out from its sides. */
  readonly profile: Float32Array
}

/**
 * Pieces of lines in a tile: curvilinear structure with what speaks for it and against it.
 *
 * @param plane         Log light of the tile with its surroundings.
 * @param colour        Tells the colour of places in it.
 * @param surroundings  Where the plane lies in the picture.
 * @param tile          Points outside are another tile's.
 */
export function linePieces(plane: Plane, colour: ColourLook, surroundings: Region, tile: Region): LinePiece[] {
  const octaves = makeOctaves(plane, WIDEST)
  const within = { ...tile, x: tile.x - surroundings.x, y: tile.y - surroundings.y }
  const bounds = octaves.planes.slice(0, LAST_OCTAVE).map((_plane, level) => clearOfBorder(within, plane, BESIDE * 2 ** level))
  const inTile: RidgePath[] = []
  for (const path of findRidges(octaves, LAST_OCTAVE)) if (strengthOf(path) >= LEAST_SUM) inTile.push(...clipped(path, bounds[levelOf(path.octave)]!))
  const paths = onceOnly(inTile, plane)
  const pieces: LinePiece[] = []
  for (let level = 0; level < bounds.length; level++) {
    const source = octaves.planes[level]!
    const reader = new PathReader(source)
    const scale = 2 ** level
    for (const path of paths) {
      if (levelOf(path.octave) !== level) continue
      const measured = measure(reader, source, scale, colour, withoutTails(reader, path, scale))
      if (!measured) continue
      const { path: _path, ...piece } = asFarAsItGoes(reader, source, scale, colour, measured, bounds[level]!)
      pieces.push({ ...piece, points: moved(piece.points, surroundings.x, surroundings.y) })
    }
  }
  return withoutCopies(pieces, surroundings)
}

const moved = (points: LinePiece['points'], x: number, y: number): LinePiece['points'] => points.map((point) => [point[0] + x, point[1] + y] as const)

/** Pixels of its plane that have to be seen beside a line: what one side of is not seen may be the edge of anything. */
const BESIDE = 5

/** What of a tile is so far from where its plane, and with it the picture, ends. */
function clearOfBorder({ x, y, width, height }: Region, plane: Plane, far: number): Region {
  const [left, top] = [Math.max(x, far), Math.max(y, far)]
  return { x: left, y: top, width: Math.max(0, Math.min(x + width, plane.width - far) - left), height: Math.max(0, Math.min(y + height, plane.height - far) - top) }
}

/** A path with what was measured along it. */
export interface MeasuredPath extends LinePiece {
  readonly path: RidgePath
}

/** Less score than this, as if nothing else were around it, is hopeless: texture has thousands of such lines, and it takes long to follow them. */
const HOPELESS = -4
/** As often as this it is looked whether a line that has grown by so much goes on further. */
const ROUNDS = 5
const GROWN = 1.15

/** A line followed on as long as that makes it heavier. */
function asFarAsItGoes(reader: PathReader, plane: Plane, scale: number, colour: ColourLook, piece: MeasuredPath, within: Region): MeasuredPath {
  let now = piece
  if (lineAlone.score(lineFeatures({ ...piece, standing: 1, family: 0 })) < HOPELESS) return piece
  for (let round = 0; round < ROUNDS; round++) {
    const on = measure(reader, plane, scale, colour, followedOn(reader, scale, now, within))
    if (!on || on.weight <= now.weight) break
    const grown = on.length > GROWN * now.length
    now = on
    if (!grown) break
  }
  return now
}

/** Where a line is two pixels wide, its profile is still seen; finer, noise is. */
const levelOf = (octave: number) => Math.max(0, octave - 1)

/** A path less what was followed beyond the ends of its line, into noise: there the middle no longer stands out. */
function withoutTails(reader: PathReader, path: RidgePath, scale: number): RidgePath {
  const { points, sign } = path
  reader.follow(points, scale)
  const { values, mean } = reader.ask(1, 0)
  const least = STANDS_OUT * STRETCH * Math.abs(mean)
  let first = 0
  let last = values.length - STRETCH
  while (first < last && sign * sumOfStretch(values, first) <= least) first++
  while (last > first && sign * sumOfStretch(values, last) <= least) last--
  return last > first ? { ...path, points: points.subarray(2 * first, 2 * (last + STRETCH)) } : path
}

function sumOfStretch(values: Float32Array, from: number): number {
  let sum = 0
  for (let k = from; k < from + STRETCH; k++) sum += values[k]!
  return sum
}

/** The parts of a path whose points lie in a region. */
function clipped(path: RidgePath, { x: left, y: top, width, height }: Region): RidgePath[] {
  const { points } = path
  const [right, below] = [left + width, top + height]
  const parts: RidgePath[] = []
  let start = 0
  for (let k = 0; k <= points.length; k += 2) {
    const [x, y] = [points[k]!, points[k + 1]!]
    if (k < points.length && x >= left && y >= top && x < right && y < below) continue
    if (k - start >= 2 * FEWEST) parts.push(k - start === points.length ? path : { ...path, points: points.subarray(start, k) })
    start = k + 2
  }
  return parts
}

/** Points of a path that is still one. */
const FEWEST = 4

/** Least answer, summed as noise sums, of a path that is looked at more closely. */
const LEAST_SUM = 8
const strengthOf = ({ response, points }: RidgePath) => response * Math.sqrt(points.length / 2)
/** Two lines are the same where this share of one lies on the other. */
const SAME = 0.5
/** How far to either side a path takes places, in pixels of its octave. */
const REACH = 1.5

interface RankedPath {
  readonly path: RidgePath
  readonly rank: number
}

const strongestFirst = (a: RankedPath, b: RankedPath) => b.rank - a.rank || a.path.points[1]! - b.path.points[1]! || a.path.points[0]! - b.path.points[0]!

/** A line answers in several octaves: the octave where it answers most keeps it. */
function onceOnly(paths: readonly RidgePath[], { width, height }: Pick<Plane, 'width' | 'height'>): RidgePath[] {
  const taken = new TakenPlaces(width, height)
  const strong: RankedPath[] = []
  for (const path of paths) {
    const strength = strengthOf(path)
    // A point of a wide octave stands for more pixels.
    if (strength >= LEAST_SUM) strong.push({ path, rank: strength * (1 + 0.35 * path.octave) })
  }
  strong.sort(strongestFirst)
  const once: RidgePath[] = []
  for (const { path } of strong) {
    if (taken.shareOf(path.points) > SAME) continue
    taken.take(path.points, REACH * 2 ** path.octave)
    once.push(path)
  }
  return once
}

/** What speaks for a path, read across it at every point; null where it has not the tone that it was followed for. */
function measure(reader: PathReader, plane: Plane, scale: number, colour: ColourLook, path: RidgePath): MeasuredPath | null {
  const { points, sign } = path
  reader.follow(points, scale)
  const n = points.length / 2
  const profile = reader.profile(PROFILE)
  const sides = (mean(profile, 0, PROFILE / 2) + mean(profile, 2 * PROFILE - PROFILE / 2 + 1, 2 * PROFILE + 1)) / 2
  let peak = PROFILE
  for (let j = PROFILE - 2; j <= PROFILE + 2; j++) if (sign * profile[j]! > sign * profile[peak]!) peak = j
  const height = sign * (profile[peak]! - sides)
  if (height <= 0) return null
  const across = sharesOf(profile, sides, sign * height)
  const wide = widthAt(profile, peak, sign, sides, 0.2 * height)
  const heart = widthAt(profile, peak, sign, sides, 0.7 * height)
  const half = Math.max(0.5, wide / 4)

  // The same question at the path and beside it: what it finds there is what the ground alone shows.
  const own = reader.ask(half, 0)
  const difference = own.mean
  if (sign * difference <= 0) return null
  const steadiness = steadyShare(own.values, sign, difference)
  const strayed = new Float32Array(4 * n)
  let echo = 0
  for (let k = 0; k < 4; k++) {
    // Nearer and further, on either side.
    const other = reader.ask(half, (k % 2 === 0 ? 1 : -1) * (k < 2 ? 1.6 * half + 4 : 3 * half + 8))
    echo = Math.max(echo, Math.abs(other.mean))
    for (let j = 0; j < n; j++) strayed[k * n + j] = Math.abs(other.values[j]!)
  }
  const stray = Math.max(1e-4, DEVIATION_PER_MAD * median(strayed))
  const width = 2 * half * scale
  return {
    path,
    points: spread(points, Math.max(2, 0.7 * width)),
    width,
    length: lengthOf(points),
    difference,
    ground: own.sides,
    contrast: difference / Math.max(1e-4, noiseOf(plane, points, reader.normals, scale, 1.6 * half + 4)),
    // Neighbouring answers share pixels: about half of them are independent.
    weight: (Math.abs(difference) * Math.sqrt(n / 2)) / stray,
    steadiness,
    unevenness: own.unevenness / Math.abs(difference),
    echo: echo / Math.abs(difference),
    response: path.response,
    unrest: path.unrest,
    softness: 1 - heart / Math.max(1, wide),
    wiggle: wiggleOf(points) / 2 ** path.octave,
    topped: reader.toppedShare(half + 2, sign),
    likeness: own.likeness,
    through: own.through,
    ...colour.ofLine(points, reader.normals, half * scale),
    profile: across,
  }
}
