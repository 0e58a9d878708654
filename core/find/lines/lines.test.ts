import * as fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster, type Plane } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { distanceAt, type Stroke } from '../../shape/shape.js'
import type { Flaw } from '../../treatment/schema.js'
import { makeOctaves } from '../discs/candidates.js'
import { ColourLook } from '../discs/colour.js'
import { findFlaws, gatherFinds } from '../find.js'
import type { Find } from '../finds.js'
import { flawsOfFinds, newFinds, undecidedFinds } from '../found-flaws.js'
import { goesOn, joinPieces } from './join-lines.js'
import { amongOthers } from '../line-judging/among-others.js'
import { LinesAround } from '../line-judging/lines-around.js'
import { linePieces, type LinePiece } from './lines.js'
import { madeUpLine } from './made-up-lines.js'
import { findRidges } from './ridges.js'

type Point = readonly [number, number]
interface Drawn { readonly path: readonly Point[]; readonly width: number; readonly depth: number }

/** Noise of a deviation of 0.02 with lines of a soft edge laid on. */
function plane(width: number, height: number, lines: readonly Drawn[], ground: (x: number, y: number) => number = () => 0): Plane {
  const random = makeRandom(21)
  const data = new Float32Array(width * height)
  for (let i = 0; i < data.length; i++) {
    const x = (i % width) + 0.5
    const y = Math.floor(i / width) + 0.5
    let noise = -6
    for (let k = 0; k < 12; k++) noise += random.uniform()
    data[i] = ground(x, y) + 0.02 * noise
    for (const { path, width: wide, depth } of lines) {
      const stroke: Stroke = { type: 'stroke', points: path.map(([px, py]): [number, number] => [px, py]), width: wide }
      data[i]! += depth * Math.max(0, Math.min(1, 0.5 - distanceAt(stroke, x, y)))
    }
  }
  return { width, height, data }
}
const whole = (p: Plane) => ({ x: 0, y: 0, width: p.width, height: p.height })
const grey = new ColourLook(makeRaster(1, 1, 1, 8), makeTransfer({ type: 'srgb' }, 8))
const piecesOf = (p: Plane): LinePiece[] => joinPieces(linePieces(p, grey, whole(p), whole(p)))
/** Paths of a plane, their points in pairs. */
const ridgesOf = (p: Plane, last: number) => findRidges(makeOctaves(p, 26), last).map(({ points, sign }) => ({ sign, points: Array.from({ length: points.length / 2 }, (_value, k): Point => [points[2 * k]!, points[2 * k + 1]!]) }))
/** Greatest distance of a path's points from the line between two. */
const astray = (points: readonly Point[], [a, b]: readonly [Point, Point]) => {
  const length = Math.sqrt((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2)
  return Math.max(...points.map(([x, y]) => Math.abs((b[0] - a[0]) * (a[1] - y) - (a[0] - x) * (b[1] - a[1])) / length))
}

describe('a ridge', () => {
  const slanted: Drawn = { path: [[30, 40], [170, 95]], width: 2, depth: 0.3 }
  it('is followed along the middle of a line, within half a pixel and nearly to its ends', () => {
    const paths = ridgesOf(plane(200, 140, [slanted]), 3).filter(({ points }) => points.length > 60)
    const longest = paths.sort((a, b) => b.points.length - a.points.length)[0]!
    expect(longest.sign).toBe(1)
    // Beyond its ends it is followed into noise for a little.
    expect(astray(longest.points.filter(([x]) => x > 30 && x < 170), [[30, 40], [170, 95]])).toBeLessThan(0.75)
    const xs = longest.points.map(([x]) => x)
    expect(Math.min(...xs)).toBeLessThan(36)
    expect(Math.max(...xs)).toBeGreaterThan(164)
  })
  it('is not seen along an edge, where only one side is darker', () => {
    const edge = plane(200, 140, [], (x, y) => (y > 40 + 0.3 * x ? 0.4 : 0))
    // What remains of an edge after the second derivative is uneven on both sides: measured, not refused at once.
    for (const piece of piecesOf(edge).filter(({ length }) => length > 60)) expect(piece.unevenness).toBeGreaterThan(1)
  })
})

describe('a ridge at any angle', () => {
  it('is followed within a pixel along most of its length, dark or bright', () => {
    fc.assert(fc.property(fc.double({ min: 0, max: Math.PI, noNaN: true }), fc.boolean(), fc.double({ min: 1.5, max: 3.5, noNaN: true }), (angle, bright, width) => {
      const [dx, dy] = [70 * Math.cos(angle), 70 * Math.sin(angle)]
      const ends: [Point, Point] = [[100 - dx, 100 - dy], [100 + dx, 100 + dy]]
      const paths = ridgesOf(plane(200, 200, [{ path: ends, width, depth: bright ? 0.3 : -0.3 }]), 3)
      const longest = paths.filter(({ sign }) => sign === (bright ? 1 : -1)).sort((a, b) => b.points.length - a.points.length)[0]!
      const between = longest.points.filter(([x, y]) => ((x - 100) * dx + (y - 100) * dy) / (70 * 70) < 0.95 && ((x - 100) * dx + (y - 100) * dy) / (70 * 70) > -0.95)
      const span = between.map(([x, y]) => ((x - 100) * dx + (y - 100) * dy) / 70)
      expect(astray(between, ends)).toBeLessThan(1.2)
      expect(Math.max(...span) - Math.min(...span)).toBeGreaterThan(110)
    }), { numRuns: 25, seed: 4 })
  })
  it('is bridged over a short gap and not over a long one', () => {
    const parts = (gap: number): Drawn[] => [{ path: [[20, 60], [100 - gap / 2, 60]], width: 2, depth: 0.4 }, { path: [[100 + gap / 2, 60], [180, 60]], width: 2, depth: 0.4 }]
    const longest = (gap: number) => Math.max(...ridgesOf(plane(200, 120, parts(gap)), 0).map(({ points }) => Math.abs(points.at(-1)![0] - points[0]![0])))
    expect(longest(4)).toBeGreaterThan(150)
    expect(longest(40)).toBeLessThan(110)
  })
})

describe('a line', () => {
  it.each([[1.5, 0.3], [4, 0.25], [9, -0.25], [18, -0.3]])('%d px wide is measured: width, length and sign', (width, depth) => {
    const [found] = piecesOf(plane(420, 240, [{ path: [[40, 100], [380, 130]], width, depth }])).sort((a, b) => b.weight - a.weight)
    expect(Math.sign(found!.difference)).toBe(Math.sign(depth))
    expect(found!.width / width).toBeGreaterThan(0.6)
    expect(found!.width / width).toBeLessThan(2.2)
    expect(found!.length).toBeGreaterThan(280)
    // Half of its width beyond each of its ends, and a stretch that was asked as a whole.
    expect(found!.length).toBeLessThan(352 + 2 * width)
  })
  it('is none along the border, where one side of it is not seen', () => {
    const pale = (x: number, width: number) => piecesOf(plane(200, 300, [{ path: [[x, 20], [x, 280]], width, depth: 0.4 }])).filter(({ length, difference }) => length > 100 && difference > 0)
    expect(pale(40, 8).length).toBeGreaterThan(0)
    expect(pale(40, 3).length).toBeGreaterThan(0)
    expect(pale(1, 8)).toEqual([])
    expect(pale(199, 8)).toEqual([])
    expect(pale(3, 3)).toEqual([])
  })
  it('tells what lies across it, its middle as 1 and its sides as 0', () => {
    const [along] = piecesOf(plane(200, 300, [{ path: [[100, 30], [101, 270]], width: 4, depth: 0.3 }], (x) => (x > 107 ? 0.15 : 0))).filter(({ points, length, difference }) => difference > 0 && length > 150 && Math.abs(points[0]![0] - 100.5) < 2)
    const middle = (along!.profile.length - 1) / 2
    const at = (pixels: number) => along!.profile[middle + 2 * pixels]!
    const sides = (at(-8) + at(8)) / 2
    expect(Math.max(...along!.profile)).toBeCloseTo(1, 5)
    expect(Math.abs(sides)).toBeLessThan(0.1)
    // To one side the ground is half as bright as the line; which side comes first hangs on where the line was begun.
    expect(Math.abs(Math.abs(at(8) - at(-8)) - 0.5 / (1 - 0.25))).toBeLessThan(0.15)
    expect(at(-8) < at(8) ? at(-4) : at(4)).toBeLessThan(0)
  })
  it('is one line over a gap and over the edge of two tiles', () => {
    const broken = plane(400, 120, [{ path: [[30, 50], [180, 55]], width: 2, depth: 0.3 }, { path: [[196, 55.6], [370, 61]], width: 2, depth: 0.3 }])
    const left = { x: 0, y: 0, width: 230, height: 120 }
    const right = { x: 230, y: 0, width: 170, height: 120 }
    const pieces = [...linePieces(broken, grey, whole(broken), left), ...linePieces(broken, grey, whole(broken), right)].filter(({ length, difference }) => length > 20 && difference > 0)
    expect(pieces.length).toBeGreaterThanOrEqual(2)
    const [one] = joinPieces(pieces).sort((a, b) => b.length - a.length)
    expect(one!.length).toBeGreaterThan(300)
    expect(astray(one!.points, [[30, 50], [370, 61]])).toBeLessThan(1.5)
  })
  it('stays two where two run side by side', () => {
    const pair = plane(300, 120, [{ path: [[30, 50], [270, 50]], width: 2, depth: 0.3 }, { path: [[30, 62], [270, 62]], width: 2, depth: 0.3 }])
    expect(piecesOf(pair).filter(({ length, difference }) => length > 200 && difference > 0)).toHaveLength(2)
  })
  it('that is one of many alike stands out less than one alone', () => {
    const line = (y: number): Drawn => ({ path: [[20, y], [380, y + 6]], width: 2, depth: 0.3 })
    const longest = (drawn: readonly Drawn[]) => {
      const pieces = piecesOf(plane(400, 200, drawn))
      return amongOthers(pieces, new LinesAround(pieces)).sort((a, b) => b.length - a.length)[0]!
    }
    const alone = longest([line(100)])
    const amongSix = longest([30, 58, 86, 114, 142, 170].map(line))
    expect(alone.family).toBe(0)
    expect(amongSix.family).toBeGreaterThanOrEqual(4)
    expect(amongSix.standing).toBeLessThan(alone.standing)
  })
})

describe('a path', () => {
  it('ends at a corner, where one thing becomes another', () => {
    const bent = (turn: number) => plane(260, 200, [{ path: [[20, 60], [130, 60], [130 + 90 * Math.cos(turn), 60 + 90 * Math.sin(turn)]], width: 2, depth: 0.4 }])
    const long = (p: Plane) => ridgesOf(p, 0).filter(({ sign, points }) => sign > 0 && points.length > 60)
    expect(long(bent(Math.PI / 3))).toHaveLength(2)
  })
  it('ends at a kink between two straight ways, and goes on along a bend that turns as far', () => {
    const long = (p: Plane) => ridgesOf(p, 0).filter(({ sign, points }) => sign > 0 && points.length > 40)
    const turned = (angle: number): Point => [90 + 160 * Math.cos(angle), 60 + 160 * Math.sin(angle)]
    const kinked = (angle: number) => plane(280, 200, [{ path: [[30, 60], [90, 60], turned(angle)], width: 2, depth: 0.4 }])
    expect(long(kinked(0.24))).toHaveLength(2)
    expect(long(kinked(0.05))).toHaveLength(1)
    // As a whisker bends: by as much as a kink turns, within every fifth of it.
    for (const radius of [400, 160]) {
      const bow = Array.from({ length: 40 }, (_point, k): Point => [30 + radius * Math.sin((200 * k) / 40 / radius), 40 + radius * (1 - Math.cos((200 * k) / 40 / radius))])
      expect(long(plane(280, 240, [{ path: bow, width: 2, depth: 0.4 }])), `radius ${radius}`).toHaveLength(1)
    }
  })
  it('is none along an edge, and is one along a line beside an edge', () => {
    const step = (x: number) => (x > 100 ? 0.5 : 0)
    const along = (p: Plane) => ridgesOf(p, 0).filter(({ points }) => points.length > 60 && points.every(([x]) => Math.abs(x - 100) < 12))
    expect(along(plane(200, 240, [], step))).toEqual([])
    expect(along(plane(200, 240, [{ path: [[92, 30], [92, 210]], width: 2, depth: 0.4 }], step)).filter(({ sign }) => sign > 0)).toHaveLength(1)
  })
  it('is not followed beside a line, where its sides look like lines of the other tone', () => {
    for (const depth of [0.4, -0.4]) {
      const paths = ridgesOf(plane(220, 160, [{ path: [[20, 50], [200, 110]], width: 2, depth }]), 1)
      expect(paths.filter(({ sign, points }) => sign === -Math.sign(depth) && points.length > 25)).toHaveLength(0)
    }
  })
  it('is not hidden by a stronger one that it crosses', () => {
    const crossed = plane(300, 200, [{ path: [[10, 90], [290, 110]], width: 2.5, depth: 0.8 }, { path: [[60, 40], [240, 160]], width: 2, depth: 0.3 }])
    const slanted = piecesOf(crossed).filter(({ points, difference }) => difference > 0 && Math.abs(points.at(-1)![1] - points[0]![1]) > 30)
    expect(slanted.reduce((sum, { length }) => sum + length, 0)).toBeGreaterThan(140)
  })
})

describe('a line that is crossed by many others', () => {
  it('is kept once, though each of its parts was followed on to the whole', () => {
    const wall = plane(420, 160, [{ path: [[20, 70], [400, 85]], width: 4, depth: 0.12 }], (x) => (x % 60 < 6 ? 0.3 : 0))
    expect(linePieces(wall, grey, whole(wall), whole(wall)).filter(({ difference, points, length }) => difference > 0 && length > 200 && Math.abs(points[0]![1] - 77) < 12)).toHaveLength(1)
  })
})

describe('a line that texture hides', () => {
  const over = (hidden: number) => plane(420, 160, [
    { path: [[20, 70], [170, 76]], width: 2, depth: 0.12 }, { path: [[170, 76], [270, 80]], width: 2, depth: hidden }, { path: [[270, 80], [400, 85]], width: 2, depth: 0.12 },
  ], (x) => (x > 168 && x < 272 ? 0.1 * Math.sin(2 * x) : 0))
  const longest = (p: Plane) => Math.max(...linePieces(p, grey, whole(p), whole(p)).filter(({ difference }) => difference > 0).map(({ length }) => length))
  it('is one line where something of it goes on all along the gap', () => {
    expect(longest(over(0.12))).toBeGreaterThan(330)
  })
  it('is two where nothing of it is left there', () => {
    // The longer of both is 150 long, and followed into the bars for a little.
    expect(longest(over(0))).toBeLessThan(230)
  })
})

describe('a line that goes on', () => {
  const straight = (from: Point, to: Point, more: Partial<LinePiece> = {}) => madeUpLine({
    points: Array.from({ length: 30 }, (_point, k): Point => [from[0] + ((to[0] - from[0]) * k) / 29, from[1] + ((to[1] - from[1]) * k) / 29]), width: 2, difference: 0.3, weight: 50, ...more,
  })
  const first = straight([0, 0], [200, 20])
  it('is the same beyond a stretch where it does not show', () => {
    expect(goesOn(first, straight([280, 28], [400, 40]))).toBe(true)
    expect(goesOn(straight([400, 40], [280, 28]), first)).toBe(true)
  })
  it('is looked for beyond as far as both are long together', () => {
    const apart = (gap: number) => goesOn(straight([0, 0], [40, 0]), straight([40 + gap, 0], [80 + gap, 0]))
    expect([70, 90].map(apart)).toEqual([true, false])
  })
  it('is found with the one it goes on from, though not alone', () => {
    const strokesOf = (...pieces: LinePiece[]) => gatherFinds([{ discs: [], pieces }], { kinds: ['line'], falseFinds: 3 }, { width: 1500, height: 1500 }).length
    const doubtful = { topped: 0.1, steadiness: 0.9, unevenness: 0.4, echo: 0.3, weight: 15, difference: 0.15, unrest: 2 }
    expect(strokesOf(first)).toBe(1)
    // The same seen twice, one a part of the other and a pixel aside.
    expect(strokesOf(first, straight([40, 5], [180, 19]))).toBe(1)
    // A dark one that runs along a pale one is another.
    expect(strokesOf(first, straight([40, 5], [180, 19], { difference: -0.3, contrast: -8 }))).toBe(2)
    expect(strokesOf(straight([280, 28], [330, 33], doubtful))).toBe(0)
    expect(strokesOf(first, straight([280, 28], [330, 33], doubtful))).toBe(2)
    expect(strokesOf(first, straight([280, 128], [330, 133], doubtful))).toBe(1)
  })
  it('is found once where both were followed over a part of the other, and not where they only cross', () => {
    const linesOf = (...pieces: LinePiece[]) => gatherFinds([{ discs: [], pieces }], { kinds: ['line'], falseFinds: 3 }, { width: 1500, height: 1500 })
    const beyond = [[150, 15], [400, 40]] as const
    const turned = straight([200, 20], [0, 0])
    for (const [start, [from, to]] of [[first, beyond], [first, [beyond[1], beyond[0]]], [turned, beyond]] as const) {
      const [whole, ...more] = linesOf(start, straight(from, to, { weight: 40 }))
      expect(more).toEqual([])
      const { points } = whole!.shape as Stroke
      expect([points[0]![0], points.at(-1)![0]].sort((a, b) => a - b)).toEqual([0, 400])
      expect(points.every(([x, y]) => Math.abs(y - x / 10) < 0.1)).toBe(true)
      expect(points.slice(1).every(([x], k) => x > points[k]![0])).toBe(true)
      expect(whole!.weight).toBeGreaterThan(55)
      expect(whole!.weight).toBeLessThan(Math.sqrt(50 ** 2 + 40 ** 2))
    }
    expect(linesOf(first, straight([100, -90], [104, 110]))).toHaveLength(2)
    // At a small angle, round a corner, and by one that leaves it in between.
    expect(linesOf(first, straight([60, 6], [300, 60]))).toHaveLength(2)
    expect(linesOf(first, straight([194, 19.4], [320, 110]))).toHaveLength(2)
    const leaves = straight(...beyond, { weight: 40 })
    expect(linesOf(first, { ...leaves, points: leaves.points.map(([x, y], k): Point => [x, y + (k === 3 ? 12 : 0)]) })).toHaveLength(2)
  })
  it('is another aside, in another direction, in the other tone, much wider, or too far away', () => {
    expect(goesOn(first, straight([280, 38], [400, 50]))).toBe(false)
    expect(goesOn(first, straight([280, 28], [390, 70]))).toBe(false)
    expect(goesOn(first, straight([280, 28], [400, 40], { difference: -0.3 }))).toBe(false)
    expect(goesOn(first, straight([280, 28], [400, 40], { width: 7 }))).toBe(false)
    expect(goesOn(first, straight([700, 70], [900, 90]))).toBe(false)
    // Beside the first half of it, not beyond its end.
    expect(goesOn(first, straight([20, 2], [120, 12]))).toBe(false)
  })
})

describe('what lies around a line', () => {
  it.each([-0.3, -1.4])('is told in the light that it has, %d', (ground) => {
    const drawn: Drawn = { path: [[30, 40], [270, 150]], width: 2, depth: 0.35 }
    const { ground: told, difference } = strongest(plane(300, 200, [drawn], () => ground))
    expect(told).toBeCloseTo(ground, 1)
    expect(difference).toBeGreaterThan(0.2)
  })
  const texture = (x: number, y: number) => 0.45 * Math.sin(x / 2.3) * Math.sin(y / 2.9 + x / 7)
  const strongest = (p: Plane) => piecesOf(p).filter(({ difference, length }) => difference > 0 && length > 60).sort((a, b) => b.weight - a.weight)[0]!
  it('reaches its tone in texture and nowhere in a sky', () => {
    const drawn: Drawn = { path: [[30, 40], [270, 150]], width: 2, depth: 0.35 }
    expect(strongest(plane(300, 200, [drawn])).topped).toBeLessThan(0.02)
    expect(strongest(plane(300, 200, [drawn], texture)).topped).toBeGreaterThan(0.03)
  })
  it('is alike on both sides where it crosses things, and not where it parts them', () => {
    const drawn: Drawn = { path: [[20, 100], [280, 100]], width: 2, depth: 0.5 }
    const bars = (x: number) => 0.2 * Math.sin(x / 13)
    expect(strongest(plane(300, 200, [drawn], (x) => bars(x))).likeness).toBeGreaterThan(0.8)
    expect(strongest(plane(300, 200, [drawn], (x, y) => (y < 100 ? bars(x) : bars(x * 1.7 + 5)))).likeness).toBeLessThan(0.4)
  })
})

const transfer = makeTransfer({ type: 'srgb' }, 8)
/** A grey picture with pale scratches. */
function scratched(scratches: readonly Drawn[]): IntegerRaster {
  const light = plane(500, 400, scratches)
  const raster = makeRaster(500, 400, 1, 8)
  for (let i = 0; i < light.data.length; i++) raster.data[i] = transfer.encode(0.2 * Math.exp(light.data[i]!))
  return raster
}

describe('a search for lines', () => {
  const drawn: Drawn[] = [{ path: [[60, 80], [430, 120]], width: 1.5, depth: 0.4 }, { path: [[90, 350], [400, 250]], width: 1.5, depth: 0.35 }]
  const picture = rasterSource(scratched(drawn))
  it('finds scratches to the pixel, as strokes a little wider than they are', () => {
    const finds = findFlaws(picture, transfer, { kinds: ['line'], falseFinds: 3 })
    expect(finds).toHaveLength(2)
    for (const { path, width } of drawn) {
      const found = finds.find(({ shape }) => shape.type === 'stroke' && astray(shape.points, [path[0]!, path[1]!]) < 1.5)!
      expect(found, `${path}`).toBeDefined()
      expect(found.kind).toBe('scratch')
      expect((found.shape as Stroke).width).toBeGreaterThan(width)
      expect((found.shape as Stroke).width).toBeLessThan(width + 4)
      expect(found.contrast).toBeGreaterThan(3)
    }
  })
  it('takes no piece of a line for a speck', () => {
    const finds = findFlaws(picture, transfer, { kinds: ['speck', 'line'], falseFinds: 3 })
    for (const { kind, shape } of finds) {
      if (kind !== 'speck' || shape.type !== 'disc') continue
      for (const { path, width } of drawn) expect(astray([[shape.x, shape.y]], [path[0]!, path[1]!]), 'a speck on a scratch').toBeGreaterThan(width)
    }
  })
  it('finds nothing in noise', () => expect(findFlaws(rasterSource(scratched([])), transfer, { kinds: ['line'], falseFinds: 3 })).toEqual([]))
})

describe('finds and flaws', () => {
  const stroke: Stroke = { type: 'stroke', points: [[10, 10], [50, 12], [90.123, 14.456]], width: 4.567 }
  const find: Find = { kind: 'scratch', shape: stroke, contrast: 4.5678, weight: 33.333, confidence: 0.98765, unrest: 2.345 }
  const [flaw] = flawsOfFinds([find], (n) => `l${n}`)
  it('a find becomes an open flaw with an identifier, no finer than a hundredth of a pixel', () => {
    expect(flaw).toEqual({ id: 'l1', kind: 'scratch', shape: { type: 'stroke', points: [[10, 10], [50, 12], [90.12, 14.46]], width: 4.57 }, state: 'open', contrast: 4.57, weight: 33.3, confidence: 0.988, unrest: 2.3, origin: 'found' })
  })
  it('a line seen again is no new one, though it is longer or shorter', () => {
    const again: Find = { ...find, shape: { ...stroke, points: [[30, 11.5], [52, 12.4], [80, 14]] } }
    const aside: Find = { ...find, shape: { ...stroke, points: [[10, 40], [50, 42], [90, 44]] } }
    expect(newFinds([again, aside], [flaw!])).toEqual([aside])
  })
  it('of discs, one whose centre lies in a known one is no new one, whichever is larger', () => {
    const disc = (x: number, r: number): Find => ({ kind: 'dust', shape: { type: 'disc', x, y: 50, r }, contrast: -3, weight: 20, confidence: 0.9, unrest: 1 })
    const [known] = flawsOfFinds([disc(100, 10)], () => 'k')
    expect(newFinds([disc(108, 4), disc(92, 30), disc(112, 4), disc(300, 10)], [known!]).map(({ shape }) => (shape as { x: number }).x)).toEqual([112, 300])
    expect(newFinds([disc(108, 4)], [])).toHaveLength(1)
  })
  it('of what lies in a known stain, only what fills it is the stain', () => {
    const within = (kind: 'dust' | 'mould', r: number): Find => ({ ...find, kind, shape: { type: 'disc', x: 50, y: 50, r } })
    const crossing: Find = { ...find, shape: { ...stroke, points: [[20, 50], [80, 52]] } }
    const outline: Find = { ...find, kind: 'stain', shape: { type: 'outline', points: [[10, 10], [90, 10], [90, 90], [10, 90]] } }
    const [stain] = flawsOfFinds([outline], () => 's')
    const [foxing, spot] = [within('dust', 38), within('mould', 4)]
    expect(newFinds([foxing, spot, crossing, outline], [stain!])).toEqual([spot, crossing])
    expect(newFinds([spot], [{ ...stain!, kind: 'loss' }])).toEqual([])
  })
  it('a speck that lies on a line is part of it, one beside it is not', () => {
    const speck = (x: number, y: number) => ({ kind: 'speck', shape: { type: 'disc', x, y, r: 2 }, contrast: 5, weight: 20, confidence: 0.9, unrest: 1, by: 'speck', score: 5, accepted: true }) as const
    const [piece] = piecesOf(plane(420, 160, [{ path: [[40, 60], [380, 60]], width: 2, depth: 0.4 }])).sort((a, b) => b.weight - a.weight)
    const tiles = [{ discs: [speck(200, 60), speck(200, 100)], pieces: [piece!] }]
    const finds = gatherFinds(tiles, { kinds: ['speck', 'line'], falseFinds: 3 }, { width: 420, height: 160 })
    expect(finds.filter(({ shape }) => shape.type === 'stroke')).toHaveLength(1)
    expect(finds.filter(({ kind }) => kind === 'speck').map(({ shape }) => (shape as { y: number }).y)).toEqual([100])
  })
  it('only found, open and unmended flaws are undecided', () => {
    const list: Flaw[] = [flaw!, { ...flaw!, id: 'l2', state: 'left' }, { ...flaw!, id: 'l3', origin: 'hand' }, { ...flaw!, id: 'l4' }]
    const step = { flaw: 'l4' } as never
    expect(undecidedFinds({ flaws: list, steps: [step] }).map(({ id }) => id)).toEqual(['l1'])
  })
})
