import { describe, expect, it } from 'vitest'
import { judgeLines, lineEvidence } from './judge-lines.js'
import { companyOf } from './line-company.js'
import { amongOthers } from './among-others.js'
import { coverOf, lineFeatures, type Line } from '../lines/line-features.js'
import { kindOfLine } from './line-kinds.js'
import { LinesAround } from './lines-around.js'
import { madeUpLine } from '../lines/made-up-lines.js'
import HAIR from '../weights/hair.json' with { type: 'json' }
import LINE_ALONE from '../weights/line-alone.json' with { type: 'json' }
import SCRATCH from '../weights/scratch.json' with { type: 'json' }

type Point = readonly [number, number]

/** A line with points two pixels apart, as a strong scratch shows itself unless other things are said of it. */
function line([from, ...rest]: readonly [Point, ...Point[]], said: Partial<Line> = {}): Line {
  const points: Point[] = [from]
  for (const to of rest) {
    const [x, y] = points.at(-1)!
    const steps = Math.round(Math.hypot(to[0] - x, to[1] - y) / 2)
    for (let k = 1; k <= steps; k++) points.push([x + ((to[0] - x) * k) / steps, y + ((to[1] - y) * k) / steps])
  }
  return { ...madeUpLine({ points }), standing: 10, family: 0, ...said }
}

describe('the kind of a line', () => {
  const size = { width: 1000, height: 800 }
  const sagging = [[100, 300], [200, 318], [300, 324], [400, 318], [500, 300]] as const
  it.each([
    ['scratch', [[100, 100], [400, 130]], 2, 0.3],
    ['fold', [[0, 300], [900, 330]], 6, 0.3],
    ['wire', [[0, 300], [900, 330]], 3, -0.3],
    ['hair', [[100, 100], [160, 180], [100, 260]], 2, -0.3],
    ['hair', [[100, 100], [140, 120]], 2, -0.3],
    ['hair', sagging, 2, 0.3],
    ['wire', sagging, 2, -0.3],
  ] as const)('%s follows from tone, length and course', (kind, points, width, difference) => {
    expect(kindOfLine(line(points, { width, difference }), size)).toBe(kind)
  })
})

describe('a line among others', () => {
  /** Upright lines of one look, of these lengths, side by side. */
  const upright = (lengths: readonly number[]) => lengths.map((length, k) => line([[300 + 20 * k, 200], [300 + 20 * k, 200 + length]]))
  const among = (lines: readonly Line[]) => amongOthers(lines, new LinesAround(lines))
  it('is held against the stronger of the others, itself left out', () => {
    const lengths = [400, 100, 36, 64, 16, 144, 196]
    const seen = among(upright(lengths))
    lengths.forEach((length, i) => {
      // Of six others five are weaker than what is no longer reached by 85 of 100.
      const others = lengths.filter((_length, j) => j !== i).sort((a, b) => a - b)
      expect(seen[i]!.standing, `${length}`).toBeCloseTo(Math.sqrt(length / others[Math.floor(0.85 * 6)]!), 5)
    })
  })
  it('is held against what is hardly seen where too few lie around', () => {
    expect(among(upright([100, 100, 100, 100]))[0]!.standing).toBeCloseTo((0.5 * 10) / 0.02, 3)
  })
  it.each([
    ['alike', {}, 1],
    ['in the other tone', { difference: -0.5 }, 0],
    ['twice as wide', { width: 6 }, 0],
    ['half as strong', { difference: 0.25 }, 0],
  ])('one beside it that is %s is of its family or not', (_what, said, count) => {
    expect(among([line([[300, 200], [300, 400]]), line([[330, 200], [335, 400]], said)])[0]!.family).toBe(count)
  })
  it('one that runs across, or is far shorter, is of no family of its', () => {
    expect(among([line([[300, 200], [300, 400]]), line([[330, 200], [530, 220]]), line([[360, 200], [360, 230]])])[0]!.family).toBe(0)
  })
})

describe('how much a line covers', () => {
  /** What a veil makes of a ground. */
  const veiled = (ground: number, veil: number, cover: number) => ({ ground: Math.log(ground), difference: Math.log(ground + (veil - ground) * cover) - Math.log(ground) })
  it.each([0.02, 0.1, 0.4, 0.7])('is the share of a white veil over a ground of %d as over any other', (ground) => {
    expect(Math.exp(coverOf(veiled(ground, 1, 0.2)))).toBeCloseTo(0.2, 10)
  })
  it('is what a shadow takes', () => expect(Math.exp(coverOf(veiled(0.5, 0, 0.3)))).toBeCloseTo(0.3, 10))
  it('is no more than all, and no less than can be seen', () => {
    expect(coverOf({ ground: 0, difference: 0.1 })).toBe(0)
    expect(coverOf({ ground: -1, difference: 1e-9 })).toBeCloseTo(Math.log(1e-3), 10)
  })
})

describe('the company of a line', () => {
  /** What is told of the first of some lines, by name. */
  const told = (lines: readonly Line[], scores = lines.map((_line, i) => i)) => {
    const [half, most, nearlyAll, around, longer, straighter, family, strong, width, softness, wiggle, crossed, ending] = companyOf(lines, new LinesAround(lines), scores, [0])[0]! as [number, number, number, number, number, number, number, number, number, number, number, number, number]
    const count = (logarithm: number) => Math.round(Math.exp(logarithm) - 1)
    return { usual: [half, most, nearlyAll], around: count(around), longer: count(longer), straighter: count(straighter), family: count(family), strong: count(strong), width, softness, wiggle, crossed: count(crossed), ending: count(ending) }
  }
  const own = line([[300, 200], [300, 500]])
  it('counts what goes on beyond both sides as crossed, what ends on it as ending', () => {
    const across = line([[250, 300], [350, 310]])
    const left = line([[240, 400], [299, 400]])
    const beside = line([[320, 200], [320, 500]])
    expect(told([own, across, left, beside])).toMatchObject({ crossed: 1, ending: 1 })
  })
  it('counts a line that was traced in two pieces as crossed', () => {
    expect(told([own, line([[240, 400], [298, 400]]), line([[302, 402], [360, 402]])]).crossed).toBe(1)
    expect(told([own, line([[240, 400], [298, 400]]), line([[302, 450], [360, 450]])]).crossed).toBe(0)
  })
  it('passes over what is far fainter or short', () => {
    expect(told([own, line([[250, 300], [350, 310]], { difference: 0.1 }), line([[295, 400], [305, 400]])])).toMatchObject({ crossed: 0, ending: 0 })
  })
  it('counts the longer, those of them that are straighter, the strong and the alike of its own tone', () => {
    const others = [
      line([[400, 100], [400, 600]], { wiggle: 0.05 }),
      line([[450, 100], [450, 600]], { wiggle: 3, width: 9 }),
      line([[100, 300], [200, 300]], { difference: 0.05 }),
      line([[350, 100], [350, 600]], { difference: -0.5 }),
    ]
    expect(told([own, ...others])).toMatchObject({ around: 5, longer: 2, straighter: 1, family: 1, strong: 2 })
  })
  it('holds its width, softness and bends against the middle of the strong ones', () => {
    const { width, softness, wiggle } = told([own, ...[6, 9, 12].map((w, k) => line([[340 + 20 * k, 200], [340 + 20 * k, 480]], { width: w, softness: 0.1 * w, wiggle: w }))])
    expect(width).toBeCloseTo(Math.log(3 / 9), 6)
    expect(softness).toBeCloseTo(0.35 - 0.9, 6)
    expect(wiggle).toBeCloseTo(Math.log(0.15 / 9.05), 6)
  })
  it('tells which scores are usual around, and nothing of a few', () => {
    const many = Array.from({ length: 20 }, (_line, k) => line([[310 + 10 * k, 250], [310 + 10 * k, 300]]))
    expect(told([own, ...many], [5, ...many.map((_line, k) => -k / 10)]).usual).toEqual([-0.9, -0.3, 0].map((score) => expect.closeTo(score, 5)))
    expect(told([own, ...many.slice(0, 3)]).usual).toEqual([-8, -8, -8])
  })
  it('is not told of what lies further away', () => {
    expect(told([own, line([[300, 1400], [300, 1800]])])).toMatchObject({ around: 1, longer: 0 })
  })
})

describe('lines among each other', () => {
  const scratch = line([[300, 200], [340, 500]])
  it('are judged by a weight for each item of their evidence, and one for the answer of each unit', () => {
    const lengths = ({ units }: typeof SCRATCH) => new Set(units.map(({ length }) => length))
    expect(lengths(LINE_ALONE)).toEqual(new Set([lineFeatures(scratch).length + 1]))
    const told = ({ difference }: Line) => lineEvidence([{ ...scratch, difference }])[0]!.features.length
    expect(lengths(SCRATCH)).toEqual(new Set([told(scratch) + 1]))
    expect(lengths(HAIR)).toEqual(new Set([told({ ...scratch, difference: -0.5 }) + 1]))
  })
  it('are judged as scratches where they are pale and straight, else as hairs', () => {
    const lines = [scratch, line([[600, 200], [640, 500]], { difference: -0.5 }), line([[900, 200], [960, 330], [900, 460]])]
    expect(lineEvidence(lines).map(({ as }) => as)).toEqual(['scratch', 'hair', 'hair'])
  })
  it('are left out where they are hopeless', () => {
    const edge = line([[300, 200], [300, 230]], { weight: 1, unevenness: 4, echo: 1.5, difference: 0.02, steadiness: 0.4, wiggle: 4 })
    expect(lineEvidence([edge, scratch]).map(({ line }) => line.points)).toEqual([scratch.points])
  })
  it('lie the further over what is asked the more false finds one is willing to look at', () => {
    const over = (rate: number) => judgeLines([scratch], rate)[0]!.over
    expect(over(1)).toBeGreaterThan(over(0.1))
    expect(judgeLines([scratch], 1)[0]!.confidence).toBe(judgeLines([scratch], 0.1)[0]!.confidence)
  })
  it('one that stands alone is surer than the same among many that are like it', () => {
    const joints = Array.from({ length: 24 }, (_line, k) => line([[40 + 25 * k, 200], [80 + 25 * k, 500]]))
    expect(judgeLines([scratch], 0.1)[0]!.confidence).toBeGreaterThan(judgeLines([scratch, ...joints], 0.1)[0]!.confidence)
  })
})
