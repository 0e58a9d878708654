import { ln } from '../../numbers/exact-math.js'
import { median, valuesAt } from '../../numbers/statistics.js'
import type { Cluster } from './stable-regions.js'
import { DARK } from './tint.js'

/**
 * What tells paper that lies bare from walls, skies and lamps as bright: it is of one tone from side to side, of a colour of its
 * own, and has the grain of paper, where clipped light has none.
 */

/** How much more red and blue than green there is in each cell, as logarithms. */
export interface Colours {
  readonly red: Float32Array
  readonly blue: Float32Array
}

/** @param planes  Mean samples of cells, 0..255: of one channel, which has no colours, or of red, green and blue. */
export function coloursOf(planes: readonly Float32Array[]): Colours | null {
  if (planes.length < 3) return null
  const [red, green, blue] = planes.map((plane) => plane.map((value) => ln(value + DARK))) as [Float32Array, Float32Array, Float32Array]
  for (let i = 0; i < green.length; i++) {
    red[i]! -= green[i]!
    blue[i]! -= green[i]!
  }
  return { red, blue }
}

/** Cells of a picture: how bright, 0..255, and their colours. */
interface Tones {
  readonly columns: number
  readonly rows: number
  readonly tone: Float32Array
  readonly colours: Colours | null
}

/** With fewer cells than this off its rim a region is taken as a whole. */
const LEAST_INNER = 8
/** Shares of a region's cells that are darker, and brighter, than the tones its range is measured between. */
const TAIL = 0.1
/** A larger range, over the contrast, says no more. */
const WIDEST = 2
/** Added before logarithms are taken: less is rounding. */
const LEAST_GRAIN = 0.1
const LEAST_COLOUR = 0.02
const LEAST_CLIPPED = 0.01
/** From here light is clipped. */
const CLIPPED = 252

/**
 * Evidence of bare paper in a region.
 *
 * @param region    Its cells, at least one.
 * @param level     What lies beside it is no brighter than this, of 255.
 * @param around    Cells around it, at least one.
 * @param contrast  Of the region to what lies around it, in samples of 255, above 0.
 * @returns         The range of its tones over the contrast and of 255, how much it changes from cell to cell, how coloured it is, how much its
 *                  colour differs from that around, and how much of it is clipped; all but the first two as logarithms.
 */
export function barePaper(picture: Tones, region: Cluster, level: number, around: ArrayLike<number>, contrast: number): number[] {
  const { tone, colours } = picture
  const inner = innerOf(picture, region, level)
  const tones = valuesAt(tone, inner).sort()
  const range = tones[Math.floor((1 - TAIL) * (tones.length - 1))]! - tones[Math.ceil(TAIL * (tones.length - 1))]!
  let clipped = 0
  for (let n = 0; n < tones.length; n++) if (tones[n]! > CLIPPED) clipped++
  const [colour, difference] = colours ? colouring(colours, inner, around) : [0, 0]
  return [Math.min(WIDEST, range / contrast), range / 255, ln(LEAST_GRAIN + changeIn(picture, inner, level)), ln(LEAST_COLOUR + colour), ln(LEAST_COLOUR + difference), ln(LEAST_CLIPPED + clipped / tones.length)]
}

/** Cells of a region with their neighbours on all four sides in it: on its rim paper and picture are mixed. */
function innerOf({ columns, rows, tone }: Tones, region: Cluster, level: number): Cluster {
  const inner = new Int32Array(region.length)
  let count = 0
  for (let n = 0; n < region.length; n++) {
    const i = region[n]!
    const x = i % columns
    if (x === 0 || x === columns - 1 || i < columns || i >= (rows - 1) * columns) continue
    if (tone[i - 1]! > level && tone[i + 1]! > level && tone[i - columns]! > level && tone[i + columns]! > level) inner[count++] = i
  }
  return count < LEAST_INNER ? region : inner.subarray(0, count)
}

/** How much tone changes from a cell of a region to the next, right or below, in the middle. */
function changeIn({ columns, tone }: Tones, cells: Cluster, level: number): number {
  const changes = new Float32Array(2 * cells.length)
  let count = 0
  for (let n = 0; n < cells.length; n++) {
    const i = cells[n]!
    if ((i + 1) % columns !== 0 && tone[i + 1]! > level) changes[count++] = Math.abs(tone[i]! - tone[i + 1]!)
    if (i + columns < tone.length && tone[i + columns]! > level) changes[count++] = Math.abs(tone[i]! - tone[i + columns]!)
  }
  return median(changes, count)
}

/** How coloured cells are in the middle, and how far from the colour around. */
function colouring({ red, blue }: Colours, cells: Cluster, around: ArrayLike<number>): [number, number] {
  const [ownRed, ownBlue] = [median(valuesAt(red, cells)), median(valuesAt(blue, cells))]
  const [redBeside, blueBeside] = [ownRed - median(valuesAt(red, around)), ownBlue - median(valuesAt(blue, around))]
  return [Math.sqrt(ownRed * ownRed + ownBlue * ownBlue), Math.sqrt(redBeside * redBeside + blueBeside * blueBeside)]
}
