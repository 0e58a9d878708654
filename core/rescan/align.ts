import { cos, PI, sin } from '../numbers/exact-math.js'
import { solveCholesky } from '../numbers/solve.js'
import { gaussianBlur } from '../raster/blur.js'
import type { Plane } from '../raster/raster.js'
import { likelyShifts } from './correlate.js'
import type { Similarity } from './similarity.js'

/** How a picture lies to another: turned about the middle (clockwise on screen), made larger, then shifted. */
export interface Alignment {
  readonly turnDegrees: number
  readonly scale: number
  readonly dx: number
  readonly dy: number
}
export const UNMOVED: Alignment = { turnDegrees: 0, scale: 1, dx: 0, dy: 0 }

/** Where a place of the reference lies in the other picture. Both have the same size. */
export function alignedPlace({ turnDegrees, scale, dx, dy }: Alignment, width: number, height: number, x: number, y: number): readonly [number, number] {
  const [c, s] = [scale * cos((turnDegrees * PI) / 180), scale * sin((turnDegrees * PI) / 180)]
  const [px, py] = [x - width / 2, y - height / 2]
  return [width / 2 + c * px - s * py + dx, height / 2 + s * px + c * py + dy]
}

/** The same as a similarity, for pictures of this size. */
export function similarityOfAlignment({ turnDegrees, scale, dx, dy }: Alignment, width: number, height: number): Similarity {
  const [a, b] = [scale * cos((turnDegrees * PI) / 180), scale * sin((turnDegrees * PI) / 180)]
  return { a, b, right: width / 2 + dx - (a * width - b * height) / 2, down: height / 2 + dy - (b * width + a * height) / 2 }
}

/** Sides of the levels from coarse to fine. */
const COARSEST = 60
const FINEST = 1400
const ROUNDS = 24
/** The structure that is compared: what a Gaussian of so many pixels of the level takes away, over its own strength around. */
const [FINE, BROAD] = [1, 8]
/** First shifts that are tried on the coarsest level, and turns. */
const [FIRST_SHIFT, FIRST_TURNS] = [6, [-3, -1.5, 0, 1.5, 3]]
/** Pictures that are aligned differ by less (0 alike, 1 not at all): measured on brackets of open photographs (bench/merge.ts). */
const UNLIKE = 0.2
/** Longest side of the level that is searched where they are not, the turns that are tried, and how many are looked at closer. */
const SEARCHED = 800
const SEARCHED_TURNS = Array.from({ length: 25 }, (_, k) => (k - 12) / 4)
const CLOSER = 4

/**
 * Align a picture to a reference of the same size: turn, size and shift, handheld.
 *
 * What is compared is local structure over its own strength, which does not depend on the exposure, and pixels that are
 * clipped in either have no say. Level by level, Gauss-Newton steps with robust weights, so that moving things have little
 * say (Lucas and Kanade 1981; Baker and Matthews 2004, "Lucas-Kanade 20 years on").
 *
 * @param reference  Light or encoded tone, 0..1.
 * @param other      Of the same size.
 */
export function alignPictures(reference: Plane, other: Plane): Alignment {
  const levels: { reference: Plane; other: Plane }[] = [{ reference, other }]
  while (Math.max(levels.at(-1)!.reference.width, levels.at(-1)!.reference.height) > COARSEST) levels.push({ reference: half(levels.at(-1)!.reference), other: half(levels.at(-1)!.other) })
  const side = (level: number) => Math.max(levels[level]!.reference.width, levels[level]!.reference.height)
  const finest = levels.length > 1 && side(0) > FINEST ? 1 : 0
  /** From a guess on one level down to the finest that is looked at. */
  const descend = (from: number, guess: Guess): Found => {
    let found: Found = { at: UNMOVED, cost: Infinity }
    for (let level = from; level >= finest; level--) {
      if (level !== from && level > 0 && side(level) > 2 * FINEST) continue
      const { reference: first, other: second } = levels[level]!
      const [a, b] = [structureOf(first), structureOf(second)]
      const size = reference.width / first.width
      const start = level === from ? guess(a, b) : { ...found.at, dx: found.at.dx / size, dy: found.at.dy / size }
      const refined = refine(a, b, start)
      found = { at: { ...refined.at, dx: refined.at.dx * size, dy: refined.at.dy * size }, cost: refined.cost }
    }
    return found
  }
  const found = descend(levels.length - 1, firstGuess)
  if (found.cost < UNLIKE) return found.at
  // Nothing coarse to begin from: a level with fine structure is searched for the shift.
  let middle = 0
  while (middle + 1 < levels.length && side(middle) > SEARCHED) middle++
  const searched = descend(middle, guessByPhase)
  return searched.cost < found.cost ? searched.at : found.at
}

interface Found { readonly at: Alignment; readonly cost: number }
type Guess = (a: Structure, b: Structure) => Alignment

/** The most likely of the shifts that phase correlation finds for turns of a hand. */
function guessByPhase(a: Structure, b: Structure): Alignment {
  const weighed = (structure: Structure): Plane => ({ ...structure, data: structure.data.map((value, i) => value * structure.says[i]!) })
  const tried = likelyShifts(weighed(a), weighed(b), SEARCHED_TURNS).slice(0, CLOSER).map(({ turnDegrees, dx, dy }) => refine(a, b, { ...UNMOVED, turnDegrees, dx, dy }))
  return tried.reduce((best, one) => (one.cost < best.cost ? one : best)).at
}

interface Structure extends Plane { readonly says: Float32Array }

function structureOf(plane: Plane): Structure {
  const { width, height, data } = plane
  const [fine, broad] = [gaussianBlur(plane, FINE).data, gaussianBlur(plane, BROAD).data]
  const band = { width, height, data: fine.map((value, i) => value - broad[i]!) }
  const power = gaussianBlur({ width, height, data: band.data.map((value) => value * value) }, BROAD).data
  const says = new Float32Array(data.length)
  const result = new Float32Array(data.length)
  for (let i = 0; i < data.length; i++) {
    result[i] = band.data[i]! / Math.sqrt(power[i]! + 1e-6)
    // Clipped and nearly black places show no structure, and where there is none nothing can be compared.
    says[i] = broad[i]! > 0.985 || broad[i]! < 0.012 ? 0 : power[i]! / (power[i]! + 4e-5)
  }
  return { width, height, data: result, says }
}

function firstGuess(a: Structure, b: Structure): Alignment {
  let best = { at: UNMOVED, cost: Infinity }
  for (const turnDegrees of FIRST_TURNS) {
    for (let dy = -FIRST_SHIFT; dy <= FIRST_SHIFT; dy++) {
      for (let dx = -FIRST_SHIFT; dx <= FIRST_SHIFT; dx++) {
        const at = { ...UNMOVED, turnDegrees, dx, dy }
        const { cost } = normal(a, b, at, 2)
        if (cost < best.cost) best = { at, cost }
      }
    }
  }
  return best.at
}

function refine(a: Structure, b: Structure, start: Alignment): Found {
  let now = start
  const step = Math.max(1, Math.round(Math.sqrt((a.width * a.height) / 120_000)))
  for (let round = 0; round < ROUNDS; round++) {
    const { change } = normal(a, b, now, step)
    if (!change) break
    now = { turnDegrees: now.turnDegrees + (change[0]! * 180) / PI, scale: now.scale * (1 + change[1]!), dx: now.dx + change[2]!, dy: now.dy + change[3]! }
    if (Math.abs(change[2]!) + Math.abs(change[3]!) + (Math.abs(change[0]!) + Math.abs(change[1]!)) * a.width < 0.002) break
  }
  return { at: now, cost: normal(a, b, now, step).cost }
}

/** Cost of an alignment, and the Gauss-Newton step from it in turn (radians), size, and shift. */
function normal(a: Structure, b: Structure, at: Alignment, step: number): { cost: number; change: Float64Array | null } {
  const { width, height } = a
  const matrix = new Float64Array(16)
  const right = new Float64Array(4)
  const [c, s] = [at.scale * cos((at.turnDegrees * PI) / 180), at.scale * sin((at.turnDegrees * PI) / 180)]
  let [cost, weight] = [0, 0]
  const g = new Float64Array(4)
  for (let y = step >> 1; y < height; y += step) {
    for (let x = step >> 1; x < width; x += step) {
      const i = y * width + x
      const px = x + 0.5 - width / 2
      const py = y + 0.5 - height / 2
      const rx = c * px - s * py
      const ry = s * px + c * py
      const qx = rx + width / 2 + at.dx - 0.5
      const qy = ry + height / 2 + at.dy - 0.5
      const left = Math.floor(qx)
      const top = Math.floor(qy)
      if (left < 1 || top < 1 || left + 2 >= width || top + 2 >= height) continue
      const k = top * width + left
      const says = a.says[i]! * b.says[k]!
      if (says < 0.05) continue
      const tx = qx - left
      const ty = qy - top
      const error = between(b, k, tx, ty) - a.data[i]!
      const gx = (between(b, k + 1, tx, ty) - between(b, k - 1, tx, ty)) / 2
      const gy = (between(b, k + width, tx, ty) - between(b, k - width, tx, ty)) / 2
      // What disagrees by far is something that moved (Geman and McClure 1985).
      const w = says / (1 + error * error) ** 2
      cost += says * ((error * error) / (1 + error * error))
      weight += says
      g[0] = -gx * ry + gy * rx
      g[1] = gx * rx + gy * ry
      g[2] = gx
      g[3] = gy
      for (let j = 0; j < 4; j++) {
        right[j]! -= w * error * g[j]!
        for (let k = 0; k <= j; k++) matrix[4 * j + k]! += w * g[j]! * g[k]!
      }
    }
  }
  if (weight === 0) return { cost: Infinity, change: null }
  for (let j = 0; j < 4; j++) matrix[5 * j]! *= 1.0001
  return { cost: cost / weight, change: solveCholesky(matrix, right, 4) ? right : null }
}

/** Between a pixel, the one beside it and those below. */
function between({ width, data }: Plane, k: number, tx: number, ty: number): number {
  return (data[k]! * (1 - tx) + data[k + 1]! * tx) * (1 - ty) + (data[k + width]! * (1 - tx) + data[k + width + 1]! * tx) * ty
}

/** Half as large, mean of two by two. */
function half({ width, height, data }: Plane): Plane {
  const [w, h] = [Math.floor(width / 2), Math.floor(height / 2)]
  const result = new Float32Array(w * h)
  for (let y = 0; y < h; y++) for (let x = 0; x < w; x++) {
    const i = 2 * y * width + 2 * x
    result[y * w + x] = (data[i]! + data[i + 1]! + data[i + width]! + data[i + width + 1]!) / 4
  }
  return { width: w, height: h, data: result }
}
