import sharp from 'sharp'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import type { Light } from '@fennip/demo/photograph.js'
import { Dice } from './optical-damage.js'

/** How a picture came into its file, drawn wide; the clean and the harmed one are developed alike. */
export interface Development {
  /** Side in the file over the side as taken. */
  readonly size: number
  /** Amount of a sharpening of about a pixel, 0 for none. */
  readonly sharpening: number
  /** Quality of JPEG, null where it is not compressed. */
  readonly quality: number | null
  readonly look: 'colour' | 'grey' | 'toned'
  /** Deviation of the noise at middle grey, in levels of 255. */
  readonly noise: number
}

export function drawDevelopment(seed: number, isPrint: boolean): Development {
  const dice = new Dice(seed ^ 0x5eed)
  const look = dice.next()
  return {
    size: dice.next() < 0.5 ? 1 : dice.between(0.5, 0.9),
    sharpening: dice.next() < 0.4 ? dice.between(0.3, 1.2) : 0,
    quality: dice.next() < 0.6 ? Math.round(dice.between(60, 95)) : null,
    look: isPrint ? (look < 0.5 ? 'grey' : 'toned') : look < 0.85 ? 'colour' : 'grey',
    noise: dice.between(0.4, 3),
  }
}

/** IEC 61966-2-1. */
const encode = (light: number) => (light <= 0.0031308 ? 12.92 * light : 1.055 * Math.min(1, light) ** (1 / 2.4) - 0.055)

/** Develop light to 8 bits. The same seed gives the same noise. */
export async function develop(light: Light, { size, sharpening, quality, look, noise }: Development, seed: number): Promise<IntegerRaster> {
  const dice = new Dice(seed)
  const { width, height } = light
  const data = new Uint8Array(3 * width * height)
  const tones = [1, 0.9, 0.72]
  for (let i = 0; i < width * height; i++) {
    const rgb = [0, 1, 2].map((c) => light.channels[Math.min(c, light.channels.length - 1)]!.data[i]!)
    const grey = 0.2126 * rgb[0]! + 0.7152 * rgb[1]! + 0.0722 * rgb[2]!
    const [a, b, c] = [dice.normal(), dice.normal(), dice.normal()]
    for (let k = 0; k < 3; k++) {
      const value = look === 'colour' ? rgb[k]! : look === 'grey' ? grey : grey * tones[k]! + 0.01
      const level = encode(Math.max(0, value))
      // Shot noise in encoded tones: about even, less in the shadows.
      data[3 * i + k] = Math.max(0, Math.min(255, Math.round(255 * level + noise * Math.sqrt(0.35 + level) * (look === 'colour' ? [a, b, c][k]! : a))))
    }
  }
  let image = sharp(data, { raw: { width, height, channels: 3 } })
  if (size !== 1) image = image.resize(Math.round(width * size), Math.round(height * size), { kernel: 'lanczos3' })
  if (sharpening > 0) image = sharp((await image.raw().toBuffer({ resolveWithObject: true })).data, { raw: { width: size === 1 ? width : Math.round(width * size), height: size === 1 ? height : Math.round(height * size), channels: 3 } }).sharpen({ sigma: 0.9, m1: sharpening, m2: sharpening })
  if (quality !== null) image = sharp(await image.jpeg({ quality, chromaSubsampling: quality < 85 ? '4:2:0' : '4:4:4' }).toBuffer())
  const { data: out, info } = await image.raw().toBuffer({ resolveWithObject: true })
  return { width: info.width, height: info.height, channels: 3, data: Uint8Array.from(out) }
}
