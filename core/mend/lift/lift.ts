import { gaussianBlur } from '../../raster/blur.js'
import { exp } from '../../numbers/exact-math.js'
import type { Mended } from '../../check/mended.js'
import { clipRegion, makeRaster, type PixelSource } from '../../raster/raster.js'
import type { Transfer } from '../../raster/transfer.js'
import type { LightLoss } from './light-loss.js'

/** Deviation in pixels of the filter that parts grain from tone. */
const GRAIN_FILTER = 1.5

/** Shadows fainter than this do not change a 16 bit sample. */
const FAINTEST = 4e-6

/** The least share of light a lift divides by: beyond it there is only noise. */
const LEAST_GAIN = 0.06

/**
 * Give back what shows through something that only dims or tints.
 *
 * @param picture   As mended so far.
 * @param transfer  Tables of its curve.
 * @param loss      Of light, as it was fitted.
 * @param strength  0 nothing, 1 all of the loss, above 1 more than it.
 * @returns New pixels; where no light was lost they are copied bit for bit.
 *
 * Model: observed = detail x transmission in linear light (Gu and others 2009, without the scattered term). Noise was
 * drawn after the light was lost, so grain finer than 1.5 px is damped by a power of the transmission.
 */
export function lift(picture: PixelSource, transfer: Transfer, loss: LightLoss, strength: number): Mended {
  const region = clipRegion(loss.region, picture.width, picture.height)
  const apron = loss.damping > 0 ? Math.ceil(3 * GRAIN_FILTER) : 0
  const wide = clipRegion({ x: region.x - apron, y: region.y - apron, width: region.width + 2 * apron, height: region.height + 2 * apron }, picture.width, picture.height)
  const before = picture.read(wide)
  const { channels } = picture
  const depth = new Float32Array(wide.width * wide.height)
  for (let y = 0; y < wide.height; y++) {
    for (let x = 0; x < wide.width; x++) depth[y * wide.width + x] = strength * loss.depth(wide.x + x + 0.5, wide.y + y + 0.5)
  }
  const pixels = makeRaster(region.width, region.height, channels, picture.depth)
  const touched = new Uint8Array(region.width * region.height)
  const lifted = new Float32Array(wide.width * wide.height)
  for (let c = 0; c < channels; c++) {
    const share = loss.channels[c] ?? 1
    for (let i = 0; i < lifted.length; i++) {
      const light = transfer.light[before.data[i * channels + c]!]!
      const d = depth[i]! * share
      lifted[i] = d === 0 ? light : light / Math.max(LEAST_GAIN, exp(-d))
    }
    const tone = loss.damping > 0 ? gaussianBlur({ width: wide.width, height: wide.height, data: lifted }, GRAIN_FILTER).data : lifted
    for (let y = 0; y < region.height; y++) {
      for (let x = 0; x < region.width; x++) {
        const from = (y + region.y - wide.y) * wide.width + x + region.x - wide.x
        const to = y * region.width + x
        const d = depth[from]! * share
        if (Math.abs(d) < FAINTEST) {
          pixels.data[to * channels + c] = before.data[from * channels + c]!
          continue
        }
        touched[to] = 1
        const grain = lifted[from]! - tone[from]!
        const light = grain === 0 ? tone[from]! : tone[from]! + grain * exp(-Math.max(0, d) * loss.damping)
        pixels.data[to * channels + c] = transfer.encode(light)
      }
    }
  }
  return { region, pixels, touched }
}
