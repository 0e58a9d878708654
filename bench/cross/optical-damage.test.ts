import { describe, expect, it } from 'vitest'
import { copyLight } from '@fennip/demo/damage.js'
import type { Light } from '@fennip/demo/photograph.js'
import { harm, OPTICAL_KINDS, type OpticalKind } from './optical-damage.js'

/** The maker of damage that measurements stand on: what it says it changed is what it changed. */

const [width, height] = [320, 240]
const even = (value: number): Light => ({ width, height, channels: [0, 1, 2].map(() => ({ width, height, data: new Float32Array(width * height).fill(value) })) })
const changeOf = (before: Light, after: Light, i: number) => Math.max(...before.channels.map(({ data }, c) => Math.abs(after.channels[c]!.data[i]! - data[i]!) / data[i]!))

describe.each(OPTICAL_KINDS.map((kind) => [kind]))('%s', (kind: OpticalKind) => {
  const before = even(0.3)
  const after = copyLight(before)
  const made = harm(after, kind, 6, 7)

  it('names every pixel that it changed by more than two parts in a hundred, and few others', () => {
    expect(made.length).toBeGreaterThan(2)
    const named = new Set(made.flatMap(({ pixels }) => [...pixels]))
    const unnamed = Array.from({ length: width * height }, (_, i) => i).filter((i) => changeOf(before, after, i) > 0.04 && !named.has(i))
    expect(unnamed).toEqual([])
    expect([...named].filter((i) => changeOf(before, after, i) > 0.005).length).toBeGreaterThan(0.9 * named.size)
  })
  it('is the same for the same seed, and another for another', () => {
    const [again, other] = [copyLight(before), copyLight(before)]
    harm(again, kind, 6, 7)
    harm(other, kind, 6, 8)
    const isAfter = (light: Light) => light.channels[1]!.data.every((value, i) => value === after.channels[1]!.data[i])
    expect([isAfter(again), isAfter(other)]).toEqual([true, false])
  })
  it('leaves light that is none of it alone, and none below nothing', () => {
    expect(Math.min(...after.channels[0]!.data)).toBeGreaterThanOrEqual(0)
    let untouched = 0
    for (let i = 0; i < width * height; i++) if (changeOf(before, after, i) === 0) untouched++
    expect(untouched).toBeGreaterThan(0.3 * width * height)
  })
})

describe('sensor dust', () => {
  it('takes light and gives none; a shadow takes the same share of bright and dark', () => {
    const [bright, dark] = [even(0.6), even(0.1)]
    const [brightAfter, darkAfter] = [copyLight(bright), copyLight(dark)]
    harm(brightAfter, 'dust', 5, 3)
    harm(darkAfter, 'dust', 5, 3)
    const shares = (light: Light, of: number) => [...light.channels[1]!.data].map((value) => value / of)
    const [a, b] = [shares(brightAfter, 0.6), shares(darkAfter, 0.1)]
    expect(Math.max(...a)).toBeLessThanOrEqual(1.00001)
    expect(Math.max(...a.map((value, i) => Math.abs(value - b[i]!)))).toBeLessThan(1e-4)
  })
})
