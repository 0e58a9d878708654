import { describe, expect, it } from 'vitest'
import { makeRandom } from '../../random.js'
import { makeRaster, type IntegerRaster } from '../../raster/raster.js'
import type { Flaw, Original, Step, Treatment } from '../../treatment/schema.js'
import { alignedPlace, similarityOfAlignment } from '../../rescan/align.js'
import { composed, inverseOf, placeIn } from '../../rescan/similarity.js'
import { carryToJoined, carryToRejoined } from './carry-treatment.js'
import { cutOut } from './cut-out.js'
import { fitPiece, placed } from './fit.js'
import { fitAll, joinPieces } from './join.js'
import { layTogether } from './lay-together.js'
import { minimise } from '../../numbers/minimise.js'
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
  it('brings a turned and moved piece back along its tear, to within half a pixel', () => {
    const { scan, to } = scanned([{ turn: 0, dx: 0, dy: 0 }, { turn: 0.06, dx: 9, dy: 55 }], [tears[1]!])
    const [base, piece] = cutOut(scan).pieces.map((one) => sheetOf(scan, one))
    const { placement, seam, likeness } = fitPiece(base!, piece!)
    for (const x of [20, 100, 180, 260, 320]) {
      const y = tears[1]!(x)
      const [still, moved] = [to(0, x, y), to(1, x, y)]
      const [px, py] = placed(piece!, placement, moved[0], moved[1])
      expect(Math.sqrt((px - still[0]) ** 2 + (py - still[1]) ** 2)).toBeLessThan(0.5)
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
    expect(Math.sqrt((px - still[0]) ** 2 + (py - still[1]) ** 2)).toBeLessThan(0.5)
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

describe('several scans', () => {
  const { scan, to } = scanned([{ turn: 0, dx: 0, dy: 0 }, { turn: 0.05, dx: 6, dy: 50 }], [tears[1]!])
  /** Part of the scan, as if it had been scanned alone. */
  const alone = (top: number, bottom: number): IntegerRaster => {
    const part = makeRaster(scan.width, bottom - top, 1, 8)
    part.data.set(scan.data.subarray(top * scan.width, bottom * scan.width))
    return part
  }
  // Between the pieces lies bed: the highest row of the lower piece is below the lowest of the upper one.
  const upper = alone(0, 266)
  const lower = makeRaster(scan.width, scan.height - 230, 1, 8)
  lower.data.set(scan.data.subarray(230 * scan.width))
  for (const part of [upper, lower]) {
    const top = part === upper
    for (let y = 0; y < part.height; y++) for (let x = 0; x < part.width; x++) {
      const whole = (top ? y : y + 230) * scan.width + x
      const [sx, sy] = [x + 0.5, Math.floor(whole / scan.width) + 0.5]
      const inUpper = sy - 40 < tears[1]!(sx - 60)
      if (top !== inUpper) part.data[y * part.width + x] = 20
    }
  }
  it('are laid on one sheet sample by sample, each piece apart, and joined as if they had been scanned at once', () => {
    const { raster, places } = layTogether([{ name: 'a', pixels: upper }, { name: 'b', pixels: lower }])
    expect(places).toHaveLength(2)
    for (const { scan: from, piece: { box, mask }, x, y } of places) {
      const pixels = [upper, lower][from]!
      for (let i = 0; i < mask.length; i += 7) if (mask[i] === 1) expect(raster.data[(y + Math.floor(i / box.width)) * raster.width + x + (i % box.width)]).toBe(pixels.data[(box.y + Math.floor(i / box.width)) * pixels.width + box.x + (i % box.width)])
    }
    const cut = cutOut(raster)
    expect(cut.pieces).toHaveLength(2)
    const { pieces } = fitAll(raster, cut)
    expect(pieces[1]!.placement.turnDegrees).toBeCloseTo((-0.05 * 180) / Math.PI, 1)
    expect(pieces[1]!.misfitPx).toBeLessThan(1)
    // Bounds of the turned box of a piece are a little larger than the piece.
    const joined = joinPieces(raster, cut, pieces)
    expect(Math.abs(joined.raster.height - HEIGHT)).toBeLessThan(20)
    expect(Math.abs(joined.raster.width - WIDTH)).toBeLessThan(20)
  })
  it('of 8 and of 16 bits come to 16', () => {
    const sixteen: IntegerRaster = { ...lower, data: Uint16Array.from(lower.data, (value) => value * 257) }
    const { raster, places } = layTogether([{ name: 'a', pixels: upper }, { name: 'b', pixels: sixteen }])
    expect(raster.data).toBeInstanceOf(Uint16Array)
    const { piece, x, y } = places.find(({ scan: from }) => from === 0)!
    const at = piece.mask.indexOf(1)
    expect(raster.data[(y + Math.floor(at / piece.box.width)) * raster.width + x + (at % piece.box.width)]).toBe(257 * upper.data[(piece.box.y + Math.floor(at / piece.box.width)) * upper.width + piece.box.x + (at % piece.box.width)]!)
  })
  it('that show nothing, or differ in channels, are refused by name', () => {
    expect(() => layTogether([{ name: 'a', pixels: upper }, { name: 'bare.tif', pixels: { ...lower, data: lower.data.map(() => 20) } }])).toThrow(/bare\.tif/)
    expect(() => layTogether([{ name: 'a', pixels: upper }, { name: 'colour.tif', pixels: makeRaster(100, 100, 3, 8) }])).toThrow(/colour\.tif/)
  })
  it('what was done on a piece lies on the same spot of the picture after joining', () => {
    const cut = cutOut(scan)
    const { pieces: fitting } = fitAll(scan, cut)
    const { raster, origin } = joinPieces(scan, cut, fitting)
    const pictureOf = (x: number, y: number) => (y < tears[1]!(x) ? 0 : 1)
    const spots = [[60, 80], [280, 60], [100, 260], [260, 270]] as const
    const original = { sha256: 'ab'.repeat(32), width: scan.width, height: scan.height, channels: 1, depth: 8 } as unknown as Original
    const flaws = spots.map(([x, y], i): Flaw => {
      const [sx, sy] = to(pictureOf(x, y), x, y)
      return { id: `f${i}`, kind: 'dust', shape: { type: 'disc', x: sx, y: sy, r: 3 }, state: 'mended', contrast: 1, weight: 1, confidence: 1, origin: 'found' }
    })
    const beside: Flaw = { ...flaws[0]!, id: 'beside', shape: { type: 'disc', x: 5, y: 5, r: 3 } }
    const steps = flaws.map(({ id, shape }): Step => ({ id: `s${id}`, flaw: id, shape, softEdgePx: 2, opacity: 1, method: 'clone', source: { dx: 10, dy: 0 } }) as unknown as Step)
    const treatment = { version: 2, original, flaws: [...flaws, beside], steps, remarks: [], areas: [{ id: 'z', name: 'tones', role: 'zone', softEdgePx: 0, parts: [{ mode: 'add', range: { of: 'tone', from: 0, to: 1 } }] }] } as unknown as Treatment
    const { treatment: carried, left, refit } = carryToJoined(treatment, original, cut.pieces, { placements: fitting.map(({ placement }) => placement), origin })
    expect(refit).toEqual([])
    expect(left.join(' ')).toMatch(/beside lies on no piece.*tones lies on no piece/)
    expect(carried.steps).toHaveLength(4)
    spots.forEach(([x, y], i) => {
      const { shape } = carried.flaws.find(({ id }) => id === `f${i}`)!
      if (shape.type !== 'disc') throw new Error('a disc stays one')
      // The joined picture shows there what the print shows on the spot: tones change by up to 8 levels a pixel.
      const seen = raster.data[Math.floor(shape.y) * raster.width + Math.floor(shape.x)]!
      expect(Math.abs(seen - tone(x, y))).toBeLessThan(16)
    })
    // A piece is moved by hand and joined again: what was done on the joined picture goes along, each with its piece.
    const now = { placements: fitting.map(({ placement }, i) => (i === 0 ? placement : { turnDegrees: placement.turnDegrees + 2, dx: placement.dx + 9, dy: placement.dy + 14 })) }
    const again = joinPieces(scan, cut, fitting.map((piece, i) => ({ ...piece, placement: now.placements[i]! })))
    const rejoined = carryToRejoined(carried, original, cut.pieces, { placements: fitting.map(({ placement }) => placement), origin }, { ...now, origin: again.origin })
    expect(rejoined.treatment.steps).toHaveLength(4)
    expect(rejoined.left).toEqual([])
    spots.forEach(([x, y], i) => {
      const { shape } = rejoined.treatment.flaws.find(({ id }) => id === `f${i}`)!
      if (shape.type !== 'disc') throw new Error('a disc stays one')
      expect(Math.abs(again.raster.data[Math.floor(shape.y) * again.raster.width + Math.floor(shape.x)]! - tone(x, y))).toBeLessThan(16)
    })
  })
})

describe('a similarity', () => {
  it('is undone by its inverse, and one after the other is one', () => {
    const random = makeRandom(9)
    for (let n = 0; n < 50; n++) {
      const one = () => ({ a: 0.5 + random.uniform(), b: random.uniform() - 0.5, right: 900 * random.uniform() - 400, down: 700 * random.uniform() - 300 })
      const [first, then, x, y] = [one(), one(), 1000 * random.uniform(), 1000 * random.uniform()]
      const [bx, by] = placeIn(inverseOf(first), ...placeIn(first, x, y))
      expect(bx).toBeCloseTo(x, 6)
      expect(by).toBeCloseTo(y, 6)
      const [cx, cy] = placeIn(composed(first, then), x, y)
      const [dx, dy] = placeIn(then, ...placeIn(first, x, y))
      expect(cx).toBeCloseTo(dx, 6)
      expect(cy).toBeCloseTo(dy, 6)
    }
  })
  it('of an alignment leads where the alignment does', () => {
    const alignment = { turnDegrees: 1.7, scale: 1.02, dx: -7.5, dy: 3.25 }
    const similarity = similarityOfAlignment(alignment, 800, 500)
    for (const [x, y] of [[0, 0], [800, 0], [123, 456]] as const) {
      const [wanted, found] = [alignedPlace(alignment, 800, 500, x, y), placeIn(similarity, x, y)]
      expect(found[0]).toBeCloseTo(wanted[0], 9)
      expect(found[1]).toBeCloseTo(wanted[1], 9)
    }
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
