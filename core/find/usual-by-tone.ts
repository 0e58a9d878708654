const TONES = 32
/** Nearer to black or white noise is cut off. */
const CLIPPED = 0.03

const stepOf = (tone: number) => Math.max(0, Math.min(TONES - 1, Math.floor(tone * TONES)))

/**
 * What grain, or fine detail, is usual in each tone of a picture: noise grows with the light.
 *
 * @param parts   Measured values with their tones, 0..1.
 * @param share   Of the values of a tone, this share is smaller than what is usual: the rest has texture too.
 * @param least   A tone needs so many values before it says anything.
 * @returns What is usual in a tone; 0 where too little of the picture has it, and near black and white.
 */
export function usualByTone(parts: readonly { readonly values: Float32Array; readonly tone: Float32Array }[], share: number, least: number): (tone: number) => number {
  const counts = new Int32Array(TONES)
  for (const { tone } of parts) for (let i = 0; i < tone.length; i++) counts[stepOf(tone[i]!)]!++
  const byTone = Array.from(counts, (count) => new Float32Array(count))
  counts.fill(0)
  for (const { values, tone } of parts) {
    for (let i = 0; i < tone.length; i++) {
      const step = stepOf(tone[i]!)
      byTone[step]![counts[step]!++] = values[i]!
    }
  }
  const usual = byTone.map((values) => (values.length < least ? 0 : values.sort()[Math.floor(share * values.length)]!))
  return (tone) => (tone < CLIPPED || tone > 1 - CLIPPED ? 0 : usual[stepOf(tone)]!)
}
