import { describe, expect, it } from 'vitest'
import { makeRandom } from '../random.js'
import { makeRaster, type IntegerRaster } from '../raster/raster.js'
import { cutOut } from './cut-out.js'
import { fitPiece, placed } from './fit.js'
import { fitAll, joinPieces } from './join.js'
import { minimise } from './minimise.js'
import { sheetOf } from './sheet.js'

/** A picture with something everywhere: slanted waves of several lengths. */
const tone = (x: number, y: number) => 120 + 34 * Math.sin(x / 9 + y / 31) + 26 * Math.sin(y / 13 - x / 41) + 18 * Math.sin((x + y) / 5.3)
const [WIDTH, HEIGHT] = [340, 300]
/** Tears from top to bottom of each piece, as heights over the width. */
const tears = [(x: number) => 95 + 14 * Math.sin(x / 23) + 7 * Math.sin(x / 8.1 + 1), (x: number) => 205 + 12 * Math.sin(x / 31 + 2) + 8 * Math.sin(x / 10.7)]

/** Pieces of the picture on a dark bed; each turned and moved by its own pose. */
function scanned(poses: readonly { turn: number; dx: number; dy: number }[], lines: readonly ((x: number) => number)[]): { scan: IntegerRaster; to: (piece: number, x: number, y: number) => [number, number] } {
  const scan = makeRaster(WIDTH + 140, HEIGHT + 60 + 70 * poses.length, 1, 8)
  const random = makeRandom(3)
  const middle = (piece: number) => (piece === 0 ? 50 : piece === poses.length - 1 ? HEIGHT - 50 : HEIGHT / 2)
  const turned = ({ turn, dx, dy }: { turn: number; dx: number; dy: number }, piece: number) => {
    const [c, s] = [Math.cos(turn), Math.sin(turn)]
    const [px, py] = [WIDTH / 2, middle(piece)]
    return {
      to: (x: number, y: number): [number, number] => [px + c * (x - px) - s * (y - py) + dx + 60, py + s * (x - px) + c * (y - py) + dy + 40],
      from: (x: number, y: number): [number, number] => [px + c * (x - dx - 60 - px) + s * (y - dy - 40 - py), py - s * (x - dx - 60 - px) + c * (y - dy - 40 - py)],
    }
  }
  const maps = poses.map(turned)
  for (let y = 0, i = 0; y < scan.height; y++) {
    for (let x = 0; x < scan.width; x++, i++) {
      let value = 20
      maps.forEach(({ from }, piece) => {
        const [px, py] = from(x + 0.5, y + 0.5)
        if (px < 0 || py < 0 || px >= WIDTH || py >= HEIGHT) return
        if (piece > 0 && py < lines[piece - 1]!(px)) return
        if (piece < poses.length - 1 && py >= lines[piece]!(px)) return
        value = tone(px, py)
      })
      scan.data[i] = Math.max(0, Math.min(255, Math.round(value + 3 * (random.uniform() - 0.5))))
    }
  }
  return { scan, to: (piece, x, y) => maps[piece]!.to(x, y) }
}

describe('cutting out', () => {
  it('finds the pieces on the bed, the largest first, and leaves light places inside', () => {
    const { scan } = scanned([{ turn: 0, dx: 0, dy: 0 }, { turn: 0.05, dx: 6, dy: 50 }], [tears[1]!])
    const { pieces, background } = cutOut(scan)
    expect(Math.abs(background[0]! - 20)).toBeLessThan(2)
    expect(pieces).toHaveLength(2)
    const areas = [205 * WIDTH, 95 * WIDTH]
    pieces.forEach(({ area }, i) => expect(area / areas[i]!).toBeGreaterThan(0.95))
    pieces.forEach(({ area }, i) => expect(area / areas[i]!).toBeLessThan(1.02))
  })
  it('takes a thin light rim away, and leaves a broad light border', () => {
    const scan = makeRaster(300, 240, 1, 8)
    for (let y = 0, i = 0; y < 240; y++) for (let x = 0; x < 300; x++, i++) {
      const inside = x >= 40 && x < 260 && y >= 40 && y < 200
      // White paper of 40 pixels on the left, fibre of 5 on the right.
      scan.data[i] = !inside ? 20 : x < 80 || x >= 255 ? 240 : 120
    }
    const [piece] = cutOut(scan).pieces
    const { box, mask } = piece!
    const isIn = (x: number, y: number) => mask[(y - box.y) * box.width + x - box.x] === 1
    expect(isIn(60, 120)).toBe(true)
    expect(isIn(252, 120)).toBe(true)
    expect(isIn(257, 120)).toBe(false)
  })
})

describe('fitting', () => {
  it('brings a turned and moved piece back along its tear, to within a pixel and a half', () => {
    const { scan, to } = scanned([{ turn: 0, dx: 0, dy: 0 }, { turn: 0.06, dx: 9, dy: 55 }], [tears[1]!])
    const [base, piece] = cutOut(scan).pieces.map((one) => sheetOf(scan, one))
    const { placement, seam, likeness } = fitPiece(base!, piece!)
    for (const x of [20, 100, 180, 260, 320]) {
      const y = tears[1]!(x)
      const [still, moved] = [to(0, x, y), to(1, x, y)]
      const [px, py] = placed(piece!, placement, moved[0], moved[1])
      expect(Math.hypot(px - still[0], py - still[1])).toBeLessThan(1.5)
    }
    expect(likeness).toBeGreaterThan(0.5)
    expect(seam.length).toBeGreaterThan(300)
  })
  it('goes on from where a piece was put by hand', () => {
    const { scan, to } = scanned([{ turn: 0, dx: 0, dy: 0 }, { turn: 0.06, dx: 9, dy: 55 }], [tears[1]!])
    const [base, piece] = cutOut(scan).pieces.map((one) => sheetOf(scan, one))
    const { placement } = fitPiece(base!, piece!, { turnDegrees: -2.4, dx: -4, dy: -48 })
    const [still, moved] = [to(0, 200, tears[1]!(200)), to(1, 200, tears[1]!(200))]
    const [px, py] = placed(piece!, placement, moved[0], moved[1])
    expect(Math.hypot(px - still[0], py - still[1])).toBeLessThan(1.5)
  })
})

describe('joining', () => {
  it('puts three pieces together; the seams are its gaps, the rest is the picture', () => {
    const { scan, to } = scanned([{ turn: 0.02, dx: -5, dy: 0 }, { turn: 0, dx: 0, dy: 35 }, { turn: -0.04, dx: 8, dy: 80 }], tears)
    const cut = cutOut(scan)
    expect(cut.pieces).toHaveLength(3)
    const fitting = fitAll(scan, cut)
    expect(fitting.pieces.filter(({ seamPx }) => seamPx > 200)).toHaveLength(2)
    const { raster, origin, gaps } = joinPieces(scan, cut, fitting.pieces)
    expect(gaps.length).toBeGreaterThan(0)
    // Which piece lies still decides where the picture lies: places of all pieces against that of the largest.
    const still = [0, 1, 2].find((piece) => {
      const [x, y] = to(piece, WIDTH / 2, piece === 0 ? 50 : piece === 1 ? 150 : 260)
      const { box } = cut.pieces[0]!
      return x >= box.x && y >= box.y && x < box.x + box.width && y < box.y + box.height
    })!
    let [sum, count] = [0, 0]
    for (let y = 20; y < HEIGHT - 20; y += 3) {
      for (let x = 20; x < WIDTH - 20; x += 3) {
        if (tears.some((line) => Math.abs(y - line(x)) < 8)) continue
        const [px, py] = to(still, x, y)
        const [column, row] = [Math.floor(px - origin.x), Math.floor(py - origin.y)]
        sum += Math.abs(raster.data[row * raster.width + column]! - tone(x, y))
        count++
      }
    }
    // The waves change by up to 8 levels a pixel.
    expect(sum / count).toBeLessThan(7)
  })
})

describe('the least value', () => {
  it('of Rosenbrock\'s function is at 1, 1 (Nelder and Mead 1965, their first test)', () => {
    const { at, value } = minimise(([x, y]) => 100 * (y! - x! * x!) ** 2 + (1 - x!) ** 2, [-1.2, 1], [0.5, 0.5], 200)
    expect(value).toBeLessThan(1e-6)
    expect(at[0]).toBeCloseTo(1, 2)
    expect(at[1]).toBeCloseTo(1, 2)
  })
})
