import { ln } from '../../numbers/exact-math.js'
import { median, placeOfGreatest, valuesAt } from '../../numbers/statistics.js'
import { distanceAt, insideOutline, shapeArea, type Outline, type Shape } from '../../shape/shape.js'
import { judgedAreas, type AreaCandidate, type AreaFind } from './area-find.js'
import { cellsOfPicture, type TileCells } from './cells.js'
import { boxRound, contourRound } from '../../shape/contour.js'
import { stainJudge } from '../judging/judge.js'
import { OFF, tintOf, type Tint } from './tint.js'
import { touching } from '../lines/touching.js'

/**
 * Stains, foxing among them, on prints of one colour scanned in three: what water, rust and mould leave on paper takes
 * more of the blue than of the red (common practice), while all of the picture follows one curve of colour over tone.
 *
 * A picture of many colours has no such curve; in it what a stain would be told by is drowned.
 */

export type StainFind = AreaFind<'stain'>

/** The colours of a picture's cells against those that their tones have elsewhere. */
interface Tinted extends Tint {
  readonly columns: number
  readonly rows: number
  readonly side: number
  /** Shares of the cells that are half off, and off, to the other side than what is looked for. */
  readonly beyond: readonly [number, number]
}

const MOST_CELLS = 400000
/** Confidence from which a candidate is shown. */
const SHOWN = 0.3
/** So many times deeper than the stain it lies in a spot is one of its own. */
const OWN_DEPTH = 1.6
/** Stained is what is off over so many cells together. */
const LEAST_CELLS = 5
/** A level below which an outline is never drawn, in deviations. */
const LEAST_LEVEL = 2.5
/** Share of a patch's depth at which its outline is drawn: what small ones are blurred by would widen them at half of it. */
const OUTLINED = 0.65
/** A larger share of the picture is how the picture is. */
const LARGEST_SHARE = 0.3
/** What a stain takes of the green, of all that it takes (common practice: most of the blue, less of the green). */
const GREEN_SHARE = 0.35

/**
 * Stains of a picture.
 *
 * @param tiles  Cells of all tiles, from `cellsOfTile`; one channel has no colour.
 * @param size   Of the picture, in pixels.
 */
export function findStains(tiles: readonly TileCells[], size: { readonly width: number; readonly height: number }): StainFind[] {
  const finds: StainFind[] = judgedAreas('stain', stainCandidates(tiles, size), stainJudge, SHOWN)
  // What lies in a stain and is hardly deeper is a part of it, cut off by the grain.
  return finds.filter((find) => !finds.some((other) => shapeArea(other.shape) > shapeArea(find.shape) && Math.abs(find.contrast) < OWN_DEPTH * Math.abs(other.contrast) && distanceAt(other.shape, ...find.shape.points[0]!) < 0))
}

/** What covers so much of a stain is no flaw in it. */
const FILLS = 0.3

/** Whether a find of another kind is the stain itself: a spot of foxing is found as dark and as brown. What is smaller, or a line, lies in it. */
export const isStain = (shape: Shape, stain: Shape): boolean => shape.type === 'disc' && shapeArea(shape) > FILLS * shapeArea(stain) && distanceAt(stain, shape.x, shape.y) < 0

/** Everything that is off the picture's curve of colour, to the brown or to the blue. */
export function stainCandidates(tiles: readonly TileCells[], size: { readonly width: number; readonly height: number }): AreaCandidate[] {
  if (tiles.length === 0) return []
  const cells = cellsOfPicture(tiles, size, MOST_CELLS)
  const tint = tintOf(cells)
  if (!tint) return []
  const { columns, rows, side } = cells
  const [brownDepth, paleDepth] = [tint.depth, negative(tint.depth)]
  const brown: Tinted = { ...tint, columns, rows, side, beyond: tailsOf(paleDepth, tint.deviation) }
  const pale: Tinted = { ...brown, depth: paleDepth, green: negative(tint.green), beyond: tailsOf(brownDepth, tint.deviation) }
  return [...patchesOf(brown).flatMap((patch) => describe(brown, patch, size, 1)), ...patchesOf(pale).flatMap((patch) => describe(pale, patch, size, -1))]
}

const negative = (values: Float32Array) => values.map((value) => -value)

/** Shares of the cells that are half off, and off: what stains leave on one side alone, a picture with colours of its own has on both. */
function tailsOf(depth: Float32Array, deviation: Float32Array): [number, number] {
  let [half, whole] = [0, 0]
  for (let i = 0; i < depth.length; i++) {
    if (depth[i]! > (OFF / 2) * deviation[i]!) half++
    if (depth[i]! > OFF * deviation[i]!) whole++
  }
  return [half / depth.length, whole / depth.length]
}

/** Cells that are off and hang together. */
function patchesOf({ columns, rows, depth, deviation }: Tinted): Int32Array[] {
  const stained = (i: number) => depth[i]! >= OFF * deviation[i]!
  return touching(columns, rows, stained, (_from, next) => stained(next), true).filter(({ length }) => length >= LEAST_CELLS && length < LARGEST_SHARE * depth.length)
}

/** How far beside an outline colour and tone are compared, in cells. */
const ASIDE = 2

/** Outline a patch, and measure what it is judged by. */
function describe({ columns, rows, side, depth, green, deviation: deviations, tone, course, beyond }: Tinted, patch: Int32Array, size: { readonly width: number; readonly height: number }, sign: 1 | -1): AreaCandidate[] {
  const middle = median(valuesAt(depth, patch))
  const deviation = median(valuesAt(deviations, patch))
  const share = median(valuesAt(green, patch)) / middle
  const contour = contourRound((i) => depth[i]!, columns, boxRound(patch, columns, rows, 6), Math.max(LEAST_LEVEL * deviation, OUTLINED * middle), placeOfGreatest(depth, patch))
  if (!contour || contour.length < 4) return []
  const at = (plane: Float32Array, x: number, y: number) => plane[Math.max(0, Math.min(rows - 1, Math.floor(y))) * columns + Math.max(0, Math.min(columns - 1, Math.floor(x)))]!
  const steps = contour.map(([x, y], k) => {
    const [nextX, nextY] = contour[(k + 1) % contour.length]!
    const length = Math.sqrt((nextX - x) ** 2 + (nextY - y) ** 2) || 1
    const [nx, ny] = [((nextY - y) / length) * ASIDE, (-(nextX - x) / length) * ASIDE]
    return { length, colour: Math.abs(at(depth, x + nx, y + ny) - at(depth, x - nx, y - ny)), tone: Math.abs(at(tone, x + nx, y + ny) - at(tone, x - nx, y - ny)) }
  })
  const length = steps.reduce((sum, step) => sum + step.length, 0)
  const colourStep = median(Float32Array.from(steps, ({ colour }) => colour))
  const toneStep = median(Float32Array.from(steps, (step) => step.tone))
  const box = boxRound(patch, columns, rows, 6)
  const shape: Outline = { type: 'outline', points: contour }
  const area = Math.max(1, insideOutline(shape, { x: box.left, y: box.top, width: box.right - box.left, height: box.bottom - box.top }).reduce((sum, inside) => sum + inside, 0))
  return [{
    shape: { type: 'outline', points: contour.map(([x, y]): [number, number] => [Math.min(size.width, x * side), Math.min(size.height, y * side)]) },
    contrast: (-sign * middle) / (side * deviation),
    weight: (middle / deviation) * Math.sqrt(area),
    features: [1, ln(middle / deviation), ln(area), ln(deviation), ln(middle), ln((length * length) / area), ln(0.01 + toneStep), ln(0.01 + toneStep / (colourStep + 1e-3)), ln(area / depth.length), sign, Math.abs(share - GREEN_SHARE), ln(0.003 + course.off), ln(0.02 + course.range), ln(0.02 + course.wobble), ln(0.003 + beyond[0]), ln(0.001 + beyond[1])],
  }]
}
