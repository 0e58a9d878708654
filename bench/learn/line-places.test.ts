import { describe, expect, it } from 'vitest'
import { LinePlaces, linesOf, shareOn } from './line-places.js'

type Point = readonly [number, number]

describe('places of lines', () => {
  const level: Point[] = [[0, 10], [100, 10]]
  const upright: Point[] = [[60, 0], [60, 100]]
  const places = new LinePlaces([level, upright], 4)
  it('lie between the points of a line too', () => expect(places.near(33.3, 11)).toBe(0))
  it('tell the nearer of two lines, and which it is', () => {
    expect(places.near(58, 11)).toBe(0)
    expect(places.near(61, 13)).toBe(1)
  })
  it('reach as far as they are told to, and no further', () => {
    expect(places.near(20, 13.9)).toBe(0)
    expect(places.near(20, 14.6)).toBe(-1)
    expect(new LinePlaces([level], 6).near(20, 14.6)).toBe(0)
  })
  it('are looked for in the cells beside as well, also left of and above the picture', () => {
    expect(new LinePlaces([[[-6, -3], [-2, -3]]], 4).near(-4, -0.5)).toBe(0)
  })
})

describe('the share of a path on lines', () => {
  const places = new LinePlaces([[[0, 10], [100, 10]]], 4)
  it('is that of its points', () => expect(shareOn([[10, 10], [50, 12], [50, 30], [200, 10]], places)).toBe(0.5))
  it('is nothing of a path without points', () => expect(shareOn([], places)).toBe(0))
  it('is nothing where there are no lines', () => expect(shareOn([[10, 10]], new LinePlaces([], 4))).toBe(0))
})

it('of all damage, lines are what has a path of some length', () => {
  const at = { x: 0, y: 0, r: 5 }
  const path = (count: number) => Array.from({ length: count }, (_value, k): [number, number] => [k, 0])
  const [disc, short, long] = [{ kind: 'dust' as const, ...at }, { kind: 'hair' as const, ...at, path: path(20), width: 2 }, { kind: 'scratch' as const, ...at, path: path(21), width: 2 }]
  expect(linesOf([disc, short, long])).toEqual([long])
})
