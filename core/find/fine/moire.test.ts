import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, rasterSource, type IntegerRaster } from '../../raster/raster.js'
import { makeTransfer } from '../../raster/transfer.js'
import { insideOutline, type Outline } from '../../shape/shape.js'
import { findFlaws, findInTile, gatherFinds } from '../find.js'
import type { Find } from '../finds.js'
import { logLight } from '../../raster/log-light.js'
import { judge, moireJudge } from '../judging/judge.js'
import { moireCandidates, screensOfTile } from './moire.js'
import { loneWaveOf, SCREEN_WINDOW } from '../../raster/lone-wave.js'

const transfer = makeTransfer({ type: 'srgb' }, 8)
const [width, height] = [704, 512]
const whole = { x: 0, y: 0, width, height }
const screened = (x: number, y: number) => x > 192 && x < 512 && y > 128 && y < 448

/** A slope with rocks, a mast and a railing of seven bars; over a part of it a fine pattern as strong as is said. */
function picture(strength: number, wave: (x: number, y: number) => number): IntegerRaster {
  const random = makeRandom(6)
  const raster = makeRaster(width, height, 1, 8)
  const rocks = Array.from({ length: 60 }, () => ({ x: width * random.uniform(), y: height * random.uniform(), r: 4 + 14 * random.uniform(), tone: 60 * (random.uniform() - 0.5) }))
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let tone = 90 + 0.1 * y + 20 * Math.sin(x / 60)
      for (const rock of rocks) if (Math.abs(x - rock.x) < rock.r && Math.hypot(x - rock.x, y - rock.y) < rock.r) tone += rock.tone
      if (Math.abs(x - 100 - y / 9) < 3 || (y > 470 && x > 540 && x < 640 && x % 14 < 4)) tone -= 50
      tone *= 1 + (screened(x, y) ? strength * wave(x, y) : 0)
      raster.data[y * width + x] = Math.max(0, Math.min(255, Math.round(tone + 3 * (random.uniform() + random.uniform() - 1))))
    }
  }
  return raster
}

const moireIn = (raster: IntegerRaster): Find[] => findFlaws(rasterSource(raster), transfer, { kinds: ['moire'], falseFinds: 3 })
const waves = { slanting: (x: number, y: number) => Math.sin(1.05 * x + 0.42 * y), upright: (x: number) => Math.sin((2 * Math.PI * x) / 5), level: (_x: number, y: number) => Math.cos(0.8 * y) }

describe('moire', () => {
  it.each(Object.entries(waves))('of %s waves is found where it lies', (_name, wave) => {
    const finds = moireIn(picture(0.06, wave))
    expect(finds.map(({ kind }) => kind)).toEqual(['moire'])
    let [both, either] = [0, 0]
    insideOutline(finds[0]!.shape as Outline, whole).forEach((inside, i) => {
      const truth = screened(i % width, Math.floor(i / width))
      if (inside && truth) both++
      if (inside || truth) either++
    })
    expect(both / either).toBeGreaterThan(0.8)
  })

  it('is sure where its waves lean, and doubtful where they stand upright or lie level, as what people build does', () => {
    const confidenceOf = (wave: (x: number, y: number) => number) => moireIn(picture(0.06, wave))[0]!.confidence
    expect(confidenceOf(waves.slanting)).toBeGreaterThan(0.95)
    for (const wave of [waves.upright, waves.level]) expect(confidenceOf(wave)).toBeLessThan(0.5)
  })

  it('is told from things that repeat, which have edges', () => {
    const bars = (x: number) => (x % 9 < 3 ? 1 : -0.5)
    const candidate = (wave: (x: number, y: number) => number) => moireCandidates([screensOfTile(logLight(picture(0.12, wave), transfer), whole, whole)], whole)[0]!
    const [beats, railing] = [candidate((x) => Math.sin((2 * Math.PI * x) / 9)), candidate(bars)].map(({ features }) => judge(moireJudge, features).confidence)
    expect(railing).toBeLessThan(0.6 * beats!)
  })

  it('is neither rocks, nor a mast, nor a short railing, nor noise', () => {
    expect(moireIn(picture(0, waves.slanting))).toEqual([])
  })

  it('is one area across the border of two tiles', () => {
    const raster = picture(0.06, waves.slanting)
    const options = { kinds: ['moire'] as const, falseFinds: 3 }
    const tiles = [{ x: 0, y: 0, width: 5 * SCREEN_WINDOW, height }, { x: 5 * SCREEN_WINDOW, y: 0, width: 6 * SCREEN_WINDOW, height }].map((tile) => findInTile(raster, whole, tile, transfer, options, whole))
    expect(gatherFinds(tiles, options, whole)).toEqual(moireIn(raster))
  })

  it('is not looked for unasked', () => {
    expect(findFlaws(rasterSource(picture(0.06, waves.slanting)), transfer, { kinds: ['flat'], falseFinds: 3 }).filter(({ kind }) => kind === 'moire')).toEqual([])
  })
})

describe('windows that are transformed two at a time', () => {
  it('have the lone wave that each has alone', () => {
    const light = logLight(picture(0.12, (x, y) => Math.sin(0.9 * x + 0.35 * y)), transfer)
    // An odd number of windows: the last has no other beside it.
    const tile = { x: 64, y: 64, width: 5 * SCREEN_WINDOW, height: 3 * SCREEN_WINDOW }
    const { strength, across, down, columns } = screensOfTile(light, whole, tile)
    expect(strength).toHaveLength(15)
    strength.forEach((value, i) => {
      const alone = loneWaveOf(light, tile.x + (i % columns) * SCREEN_WINDOW, tile.y + Math.floor(i / columns) * SCREEN_WINDOW)
      expect(value / Math.max(1, alone.strength)).toBeCloseTo(alone.strength > 0 ? 1 : 0, 3)
      expect([across[i], down[i]]).toEqual([expect.closeTo(alone.across, 3), expect.closeTo(alone.down, 3)])
    })
    expect([...strength].filter((value) => value > 60).length).toBeGreaterThan(3)
  })
  it('are left out only where none beside them has a wave that could go on', () => {
    const light = logLight(picture(0.06, waves.slanting), transfer)
    const { strength, columns } = screensOfTile(light, whole, whole)
    const alone = Array.from(strength, (_value, i) => loneWaveOf(light, (i % columns) * SCREEN_WINDOW, Math.floor(i / columns) * SCREEN_WINDOW).strength)
    let kept = 0
    let left = 0
    alone.forEach((value, i) => {
      const [column, row] = [i % columns, Math.floor(i / columns)]
      const beside = [column > 0 ? i - 1 : i, column + 1 < columns ? i + 1 : i, row > 0 ? i - columns : i, i + columns < alone.length ? i + columns : i]
      if (strength[i]! > 0) {
        kept++
        expect(strength[i]! / value).toBeCloseTo(1, 3)
      } else if (value > 0) left++
      if (strength[i] === 0 && value >= 20) expect(Math.max(...beside.filter((j) => j !== i).map((j) => alone[j]!))).toBeLessThan(20)
    })
    // Of 5 x 5 windows with the pattern none is missing.
    expect(kept).toBeGreaterThanOrEqual(25)
    expect(left).toBeGreaterThan(0)
  })
})
