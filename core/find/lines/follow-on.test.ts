import { describe, expect, it } from 'vitest'
import { PathReader } from '../../kernels/finding/paths.js'
import type { Plane } from '../../raster/raster.js'
import { makeRandom, type Random } from '../../random.js'
import { followedOn } from './follow-on.js'
import type { MeasuredPath } from './lines.js'
import { madeUpLine } from './made-up-lines.js'

const WIDTH = 420
const HEIGHT = 120
const within = { x: 0, y: 0, width: WIDTH, height: HEIGHT }

/** As good as normal, of deviation 1. */
const normal = ({ uniform }: Random) => Math.sqrt(2) * (uniform() + uniform() + uniform() + uniform() + uniform() + uniform() - 3)

/** A pale line two pixels wide over noise, from one column to another, whose middle at a column is `middle`. */
function lineOver(noise: number, from: number, to: number, middle: (x: number) => number): Plane {
  const random = makeRandom(5)
  return {
    width: WIDTH, height: HEIGHT,
    data: Float32Array.from({ length: WIDTH * HEIGHT }, (_value, i) => {
      const x = (i % WIDTH) + 0.5
      const y = Math.floor(i / WIDTH) + 0.5
      const covered = x > from && x < to ? Math.max(0, Math.min(1, 1.5 - Math.abs(y - middle(x)))) : 0
      return 0.3 * covered + noise * normal(random)
    }),
  }
}

/** What was traced of it. */
const traced = (from: number, to: number, middle: (x: number) => number): MeasuredPath => {
  const points = Float64Array.from({ length: 2 * (to - from) }, (_value, i) => (i % 2 === 0 ? from + i / 2 : middle(from + (i - 1) / 2)))
  return { ...madeUpLine({ points: [], width: 2, length: to - from, difference: 0.3 }), path: { points, sign: 1, octave: 0, response: 5, unrest: 1 } }
}

/** Where a path begins and ends, and how far it strays from the line at most. */
function courseOf({ points }: { readonly points: Float64Array }, middle: (x: number) => number): { from: number; to: number; astray: number } {
  let astray = 0
  for (let i = 0; i < points.length; i += 2) astray = Math.max(astray, Math.abs(points[i + 1]! - middle(points[i]!)))
  return { from: points[0]!, to: points[points.length - 2]!, astray }
}

/** Followed as often as asked, each time from where it came to. */
function followed(plane: Plane, piece: MeasuredPath, times: number, region = within): MeasuredPath['path'] {
  const reader = new PathReader(plane)
  let now = piece
  for (let k = 0; k < times; k++) now = { ...now, path: followedOn(reader, 1, now, region) }
  return now.path
}

describe('a line followed on', () => {
  const straight = (x: number) => 50 + 0.05 * x
  // As strong as the noise of a pixel: what is seen of it in one place is hardly more than chance.
  const hidden = lineOver(0.25, 40, 380, straight)

  it('goes on from a piece of it to both of its ends, over what hides it pixel by pixel', () => {
    const { from, to, astray } = courseOf(followed(hidden, traced(180, 240, straight), 3), straight)
    expect(Math.abs(from - 40)).toBeLessThan(17)
    expect(Math.abs(to - 380)).toBeLessThan(17)
    expect(astray).toBeLessThan(2)
  })
  it('follows a bend, though it is looked for straight on', () => {
    const bent = (x: number) => 40 + 0.0006 * (x - 40) ** 2
    const { to, astray } = courseOf(followed(lineOver(0.1, 40, 380, bent), traced(60, 140, bent), 4), bent)
    expect(to).toBeGreaterThan(350)
    expect(astray).toBeLessThan(2)
  })
  it('is brought back to the line where it was traced aside of it', () => {
    const { astray } = courseOf(followed(lineOver(0.05, 40, 380, straight), traced(100, 300, (x) => straight(x) + 3), 1), straight)
    expect(astray).toBeLessThan(1.2)
  })
  it('ends where the line does', () => {
    const short = lineOver(0.15, 150, 270, straight)
    const { from, to } = courseOf(followed(short, traced(180, 240, straight), 3), straight)
    expect(from).toBeGreaterThan(134)
    expect(to).toBeLessThan(286)
  })
  it('ends at a gap that is wide, though a line goes on behind it', () => {
    const [before, behind] = [lineOver(0.1, 40, 220, straight), lineOver(0.1, 290, 400, straight)]
    const parted = { ...before, data: before.data.map((value, i) => ((i % WIDTH) < 255 ? value : behind.data[i]!)) }
    expect(courseOf(followed(parted, traced(100, 180, straight), 3), straight).to).toBeLessThan(245)
  })
  it('loses what was traced into noise beyond its end', () => {
    const short = lineOver(0.1, 100, 200, straight)
    expect(courseOf(followed(short, traced(100, 300, straight), 1), straight).to).toBeLessThan(225)
  })
  it('stays within the region', () => {
    const { from, to } = courseOf(followed(hidden, traced(180, 240, straight), 3, { x: 120, y: 0, width: 180, height: HEIGHT }), straight)
    expect(from).toBeGreaterThanOrEqual(120)
    expect(to).toBeLessThan(300)
    expect(to - from).toBeGreaterThan(150)
  })
  it('is left as it is where it is too short to be asked in stretches', () => {
    const piece = traced(180, 185, straight)
    expect(followed(hidden, piece, 1, { x: 180, y: 0, width: 5, height: HEIGHT })).toBe(piece.path)
  })
})
