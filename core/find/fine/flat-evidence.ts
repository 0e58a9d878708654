import { ln } from '../../numbers/exact-math.js'
import { meanAt } from '../../numbers/statistics.js'

/** What tells a patch that lost its grain from ground that has little of it. */

/** Less than this share of the usual grain is flat: interpolation leaves 0.2 to 0.5 of it. */
export const FLAT = 0.5
/** Noise alone, measured in a block, is hardly ever less than this share of what is usual. */
const PARTLY = 0.75
/** Tones that differ by no more are about the same. */
const ABOUT = 1.5 / 32
/** Added to grain, in samples, so that what has none is not infinitely far from what has. */
const FAINT = 0.05
/** Added to how far the tone of blocks is spread: less than half a step of 255 is none. */
const EVEN = 0.5 / 255
/** Added to how many blocks there are: of few nothing is learned. */
const FEW = { inPicture: 100, inTone: 20 }

/** Grain of all blocks of a picture, row by row. */
export interface PictureGrain {
  readonly columns: number
  readonly rows: number
  /** In samples. */
  readonly deviation: Float32Array
  /** 0..1. */
  readonly tone: Float32Array
  /** What is usual in its tone; 0 where nothing is known. */
  readonly usual: Float32Array
  /** Deviation over what is usual; 1 where nothing is known. */
  readonly share: Float32Array
}

/**
 * Evidence of every patch: its size; how ragged it is; its tone; how much grain is left against the least that is usual in any
 * tone of the picture, since all of a tone may be rough but for the patch; how far its tone is spread, since what was smoothed over
 * goes on as its surroundings do, and a smooth thing is of one tone; and how often blocks that belong to no patch are as flat,
 * or of its tone nearly so: where compression took grain here and there, or texture comes and goes, many are.
 *
 * @param patches  Blocks of each.
 */
export function flatEvidence(patches: readonly Int32Array[], grain: PictureGrain): number[][] {
  const { deviation, tone, usual, share } = grain
  const least = usual.reduce((smallest, value) => (value > 0 ? Math.min(smallest, value) : smallest), Infinity)
  const besides = besidesPatches(patches, grain)
  const loose = besides.reduce((count, i) => count + (share[i]! < FLAT ? 1 : 0), 0)
  return patches.map((blocks) => {
    const [own, around] = [meanAt(tone, blocks), blocksAround(blocks, grain).length]
    const toned = besides.filter((i) => Math.abs(tone[i]! - own) < ABOUT)
    const partly = toned.reduce((count, i) => count + (share[i]! >= FLAT && share[i]! < PARTLY ? 1 : 0), 0)
    return [
      1,
      ln(blocks.length),
      ln((loose + 1) / (besides.length + FEW.inPicture)),
      ln((partly + 1) / (toned.length + FEW.inTone)),
      ln((meanAt(deviation, blocks) + FAINT) / least),
      ln((around * around) / blocks.length),
      own,
      ln(EVEN + spreadOf(tone, blocks, own)),
    ]
  })
}

/** Deviation of the values of blocks from their mean. */
function spreadOf(values: Float32Array, blocks: Int32Array, mean: number): number {
  let sum = 0
  for (const i of blocks) sum += (values[i]! - mean) ** 2
  return Math.sqrt(sum / blocks.length)
}

/** Blocks of which something is known that lie in no patch and beside none. */
function besidesPatches(patches: readonly Int32Array[], grain: PictureGrain): Int32Array {
  const taken = new Uint8Array(grain.share.length)
  for (const blocks of patches) {
    for (const i of blocks) taken[i] = 1
    for (const i of blocksAround(blocks, grain)) taken[i] = 1
  }
  return Int32Array.from(grain.share.keys()).filter((i) => grain.usual[i]! > 0 && !taken[i])
}

/** Blocks that touch a patch, at a corner too. */
function blocksAround(blocks: Int32Array, { columns, rows }: Pick<PictureGrain, 'columns' | 'rows'>): number[] {
  const own = new Set(blocks)
  const around = new Set<number>()
  for (const i of blocks) {
    const [x, y] = [i % columns, Math.floor(i / columns)]
    for (let row = Math.max(0, y - 1); row <= Math.min(rows - 1, y + 1); row++) {
      for (let column = Math.max(0, x - 1); column <= Math.min(columns - 1, x + 1); column++) if (!own.has(row * columns + column)) around.add(row * columns + column)
    }
  }
  return [...around]
}
