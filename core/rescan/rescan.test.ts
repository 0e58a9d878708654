import sharp from 'sharp'
import { beforeAll, describe, expect, it } from 'vitest'
import { tornPrint } from '@fennip/demo/pictures.js'
import { makeRandom } from '../random.js'
import { rasterSource, type IntegerRaster } from '../raster/raster.js'
import { emptyTreatment } from '../treatment/edit.js'
import { readTreatment } from '../treatment/validate.js'
import type { Flaw, Step, Treatment } from '../treatment/schema.js'
import { alignRescan, type Scan } from './align-rescan.js'
import { comparePlace, type SeenPlace } from './compare-places.js'
import { moveTreatment } from './move-treatment.js'
import { placeIn, type Similarity } from './similarity.js'

/**
 * A treatment with 500 mends carried to a new scan of the same print: turned by 0.7 degrees, 3 % larger, in other tones, with
 * grain of its own. The scan is made by the picture library (affine, bicubic), not by Fennip's own resampling.
 */

const TURN = (0.7 * Math.PI) / 180
const SCALE = 1.03
const FLAWS = 500

const scan = (raster: IntegerRaster): Scan => ({ ...rasterSource(raster), curve: { type: 'srgb' } })

async function rescanned(of: IntegerRaster, seed: number): Promise<{ raster: IntegerRaster; truth: Similarity }> {
  const [a, b] = [SCALE * Math.cos(TURN), SCALE * Math.sin(TURN)]
  const { width, height, channels } = of
  const corners = [[0, 0], [width, 0], [0, height], [width, height]].map(([x, y]) => [a * x! - b * y!, b * x! + a * y!])
  const [left, top] = [Math.min(...corners.map(([x]) => x!)), Math.min(...corners.map(([, y]) => y!))]
  const eight = Uint8Array.from(of.data, (value) => (of.data instanceof Uint16Array ? value / 257 : value))
  const { data, info } = await sharp(eight, { raw: { width, height, channels: channels as 1 | 3 } }).affine([a, -b, b, a], { background: '#777', interpolator: 'bicubic' }).raw().toBuffer({ resolveWithObject: true })
  const random = makeRandom(seed)
  // Other tones: darker in the middle, weaker contrast; and grain.
  const pixels = Uint8Array.from(data, (value) => Math.max(0, Math.min(255, 255 * (0.06 + 0.86 * Math.pow(value / 255, 1.25)) + 3 * (random.uniform() + random.uniform() - 1))))
  return { raster: { width: info.width, height: info.height, channels: info.channels, data: pixels }, truth: { a, b, right: -left, down: -top } }
}

describe('another scan of the same print', () => {
  let first: IntegerRaster
  let second: IntegerRaster
  let truth: Similarity
  let found: Similarity
  let treatment: Treatment

  beforeAll(async () => {
    const print = await tornPrint({ width: 1500, height: 1000 })
    first = print.damaged
    ;({ raster: second, truth } = await rescanned(first, 5))
    found = alignRescan(scan(first), scan(second))
    const random = makeRandom(11)
    const flaws: Flaw[] = Array.from({ length: FLAWS }, (_, i) => ({ id: `f${i}`, kind: 'speck', shape: { type: 'disc', x: 40 + random.uniform() * (first.width - 80), y: 40 + random.uniform() * (first.height - 80), r: 2 + 6 * random.uniform() }, state: 'settled', contrast: 4, weight: 30, confidence: 1, origin: 'hand' }))
    const steps: Step[] = flaws.map(({ id, shape }, i) => ({ id: `m${i}`, stage: 'mend', flaw: id, method: i % 5 === 0 ? 'fill' : 'heal', methodVersion: i % 5 === 0 ? 4 : 2, shape, softEdgePx: 2, strength: 1, seed: i, ...(i % 5 === 0 ? {} : { source: { dx: 30, dy: -10 } }), chosenBy: 'fennip', reason: 'for the test' }))
    treatment = {
      ...emptyTreatment({ sha256: 'a'.repeat(64), width: first.width, height: first.height, channels: first.channels as 1 | 3, depth: 16 }), flaws, steps,
      areas: [{ id: 'z1', name: 'sky', role: 'zone', softEdgePx: 10, parts: [{ mode: 'add', shape: { type: 'outline', points: [[10, 10], [600, 10], [600, 300]] } }, { mode: 'take', slope: { type: 'linear', from: [0, 0], to: [100, 0] } }] }],
      operations: [
        { id: 'o1', stage: 'rebuild', operation: 'draw', version: 1, settings: { name: 'drawn', softPx: 2, grain: 100, strokes: [{ points: [[100, 100], [200, 120]], widthPx: 10, opacity: 50, hardness: 50, tone: [0.2, 0.2, 0.2], pen: 'opacity' }] }, strength: 1, enabled: true },
        { id: 'o2', stage: 'finish', operation: 'turn', version: 1, settings: { degrees: 1 }, strength: 1, enabled: true },
        { id: 'o3', stage: 'finish', operation: 'crop', version: 1, settings: { x: 100, y: 50, width: 1000, height: 800 }, strength: 1, enabled: true },
      ],
      remarks: [{ id: 'r1', x: 400, y: 300, text: 'Who is this?' }],
    }
  })

  it('is aligned to within three quarters of a pixel at every corner', () => {
    for (const [x, y] of [[0, 0], [first.width, 0], [0, first.height], [first.width, first.height]] as const) {
      const [[fx, fy], [tx, ty]] = [placeIn(found, x, y), placeIn(truth, x, y)]
      expect(Math.hypot(fx - tx, fy - ty)).toBeLessThan(0.75)
    }
  })

  it('95 of 100 mends land within 2 px, and nearly none is called unfit', () => {
    const seen = new Map<string, SeenPlace>(treatment.flaws.map(({ id, shape }) => [id, comparePlace(rasterSource(first), rasterSource(second), found, shape)]))
    const { treatment: moved, unfit } = moveTreatment(treatment, { ...treatment.original, width: second.width, height: second.height, depth: 8 }, found, seen)
    let near = 0
    for (const step of moved.steps) {
      const before = treatment.steps.find(({ id }) => id === step.id)!.shape
      if (before.type !== 'disc' || step.shape.type !== 'disc') throw new Error('discs are discs')
      const [x, y] = placeIn(truth, before.x, before.y)
      if (Math.hypot(x - step.shape.x, y - step.shape.y) <= 2) near++
      expect(step.shape.r / before.r).toBeCloseTo(SCALE, 1)
    }
    expect(near / FLAWS).toBeGreaterThanOrEqual(0.95)
    expect(unfit.length + moved.steps.length).toBe(FLAWS)
    expect(unfit.length).toBeLessThanOrEqual(0.05 * FLAWS)
    // A document like any other: every mend is to be judged again.
    expect(readTreatment(JSON.parse(JSON.stringify(moved)), 'moved').flaws.every(({ state }) => state !== 'settled')).toBe(true)
  })

  it('takes zones, strokes, frame and remarks along', () => {
    const { treatment: moved } = moveTreatment(treatment, { ...treatment.original, width: second.width, height: second.height, depth: 8 }, truth, new Map())
    const close = (a: readonly number[], b: readonly number[]) => a.forEach((value, i) => expect(value).toBeCloseTo(b[i]!, 0))
    const part = moved.areas![0]!.parts[0]!
    if (!('shape' in part) || part.shape.type !== 'outline') throw new Error('an outline is an outline')
    close(part.shape.points[2]!, placeIn(truth, 600, 300))
    close(((moved.operations![0]!.settings.strokes as { points: number[][] }[])[0]!.points[1]!), placeIn(truth, 200, 120))
    expect(moved.operations![1]!.settings.degrees).toBeCloseTo(1 - 0.7, 1)
    expect(moved.operations![2]!.settings.width).toBeCloseTo(1000 * SCALE, -1)
    close([moved.remarks![0]!.x, moved.remarks![0]!.y], placeIn(truth, 400, 300))
    // Sources lie as far away as before, in the turned print.
    const { source } = moved.steps.find(({ method }) => method === 'heal')!
    expect(Math.hypot(source!.dx, source!.dy) / Math.hypot(30, -10)).toBeCloseTo(SCALE, 1)
  })

  it('lists what is not on the print: dust of the first glass, and what lies outside', () => {
    const dusty = { ...first, data: first.data.slice() }
    const most = dusty.data instanceof Uint16Array ? 65535 : 255
    // A speck that only the first scan has, in a plain place.
    for (let dy = -7; dy <= 7; dy++) for (let dx = -7; dx <= 7; dx++) if (dx * dx + dy * dy < 49) for (let c = 0; c < first.channels; c++) dusty.data[((200 + dy) * first.width + 300 + dx) * first.channels + c] = Math.round(0.1 * most)
    expect(comparePlace(rasterSource(dusty as IntegerRaster), rasterSource(second), found, { type: 'disc', x: 300.5, y: 200.5, r: 7 }).fits).toBe(false)
    expect(comparePlace(rasterSource(first), rasterSource(second), { ...found, right: found.right - 5000 }, { type: 'disc', x: 300, y: 200, r: 7 }).fits).toBe(false)
    const unfit = new Map<string, SeenPlace>([['f3', { shift: [0, 0], likeness: 0, fits: false }]])
    const moved = moveTreatment(treatment, treatment.original, found, unfit)
    expect(moved.unfit).toEqual(['f3'])
    expect(moved.treatment.steps.some(({ flaw }) => flaw === 'f3')).toBe(false)
    expect(moved.treatment.flaws.find(({ id }) => id === 'f3')!.state).toBe('open')
  })
})
