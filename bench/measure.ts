import { gaussianBlur } from '@fennip/core/raster/blur.js'
import { clipRegion, crop, maximumOf, depthOf, type IntegerRaster, type Region } from '@fennip/core/raster/raster.js'
import type { TrueFlaw } from '@fennip/demo/damage.js'

/** How one mended flaw compares with the truth; all on values 0..255 after the picture's own encoding. */
export interface FlawResult {
  readonly pixels: number
  /** Sums over damaged pixels, for pooling. */
  readonly squareError: number
  readonly squareErrorUntouched: number
  readonly ssimSum: number
  /** Root mean square error of tone and structure over the deviation of the untouched surroundings. */
  readonly errorInDeviations: number
  readonly grain: number
  readonly grainBand: number
}

interface Planes { readonly width: number; readonly height: number; readonly channels: Float32Array[] }

function planesOf(raster: IntegerRaster): Planes {
  const scale = 255 / maximumOf(depthOf(raster))
  const n = raster.width * raster.height
  return {
    width: raster.width,
    height: raster.height,
    channels: Array.from({ length: raster.channels }, (_, c) => Float32Array.from({ length: n }, (_value, i) => raster.data[i * raster.channels + c]! * scale)),
  }
}

/**
 * Measure one flaw by the one definition for all tables: damaged pixels are those where truth and damaged differ by
 * more than one local deviation or 3 levels of 255, whichever is less, grown by one pixel; tone and structure after a
 * Gaussian of 1.5 px on both sides; grain through the 1.5 px high pass, inside over outside.
 */
export function measureFlaw(flaw: TrueFlaw, truth: IntegerRaster, damaged: IntegerRaster, mended: IntegerRaster): FlawResult | null {
  const reach = Math.ceil(2.4 * flaw.r + 12)
  const region: Region = clipRegion({ x: Math.floor(flaw.x) - reach, y: Math.floor(flaw.y) - reach, width: 2 * reach, height: 2 * reach }, truth.width, truth.height)
  const [t, d, m] = [truth, damaged, mended].map((raster) => planesOf(crop(raster, region))) as [Planes, Planes, Planes]
  const { width, height } = t
  const n = width * height
  const smooth = (planes: Planes) => planes.channels.map((data) => gaussianBlur({ width, height, data }, 1.5).data)
  const [ts, ds, ms] = [smooth(t), smooth(d), smooth(m)]
  const radius = (i: number) => Math.hypot(region.x + (i % width) + 0.5 - flaw.x, region.y + Math.floor(i / width) + 0.5 - flaw.y)

  // Deviation of the untouched surroundings: what a pixel differs from its smoothed self.
  let around = 0
  let aroundCount = 0
  for (let i = 0; i < n; i++) {
    if (radius(i) < 1.9 * flaw.r + 3) continue
    for (let c = 0; c < t.channels.length; c++) {
      around += (t.channels[c]![i]! - ts[c]![i]!) ** 2
      aroundCount++
    }
  }
  const deviation = Math.max(0.15, Math.sqrt(around / Math.max(1, aroundCount)))
  const threshold = Math.min(3, deviation)
  const hurt = new Uint8Array(n)
  for (let i = 0; i < n; i++) {
    if (radius(i) > 1.8 * flaw.r + 2) continue
    // The same noise lies in both, so the smoothed difference is the damage.
    if (ts.some((plane, c) => Math.abs(plane[i]! - ds[c]![i]!) > threshold)) hurt[i] = 1
  }
  const grown = hurt.slice()
  for (let y = 1; y < height - 1; y++) for (let x = 1; x < width - 1; x++) {
    const i = y * width + x
    if (hurt[i - 1] || hurt[i + 1] || hurt[i - width] || hurt[i + width]) grown[i] = 1
  }
  let pixels = 0
  let squareError = 0
  let squareErrorUntouched = 0
  let ssimSum = 0
  let inside = 0
  let outside = 0
  let insideCount = 0
  let outsideCount = 0
  const channels = ts.length
  const maps = ts.map((_, c) => ssimMap(ts[c]!, ms[c]!, width, height))
  for (let i = 0; i < n; i++) {
    if (grown[i]) {
      pixels++
      for (let c = 0; c < channels; c++) {
        squareError += (ts[c]![i]! - ms[c]![i]!) ** 2 / channels
        squareErrorUntouched += (ts[c]![i]! - ds[c]![i]!) ** 2 / channels
        ssimSum += maps[c]![i]! / channels
        inside += (m.channels[c]![i]! - ms[c]![i]!) ** 2
        insideCount++
      }
    } else if (radius(i) > 1.9 * flaw.r + 3) {
      for (let c = 0; c < channels; c++) {
        outside += (m.channels[c]![i]! - ms[c]![i]!) ** 2
        outsideCount++
      }
    }
  }
  if (pixels < 6 || outsideCount < 20) return null
  return {
    pixels,
    squareError,
    squareErrorUntouched,
    ssimSum,
    errorInDeviations: Math.sqrt(squareError / pixels) / deviation,
    grain: Math.sqrt(inside / insideCount) / Math.sqrt(Math.max(1e-6, outside / outsideCount)),
    grainBand: Math.max(0.15, 3 / Math.sqrt(insideCount)),
  }
}

/** Structural similarity map, Gaussian window of 1.5 (Wang and others 2004). */
function ssimMap(a: Float32Array, b: Float32Array, width: number, height: number): Float32Array {
  const blur = (data: Float32Array) => gaussianBlur({ width, height, data }, 1.5).data
  const ma = blur(a)
  const mb = blur(b)
  const aa = blur(a.map((v) => v * v))
  const bb = blur(b.map((v) => v * v))
  const ab = blur(a.map((v, i) => v * b[i]!))
  const c1 = (0.01 * 255) ** 2
  const c2 = (0.03 * 255) ** 2
  return ma.map((u, i) => {
    const v = mb[i]!
    const va = aa[i]! - u * u
    const vb = bb[i]! - v * v
    const cov = ab[i]! - u * v
    return ((2 * u * v + c1) * (2 * cov + c2)) / ((u * u + v * v + c1) * (va + vb + c2))
  })
}

export interface Pooled {
  readonly flaws: number
  readonly medianError: number
  readonly worstError: number
  readonly psnr: number
  readonly gain: number
  readonly ssim: number
  readonly grainMedian: number
  readonly grainInBand: number
}

export function pool(results: readonly FlawResult[]): Pooled {
  const sum = (pick: (result: FlawResult) => number) => results.reduce((total, result) => total + pick(result), 0)
  const quantile = (values: number[], q: number) => values.sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(q * values.length))] ?? NaN
  const pixels = sum((r) => r.pixels)
  const mse = sum((r) => r.squareError) / pixels
  const untouched = sum((r) => r.squareErrorUntouched) / pixels
  return {
    flaws: results.length,
    medianError: quantile(results.map((r) => r.errorInDeviations), 0.5),
    worstError: quantile(results.map((r) => r.errorInDeviations), 0.95),
    psnr: 10 * Math.log10((255 * 255) / mse),
    gain: 10 * Math.log10(untouched / mse),
    ssim: sum((r) => r.ssimSum) / pixels,
    grainMedian: quantile(results.map((r) => r.grain), 0.5),
    grainInBand: results.filter((r) => Math.abs(r.grain - 1) <= r.grainBand).length / results.length,
  }
}

/** How a picture mended over a mask compares with the truth, over the pixels of the mask. */
export interface MaskResult {
  readonly pixels: number
  readonly squareErrorRaw: number
  readonly squareError: number
  readonly ssimSum: number
  /** Sums for the deviation of the 1.5 px high pass, inside and on a band outside. */
  readonly grainInside: number
  readonly grainOutside: number
  readonly outsidePixels: number
}

/**
 * Measure mends by the one definition for all tables, damaged pixels given by a mask: raw error, tone and structure
 * after a Gaussian of 1.5 px on both sides, grain through the high pass of the same, inside over a band of 8 px outside.
 */
export function measureMask(mask: Uint8Array, truth: IntegerRaster, mended: IntegerRaster): MaskResult {
  const [t, m] = [planesOf(truth), planesOf(mended)]
  const { width, height } = t
  const near = gaussianBlur({ width, height, data: Float32Array.from(mask, (value) => (value ? 1 : 0)) }, 3).data
  const result = { pixels: 0, squareErrorRaw: 0, squareError: 0, ssimSum: 0, grainInside: 0, grainOutside: 0, outsidePixels: 0 }
  const channels = t.channels.length
  for (let c = 0; c < channels; c++) {
    const ts = gaussianBlur({ width, height, data: t.channels[c]! }, 1.5).data
    const ms = gaussianBlur({ width, height, data: m.channels[c]! }, 1.5).data
    const map = ssimMap(ts, ms, width, height)
    for (let i = 0; i < mask.length; i++) {
      if (mask[i]) {
        if (c === 0) result.pixels++
        result.squareErrorRaw += (t.channels[c]![i]! - m.channels[c]![i]!) ** 2 / channels
        result.squareError += (ts[i]! - ms[i]!) ** 2 / channels
        result.ssimSum += map[i]! / channels
        result.grainInside += (m.channels[c]![i]! - ms[i]!) ** 2 / channels
      } else if (near[i]! > 0.002) {
        if (c === 0) result.outsidePixels++
        result.grainOutside += (m.channels[c]![i]! - ms[i]!) ** 2 / channels
      }
    }
  }
  return result
}

/** Put results of several pictures together. */
export function poolMasks(results: readonly MaskResult[]): { psnrRaw: number; psnr: number; ssim: number; grain: number } {
  const sum = (pick: (result: MaskResult) => number) => results.reduce((total, result) => total + pick(result), 0)
  const pixels = sum((r) => r.pixels)
  const decibels = (square: number) => 10 * Math.log10((255 * 255 * pixels) / square)
  return {
    psnrRaw: decibels(sum((r) => r.squareErrorRaw)),
    psnr: decibels(sum((r) => r.squareError)),
    ssim: sum((r) => r.ssimSum) / pixels,
    grain: Math.sqrt(sum((r) => r.grainInside) / pixels / (sum((r) => r.grainOutside) / sum((r) => r.outsidePixels))),
  }
}
