import { ln } from '../../numbers/exact-math.js'
import { clipRegion, growRegion, type PixelSource } from '../../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../../numbers/statistics.js'
import type { Transfer } from '../../raster/transfer.js'
import { distanceOutside, shapeBounds, type Shape } from '../../shape/shape.js'

/** What is looked at beside a shape, over its depth; and at least so many pixels. */
const SURROUNDINGS = 3.2
const LEAST_BESIDE = 10
/** The ground is measured this far beside the shape, over its depth. */
const BESIDE = 1.2
/** Scale of the loss in deviations, as for shadows: differences beyond it are edges of the picture and lose their say. */
const LOSS_SCALE = 2.2
/** Added to light before the logarithm: black is no infinite depth. */
const DARKEST = 0.003
/** Least deviations of the log light, of gradients and of tones: that of 8 bits, and of a sky. */
const [LEAST_GRADIENT, LEAST_TONE] = [2e-3, 0.03]
/** Rounds in which the ground under a cover is relaxed, and how far each goes beyond the mean of its neighbours. */
const [RELAXATIONS, OVER] = [120, 1.7]

/** The place of a shape and its surroundings, in cells of one or several pixels. */
export interface Cells {
  readonly width: number
  readonly height: number
  /** Linear light, the mean of all channels. */
  readonly light: Float32Array
  /** Share of the depth of the shape, 0 outside to 1 in its middle. */
  readonly depth: Float32Array
  /** Distance from the outline over the depth of the shape, negative inside. */
  readonly distance: Float32Array
  /** 1 where another open flaw lies: it says nothing. */
  readonly barred: Uint8Array
}

/** What the surroundings of a shape say of the place it covers. */
export interface Ground {
  /** Light that they would go on with inside. */
  readonly light: Float32Array
  /** Its logarithm. */
  readonly log: Float32Array
  /** Deviation of the log light beside the shape: how far its tone may be from theirs. */
  readonly toneDeviation: number
  /** Deviation of the differences of neighbours there. */
  readonly gradientDeviation: number
}

/** @param factor  Pixels over the side of a cell. @param others  Open flaws around. */
export function cellsOf(picture: PixelSource, transfer: Transfer, shape: Shape, thickness: number, factor: number, others: readonly Shape[]): Cells {
  const reach = Math.max(LEAST_BESIDE, SURROUNDINGS * thickness)
  const region = clipRegion(growRegion(shapeBounds(shape), Math.ceil(reach + factor)), picture.width, picture.height)
  const pixels = picture.read(region)
  const [width, height] = [Math.floor(region.width / factor), Math.floor(region.height / factor)]
  const exact = distanceOutside(shape, region, reach).data
  const share = 1 / (factor * factor)
  const [depth, distance, light] = [0, 1, 2].map(() => new Float32Array(width * height)) as [Float32Array, Float32Array, Float32Array]
  for (let y = 0; y < height * factor; y++) {
    for (let x = 0; x < width * factor; x++) {
      const cell = Math.floor(y / factor) * width + Math.floor(x / factor)
      const i = y * region.width + x
      depth[cell]! += share * Math.max(0, Math.min(1, -exact[i]! / thickness))
      distance[cell]! += (share * exact[i]!) / thickness
      for (let c = 0; c < picture.channels; c++) light[cell]! += (share * transfer.light[pixels.data[i * picture.channels + c]!]!) / picture.channels
    }
  }
  const barred = new Uint8Array(width * height)
  for (const other of others) {
    const away = distanceOutside(other, region, 2).data
    for (let cell = 0; cell < barred.length; cell++) {
      const [x, y] = [(cell % width) * factor + (factor >> 1), Math.floor(cell / width) * factor + (factor >> 1)]
      if (away[y * region.width + x]! < 1) barred[cell] = 1
    }
  }
  return { width, height, light, depth, distance, barred }
}

/** What lies beside the shape; null where that is too little to say anything. */
export function groundOf(cells: Cells): Ground | null {
  const beside = indicesOf(cells.distance, (d) => d > 0 && d < BESIDE).filter((i) => cells.depth[i] === 0 && cells.barred[i] === 0)
  if (beside.length < 20) return null
  const light = relaxed(cells)
  const log = logOf(cells.light)
  const middle = median(Float32Array.from(beside, (i) => log[i]!))
  const isBeside = new Uint8Array(log.length)
  for (const i of beside) isBeside[i] = 1
  const differences: number[] = []
  eachPair(cells, (i, j) => {
    if (isBeside[i] === 1 && isBeside[j] === 1) differences.push(Math.abs(log[j]! - log[i]!))
  })
  const spreadOf = (values: Float32Array) => DEVIATION_PER_MAD * median(values)
  return {
    light, log: logOf(light),
    toneDeviation: Math.max(LEAST_TONE, spreadOf(Float32Array.from(beside, (i) => Math.abs(log[i]! - middle)))),
    gradientDeviation: Math.max(LEAST_GRADIENT, spreadOf(Float32Array.from(differences))),
  }
}

/** Cells of a plane, by their values. */
export const indicesOf = (plane: Float32Array, fits: (value: number) => boolean): number[] => Array.from(plane.keys()).filter((i) => fits(plane[i]!))

/** Log of light. */
export const logOf = (light: Float32Array): Float32Array => light.map((value) => ln(DARKEST + Math.max(0, value)))

/** Every two cells that lie side by side or one above the other. */
export function eachPair({ width, height }: Pick<Cells, 'width' | 'height'>, of: (i: number, j: number) => void): void {
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (x + 1 < width) of(i, i + 1)
      if (y + 1 < height) of(i, i + width)
    }
  }
}

/** Cost of a difference of neighbours (Geman and McClure), 0 to 1. */
export function pairCost(difference: number, deviation: number): number {
  const z = (difference / (deviation * LOSS_SCALE)) ** 2
  return z / (1 + z)
}

/** Light inside a shape without curvature (Laplace), by successive over-relaxation from what lies around. */
function relaxed({ width, height, light, depth, barred }: Cells): Float32Array {
  const result = light.slice()
  const unknown: number[] = []
  let [sum, count] = [0, 0]
  for (let i = 0; i < light.length; i++) {
    if (depth[i]! > 0 || barred[i] === 1) unknown.push(i)
    else {
      sum += light[i]!
      count++
    }
  }
  for (const i of unknown) result[i] = sum / Math.max(1, count)
  for (let round = 0; round < RELAXATIONS; round++) {
    for (const i of unknown) {
      const [x, y] = [i % width, Math.floor(i / width)]
      const around = (result[x > 0 ? i - 1 : i]! + result[x < width - 1 ? i + 1 : i]! + result[y > 0 ? i - width : i]! + result[y < height - 1 ? i + width : i]!) / 4
      result[i]! += OVER * (around - result[i]!)
    }
  }
  return result
}
