import { gaussianBlur } from '../../raster/blur.js'
import { ln } from '../../numbers/exact-math.js'
import { medianCurve, medianParts } from '../../numbers/median-curve.js'
import { inOrder } from '../../numbers/order.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import type { PictureCells } from './cells.js'

/**
 * How far each place of a picture is from the colour that its tone has elsewhere: on a print of one colour all of the picture
 * follows one curve of colour over tone, and a stain does not.
 */

/** How far each cell is from the colour that its tone has elsewhere. */
export interface Tint {
  /** Loss of blue and green against red, as -ln, summed. */
  readonly depth: Float32Array
  /** Of green alone. */
  readonly green: Float32Array
  /** What depth has on plain ground of the tone of each cell: the noise of samples is more of a dark colour. */
  readonly deviation: Float32Array
  /** Log of the red. */
  readonly tone: Float32Array
  /** What the picture is like: see `Course`. */
  readonly course: Course
}

/** How like a print of one colour a picture is. */
interface Course {
  /** Share of the cells that are off, to either side, by what scatters in all tones together. */
  readonly off: number
  /** Between the least and the largest loss that is usual in a tone, and how much it goes to and fro from tone to tone. */
  readonly range: number
  readonly wobble: number
}

/** Off is what lies so many deviations away. */
export const OFF = 4
/** Added to samples of 255, so that the darkest do not speak of colour. */
export const DARK = 12
/** Parts of the range of tones, each with as many cells; and, fewer, between which the course of the usual colour is told. */
const TONES = 40
const COURSE_TONES = 16
/** When a larger share of the picture is off, or plain ground scatters so much, it has many colours: grainy prints reach half of that. */
const MANY_COLOURS = 0.25
const MOST_DEVIATION = 0.06
/** With fewer cells than this nothing is usual. */
const LEAST_PICTURE = 400
/** Rounding alone moves a colour so far, as -ln. */
const LEAST_DEVIATION = 0.004

/** @returns null where nothing can be told by colour: in one channel, in many colours, and in a picture of a few cells. */
export function tintOf({ columns, rows, planes }: PictureCells): Tint | null {
  if (planes.length < 3 || columns * rows < LEAST_PICTURE) return null
  const [red, green, blue] = planes.slice(0, 3).map((plane) => plane.map((value) => ln(value + DARK))) as [Float32Array, Float32Array, Float32Array]
  const loss = new Float32Array(red.length)
  const greenLoss = new Float32Array(red.length)
  for (let i = 0; i < loss.length; i++) {
    greenLoss[i] = red[i]! - green[i]!
    loss[i] = greenLoss[i]! + red[i]! - blue[i]!
  }
  const order = inOrder(red)
  const depth = offUsual(red, order, loss, columns, rows)
  const distance = depth.map((value) => Math.abs(value))
  const everywhere = Math.max(LEAST_DEVIATION, DEVIATION_PER_MAD * median(distance.slice()))
  if (everywhere > MOST_DEVIATION) return null
  const byTone = medianCurve(red, distance, TONES, order)
  const deviation = red.map((tone) => Math.max(everywhere, DEVIATION_PER_MAD * byTone(tone)))
  let off = 0
  for (let i = 0; i < depth.length; i++) if (distance[i]! > OFF * everywhere) off++
  return off > MANY_COLOURS * depth.length ? null : { depth, green: offUsual(red, order, greenLoss, columns, rows), deviation, tone: red, course: courseOf(red, order, loss, off / depth.length) }
}

/** How far a loss is from what is usual in its tone, a little blurred. */
function offUsual(tone: Float32Array, order: Uint32Array, loss: Float32Array, columns: number, rows: number): Float32Array {
  const usual = medianCurve(tone, loss, TONES, order)
  return gaussianBlur({ width: columns, height: rows, data: loss.map((value, i) => value - usual(tone[i]!)) }, 1).data
}

function courseOf(tone: Float32Array, order: Uint32Array, loss: Float32Array, off: number): Course {
  const { levels } = medianParts(tone, loss, COURSE_TONES, order)
  const range = Math.max(...levels) - Math.min(...levels)
  const way = levels.reduce((sum, level, k) => sum + (k === 0 ? 0 : Math.abs(level - levels[k - 1]!)), 0)
  return { off, range, wobble: way - range }
}
