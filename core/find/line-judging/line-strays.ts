import { ln } from '../../numbers/exact-math.js'
import type { LinePiece } from '../lines/lines.js'

/** Places along a line, its ends among them, that its course is taken from. */
const PLACES = 17
/** Pixels that a line may stray and still be as straight as can be told. */
const STEADY = 0.05

/**
 * How far the course of a line strays from a straight one, from an even bend and from one that turns back: deviations of what a
 * polynomial of the first, the second and the third degree leaves of it. A blade of grass or a crack winds; a scratch runs
 * straight over hundreds of pixels, which its small steps alone do not tell.
 *
 * @returns In pixels.
 */
export function straysOf({ points }: Pick<LinePiece, 'points'>): [number, number, number] {
  const places = Array.from({ length: PLACES }, (_value, k) => points[Math.round((k / (PLACES - 1)) * (points.length - 1))]!)
  const [x, y] = places[0]!
  const [dx, dy] = [places.at(-1)![0] - x, places.at(-1)![1] - y]
  const chord = Math.max(1e-9, Math.sqrt(dx * dx + dy * dy))
  const along = places.map((place) => ((place[0] - x) * dx + (place[1] - y) * dy) / (chord * chord))
  const left = places.map((place) => ((place[0] - x) * dy - (place[1] - y) * dx) / chord)
  // By Gram and Schmidt: of each power what the lower ones do not tell, and that taken out of the course.
  const basis: number[][] = []
  let next = along.map(() => 1)
  const strays = Array.from({ length: 4 }, () => {
    const power = next
    next = power.map((value, k) => value * along[k]!)
    for (const lower of basis) takeOut(power, lower)
    const length = Math.sqrt(dot(power, power))
    const own = power.map((value) => value / Math.max(1e-9, length))
    basis.push(own)
    takeOut(left, own)
    return Math.sqrt(dot(left, left) / PLACES)
  })
  return strays.slice(1) as [number, number, number]
}

const dot = (a: readonly number[], b: readonly number[]) => a.reduce((sum, value, k) => sum + value * b[k]!, 0)

/** What a list has of a direction of length 1, taken out of it. */
function takeOut(list: number[], direction: readonly number[]): void {
  const share = dot(list, direction)
  for (let k = 0; k < list.length; k++) list[k]! -= share * direction[k]!
}

/** What a scratch is judged by in its course: how far it strays in pixels, and of its length. */
export function strayFeatures(line: Pick<LinePiece, 'points' | 'length'>): number[] {
  const strays = straysOf(line)
  return [...strays.map((stray) => ln(stray + STEADY)), ...strays.slice(0, 2).map((stray) => ln(Math.max(1e-4, stray / line.length)))]
}
