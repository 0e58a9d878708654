import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { bordersOf, runOn } from './borders.js'
import { fitPiece, placed } from './fit.js'
import { AT_REST, type Sheet } from './sheet.js'

const [WIDTH, HEIGHT, TURN] = [420, 320, 2.5]
const [c, s] = [Math.cos((TURN * Math.PI) / 180), Math.sin((TURN * Math.PI) / 180)]

/** A print torn along a ragged line across its middle, without anything in it; the lower piece turned about its middle and moved. @param lost  So much is gone of the upper piece's corners at the tear. */
function torn(ragged: (x: number) => number, lost = 0): { base: Sheet; piece: Sheet } {
  const sheet = (isIn: (x: number, y: number) => boolean, x: number, y: number, width: number, height: number): Sheet => ({
    x,
    y,
    width,
    height,
    mask: Uint8Array.from({ length: width * height }, (_, i) => (isIn(x + (i % width) + 0.5, y + Math.floor(i / width) + 0.5) ? 1 : 0)),
    tone: new Float32Array(width * height).fill(120),
  })
  const base = sheet((x, y) => x > 20 && x < WIDTH - 20 && y > 20 && y < HEIGHT * 0.55 + ragged(x) && (y < HEIGHT * 0.55 - lost || Math.abs(x - WIDTH / 2) < WIDTH / 2 - 20 - lost), 0, 0, WIDTH, HEIGHT)
  const [mx, my] = [WIDTH / 2, HEIGHT * 0.75]
  const piece = sheet((x, y) => {
    const [u, v] = [x - mx - 9, y - my - 30]
    const [px, py] = [mx + c * u + s * v, my - s * u + c * v]
    return px > 20 && px < WIDTH - 20 && py < HEIGHT - 20 && py > HEIGHT * 0.55 + ragged(px)
  }, 0, 100, WIDTH + 40, HEIGHT)
  return { base, piece }
}

/** What returns the lower piece to its place, about the middle of its sheet. */
function truth(piece: Sheet) {
  const [px, py] = [piece.x + piece.width / 2, piece.y + piece.height / 2]
  const [u, v] = [px - WIDTH / 2 - 9, py - HEIGHT * 0.75 - 30]
  return { turnDegrees: -TURN, dx: WIDTH / 2 + c * u + s * v - px, dy: HEIGHT * 0.75 - s * u + c * v - py }
}

describe('borders of a torn print', () => {
  it('are found straight and with the direction they have, and a tear is none', () => {
    const random = makeRandom(4)
    const steps = Array.from({ length: 60 }, () => 30 * random.uniform())
    const { piece } = torn((x) => steps[Math.max(0, Math.floor(x / 8))]!)
    const borders = bordersOf(piece)
    expect(borders).toHaveLength(3)
    // The lower border is the longest, then the two at the sides; all turned by what the piece is turned.
    const angles = borders.map(({ from, to }) => (Math.atan2(to[0] - from[0], from[1] - to[1]) * 180) / Math.PI).map((angle) => ((angle + 360) % 360) - TURN)
    for (const [k, expected] of [90, 180, 0].entries()) expect(angles.some((angle) => Math.abs(angle - expected) < 0.3), `border ${k}: ${angles.join()}`).toBe(true)
    expect(borders[0]!.length).toBeGreaterThan(370)
    expect(borders[0]!.length).toBeLessThan(386)
  })

  it('run on where the pieces belong, less where one lies aside, and not at all beyond what is asked', () => {
    const { base, piece } = torn(() => 0)
    const place = truth(piece)
    const at = (dx: number, wide: number) => runOn(bordersOf(base), bordersOf(piece), (x, y) => placed(piece, { ...place, dx: place.dx + dx }, x, y), wide)
    expect(at(0, 5)).toBeGreaterThan(200)
    expect(at(2, 5)).toBeLessThan(0.9 * at(0, 5))
    expect(at(8, 5)).toBe(0)
    // Borders that lie side by side are not one border in two parts.
    expect(runOn(bordersOf(base), bordersOf(base), (x, y) => placed(base, AT_REST, x, y), 5)).toBe(0)
  })

  it('tell how far a piece lies along a tear that has no feature and no end', () => {
    // The tear of the upper piece fits anywhere on the longer one of the lower piece.
    const { base, piece } = torn(() => 0, 30)
    const { placement } = fitPiece(base, piece)
    const { turnDegrees, dx } = truth(piece)
    expect(Math.abs(placement.turnDegrees - turnDegrees)).toBeLessThan(0.3)
    expect(Math.abs(placement.dx - dx)).toBeLessThan(1)
  })
})
