import { gaussianBlur } from '../raster/blur.js'
import { ln } from '../raster/exact-math.js'
import { medianCurve } from '../raster/median-curve.js'
import { DEVIATION_PER_MAD, median, placeOfGreatest, valuesAt } from '../raster/statistics.js'
import { distanceAt, insideOutline, shapeArea, type Outline, type Shape } from '../shape/shape.js'
import { judgedAreas, type AreaCandidate, type AreaFind } from './area-find.js'
import { cellsOfPicture, type TileCells } from './cells.js'
import { boxRound, contourRound } from './contour.js'
import { stainJudge } from './judge.js'
import { touching } from './touching.js'

/**
 * Stains, foxing among them, on prints of one colour scanned in three: what water, rust and mould leave on paper takes
 * more of the blue than of the red (common practice), while all of the picture follows one curve of colour over tone.
 *
 * A picture of many colours has no such curve; in it what a stain would be told by is drowned.
 */

export type StainFind = AreaFind<'stain'>

/** How far each cell is from the colour that its tone has elsewhere. */
interface Tint {
  readonly columns: number
  readonly rows: number
  readonly side: number
  /** Loss of blue and green against red, as -ln, summed. */
  readonly depth: Float32Array
  /** Of plain ground. */
  readonly deviation: number
  /** Log of the red. */
  readonly tone: Float32Array
}

const MOST_CELLS = 400000
/** Confidence from which a candidate is shown. */
const SHOWN = 0.3
/** So many times deeper than the stain it lies in a spot is one of its own. */
const OWN_DEPTH = 1.6
/** Stained is what lies so many deviations off, and so many cells together. */
const STAINED = 4
const LEAST_CELLS = 5
/** A level below which an outline is never drawn, in deviations. */
const LEAST_LEVEL = 2.5
/** Share of a patch's depth at which its outline is drawn: what small ones are blurred by would widen them at half of it. */
const OUTLINED = 0.65
/** A larger share of the picture is how the picture is. */
const LARGEST_SHARE = 0.3
/** Added to samples of 255, so that the darkest do not speak of colour. */
const DARK = 12
/** Parts of the range of tones, each with as many cells. */
const TONES = 40
/** When a larger share of the picture is off, or plain ground scatters so much, it has many colours: grainy prints reach half of that. */
const MANY_COLOURS = 0.25
const MOST_DEVIATION = 0.06
/** With fewer cells than this nothing is usual. */
const LEAST_PICTURE = 400
/** Rounding alone moves a colour so far, as -ln. */
const LEAST_DEVIATION = 0.004

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
  const tint = tintOf(tiles, size)
  if (!tint) return []
  const pale: Tint = { ...tint, depth: tint.depth.map((value) => -value) }
  return [...patchesOf(tint).flatMap((patch) => describe(tint, patch, size, 1)), ...patchesOf(pale).flatMap((patch) => describe(pale, patch, size, -1))]
}

function tintOf(tiles: readonly TileCells[], size: { readonly width: number; readonly height: number }): Tint | null {
  if ((tiles[0]?.planes.length ?? 0) < 3) return null
  const { columns, rows, side, planes } = cellsOfPicture(tiles, size, MOST_CELLS)
  if (columns * rows < LEAST_PICTURE) return null
  const [red, green, blue] = planes.slice(0, 3).map((plane) => plane.map((value) => ln(value + DARK))) as [Float32Array, Float32Array, Float32Array]
  const loss = new Float32Array(red.length)
  for (let i = 0; i < loss.length; i++) loss[i] = 2 * red[i]! - green[i]! - blue[i]!
  const curve = medianCurve(red, loss, TONES)
  for (let i = 0; i < loss.length; i++) loss[i]! -= curve(red[i]!)
  const depth = gaussianBlur({ width: columns, height: rows, data: loss }, 1).data
  const deviation = Math.max(LEAST_DEVIATION, DEVIATION_PER_MAD * median(depth.map((value) => Math.abs(value))))
  if (deviation > MOST_DEVIATION) return null
  let off = 0
  for (let i = 0; i < depth.length; i++) if (Math.abs(depth[i]!) > STAINED * deviation) off++
  return off > MANY_COLOURS * depth.length ? null : { columns, rows, side, depth, deviation, tone: red }
}

/** Cells that are off and hang together. */
function patchesOf({ columns, rows, depth, deviation }: Tint): Int32Array[] {
  const stained = (i: number) => depth[i]! >= STAINED * deviation
  return touching(columns, rows, stained, (_from, next) => stained(next), true).filter(({ length }) => length >= LEAST_CELLS && length < LARGEST_SHARE * depth.length)
}

/** How far beside an outline colour and tone are compared, in cells. */
const ASIDE = 2

/** Outline a patch, and measure what it is judged by. */
function describe({ columns, rows, side, depth, deviation, tone }: Tint, patch: Int32Array, size: { readonly width: number; readonly height: number }, sign: 1 | -1): AreaCandidate[] {
  const middle = median(valuesAt(depth, patch))
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
    features: [1, ln(middle / deviation), ln(area), ln(deviation), ln(middle), ln((length * length) / area), ln(0.01 + toneStep), ln(0.01 + toneStep / (colourStep + 1e-3)), ln(area / depth.length), sign],
  }]
}
