import { describe, expect, it } from 'vitest'
import * as fc from 'fast-check'
import { distanceFrom } from './distance-transform.js'
import { floatsOf, maskWhere } from './per-pixel.js'

describe('pixel by pixel', () => {
  it('a mask and a plane are what the iterating forms of the language make', () => {
    fc.assert(fc.property(fc.array(fc.float({ noNaN: true }), { maxLength: 40 }), (values) => {
      expect(maskWhere(values, (value, i) => value > i)).toEqual(Uint8Array.from(values, (value, i) => (value > i ? 1 : 0)))
      expect(floatsOf(values.length, (i) => values[i]! / 3)).toEqual(Float32Array.from(values, (value) => value / 3))
    }))
  })
})

describe('the distance from a mask', () => {
  it('is that to the nearest of its pixels, one by one, on any plane: rows and columns alone, and with none set', () => {
    fc.assert(fc.property(fc.integer({ min: 1, max: 13 }), fc.integer({ min: 1, max: 13 }), fc.array(fc.nat(168), { maxLength: 6 }), (width, height, places) => {
      const set = new Uint8Array(width * height)
      for (const place of places) set[place % set.length] = 1
      const wanted = floatsOf(set.length, (i) => {
        let least = Infinity
        set.forEach((value, k) => { if (value) least = Math.min(least, ((i % width) - (k % width)) ** 2 + (Math.floor(i / width) - Math.floor(k / width)) ** 2) })
        return Math.sqrt(least)
      })
      expect(distanceFrom(set, width, height)).toEqual(wanted)
    }))
  })
})
