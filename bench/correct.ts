import { makeOperationStep } from '../core/pipeline/make-step.js'
import { makeRandom } from '../core/random.js'
import { differenceCiede2000 } from '../core/colour/colour-difference.js'
import { labPixels } from '../core/colour/lab.js'
import { srgbProfile } from '../core/colour/profile.js'
import { rasterLevels } from '../core/raster/pyramid.js'
import { crop, type IntegerRaster } from '../core/raster/raster.js'
import { makeTransfer } from '../core/raster/transfer.js'
import { Chain, contextOf } from '../core/pipeline/chain.js'
import { rounded } from '../core/render/samples.js'
import type { Area, OperationStep } from '../core/treatment/schema.js'
import { furtherPhotographs, openPhotographs, unseenPhotographs } from './open-photographs.js'

/**
 * Corrections of areas against known harm on open photographs: mean CIEDE2000 inside the zone before and after, with
 * proposed settings alone, and pixels changed outside. The harm is made here with the mathematics of this file; it shares no
 * code with the operations. `--unseen` takes photographs that nothing was chosen on.
 *
 *   node --import tsx bench/correct.ts [--unseen] [HARM...]
 */

const DECODE = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
const ENCODE = (v: number) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)
const linear = (byte: number) => DECODE(byte / 255)
const byteOf = (light: number) => Math.max(0, Math.min(255, Math.round(255 * ENCODE(Math.max(0, Math.min(1, light))))))

interface Harm {
  readonly operations: readonly string[]
  /** The harm as new pixels, and where it lies (1 inside). */
  /** What is harmed, where it is not the photograph as it is. */
  truth?(raster: IntegerRaster): IntegerRaster
  make(raster: IntegerRaster, seed: number): { harmed: IntegerRaster; inside: Uint8Array; zone: Area }
}

const smooth = (t: number) => { const u = Math.max(0, Math.min(1, t)); return u * u * (3 - 2 * u) }

function blob(width: number, height: number, share: number, soft: number): { zone: Area; at: (x: number, y: number) => number } {
  const [cx, cy, r] = [0.52 * width, 0.48 * height, share * Math.min(width, height)]
  // An irregular outline, told to the restorer's zone by a circle that holds it.
  const radius = (angle: number) => r * (1 + 0.08 * Math.sin(3 * angle + 1) + 0.05 * Math.sin(5 * angle))
  const at = (x: number, y: number) => {
    const [dx, dy] = [x - cx, y - cy]
    return smooth((radius(Math.atan2(dy, dx)) - Math.hypot(dx, dy)) / soft + 0.5)
  }
  return { zone: { id: 'z', name: 'Zone', role: 'zone', softEdgePx: 4, parts: [{ mode: 'add', shape: { type: 'disc', x: cx, y: cy, r: 1.16 * r + soft } }] }, at }
}

function changed(raster: IntegerRaster, zone: Area, change: (light: [number, number, number], x: number, y: number, i: number) => [number, number, number], where: (x: number, y: number) => boolean): { harmed: IntegerRaster; inside: Uint8Array; zone: Area } {
  const { width, height } = raster
  const data = new Uint8Array(raster.data as Uint8Array)
  const inside = new Uint8Array(width * height)
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      if (!where(x, y)) continue
      inside[i] = 1
      const light = change([linear(data[3 * i]!), linear(data[3 * i + 1]!), linear(data[3 * i + 2]!)], x, y, i)
      for (let c = 0; c < 3; c++) data[3 * i + c] = byteOf(light[c]!)
    }
  }
  return { harmed: { ...raster, data }, inside, zone }
}

const normal = (random: () => number) => Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random())

const HARMS: Record<string, Harm> = {
  specks: {
    operations: ['clear-specks'],
    make(raster, seed) {
      const { width, height } = raster
      const random = makeRandom(seed).uniform
      const { zone, at } = blob(width, height, 0.4, 2)
      const light = new Float32Array(width * height)
      const count = Math.round(width * height * 0.0012)
      for (let n = 0; n < count; n++) {
        const [cx, cy, r, s] = [random() * width, random() * height, 1.2 + 3.2 * random(), 0.25 + 0.6 * random()]
        if (at(cx, cy) < 1) continue
        for (let y = Math.max(0, Math.floor(cy - r - 2)); y < Math.min(height, cy + r + 2); y++) for (let x = Math.max(0, Math.floor(cx - r - 2)); x < Math.min(width, cx + r + 2); x++) light[y * width + x] = Math.max(light[y * width + x]!, s * smooth((r - Math.hypot(x - cx, y - cy)) / 1.5 + 0.5))
      }
      return changed(raster, zone, (rgb, _x, _y, i) => rgb.map((v) => v + light[i]! * (0.9 - v)) as [number, number, number], (x, y) => light[y * width + x]! > 0.02)
    },
  },
  veil: {
    operations: ['contrast'],
    make(raster) {
      const { zone, at } = blob(raster.width, raster.height, 0.3, 30)
      return changed(raster, zone, (rgb, x, y) => rgb.map((v) => v * (1 - 0.45 * at(x, y)) + 0.16 * at(x, y)) as [number, number, number], (x, y) => at(x, y) > 0.02)
    },
  },
  drop: {
    operations: ['contrast'],
    make(raster) {
      const { width } = raster
      const { zone, at } = blob(raster.width, raster.height, 0.22, 40)
      const soft = new Float32Array(raster.data.length)
      // Out of focus: the mean over a square, and less contrast the nearer the middle.
      const r = 2
      for (let y = 0; y < raster.height; y++) for (let x = 0; x < width; x++) for (let c = 0; c < 3; c++) {
        let [sum, n] = [0, 0]
        for (let dy = -r; dy <= r; dy++) for (let dx = -r; dx <= r; dx++) { const [px, py] = [x + dx, y + dy]; if (px >= 0 && py >= 0 && px < width && py < raster.height) { sum += linear(raster.data[(py * width + px) * 3 + c]!); n++ } }
        soft[(y * width + x) * 3 + c] = sum / n
      }
      return changed(raster, zone, (rgb, x, y, i) => rgb.map((v, c) => { const m = at(x, y); const s = v + 0.5 * m * (soft[3 * i + c]! - v); return s * (1 - 0.55 * m) + 0.2 * m }) as [number, number, number], (x, y) => at(x, y) > 0.02)
    },
  },
  streak: {
    operations: ['match', 'shift-colour'],
    make(raster) {
      const { width, height } = raster
      const line = (x: number, y: number) => { const d = Math.abs((x - 0.2 * width) * 0.6 - (y - 0.3 * height) * 0.8) / (0.07 * Math.min(width, height)); return smooth(1.5 - 1.5 * d) }
      const zone: Area = { id: 'z', name: 'Streak', role: 'zone', softEdgePx: 6, parts: [{ mode: 'add', shape: { type: 'stroke', width: 0.21 * Math.min(width, height), points: [[0.2 * width - 0.8 * width, 0.3 * height - 0.6 * width], [0.2 * width + 1.6 * width, 0.3 * height + 1.2 * width]] } }] }
      return changed(raster, zone, ([r, g, b], x, y) => { const m = line(x, y); return [r + 0.02 * m, g + 0.14 * m, b + 0.06 * m] }, (x, y) => line(x, y) > 0.02)
    },
  },
  haze: {
    operations: ['clear-haze'],
    make(raster) {
      const { width, height } = raster
      const zone: Area = { id: 'z', name: 'All', role: 'zone', softEdgePx: 0, parts: [{ mode: 'add', shape: { type: 'outline', points: [[0, 0], [width, 0], [width, height], [0, height]] } }] }
      // Depth grows towards the top; Koschmieder's law.
      const t = (y: number) => Math.exp(-0.35 - 0.9 * (1 - y / height))
      return changed(raster, zone, (rgb, _x, y) => rgb.map((v, c) => v * t(y) + [0.72, 0.76, 0.82][c]! * (1 - t(y))) as [number, number, number], () => true)
    },
  },
  moire: {
    operations: ['calm-moire'],
    make(raster) {
      const { zone, at } = blob(raster.width, raster.height, 0.32, 10)
      return changed(raster, zone, (rgb, x, y) => {
        const m = at(x, y)
        const beat = Math.sin(0.55 * x + 0.31 * y + 0.0006 * x * y / 10)
        return rgb.map((v, c) => v * (1 + m * (0.10 * beat + 0.16 * Math.sin(0.21 * x - 0.33 * y + (2 * Math.PI * c) / 3)))) as [number, number, number]
      }, (x, y) => at(x, y) > 0.02)
    },
  },
  patch: {
    operations: ['match'],
    make(raster) {
      const { zone, at } = blob(raster.width, raster.height, 0.25, 6)
      return changed(raster, zone, ([r, g, b], x, y) => { const m = at(x, y); return [r * (1 - 0.3 * m), g * (1 - 0.36 * m), b * (1 - 0.2 * m)] }, (x, y) => at(x, y) > 0.02)
    },
  },
  stain: {
    operations: ['lift-stain'],
    // A stain lies on a print of one colour: grey of the photograph, toned.
    truth: (raster) => {
      const data = new Uint8Array(raster.data.length)
      for (let i = 0; i < data.length; i += 3) {
        const y = 0.2126 * linear(raster.data[i]!) + 0.7152 * linear(raster.data[i + 1]!) + 0.0722 * linear(raster.data[i + 2]!)
        data[i] = byteOf(0.03 + 0.93 * y ** 0.95)
        data[i + 1] = byteOf(0.025 + 0.87 * y ** 1.02)
        data[i + 2] = byteOf(0.02 + 0.72 * y ** 1.1)
      }
      return { ...raster, data }
    },
    make(raster) {
      const { zone, at } = blob(raster.width, raster.height, 0.28, 6)
      const { width, height } = raster
      const [cx, cy, r] = [0.52 * width, 0.48 * height, 0.28 * Math.min(width, height)]
      return changed(raster, zone, ([red, g, b], x, y) => {
        const m = at(x, y)
        // Darker at the rim, as a stain that has dried.
        const depth = m * (0.35 + 0.5 * smooth((Math.hypot(x - cx, y - cy) / r - 0.7) / 0.3))
        return [red * Math.exp(-0.25 * depth), g * Math.exp(-0.7 * depth), b * Math.exp(-1.2 * depth)]
      }, (x, y) => at(x, y) > 0.02)
    },
  },
  noise: {
    operations: ['even-out'],
    make(raster, seed) {
      const random = makeRandom(seed).uniform
      const { zone, at } = blob(raster.width, raster.height, 0.35, 2)
      return changed(raster, zone, (rgb, x, y) => {
        const m = at(x, y)
        return rgb.map((v) => { const steps = Math.round(ENCODE(v) * 24) / 24; return DECODE(Math.max(0, ENCODE(v) + m * (steps - ENCODE(v)) + m * 0.035 * normal(() => random()))) }) as [number, number, number]
      }, (x, y) => at(x, y) > 0.5)
    },
  },
}

const profile = srgbProfile(false)
const unseen = process.argv.includes('--unseen')
const wanted = process.argv.slice(2).filter((word) => !word.startsWith('--'))
const all = unseen ? [...(await unseenPhotographs()), ...(await furtherPhotographs())] : await openPhotographs()
const colour = all.filter(({ raster }) => raster.channels === 3 && raster.data instanceof Uint8Array && raster.width * raster.height < 2_500_000)
const chosen = unseen ? colour.filter(({ name }) => ['china.jpg', 'flower.jpg', 'building.jpg', 'home.jpg', 'fruits.jpg', 'aloeL.jpg', 'butterfly.jpg', 'BytheWater'].includes(name)) : colour

function difference(a: IntegerRaster, b: IntegerRaster, where: Uint8Array, isIn: boolean): { mean: number; changed: number } {
  const decode = DECODE
  const [la, lb] = [a, b].map(({ data }) => labPixels(Float32Array.from(data, (v) => v / 255), 3, decode, profile.toXyz)) as [Float32Array, Float32Array]
  let [sum, n, differs] = [0, 0, 0]
  for (let i = 0; i < where.length; i++) {
    if ((where[i] === 1) !== isIn) continue
    n++
    if (a.data[3 * i] !== b.data[3 * i] || a.data[3 * i + 1] !== b.data[3 * i + 1] || a.data[3 * i + 2] !== b.data[3 * i + 2]) differs++
    sum += differenceCiede2000({ l: la[3 * i]!, a: la[3 * i + 1]!, b: la[3 * i + 2]! }, { l: lb[3 * i]!, a: lb[3 * i + 1]!, b: lb[3 * i + 2]! })
  }
  return { mean: n === 0 ? 0 : sum / n, changed: differs }
}

for (const [word, harm] of Object.entries(HARMS)) {
  if (wanted.length > 0 && !wanted.includes(word)) continue
  for (const operation of harm.operations) {
    let halved = 0
    const shares: number[] = []
    for (const [n, { name, raster: photograph }] of chosen.entries()) {
      const raster = harm.truth?.(photograph) ?? photograph
      const { harmed, zone, inside } = harm.make(raster, 40 + n)
      const base = { width: raster.width, height: raster.height, channels: 3 as const, profile }
      const levels = rasterLevels(harmed, makeTransfer(profile.curve, 8))
      const plan = { areas: [zone] }
      const began = performance.now()
      const step: OperationStep = makeOperationStep('s', operation, {}, new Chain(base, plan).survey('z', levels.read), contextOf(base), { zone: 'z', propose: true })
      const chain = new Chain(base, { ...plan, operations: [step] })
      const result = rounded(chain.read({ x: 0, y: 0, width: raster.width, height: raster.height }, 0, (region) => crop(harmed, region)), 8)
      const time = performance.now() - began
      if (process.env.SHOW) { console.log(JSON.stringify(step.settings), step.note, JSON.stringify(step.measured).slice(0, 300)); const { default: sharp } = await import('sharp'); for (const [tag, r] of [['h', harmed], ['r', result]] as const) await sharp(Buffer.from(r.data.buffer, r.data.byteOffset, r.data.byteLength), { raw: { width: r.width, height: r.height, channels: 3 } }).png().toFile(`/tmp/c-${word}-${name}-${tag}.png`) }
      const cover = chain.cover('z', { x: 0, y: 0, width: raster.width, height: raster.height }, 0, levels.read)!
      const outside = Uint8Array.from(cover, (value) => (value === 0 ? 1 : 0))
      const before = difference(raster, harmed, inside, true).mean
      const after = difference(raster, result, inside, true).mean
      const beyond = difference(harmed, result, outside, true).changed
      shares.push(after / before)
      if (after <= before / 2) halved++
      console.log(`${word} ${operation} ${name.padEnd(20)} ${before.toFixed(2)} -> ${after.toFixed(2)} (${(after / before).toFixed(2)}), outside ${beyond}, ${time.toFixed(0)} ms`)
    }
    shares.sort((a, b) => a - b)
    console.log(`== ${word} ${operation}: halved on ${halved} of ${chosen.length}, median share ${shares[shares.length >> 1]?.toFixed(2)}`)
  }
}
