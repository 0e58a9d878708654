import { overlaps } from '../../raster/raster.js'
import { distanceAt, shapeBounds, type Stroke } from '../../shape/shape.js'
import { distanceOf, goesOn, joinPieces } from '../lines/join-lines.js'
import { judgeLines, type JudgedLine } from './judge-lines.js'
import { isPaleAndStraight, runsStraight, type Line } from '../lines/line-features.js'
import type { LinePiece } from '../lines/lines.js'

export const LINE_KINDS = ['hair', 'scratch', 'fold', 'wire'] as const
export type LineKind = (typeof LINE_KINDS)[number]

/** A line that was judged a flaw, or that may be a thing in the picture: of those the restorer decides. */
export interface LineFind {
  readonly kind: LineKind
  readonly shape: Stroke
  readonly contrast: number
  readonly weight: number
  readonly confidence: number
  readonly unrest: number
}

/** A mend is slightly wider than its flaw: common practice. */
const WIDER = 1

/** So much less evidence is asked of what goes on from a line that was found. */
const GOES_ON = 4

/** Lines of the pieces of all tiles, judged and named. */
export function judgedLines(pieces: readonly LinePiece[], falseFindsPerMegapixel: number, size: { readonly width: number; readonly height: number }): LineFind[] {
  return onceOnly(withWhatGoesOn(judgeLines(joinPieces(pieces), falseFindsPerMegapixel)).map(({ line, confidence }) => ({
    kind: kindOfLine(line, size),
    shape: { type: 'stroke' as const, points: line.points.map(([x, y]): [number, number] => [x, y]), width: line.width + WIDER },
    contrast: line.contrast,
    weight: line.weight,
    confidence,
    unrest: line.unrest,
  })))
}

/** A line of one tone lies on another of that tone where so much of it is no further from it than so many pixels. */
const SAME = { share: 0.5, aside: 1.5 } as const
/** Two lines are one that go on from each other and share a stretch so many times as long as they are wide. */
const SHARED = 4

/**
 * A piece that another was followed over is found with it: the heavier stands for both. Among what is around, it counted as one
 * more. Where both were followed over a part of the other only, they are put together.
 */
function onceOnly(finds: readonly LineFind[]): LineFind[] {
  const kept: LineFind[] = []
  for (const find of [...finds].sort((a, b) => b.weight - a.weight)) {
    const bounds = shapeBounds(find.shape)
    let known = false
    for (let k = 0; k < kept.length && !known; k++) {
      const other = kept[k]!
      if (other.contrast * find.contrast < 0 || !overlaps(shapeBounds(other.shape), bounds)) continue
      const lying = find.shape.points.map(([x, y]) => distanceAt(other.shape, x, y) < SAME.aside)
      known = lying.filter(Boolean).length > SAME.share * lying.length
      const together = known ? null : putTogether(other, find, lying)
      if (!together) continue
      kept[k] = together
      known = true
    }
    if (!known) kept.push(find)
  }
  return kept
}

/**
 * Two lines as one, where the second goes on from an end of the first after a stretch on it; null otherwise.
 *
 * @param lying  Of each point of the second, whether it lies on the first.
 */
function putTogether(first: LineFind, second: LineFind, lying: readonly boolean[]): LineFind | null {
  const fromStart = lying[0]!
  if (fromStart === lying.at(-1)!) return null
  const points = fromStart ? second.shape.points : [...second.shape.points].reverse()
  const shared = (fromStart ? lying : [...lying].reverse()).indexOf(false)
  const wide = Math.max(first.shape.width, second.shape.width)
  if (distanceOf(points[0]!, points[shared - 1]!) < SHARED * wide) return null
  const [start, end] = [first.shape.points[0]!, first.shape.points.at(-1)!]
  const [toStart, toEnd] = [distanceOf(start, points[shared]!), distanceOf(end, points[shared]!)]
  // The stretch ends where the first line does, or the second only crosses it at a small angle.
  if (Math.min(toStart, toEnd) > SHARED * wide) return null
  const before = toEnd < toStart ? first.shape.points : [...first.shape.points].reverse()
  const beyond = 1 - shared / lying.length
  return {
    ...first,
    shape: { type: 'stroke', points: [...before, ...points.slice(shared)], width: wide },
    // What both say of the stretch that they share counts once; evidence adds as noise does.
    weight: Math.sqrt(first.weight ** 2 + beyond * second.weight ** 2),
    confidence: Math.max(first.confidence, second.confidence),
  }
}

/** What has evidence enough, and what goes on from it: a scratch is seen in stretches, over the dark parts of a picture. */
function withWhatGoesOn(lines: readonly JudgedLine[]): JudgedLine[] {
  const found = lines.filter(({ over }) => over >= 0)
  const doubtful = new Set(lines.filter(({ over }) => over < 0 && over >= -GOES_ON))
  // Those found last are the next to be gone on from.
  for (let k = 0; k < found.length; k++) {
    for (const other of doubtful) {
      if (!goesOn(found[k]!.line, other.line)) continue
      doubtful.delete(other)
      // Two pieces of one line are as sure as the surer of them.
      found.push({ ...other, confidence: found[k]!.confidence })
    }
  }
  return found
}

/** Share of the shorter side of a picture that a fold, and a wire, is long at least. */
const FOLD_LENGTH = 0.3
const WIRE_LENGTH = 0.1
/** What a fold leaves bare is wider than a scratch, pixels. */
const FOLD_WIDTH = 3

/** By tone, length and course: common practice of what each looks like. */
export function kindOfLine(line: Line, size: { readonly width: number; readonly height: number }): LineKind {
  const side = Math.min(size.width, size.height)
  if (isPaleAndStraight(line)) return line.width > FOLD_WIDTH && line.length > FOLD_LENGTH * side ? 'fold' : 'scratch'
  return line.difference < 0 && runsStraight(line) && line.length > WIRE_LENGTH * side ? 'wire' : 'hair'
}
