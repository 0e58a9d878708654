import type { Plane, Region } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../raster/statistics.js'
import { makeOctaves, type Octaves } from './candidates.js'
import { findRidges, type RidgePath } from './ridges.js'

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
}

/**
 * Pieces of lines in a tile: curvilinear structure with what speaks for it and against it.
 *
 * @param plane         Log light of the tile with its surroundings.
 * @param surroundings  Where the plane lies in the picture.
 * @param tile          Points outside are another tile's.
 */
export function linePieces(plane: Plane, surroundings: Region, tile: Region): LinePiece[] {
  const octaves = makeOctaves(plane, WIDEST)
  const paths = findRidges(octaves, LAST_OCTAVE)
  const inTile = paths.flatMap((path) => clipped(path, surroundings, tile))
  return onceOnly(inTile, plane.width, plane.height).flatMap((followed) => {
    const path = withoutTails(octaves, followed)
    const piece = measure(octaves, path)
    return piece ? [{ ...piece, points: spread(path.points, Math.max(2, 0.7 * piece.width)).map(([x, y]) => [x + surroundings.x, y + surroundings.y] as const) }] : []
  })
}

/** A path less what was followed beyond the ends of its line, into noise: there the middle no longer stands out. */
function withoutTails(octaves: Octaves, path: RidgePath): RidgePath {
  const { points, sign, octave } = path
  const scale = 2 ** Math.max(0, octave - 1)
  const { values, mean } = ask(planeOf(octaves, octave), points, normalsOf(points), scale, 1, 0)
  const stands = (from: number) => {
    let sum = 0
    for (let k = from; k < from + STRETCH; k++) sum += sign * values[k]!
    return sum > STANDS_OUT * STRETCH * Math.abs(mean)
  }
  let first = 0
  let last = points.length - STRETCH
  while (first < last && !stands(first)) first++
  while (last > first && !stands(last)) last--
  return last > first ? { ...path, points: points.slice(first, last + STRETCH) } : path
}

/** A stretch of so many points stands out with its line when it has this share of the line's difference. */
const STRETCH = 8
const STANDS_OUT = 0.4

/** Where a line is two pixels wide, its profile is still seen; finer, noise is. */
const planeOf = (octaves: Octaves, octave: number) => octaves.planes[Math.max(0, octave - 1)]!

/** The parts of a path whose points lie in the tile. */
function clipped(path: RidgePath, surroundings: Region, tile: Region): RidgePath[] {
  const parts: (readonly [number, number])[][] = []
  let part: (readonly [number, number])[] | null = null
  for (const point of path.points) {
    const x = point[0] + surroundings.x
    const y = point[1] + surroundings.y
    const inside = x >= tile.x && y >= tile.y && x < tile.x + tile.width && y < tile.y + tile.height
    if (!inside) part = null
    else if (part) part.push(point)
    else parts.push((part = [point]))
  }
  return parts.filter((points) => points.length >= 4).map((points) => ({ ...path, points }))
}

/** Least answer, summed as noise sums, of a path that is looked at more closely. */
const LEAST_SUM = 8
const CELL = 4

/** A line answers in several octaves: the octave where it answers most keeps it. */
function onceOnly(paths: readonly RidgePath[], width: number, height: number): RidgePath[] {
  const strong: { path: RidgePath; rank: number }[] = []
  for (const path of paths) {
    const strength = path.response * Math.sqrt(path.points.length)
    // A point of a wide octave stands for more pixels.
    if (strength >= LEAST_SUM) strong.push({ path, rank: strength * (1 + 0.35 * path.octave) })
  }
  strong.sort((a, b) => b.rank - a.rank || a.path.points[0]![1] - b.path.points[0]![1] || a.path.points[0]![0] - b.path.points[0]![0])
  const columns = Math.ceil(width / CELL)
  // A bit for each direction: a line is not hidden by what it crosses.
  const taken = new Uint16Array(columns * Math.ceil(height / CELL))
  const cellOf = (x: number, y: number) => Math.floor(y / CELL) * columns + Math.floor(x / CELL)
  const kept: RidgePath[] = []
  for (const { path } of strong) {
    const { points } = path
    const directions = normalsOf(points).map(directionOf)
    let covered = 0
    for (let k = 0; k < points.length; k++) covered += (taken[cellOf(points[k]![0], points[k]![1])]! >> directions[k]!) & 1
    if (covered > 0.5 * points.length) continue
    kept.push(path)
    const reach = 1.5 * 2 ** path.octave
    for (let k = 0; k < points.length; k++) {
      const [x, y] = points[k]!
      const near = alike(directions[k]!)
      for (let dy = -reach; dy <= reach; dy += reach) {
        for (let dx = -reach; dx <= reach; dx += reach) {
          const px = x + dx
          const py = y + dy
          if (px >= 0 && py >= 0 && px < width && py < height) taken[cellOf(px, py)]! |= near
        }
      }
    }
  }
  return kept
}

/** Slopes that part sectors of 11.25 degrees: tangents of 11.25, 22.5, 33.75, 45, 56.25, 67.5 and 78.75 degrees. */
const SECTORS = [0.1989, 0.4142, 0.6682, 1, 1.4966, 2.4142, 5.0273]

/** One of sixteen directions of a line across which a unit vector points; along a line is the same both ways. */
function directionOf([nx, ny]: readonly [number, number]): number {
  const [x, y] = ny < 0 || (ny === 0 && nx < 0) ? [-nx, -ny] : [nx, ny]
  let sector = 0
  while (sector < 7 && y >= SECTORS[sector]! * Math.abs(x)) sector++
  return x >= 0 ? sector : 15 - sector
}

/** Bits of a direction and of both beside it. */
const alike = (direction: number) => (1 << direction) | (1 << ((direction + 1) & 15)) | (1 << ((direction + 15) & 15))

/** Half a profile in half pixels of the plane it is read from. */
const PROFILE = 20

/** What speaks for a path, read across it at every point. */
function measure(octaves: Octaves, path: RidgePath): Omit<LinePiece, 'points'> | null {
  const plane = planeOf(octaves, path.octave)
  const scale = 2 ** Math.max(0, path.octave - 1)
  const { points, sign } = path
  const n = points.length
  const profile = new Float64Array(2 * PROFILE + 1)
  const normals = normalsOf(points)
  let length = 0
  for (let k = 0; k < n; k++) {
    if (k > 0) length += distanceOf(points[k]!, points[k - 1]!)
    const x = points[k]![0] / scale
    const y = points[k]![1] / scale
    const [nx, ny] = normals[k]!
    for (let j = -PROFILE; j <= PROFILE; j++) profile[j + PROFILE]! += sampleAt(plane, x + 0.5 * j * nx, y + 0.5 * j * ny) / n
  }
  const sides = (mean(profile, 0, PROFILE / 2) + mean(profile, 2 * PROFILE - PROFILE / 2 + 1, 2 * PROFILE + 1)) / 2
  let peak = PROFILE
  for (let j = PROFILE - 2; j <= PROFILE + 2; j++) if (sign * profile[j]! > sign * profile[peak]!) peak = j
  const height = sign * (profile[peak]! - sides)
  if (height <= 0) return null
  const edge = (direction: 1 | -1) => {
    let j = peak
    while (j > 0 && j < 2 * PROFILE && sign * (profile[j]! - sides) > 0.2 * height) j += direction
    return j
  }
  const half = Math.max(0.5, (edge(1) - edge(-1)) / 4)
  const heart = (direction: 1 | -1) => {
    let j = peak
    while (j > 0 && j < 2 * PROFILE && sign * (profile[j]! - sides) > 0.7 * height) j += direction
    return j
  }

  // The same question at the path and beside it: what it finds there is what the ground alone shows.
  const beside = [1.6 * half + 4, 3 * half + 8].flatMap((away) => [away, -away])
  const own = ask(plane, points, normals, scale, half, 0)
  const others = beside.map((away) => ask(plane, points, normals, scale, half, away))
  const difference = own.mean
  if (sign * difference <= 0) return null
  const strayed: number[] = []
  for (const other of others) for (const value of other.values) strayed.push(Math.abs(value))
  const stray = Math.max(1e-4, DEVIATION_PER_MAD * median(Float32Array.from(strayed)))
  let steady = 0
  let stretches = 0
  for (let k = 0; k < n; k += STRETCH) {
    let sum = 0
    const end = Math.min(n, k + STRETCH)
    for (let j = k; j < end; j++) sum += own.values[j]!
    if ((sign * sum) / (end - k) > STANDS_OUT * Math.abs(difference)) steady++
    stretches++
  }
  return {
    width: 2 * half * scale,
    length,
    difference,
    contrast: difference / Math.max(1e-4, noiseOf(plane, points, normals, scale, beside[0]!)),
    // Neighbouring answers share pixels: about half of them are independent.
    weight: (Math.abs(difference) * Math.sqrt(n / 2)) / stray,
    steadiness: steady / stretches,
    unevenness: own.unevenness / Math.abs(difference),
    echo: Math.max(...others.map((other) => Math.abs(other.mean))) / Math.abs(difference),
    response: path.response,
    unrest: path.unrest,
    softness: 1 - (heart(1) - heart(-1)) / Math.max(1, edge(1) - edge(-1)),
    wiggle: wiggleOf(points) / 2 ** path.octave,
    topped: toppedShare(plane, points, normals, scale, half, sign),
    likeness: own.likeness,
  }
}

/** Share of the places beside a path that stand out as much as its middle. */
function toppedShare(plane: Plane, points: RidgePath['points'], normals: readonly (readonly [number, number])[], scale: number, half: number, sign: -1 | 1): number {
  let over = 0
  let count = 0
  const first = half + 2
  for (let k = 0; k < points.length; k += 2) {
    const x = points[k]![0] / scale
    const y = points[k]![1] / scale
    const [nx, ny] = normals[k]!
    const middle = sign * sampleAt(plane, x, y)
    for (let d = first; d < first + 12; d += 1.5) {
      if (sign * sampleAt(plane, x + d * nx, y + d * ny) > middle) over++
      if (sign * sampleAt(plane, x - d * nx, y - d * ny) > middle) over++
      count += 2
    }
  }
  return over / count
}

/** Mean third difference of the points of a path, five steps apart: 0 on a straight line and on an even bend. */
function wiggleOf(points: RidgePath['points']): number {
  const lag = Math.max(1, Math.min(5, Math.floor((points.length - 1) / 3)))
  let sum = 0
  let count = 0
  for (let k = 3 * lag; k < points.length; k++) {
    const [a, b, c, d] = [points[k]!, points[k - lag]!, points[k - 2 * lag]!, points[k - 3 * lag]!]
    const x = a[0] - 3 * b[0] + 3 * c[0] - d[0]
    const y = a[1] - 3 * b[1] + 3 * c[1] - d[1]
    sum += Math.sqrt(x * x + y * y)
    count++
  }
  return sum / Math.max(1, count)
}

/** The middle of a line less both of its sides, at every point, the line thought `away` pixels aside. */
function ask(plane: Plane, points: RidgePath['points'], normals: readonly (readonly [number, number])[], scale: number, half: number, away: number) {
  const values = new Float32Array(points.length)
  const inner = 0.4 * half
  const near = half + 1
  const far = half + 2
  let sum = 0
  let uneven = 0
  let sumLeft = 0
  let sumRight = 0
  let squaresLeft = 0
  let squaresRight = 0
  let product = 0
  for (let k = 0; k < points.length; k++) {
    const [nx, ny] = normals[k]!
    const x = points[k]![0] / scale + away * nx
    const y = points[k]![1] / scale + away * ny
    let middle = sampleAt(plane, x, y)
    if (half >= 1) middle = (middle + sampleAt(plane, x - inner * nx, y - inner * ny) + sampleAt(plane, x + inner * nx, y + inner * ny)) / 3
    const left = (sampleAt(plane, x + near * nx, y + near * ny) + sampleAt(plane, x + far * nx, y + far * ny)) / 2
    const right = (sampleAt(plane, x - near * nx, y - near * ny) + sampleAt(plane, x - far * nx, y - far * ny)) / 2
    values[k] = middle - (left + right) / 2
    sum += values[k]!
    uneven += Math.abs(left - right)
    sumLeft += left
    sumRight += right
    squaresLeft += left * left
    squaresRight += right * right
    product += left * right
  }
  const n = points.length
  const spread = (squaresLeft - (sumLeft * sumLeft) / n) * (squaresRight - (sumRight * sumRight) / n)
  return { values, mean: sum / n, unevenness: uneven / n, likeness: (product - (sumLeft * sumRight) / n) / Math.sqrt(Math.max(1e-12, spread)) }
}

/** Deviation of a pixel beside a line, from neighbours along it. */
function noiseOf(plane: Plane, points: RidgePath['points'], normals: readonly (readonly [number, number])[], scale: number, away: number): number {
  const differences = new Float32Array(points.length)
  for (let k = 0; k < points.length; k++) {
    const [nx, ny] = normals[k]!
    const x = Math.floor(points[k]![0] / scale + away * nx)
    const y = Math.floor(points[k]![1] / scale + away * ny)
    if (x < 0 || y < 0 || x + 1 >= plane.width || y >= plane.height) continue
    differences[k] = Math.abs(plane.data[y * plane.width + x]! - plane.data[y * plane.width + x + 1]!)
  }
  return (DEVIATION_PER_MAD * median(differences)) / Math.sqrt(2)
}

function normalsOf(points: RidgePath['points']): (readonly [number, number])[] {
  const normals: (readonly [number, number])[] = []
  for (let k = 0; k < points.length; k++) {
    const a = points[Math.max(0, k - 4)]!
    const b = points[Math.min(points.length - 1, k + 4)]!
    const length = Math.max(1e-9, distanceOf(a, b))
    normals.push([-(b[1] - a[1]) / length, (b[0] - a[0]) / length])
  }
  return normals
}

/** Value at a place, pixel centres at .5, between the four pixels around it; beyond the edge the edge is repeated. */
function sampleAt(plane: Plane, x: number, y: number): number {
  const { width, height, data } = plane
  const px = Math.max(0, Math.min(width - 1.001, x - 0.5))
  const py = Math.max(0, Math.min(height - 1.001, y - 0.5))
  const left = Math.floor(px)
  const top = Math.floor(py)
  const u = px - left
  const v = py - top
  const i = top * width + left
  return (1 - v) * ((1 - u) * data[i]! + u * data[i + 1]!) + v * ((1 - u) * data[i + width]! + u * data[i + width + 1]!)
}

function mean(values: Float64Array, from: number, to: number): number {
  let sum = 0
  for (let i = from; i < to; i++) sum += values[i]!
  return sum / (to - from)
}

/** Pixels between two points. */
export const distanceOf = (a: readonly [number, number], b: readonly [number, number]) => Math.sqrt((a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2)

/** Fewer points, about `apart` pixels from each other; both ends stay. */
function spread(points: RidgePath['points'], apart: number): (readonly [number, number])[] {
  const kept = [points[0]!]
  for (const point of points.slice(1, -1)) if (distanceOf(point, kept.at(-1)!) >= apart) kept.push(point)
  if (points.length > 1) kept.push(points.at(-1)!)
  return kept
}
