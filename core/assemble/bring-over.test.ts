import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { pylonLight, dustyPylon } from '@fennip/demo/pictures.js'
import { differenceCiede2000, type Lab } from '../colour/colour-difference.js'
import { labPixels } from '../colour/lab.js'
import { srgbProfile } from '../colour/profile.js'
import { makeToneSpace } from '../colour/tone-space.js'
import { toFloat } from '../render/samples.js'
import { makeRandom } from '../random.js'
import type { IntegerRaster } from '../raster/raster.js'
import { bringOver } from './bring-over.js'

const [WIDTH, HEIGHT] = [900, 600]

/** Another frame of the scene: turned, larger, brighter and warmer, with grain of its own; made by the picture library. */
async function otherFrame(picture: IntegerRaster): Promise<IntegerRaster> {
  const turn = (1.1 * Math.PI) / 180
  const [a, b] = [1.04 * Math.cos(turn), 1.04 * Math.sin(turn)]
  const { data, info } = await sharp(Uint8Array.from(picture.data), { raw: { width: picture.width, height: picture.height, channels: 3 } }).affine([a, -b, b, a], { background: '#888', interpolator: 'bicubic' }).raw().toBuffer({ resolveWithObject: true })
  const random = makeRandom(3)
  const gain = [1.35, 1.2, 1.0]
  const { decode, encode } = makeToneSpace({ type: 'srgb' })
  const warmer = gain.map((by) => Uint8Array.from({ length: 256 }, (_, value) => Math.round(255 * encode(Math.min(1, by * decode(value / 255))))))
  return { width: info.width, height: info.height, channels: 3, data: Uint8Array.from(data, (value, i) => Math.max(0, Math.min(255, warmer[i % 3]![value]! + Math.round(2 * (random.uniform() + random.uniform() - 1))))) }
}

describe('a part from another picture', () => {
  it('lies right, has the light of its new place, and no step at its edge', async () => {
    const whole: IntegerRaster = dustyPylon(await pylonLight({ width: WIDTH, height: HEIGHT }), 7).clean
    const other = await otherFrame(whole)
    // What is lost: a disc with a soft edge over the pylon and the sky.
    const [cx, cy, r] = [0.66 * WIDTH, 0.45 * HEIGHT, 70]
    const cover = Float32Array.from({ length: WIDTH * HEIGHT }, (_, i) => Math.max(0, Math.min(1, (r - Math.hypot((i % WIDTH) + 0.5 - cx, Math.floor(i / WIDTH) + 0.5 - cy)) / 8)))
    // The zone reaches beyond what is lost, as it is painted.
    const lost = { ...whole, data: whole.data.map((value, i) => (cover[Math.floor(i / 3)]! === 1 ? 128 : value)) } as IntegerRaster
    const { raster, gains } = bringOver({ pixels: lost, curve: { type: 'srgb' } }, { pixels: other, curve: { type: 'srgb' } }, cover)
    gains.forEach((gain, c) => expect(gain).toBeCloseTo(1 / [1.35, 1.2, 1.0][c]!, 1))
    const lab = (of: IntegerRaster) => labPixels(toFloat(of).data, 3, makeToneSpace({ type: 'srgb' }).decode, srgbProfile(false).toXyz)
    const [brought, truth] = [lab(raster), lab(whole)]
    const differences = { edge: [] as number[], inside: [] as number[], outside: 0 }
    const at = (values: Float32Array, i: number): Lab => ({ l: values[3 * i]!, a: values[3 * i + 1]!, b: values[3 * i + 2]! })
    for (let i = 0; i < cover.length; i++) {
      const value = differenceCiede2000(at(brought, i), at(truth, i))
      if (cover[i] === 0) differences.outside = Math.max(differences.outside, value)
      else (cover[i]! < 1 ? differences.edge : differences.inside).push(value)
    }
    const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
    // CIEDE2000 of two frames that differ by their grain alone: what the surroundings show by themselves.
    const grain: number[] = []
    for (let i = 0; i < cover.length; i += 7) if (cover[i] === 0 && i % WIDTH < WIDTH - 1) grain.push(differenceCiede2000(at(truth, i), at(truth, i + 1)))
    expect(differences.outside).toBeLessThan(0.01)
    expect(mean(differences.edge)).toBeLessThan(mean(grain) + 0.3)
    expect(mean(differences.inside)).toBeLessThan(2.5)
  })
})
