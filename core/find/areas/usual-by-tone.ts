import { smallestOfMany } from '../../numbers/order.js'

const TONES = 32
/** Nearer to black or white noise is cut off. */
const CLIPPED = 0.03
/**
 * Noise goes evenly with the light: from a tone to the next it changes by no more than this, or than the root of the light, which
 * is how photons scatter, in the darkest. Where all of a tone has texture, its neighbours tell.
 */
const MOST_CHANGE = 1.15

const isClipped = (tone: number) => tone < CLIPPED || tone > 1 - CLIPPED
const stepOf = (tone: number) => Math.max(0, Math.min(TONES - 1, Math.floor(tone * TONES)))

/** What is taken for usual in a tone. */
export interface Plain {
  /** Of the values of a tone, this share is smaller than those of plain ground: the rest has texture too. */
  readonly share: number
  /** What lies there, over what is usual. */
  readonly ofUsual: number
  /** A tone needs so many values before it says anything. */
  readonly least: number
  /** Where less than this is usual, it is lost in the rounding of samples. */
  readonly rounded: number
}

/**
 * Grain, or fine detail, over what is usual in its tone in the same picture: noise grows with the light.
 *
 * @param values  As measured.
 * @param tone    Of each, 0..1.
 * @returns       1 where nothing can be said: see `usualAt`.
 */
export function shareOfUsual(values: Float32Array, tone: Float32Array, plain: Plain): Float32Array {
  return shareOf(values, usualAt(values, tone, plain))
}

/** Values over what is usual at each; 1 where nothing is. */
export function shareOf(values: Float32Array, usual: Float32Array): Float32Array {
  const result = new Float32Array(values.length)
  for (let i = 0; i < values.length; i++) result[i] = usual[i] === 0 ? 1 : values[i]! / usual[i]!
  return result
}

/** What is usual in the tone of each value: 0 near black and white, in rare tones, and where noise is lost in rounding. */
export function usualAt(values: Float32Array, tone: Float32Array, { share, ofUsual, least, rounded }: Plain): Float32Array {
  const counts = new Int32Array(TONES)
  for (let i = 0; i < tone.length; i++) if (!isClipped(tone[i]!)) counts[stepOf(tone[i]!)]!++
  const byTone = Array.from(counts, (count) => new Float32Array(count))
  counts.fill(0)
  for (let i = 0; i < tone.length; i++) {
    if (isClipped(tone[i]!)) continue
    const step = stepOf(tone[i]!)
    byTone[step]![counts[step]!++] = values[i]!
  }
  const usual = evenly(rounded, byTone.map((list) => (list.length < least ? 0 : smallestOfMany(list, Math.floor(share * list.length)) / ofUsual)))
  const result = new Float32Array(values.length)
  for (let i = 0; i < values.length; i++) {
    const expected = isClipped(tone[i]!) ? 0 : usual[stepOf(tone[i]!)]!
    result[i] = expected < rounded ? 0 : expected
  }
  return result
}

/** What is usual in each tone, nowhere more than its neighbours allow, of which those say nothing in which noise is lost in rounding; 0 where nothing is known stays so. */
function evenly(rounded: number, usual: readonly number[]): number[] {
  const result = [...usual]
  const lower = (tone: number, beside: number) => {
    if (result[beside]! < rounded) return
    const darker = Math.min(tone, beside)
    result[tone] = Math.min(result[tone]!, Math.max(MOST_CHANGE, Math.sqrt((darker + 1.5) / (darker + 0.5))) * result[beside]!)
  }
  for (let tone = 1; tone < result.length; tone++) lower(tone, tone - 1)
  for (let tone = result.length - 2; tone >= 0; tone--) lower(tone, tone + 1)
  return result
}
