import { basename } from 'node:path'
import sharp from 'sharp'
import { makeRandom, type Random } from '@fennip/core/random.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { gaussianBlur } from '@fennip/core/raster/blur.js'
import { guidedFilter } from '@fennip/core/kernels/smoothing/box.js'
import type { Depth, IntegerRaster, Plane } from '@fennip/core/raster/raster.js'
import { makeRaster, maximumOf } from '@fennip/core/raster/raster.js'
import { kept } from './kept.js'

/** A scene as light: one plane of linear light a channel, before lens, damage and noise. */
export interface Light {
  readonly width: number
  readonly height: number
  readonly channels: readonly Plane[]
}

/**
 * Make light from a committed render: enlarge it, give it fine detail of its own at full size, soften it as a lens does.
 *
 * @param file     Path of the render.
 * @param options  Final size, number of channels, deviation of the lens's softness in pixels, seed of the detail.
 */
export async function lightOfRender(
  file: string,
  options: { width: number; height: number; channels: 1 | 3; softness: number; detail: number; seed: number },
): Promise<Light> {
  const { width, height } = options
  const count = options.channels
  const { width: from, height: rows } = await sharp(file).metadata()
  const bytes = await kept(`${basename(file, '.jpg')}-smooth-${count}`, () => withoutSteps(file, count))
  const enlarged = await sharp(new Uint16Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 2), { raw: { width: from, height: rows, channels: count } })
    .resize(width, height, { fit: 'cover', kernel: 'cubic' })
    .toColourspace(count === 1 ? 'grey16' : 'rgb16')
    .raw({ depth: 'ushort' })
    .toBuffer()
  const data = new Uint16Array(enlarged.buffer, enlarged.byteOffset, enlarged.byteLength / 2)
  const { light } = makeTransfer({ type: 'srgb' }, 16)
  const detail = fineDetail(data, width, height, count, options.detail, options.seed)
  const channels: Plane[] = []
  for (let c = 0; c < options.channels; c++) {
    const plane = new Float32Array(width * height)
    for (let i = 0; i < plane.length; i++) plane[i] = light[data[i * count + c]!]! * detail[i]!
    channels.push(options.softness > 0 ? gaussianBlur({ width, height, data: plane }, options.softness) : { width, height, data: plane })
  }
  return { width, height, channels }
}

/** What a print makes of light: its darkest and its paper, and how its colour bends between, a channel each. */
export interface Toning {
  readonly black: readonly number[]
  readonly paper: readonly number[]
  readonly bend: readonly number[]
}

/** Silver turned brown, as old prints are (common practice). */
export const SEPIA: Toning = { black: [0.045, 0.032, 0.022], paper: [0.82, 0.72, 0.56], bend: [0.92, 1, 1.1] }

/** A print of one colour, scanned in three. */
export function printOf(light: Light, { black, paper, bend }: Toning): Light {
  const { width, height, channels } = light
  const grey = channels[0]!.data.map((_value, i) => Math.min(1, channels.reduce((sum, { data }) => sum + data[i]!, 0) / channels.length))
  return { width, height, channels: [0, 1, 2].map((c) => ({ width, height, data: grey.map((value) => black[c]! + (paper[c]! - black[c]!) * value ** bend[c]!) })) }
}

/**
 * A render at 16 bits without the steps of its 8 bit file: a guided filter with the picture as its own guide, whose
 * tolerance is the noise of rounding, so that a sky becomes smooth and everything else stays.
 *
 * @param count  How many channels are wanted.
 */
async function withoutSteps(file: string, count: 1 | 3): Promise<Uint8Array> {
  const { data, info } = await sharp(file).toColourspace(count === 1 ? 'b-w' : 'srgb').raw().toBuffer({ resolveWithObject: true })
  const { width, height, channels: stride } = info
  const samples = new Uint16Array(width * height * count)
  for (let c = 0; c < count; c++) {
    const values = { width, height, data: new Float32Array(width * height) }
    for (let i = 0; i < values.data.length; i++) values.data[i] = data[i * stride + c]! / 255
    const { data: smooth } = guidedFilter([values], values, 8, (2.5 / 255) ** 2)[0]!
    for (let i = 0; i < smooth.length; i++) samples[i * count + c] = Math.max(0, Math.min(65535, Math.round(65535 * smooth[i]!)))
  }
  return new Uint8Array(samples.buffer)
}

/**
 * Detail that an enlargement lacks: a factor per pixel, strong where the render itself has structure, faint in
 * smooth places (a sky keeps its smoothness, rock and foliage get a top octave).
 */
function fineDetail(data: Uint16Array, width: number, height: number, count: number, strength: number, seed: number): Float32Array {
  const factor = new Float32Array(width * height)
  const random = makeRandom(seed)
  const lattice = Float32Array.from({ length: 1 << 16 }, () => random.uniform() + random.uniform() + random.uniform() - 1.5)
  const cell = 8
  const columns = Math.ceil(width / cell)
  const rows = Math.ceil(height / cell)
  const busy = new Float32Array(columns * rows)
  for (let row = 0; row < rows; row++) {
    for (let column = 0; column < columns; column++) {
      let sum = 0
      let n = 0
      for (let y = row * cell; y < Math.min(height - 1, (row + 1) * cell); y += 2) {
        for (let x = column * cell; x < Math.min(width - 1, (column + 1) * cell); x += 2) {
          const i = (y * width + x) * count + Math.min(1, count - 1)
          sum += Math.abs(data[i]! - data[i + count]!) + Math.abs(data[i]! - data[i + width * count]!)
          n += 1
        }
      }
      busy[row * columns + column] = Math.min(1, Math.max(0, sum / 257 / Math.max(1, n) - 1.2) / 6)
    }
  }
  for (let y = 0; y < height; y++) {
    const v = Math.max(0, Math.min(rows - 1.001, y / cell - 0.5))
    const row = Math.floor(v)
    for (let x = 0; x < width; x++) {
      const u = Math.max(0, Math.min(columns - 1.001, x / cell - 0.5))
      const column = Math.floor(u)
      const at = row * columns + column
      const below = at + (row + 1 < rows ? columns : 0)
      const right = column + 1 < columns ? 1 : 0
      // The least of the four, so that the detail of a girder does not spill into the sky beside it.
      const local = Math.min(busy[at]!, busy[at + right]!, busy[below]!, busy[below + right]!)
      if (local <= 0) {
        factor[y * width + x] = 1
        continue
      }
      const noise = lattice[(x * 73 + y * 8117) & 65535]! + valueNoise(lattice, x / 2.3, y / 2.3) + valueNoise(lattice, x / 5.1 + 91, y / 5.1 + 17)
      factor[y * width + x] = Math.max(0.2, 1 + strength * local * noise)
    }
  }
  return factor
}

function valueNoise(lattice: Float32Array, x: number, y: number): number {
  const column = Math.floor(x)
  const row = Math.floor(y)
  const fx = x - column
  const fy = y - row
  const upper = row * 31337
  const lower = upper + 31337
  const left = column * 157
  const right = left + 157
  return (
    (lattice[(left + upper) & 65535]! * (1 - fx) + lattice[(right + upper) & 65535]! * fx) * (1 - fy) +
    (lattice[(left + lower) & 65535]! * (1 - fx) + lattice[(right + lower) & 65535]! * fx) * fy
  )
}

/** How light becomes samples. */
export interface Exposure {
  /** Electrons at full light; fewer means more photon noise. */
  readonly electrons: number
  /** Deviation of the noise of reading, in electrons. */
  readonly readNoise: number
  /** Deviation in pixels of the blur that makes film grain coarse; 0 for a sensor. */
  readonly grainSize: number
  readonly depth: Depth
  readonly seed: number
}

/** A photograph together with the same photograph as it would have been without damage: same noise, other light. */
export interface Photograph {
  readonly damaged: IntegerRaster
  readonly clean: IntegerRaster
}

/**
 * Expose light through damage.
 *
 * @param light     Clean light.
 * @param damage    Damaged light of the same size; may share planes that are equal.
 * @param exposure  Photon noise, grain and depth.
 * @returns Samples in the sRGB curve. Truth and damaged share the same draw of noise, each scaled to its own light,
 *          so that nothing under a shadow is known better than light allows.
 */
export function expose(light: Light, damage: Light, exposure: Exposure): Photograph {
  const { width, height } = light
  const count = light.channels.length
  const transfer = makeTransfer({ type: 'srgb' }, 16)
  const shift = exposure.depth === 8 ? 257 : 1
  const damaged = makeRaster(width, height, count, exposure.depth)
  const clean = makeRaster(width, height, count, exposure.depth)
  const maximum = maximumOf(exposure.depth)
  const { electrons } = exposure
  const readVariance = exposure.readNoise * exposure.readNoise
  for (let c = 0; c < count; c++) {
    const noise = noisePlane(width, height, exposure, c)
    const calm = light.channels[c]!.data
    const hurt = damage.channels[c]!.data
    for (let i = 0; i < noise.length; i++) {
      const k = i * count + c
      clean.data[k] = Math.min(maximum, Math.round(transfer.encode(expectAndNoise(calm[i]!, noise[i]!, electrons, readVariance)) / shift))
      damaged.data[k] = calm[i] === hurt[i] ? clean.data[k]! : Math.min(maximum, Math.round(transfer.encode(expectAndNoise(hurt[i]!, noise[i]!, electrons, readVariance)) / shift))
    }
  }
  return { damaged, clean }
}

function expectAndNoise(light: number, noise: number, electrons: number, readVariance: number): number {
  const expected = Math.max(0, light) * electrons
  return (expected + noise * Math.sqrt(expected + readVariance)) / electrons
}

const gaussians: Float32Array = (() => {
  const random = makeRandom(7)
  // Sums of twelve uniforms: normal to within what a picture can show, and cut off at six deviations.
  return Float32Array.from({ length: 1 << 18 }, () => {
    let sum = -6
    for (let i = 0; i < 12; i++) sum += random.uniform()
    return sum
  })
})()

function noisePlane(width: number, height: number, exposure: Exposure, channel: number): Float32Array {
  const random = makeRandom(exposure.seed * 31 + channel)
  const data = new Float32Array(width * height)
  for (let i = 0; i < data.length; i++) data[i] = gaussians[random.integer() >>> 14]!
  if (exposure.grainSize === 0) return data
  const blurred = gaussianBlur({ width, height, data }, exposure.grainSize).data
  let power = 0
  for (let i = 0; i < blurred.length; i += 17) power += blurred[i]! * blurred[i]!
  const scale = 1 / Math.sqrt(power / Math.ceil(blurred.length / 17))
  for (let i = 0; i < blurred.length; i++) blurred[i]! *= scale
  return blurred
}

export function between(random: Random, low: number, high: number): number {
  return low + (high - low) * random.uniform()
}

/** Uniform on a logarithmic scale. */
export function betweenLogarithmically(random: Random, low: number, high: number): number {
  return low * (high / low) ** random.uniform()
}
