import { logLight, logTable } from '../../raster/log-light.js'
import { loneWaveOf, SCREEN_WINDOW } from '../../raster/lone-wave.js'
import { gaussianBlur, gaussianWeights } from '../../raster/blur.js'
import { cos, PI, sin } from '../../numbers/exact-math.js'
import { clipRegion, growRegion, type IntegerRaster, type PixelSource, type Plane, type Region } from '../../raster/raster.js'
import { median } from '../../numbers/statistics.js'
import type { Transfer } from '../../raster/transfer.js'
import { roundTo } from '../../round.js'
import { distanceOutside, shapeBounds, type Shape } from '../../shape/shape.js'
import { patternField, type Pattern, type PatternWave } from './pattern.js'

/** A screen has two directions, and each an overtone. */
const MOST_WAVES = 4
/** Strength below which a wave is not told from the picture any more: as in the search, where it goes on beside a strong one. */
const LEAST_STRENGTH = 20
/** Least distance of knots in pixels, and most knots of an area: over a large one they lie further apart. */
const LEAST_SPACING = 12
const MOST_KNOTS = 9000
/** Strength and phase are taken for even over a Gaussian of this share of their distance. */
const EVEN = 0.8
/** What a Gaussian of this deviation leaves is tone: of the longest waves that are looked for it leaves a fiftieth. */
const TONE = 6
/** How often the frequency is corrected by the drift of the phase, and how many windows are looked at, at most. */
const DRIFTS = 3
const MOST_WINDOWS = 400
/** A wave with less than this share of the first one's energy is not worth another. */
const LEAST_SHARE = 0.02
/** So far around an area it is asked what the picture has of such waves by itself, in pixels. */
const AROUND = 40

/**
 * The waves of a pattern over an area, with strength and phase at every place: each is turned to a standstill, and what
 * then stays over some pixels is the pattern; the picture's own content turns away (complex demodulation).
 *
 * @param picture   As mended so far.
 * @param transfer  Tables of its curve.
 * @param shape     Of the area.
 * @returns The pattern, or null where no wave stands alone or the area is smaller than a window.
 *
 * Bingham, Godfrey and Tukey 1967, "Modern techniques of power spectrum estimation", for the demodulation (from memory).
 */
export function fitPattern(picture: PixelSource, transfer: Transfer, shape: Shape): Pattern | null {
  const region = clipRegion(growRegion(shapeBounds(shape), AROUND), picture.width, picture.height)
  if (region.width < SCREEN_WINDOW || region.height < SCREEN_WINDOW) return null
  const pixels = picture.read(region)
  const light = logLight(pixels, transfer)
  const distance = distanceOutside(shape, region, AROUND).data
  const knots = knotsOf(region)
  const inside = knots.at.map((i) => distance[i]! < knots.spacing / 2)
  const left = withoutTone(light)
  const planes = Array.from({ length: picture.channels }, (_value, c) => withoutTone(logChannel(pixels, transfer, c)))
  const waves: PatternWave[] = []
  const strengths = planes.map(() => 0)
  let energy = 0
  while (waves.length < MOST_WAVES) {
    let wave = strongestWave(left, distance)
    if (!wave) break
    for (let round = 0; round < DRIFTS; round++) wave = withoutDrift(demodulated(left, region, wave, knots), knots, inside, wave)
    const { real, imaginary } = demodulated(left, region, wave, knots)
    // What the picture has of such a wave by itself, beside the area, is left to it.
    const beside = knots.at.flatMap((i, k) => (distance[i]! > knots.even ? [Math.sqrt(real[k]! * real[k]! + imaginary[k]! * imaginary[k]!)] : []))
    const own = beside.length === 0 ? 0 : median(Float32Array.from(beside))
    const kept: Amplitude = { real: new Float64Array(real.length), imaginary: new Float64Array(real.length) }
    real.forEach((value, k) => {
      const square = value * value + imaginary[k]! * imaginary[k]!
      const share = inside[k] && square > 0 ? square / (square + own * own) : 0
      kept.real[k] = fine(value * share)
      kept.imaginary[k] = fine(imaginary[k]! * share)
    })
    const likeness = (other: Amplitude) => kept.real.reduce((sum, value, k) => sum + value * other.real[k]! + kept.imaginary[k]! * other.imaginary[k]!, 0)
    const more = likeness({ real, imaginary })
    if (more < LEAST_SHARE * energy) break
    energy += more
    planes.forEach((plane, c) => (strengths[c]! += likeness(demodulated(plane, region, wave!, knots))))
    const found: PatternWave = { ...wave, real: [...kept.real], imaginary: [...kept.imaginary] }
    waves.push(found)
    takeAway(left, region, patternOf([found], region, knots, []))
  }
  if (waves.length === 0 || !(energy > 0)) return null
  return patternOf(waves, region, knots, strengths.map((sum) => fine(Math.max(0, Math.min(4, sum / energy)))))
}

const fine = (value: number) => roundTo(value, 5)

/** Where strength and phase are told, and over how many pixels round there. */
interface Knots {
  readonly spacing: number
  readonly columns: number
  readonly rows: number
  /** Index of the pixel each lies on. */
  readonly at: readonly number[]
  /** Deviation of the Gaussian over which strength and phase are taken for even, in pixels. */
  readonly even: number
}

function knotsOf({ width, height }: Region): Knots {
  const spacing = 2 * Math.ceil(Math.max(LEAST_SPACING, Math.sqrt((width * height) / MOST_KNOTS)) / 2)
  const columns = Math.floor(width / spacing)
  const rows = Math.floor(height / spacing)
  return { spacing, columns, rows, even: EVEN * spacing, at: Array.from({ length: columns * rows }, (_value, k) => (Math.floor(k / columns) * spacing + spacing / 2) * width + (k % columns) * spacing + spacing / 2) }
}

const patternOf = (waves: PatternWave[], { x, y }: Region, { spacing, columns }: Knots, channels: number[]): Pattern => ({ x: x + spacing / 2 + 0.5, y: y + spacing / 2 + 0.5, spacing, columns, waves, channels })

function logChannel({ width, height, channels, data }: IntegerRaster, transfer: Transfer, c: number): Plane {
  const table = logTable(transfer)
  const plane = new Float32Array(width * height)
  for (let i = 0, j = c; i < plane.length; i++, j += channels) plane[i] = table[data[j]!]!
  return { width, height, data: plane }
}

/** Detail alone, so that the tone of large things does not leak into the waves. */
function withoutTone(plane: Plane): Plane {
  const { data } = gaussianBlur(plane, TONE)
  for (let i = 0; i < data.length; i++) data[i] = plane.data[i]! - data[i]!
  return { ...plane, data }
}

/** The lone wave that most windows of the area share, in radians a pixel; null when none stands out. */
function strongestWave(light: Plane, distance: Float32Array): Wave | null {
  const found: { strength: number; across: number; down: number }[] = []
  const step = Math.max(SCREEN_WINDOW, Math.ceil(Math.sqrt((light.width * light.height) / MOST_WINDOWS)))
  for (let y = 0; y + SCREEN_WINDOW <= light.height; y += step) {
    for (let x = 0; x + SCREEN_WINDOW <= light.width; x += step) {
      if (distance[(y + SCREEN_WINDOW / 2) * light.width + x + SCREEN_WINDOW / 2]! > 0) continue
      const wave = loneWaveOf(light, x, y)
      if (wave.strength >= LEAST_STRENGTH) found.push(wave)
    }
  }
  if (found.length === 0) return null
  const strongest = found.reduce((a, b) => (b.strength > a.strength ? b : a))
  const same = found.filter(({ across, down }) => Math.abs(across - strongest.across) < 1 && Math.abs(down - strongest.down) < 1)
  const middle = (values: number[]) => (2 * PI * median(Float32Array.from(values))) / SCREEN_WINDOW
  return { across: middle(same.map(({ across }) => across)), down: middle(same.map(({ down }) => down)) }
}

/** Radians a pixel. */
interface Wave { readonly across: number; readonly down: number }

/** Complex amplitudes at the knots. */
interface Amplitude { readonly real: Float64Array; readonly imaginary: Float64Array }

/** Amplitude of a wave at the knots: the plane turned back by its phase, and a Gaussian over what then stands still. */
function demodulated({ width, height, data }: Plane, region: Region, { across, down }: Wave, { spacing, columns, rows, even }: Knots): Amplitude {
  const weights = gaussianWeights(even)
  const radius = (weights.length - 1) / 2
  const table = (count: number, step: number, start: number) => ({ cosines: Float64Array.from({ length: count }, (_value, i) => cos(step * (start + i + 0.5))), sines: Float64Array.from({ length: count }, (_value, i) => sin(step * (start + i + 0.5))) })
  // The phase is that of the column and that of the row together, so that each direction is turned back by itself.
  const [byColumn, byRow] = [table(width, across, region.x), table(height, down, region.y)]
  const [partReal, partImaginary] = [new Float64Array(columns * height), new Float64Array(columns * height)]
  for (let y = 0; y < height; y++) {
    for (let column = 0; column < columns; column++) {
      const middle = column * spacing + spacing / 2
      const [first, last] = [Math.max(0, middle - radius), Math.min(width - 1, middle + radius)]
      let [a, b, say] = [0, 0, 0]
      for (let x = first; x <= last; x++) {
        const weight = weights[x - middle + radius]!
        say += weight
        a += weight * data[y * width + x]! * byColumn.cosines[x]!
        b -= weight * data[y * width + x]! * byColumn.sines[x]!
      }
      partReal[y * columns + column] = (2 * a) / say
      partImaginary[y * columns + column] = (2 * b) / say
    }
  }
  const [real, imaginary] = [new Float64Array(columns * rows), new Float64Array(columns * rows)]
  for (let row = 0; row < rows; row++) {
    const middle = row * spacing + spacing / 2
    const [first, last] = [Math.max(0, middle - radius), Math.min(height - 1, middle + radius)]
    for (let column = 0; column < columns; column++) {
      let [a, b, say] = [0, 0, 0]
      for (let y = first; y <= last; y++) {
        const weight = weights[y - middle + radius]!
        const cosine = byRow.cosines[y]!
        const sine = byRow.sines[y]!
        const p = partReal[y * columns + column]!
        const q = partImaginary[y * columns + column]!
        say += weight
        a += weight * (p * cosine + q * sine)
        b += weight * (q * cosine - p * sine)
      }
      real[row * columns + column] = a / say
      imaginary[row * columns + column] = b / say
    }
  }
  return { real, imaginary }
}

/** The wave at which the phase no longer drifts from knot to knot inside the area; to be asked again, since an angle is not its tangent. */
function withoutDrift({ real, imaginary }: Amplitude, { spacing, columns }: Knots, inside: readonly boolean[], { across, down }: Wave): Wave {
  const drift = (step: number): number => {
    let [along, turned] = [0, 0]
    for (let k = 0; k + step < real.length; k++) {
      if (!inside[k] || !inside[k + step]) continue
      along += real[k + step]! * real[k]! + imaginary[k + step]! * imaginary[k]!
      turned += imaginary[k + step]! * real[k]! - real[k + step]! * imaginary[k]!
    }
    const size = Math.sqrt(along * along + turned * turned)
    return size > 0 && along > 0 ? turned / size / spacing : 0
  }
  return { across: across + drift(1), down: down + drift(columns) }
}

function takeAway({ width, height, data }: Plane, region: Region, pattern: Pattern): void {
  const { depth } = patternField(pattern)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) data[y * width + x]! += depth(region.x + x + 0.5, region.y + y + 0.5)
}
