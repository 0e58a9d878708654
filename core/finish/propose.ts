import { LN2, ln, pow } from '../numbers/exact-math.js'
import { inOrder } from '../numbers/order.js'
import { roundTo } from '../round.js'
import type { OperationContext, Proposal } from '../operations/operation.js'
import type { FloatRaster } from '../raster/raster.js'

const LN10 = ln(10)
/** Share of the pixels that may be clipped at each end: one in a thousand (common practice). */
const CLIPPED = 0.001
/** Difference of the channels in the lightest place, in density, that is paper gone yellow whatever the rest shows. */
const YELLOWED = 0.08
/** Share of the pixels that are taken for the lightest and for the darkest of the picture: more than dust and glare cover. */
const ENDS = 0.006
/** Least mean distance of the linear light of the channels from their mean, over that mean, that is a cast. */
const LEAN = 0.05
/** Share of the lean that all pixels have in common; the colours of an ordinary scene cancel one another. */
const AGREEMENT = 0.55
/** A border this wide is left out, as a share of each side: the edge of a scan is no part of the picture. */
const BORDER = 0.03

/**
 * Proposals for the finish of a picture: a cast of faded channels, black and white point, a shallow curve where the
 * middle is off.
 *
 * @param picture  The mended picture at a small level, encoded values 0..1; some hundred thousand pixels are enough.
 *
 * The cast compares the densities of the channels where the picture is lightest and darkest: white and black were
 * neutral in the print (the white patch of Land and McCann 1971, at both ends, by medians so that glare and dust say
 * nothing).
 */
export function proposeFinish(picture: FloatRaster, context: OperationContext): Proposal[] {
  const proposals: Proposal[] = []
  const { channels, tones } = context
  const densities = densitiesOf(picture, context)
  if (densities[0]!.length < 64) return proposals
  let corrected = densities
  if (channels === 3) {
    const { low, high } = endsOf(densities, context)
    const ranges = high.map((value, c) => Math.max(0.15, value - low[c]!))
    const spread = Math.max(...low) - Math.min(...low) + Math.max(...ranges) / Math.min(...ranges) - 1
    const yellowed = Math.max(...low) - Math.min(...low)
    if (yellowed > YELLOWED || (spread > 0.06 && hasCast(picture, context))) {
      // The channel that has lost least says how dense the print was, and the lightest place how white its paper.
      const widest = Math.max(...ranges)
      const floor = Math.min(...low)
      const times = ranges.map((range) => roundTo(Math.max(0.4, Math.min(3, widest / range)), 2))
      const offsets = low.map((value, c) => roundTo(Math.max(-1.5, Math.min(1.5, value - floor / times[c]!)), 2))
      proposals.push({
        operation: 'cast',
        settings: { redOffset: offsets[0], greenOffset: offsets[1], blueOffset: offsets[2], redContrast: times[0], greenContrast: times[1], blueContrast: times[2] },
        reason: `The channels differ: their darkest tones by ${(Math.max(...high) - Math.min(...high)).toFixed(2)}, their lightest by ${(Math.max(...low) - Math.min(...low)).toFixed(2)} of density.`,
      })
      corrected = densities.map((values, c) => values.map((density) => (density - offsets[c]!) * times[c]!))
    }
  }
  const all = corrected.flatMap((values) => [...values])
  const sorted = Float32Array.from(all).sort()
  const at = (share: number) => sorted[Math.max(0, Math.min(sorted.length - 1, Math.round(share * (sorted.length - 1))))]!
  const white = roundTo(Math.max(0, Math.min(1.5, at(CLIPPED))), 2)
  const black = roundTo(Math.max(0.5, Math.min(4, at(1 - CLIPPED))), 2)
  const needsBlack = black < 1.9
  const needsWhite = white > 0.02
  if (needsBlack || needsWhite) {
    proposals.push({
      operation: 'black-and-white',
      settings: { blackDensity: needsBlack ? black : 4, whiteDensity: needsWhite ? white : 0 },
      reason: `Found by Fennip: ${(100 * CLIPPED).toFixed(1)} % of the tones are clipped at each end.`,
    })
  }
  const blackEncoded = needsBlack ? tones.ofDensity(black) : 0
  const whiteEncoded = needsWhite ? tones.ofDensity(white) : 1
  const median = (tones.encode(pow(2, (-at(0.5) * LN10) / LN2)) - blackEncoded) / (whiteEncoded - blackEncoded)
  if (median > 0.02 && (median < 0.25 || median > 0.72)) {
    const lifted = roundTo(median + 0.4 * ((median < 0.5 ? 0.35 : 0.62) - median), 2)
    proposals.push({ operation: 'curve', settings: { points: [[0, 0], [roundTo(median, 2), lifted], [1, 1]] }, reason: `The middle tone lies at ${Math.round(100 * median)} % of the range; it goes ${median < 0.5 ? 'up' : 'down'} to ${Math.round(100 * lifted)} %.` })
  }
  return proposals
}

/** Densities of each channel in the middle of the picture; clipped pixels tell nothing and are left out. */
function densitiesOf({ width, height, channels, data }: FloatRaster, { tones }: OperationContext): Float32Array[] {
  const [mx, my] = [Math.floor(width * BORDER), Math.floor(height * BORDER)]
  const values: number[][] = Array.from({ length: channels }, () => [])
  for (let y = my; y < height - my; y++) {
    for (let x = mx; x < width - mx; x++) {
      const at = (y * width + x) * channels
      let isClipped = false
      for (let c = 0; c < channels; c++) if (data[at + c]! <= 0 || data[at + c]! >= 1) isClipped = true
      if (!isClipped) for (let c = 0; c < channels; c++) values[c]!.push(tones.density(data[at + c]!))
    }
  }
  return values.map((list) => Float32Array.from(list))
}

/** Whether the picture leans to one side nearly everywhere: a scene of many colours has no cast, though its channels differ. */
function hasCast({ data }: FloatRaster, { tones }: OperationContext): boolean {
  const sum = [0, 0, 0]
  let lengths = 0
  let count = 0
  for (let i = 0; i < data.length; i += 3) {
    const light = [tones.decode(data[i]!), tones.decode(data[i + 1]!), tones.decode(data[i + 2]!)]
    const mean = (light[0]! + light[1]! + light[2]!) / 3
    if (mean < 1e-3) continue
    const lean = light.map((value) => value / mean - 1)
    for (let c = 0; c < 3; c++) sum[c]! += lean[c]!
    lengths += Math.sqrt(lean[0]! * lean[0]! + lean[1]! * lean[1]! + lean[2]! * lean[2]!)
    count++
  }
  if (count === 0 || lengths === 0) return false
  const common = Math.sqrt(sum[0]! * sum[0]! + sum[1]! * sum[1]! + sum[2]! * sum[2]!)
  return common / count > LEAN && common / lengths > AGREEMENT
}

/** Median density of each channel among the lightest pixels and among the darkest, by luminance. */
function endsOf(densities: readonly Float32Array[], { luminance }: OperationContext): { low: number[]; high: number[] } {
  const count = densities[0]!.length
  const brightness = new Float32Array(count)
  for (let i = 0; i < count; i++) for (let c = 0; c < densities.length; c++) brightness[i]! += luminance[c]! * densities[c]![i]!
  const order = inOrder(brightness)
  const share = Math.max(16, Math.round(ENDS * count))
  const medians = (places: Uint32Array) => densities.map((values) => Float32Array.from(places, (i) => values[i]!).sort()[places.length >> 1]!)
  return { low: medians(order.subarray(0, share)), high: medians(order.subarray(count - share)) }
}
