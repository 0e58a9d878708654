import { describe, expect, it } from 'vitest'
import type { Flaw } from '../../treatment/schema.js'
import { looksLike } from './likeness.js'

const dust = (r: number, contrast: number, more: Partial<Flaw> = {}): Flaw => ({ id: 'a', kind: 'dust', shape: { type: 'disc', x: 9, y: 9, r }, state: 'open', contrast, weight: 20, confidence: 0.9, origin: 'found', ...more })
const scratch = (width: number, contrast: number): Flaw => dust(1, contrast, { kind: 'scratch', shape: { type: 'stroke', points: [[0, 0], [90, 3]], width } })

describe('looking alike', () => {
  it('is being of one kind, size, tone and strength, wherever it lies', () => {
    expect(looksLike(dust(10, -3), dust(12, -4, { shape: { type: 'disc', x: 900, y: 4, r: 12 } }))).toBe(true)
    expect(looksLike(dust(10, -3), dust(20, -3))).toBe(false)
    expect(looksLike(dust(10, -3), dust(10, -9))).toBe(false)
    expect(looksLike(dust(10, -3), dust(10, 3))).toBe(false)
    expect(looksLike(dust(10, -3), dust(10, -3, { kind: 'speck' }))).toBe(false)
  })
  it('of lines is told by their width, not their length', () => {
    expect(looksLike(scratch(2, 5), { ...scratch(2.5, 6), shape: { type: 'stroke', points: [[0, 0], [400, 3]], width: 2.5 } })).toBe(true)
    expect(looksLike(scratch(2, 5), scratch(6, 5))).toBe(false)
  })
  it('is not being in a sky and in gravel; what was not measured says nothing', () => {
    expect(looksLike(dust(10, -3, { unrest: 1 }), dust(10, -3, { unrest: 9 }))).toBe(false)
    expect(looksLike(dust(10, -3, { unrest: 1 }), dust(10, -3))).toBe(true)
    expect(looksLike(dust(10, 0), dust(10, -3))).toBe(true)
  })
})
