import { PI, sin } from '../../numbers/exact-math.js'
import type { FloatRaster } from '../../raster/raster.js'
import { WASM } from '../generated/resample-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

interface Kernels {
  readonly memory: WebAssembly.Memory
  places(of: number): void
  axes(of: number): void
}

const compiled = lazily<Kernels>(WASM)

const resampling = new Struct(['stretch'], [
  'source', 'blockWidth', 'blockHeight', 'channels', 'left', 'top', 'pictureWidth', 'pictureHeight', 'into', 'width', 'height', 'xs', 'ys', 'stretches', 'table', 'steps', 'lobes',
  'acrossWeights', 'acrossOffsets', 'downWeights', 'downOffsets', 'room', 'counts', 'totals', 'rows', 'held', 'lines', 'sums',
])

/** Lobes of the Lanczos kernel on each side: how far it reaches, in pixels. */
export const LOBES = 3
/** Steps of its table in one lobe. */
const STEPS = 1024

/**
 * The Lanczos kernel of three lobes, tabulated: sinc(x) sinc(x/3), 0 beyond 3 (Duchon 1979, "Lanczos filtering in one and
 * two dimensions"). Flat at the middle and 0 at every other whole number, so a shift by whole pixels copies exactly.
 */
const TABLE = (() => {
  const table = new Float64Array(LOBES * STEPS + 2)
  table[0] = 1
  for (let i = 1; i < LOBES * STEPS; i++) {
    const x = (PI * i) / STEPS
    table[i] = i % STEPS === 0 ? 0 : (LOBES * sin(x) * sin(x / LOBES)) / (x * x)
  }
  return table
})()

/** A part of a picture, where it begins in it, and the size of the whole: beyond its edge its last pixels go on. */
export interface PartOfPicture {
  readonly block: FloatRaster
  readonly left: number
  readonly top: number
  readonly picture: { readonly width: number; readonly height: number }
}

/** Where the pixels of a result come from, in pixels of the source with centres at .5. */
export type Places =
  /** A pair for every pixel, row by row, and how many pixels of the source lie on each, at least 1. */
  | { readonly kind: 'each'; readonly pairs: Float64Array; readonly stretch: number | Float64Array }
  /** Columns come from columns and rows from rows. */
  | { readonly kind: 'axes'; readonly xs: Float64Array; readonly ys: Float64Array; readonly stretch: number }

/**
 * A result of so many pixels from a part of a picture, by a Lanczos kernel that is stretched where pixels lie closer in the
 * result than in the source. Both kinds of places give the same sums.
 *
 * @returns Values clamped to 0..1; 1 where a place lies outside the picture.
 */
export function resampledPart({ block, left, top, picture }: PartOfPicture, width: number, height: number, places: Places): Float32Array {
  const kernels = compiled()
  const { channels } = block
  const isAxes = places.kind === 'axes'
  const stretches = typeof places.stretch === 'number' ? null : places.stretch
  const most = stretches ? stretches.reduce((sum, value) => Math.max(sum, value), 1) : (places.stretch as number)
  const room = 2 * Math.ceil(LOBES * most) + 2
  const layout = new Layout()
  const doubles = (count: number) => layout.claim(8 * count)
  const words = (count: number) => layout.claim(4 * count)
  const of = layout.claim(resampling.bytes)
  const [xs, ys] = isAxes ? [doubles(width), doubles(height)] : [doubles(2 * width * height), 0]
  const taps = room * (isAxes ? width : 1)
  const values = {
    stretch: stretches ? 1 : most, blockWidth: block.width, blockHeight: block.height, channels, left, top, pictureWidth: picture.width, pictureHeight: picture.height, width, height, xs, ys,
    stretches: stretches ? doubles(stretches.length) : 0, table: doubles(TABLE.length), steps: STEPS, lobes: LOBES,
    acrossWeights: words(taps), acrossOffsets: words(taps), downWeights: words(room), downOffsets: words(room), room,
    counts: isAxes ? words(width) : 0, totals: isAxes ? doubles(width) : 0, rows: isAxes ? words(room * (width * channels + 1)) : 0, held: isAxes ? words(room) : 0, lines: room, sums: isAxes ? words(width * channels) : 0,
    // Colour is read four floats at a time: one beyond the last pixel.
    source: words(block.data.length + 1), into: words(width * height * channels),
  }
  reserve(kernels.memory, layout.end)
  const { buffer } = kernels.memory
  const put = (at: number, numbers: Float64Array) => new Float64Array(buffer, at, numbers.length).set(numbers)
  put(values.table, TABLE)
  if (stretches) put(values.stretches, stretches)
  if (places.kind === 'axes') {
    put(xs, places.xs)
    put(ys, places.ys)
  } else put(xs, places.pairs)
  new Float32Array(buffer, values.source, block.data.length).set(block.data)
  resampling.write(buffer, of, values)
  kernels[places.kind === 'axes' ? 'axes' : 'places'](of)
  return new Float32Array(buffer, values.into, width * height * channels).slice()
}
