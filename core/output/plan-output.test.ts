import { describe, expect, it } from 'vitest'
import { completeOutput, PRESETS, type OutputRequest } from './output.js'
import { depthOfOutput, longestSide, pairSizes, planOutput, type Delivered } from './plan-output.js'

const delivered: Delivered = { width: 6000, height: 4000, depth: 16, hasAlpha: false, channels: 3, perInch: null }
const planOf = (asked: OutputRequest, more: Partial<Delivered> = {}) => planOutput(completeOutput(asked, 16), { ...delivered, ...more })

describe('the size of a file', () => {
  it('is that of the picture, smaller by its longest side, never larger by it', () => {
    expect(planOf({ format: 'tiff' })).toMatchObject({ width: 6000, height: 4000, paper: null, refusal: null, losses: [] })
    expect(planOf({ format: 'tiff', longestPx: 1500 })).toMatchObject({ width: 1500, height: 1000 })
    expect(planOf({ format: 'tiff', longestPx: 50000 })).toMatchObject({ width: 6000, height: 4000 })
    expect(longestSide(completeOutput({ format: 'png', longestPx: 900 }, 8), { width: 400, height: 1200 })).toBe(900)
  })
  it('follows from a width on paper: 25.4 cm at 300 on an inch are 3000 pixels', () => {
    const plan = planOf({ format: 'tiff', widthCm: 25.4, perInch: 300 })
    expect([plan.width, plan.height, plan.perInch]).toEqual([3000, 2000, 300])
    expect(plan.paper!.widthCm).toBeCloseTo(25.4, 6)
    expect(plan.paper!.heightCm).toBeCloseTo(16.933, 2)
  })
  it('says on paper what the picture says of itself, unless something else is asked for', () => {
    expect(planOf({ format: 'tiff' }, { perInch: 600 }).paper!.widthCm).toBeCloseTo(25.4, 6)
    expect(planOf({ format: 'tiff', perInch: 300 }, { perInch: 600 }).paper!.widthCm).toBeCloseTo(50.8, 6)
  })
  it('of a pair holds both pictures, the gaps and the line under them', () => {
    const { one, gap, caption, sheet } = pairSizes(completeOutput({ format: 'jpeg', content: 'pair', longestPx: 3000, caption: 'Before and after' }, 16), delivered)
    expect(sheet.width).toBe(2 * one.width + 3 * gap)
    expect(sheet.height).toBe(one.height + 2 * gap + caption)
    expect(Math.abs(sheet.width - 3000)).toBeLessThan(5)
    expect(one.width / one.height).toBeCloseTo(1.5, 2)
    const split = pairSizes(completeOutput({ format: 'jpeg', content: 'pair', layout: 'split', longestPx: 3000 }, 16), delivered)
    expect(split.caption).toBe(0)
    expect(split.sheet.width).toBe(split.one.width + 2 * split.gap)
  })
})

describe('what is lost is said', () => {
  it('of depth, by the format and by what was asked', () => {
    expect(planOf({ format: 'jpeg' }).losses.join(' ')).toContain('holds 8 bits a sample; the picture has 16')
    expect(planOf({ format: 'tiff', depth: 8 }).losses.join(' ')).toContain('is written with 8')
    expect(planOf({ format: 'tiff', depth: 8 }, { depth: 8 }).losses).toEqual([])
    expect([depthOfOutput(completeOutput({ format: 'png' }, 16)), depthOfOutput(completeOutput({ format: 'webp' }, 16)), depthOfOutput(completeOutput({ format: 'tiff', content: 'pair' }, 16))]).toEqual([16, 8, 8])
  })
  it('of transparency, of what a lossy format keeps, of personal data, and of size that shows nothing more', () => {
    const losses = (asked: OutputRequest, more: Partial<Delivered> = {}) => planOf(asked, { depth: 8, ...more }).losses.join(' ')
    expect(losses({ format: 'jpeg' }, { hasAlpha: true })).toContain('no transparency')
    expect(losses({ format: 'png' }, { hasAlpha: true })).not.toContain('transparency')
    expect(losses({ format: 'avif' })).toContain('only nearly')
    expect(losses({ format: 'png', personal: false })).toContain('place, names of persons')
    expect(losses({ format: 'png', widthCm: 80, perInch: 300 })).toContain('larger than the picture is')
  })
})

describe('what cannot be written is refused', () => {
  it('by the sides that a format holds: WebP 16383 (container specification), JPEG 65500, AVIF 16384', () => {
    const wide = { width: 17000, height: 100 }
    expect(planOf({ format: 'webp' }, wide).refusal).toBe('WebP holds at most 16383 pixels a side; the picture is 17000 x 100. Choose TIFF or PNG.')
    expect(planOf({ format: 'avif' }, wide).refusal).toContain('16384')
    expect(planOf({ format: 'jpeg' }, wide).refusal).toBeNull()
    expect(planOf({ format: 'jpeg' }, { width: 70000, height: 10 }).refusal).toContain('65500')
    expect(planOf({ format: 'webp', longestPx: 2000 }, wide).refusal).toBeNull()
  })
  it('as layers in any other format than OpenRaster, and as OpenRaster without layers', () => {
    expect(planOf({ format: 'tiff', content: 'layers' }).refusal).toContain('OpenRaster')
    expect(planOf({ format: 'ora', content: 'picture' }).refusal).toContain('layers')
    expect(planOf({ format: 'ora' })).toMatchObject({ refusal: null, width: 6000 })
  })
  it('but every preset can be written of a usual picture', () => {
    for (const preset of PRESETS) expect(planOf(preset).refusal, preset.name).toBeNull()
  })
})
