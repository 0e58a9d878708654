/** What is known of a frame for telling a bracket. */
export interface BracketFrame {
  readonly id: string
  readonly width: number
  readonly height: number
  readonly body?: string | undefined
  /** As Exif writes it: 2026:05:11 09:14:02. */
  readonly taken?: string | undefined
  /** Light let in, by time, aperture and sensitivity. */
  readonly light?: number | undefined
}

/** Frames of a bracket follow one another within so many seconds. */
const WITHIN_SECONDS = 6
/** Exposures of a bracket differ by at least so much light. */
const LEAST_STEP = 1.3
const MOST = 9

/** Frames of one body and size that were taken one right after the other with different light; each list from dark to light. */
export function proposeBrackets(frames: readonly BracketFrame[]): string[][] {
  const timed = frames.flatMap((frame) => {
    const seconds = frame.taken === undefined ? NaN : Date.parse(`${frame.taken.slice(0, 10).replaceAll(':', '-')}T${frame.taken.slice(11, 19)}Z`) / 1000
    return frame.body !== undefined && frame.light !== undefined && Number.isFinite(seconds) ? [{ ...frame, seconds, light: frame.light }] : []
  })
  const found: string[][] = []
  const groups = grouped(timed)
  for (const group of groups.values()) {
    group.sort((a, b) => a.seconds - b.seconds)
    for (let first = 0; first < group.length; ) {
      let last = first
      while (last + 1 < group.length && last + 1 - first < MOST && group[last + 1]!.seconds - group[last]!.seconds <= WITHIN_SECONDS) last++
      const run = group.slice(first, last + 1).sort((a, b) => a.light - b.light)
      // Each with light of its own, or it is a series of one exposure.
      if (run.length >= 2 && run.every(({ light }, i) => i === 0 || light / run[i - 1]!.light >= LEAST_STEP)) found.push(run.map(({ id }) => id))
      first = last + 1
    }
  }
  return found
}

function grouped<T extends { body?: string | undefined; width: number; height: number }>(frames: readonly T[]): Map<string, T[]> {
  const groups = new Map<string, T[]>()
  for (const frame of frames) {
    const key = `${frame.body} ${frame.width} ${frame.height}`
    groups.set(key, [...(groups.get(key) ?? []), frame])
  }
  return groups
}
