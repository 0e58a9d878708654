import { logLight } from '@fennip/core/raster/log-light.js'
import { crop, clipRegion, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { robustDeviation } from '@fennip/core/numbers/statistics.js'
import type { Transfer } from '@fennip/core/raster/transfer.js'
import type { TrueFlaw } from '@fennip/demo/damage.js'

/**
 * The weight of a flaw as a matched filter sees it: the answer of a disc of its own size less its surroundings to the
 * damage alone, over the robust deviation of the same disc's answers at 40 places of the clean picture around it. In a
 * plain sky this is the root of the sum of squares over the deviation of a pixel; where the ground itself has structure
 * of that size, it counts as noise, as it does for any filter and any eye.
 */
export function trueWeight(flaw: TrueFlaw, clean: IntegerRaster, damaged: IntegerRaster, transfer: Transfer): number {
  const answer = (raster: IntegerRaster, x: number, y: number): number | null => {
    const reach = Math.ceil(1.8 * flaw.r)
    const region = { x: Math.floor(x) - reach, y: Math.floor(y) - reach, width: 2 * reach + 1, height: 2 * reach + 1 }
    const inside = clipRegion(region, raster.width, raster.height)
    if (inside.width !== region.width || inside.height !== region.height) return null
    const light = logLight(crop(raster, region), transfer)
    let disc = 0
    let discCount = 0
    let ring = 0
    let ringCount = 0
    for (let row = 0; row < region.height; row++) {
      for (let column = 0; column < region.width; column++) {
        const d = Math.hypot(region.x + column + 0.5 - x, region.y + row + 0.5 - y)
        if (d < flaw.r) {
          disc += light.data[row * region.width + column]!
          discCount++
        } else if (d > 1.25 * flaw.r && d < 1.8 * flaw.r) {
          ring += light.data[row * region.width + column]!
          ringCount++
        }
      }
    }
    return disc / discCount - ring / ringCount
  }
  const signal = (answer(damaged, flaw.x, flaw.y) ?? 0) - (answer(clean, flaw.x, flaw.y) ?? 0)
  const around: number[] = []
  for (let k = 0; k < 40; k++) {
    const angle = (k * 2 * Math.PI) / 20
    const distance = (k < 20 ? 1.2 : 2.4) * flaw.r
    const value = answer(clean, flaw.x + distance * Math.cos(angle), flaw.y + distance * Math.sin(angle))
    if (value !== null) around.push(value)
  }
  return Math.abs(signal) / Math.max(1e-6, robustDeviation(Float32Array.from(around)))
}

/** What a find claims of itself, and what is so. */
export interface Claim {
  readonly confidence: number
  readonly real: boolean
}

/**
 * Expected calibration error: how far confidence is from the share of finds that are real, in ten equal bins weighted by their
 * finds (Naeini, Cooper and Hauskrecht 2015, "Obtaining well calibrated probabilities using Bayesian binning", from memory).
 */
export function calibrationError(claims: readonly Claim[]): number {
  let error = 0
  for (let bin = 0; bin < 10; bin++) {
    const within = claims.filter(({ confidence }) => Math.min(9, Math.floor(10 * confidence)) === bin)
    error += Math.abs(within.reduce((sum, { confidence, real }) => sum + confidence - (real ? 1 : 0), 0)) / Math.max(1, claims.length)
  }
  return error
}
