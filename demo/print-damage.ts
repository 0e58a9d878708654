import { makeRandom, type Random } from '@fennip/core/random.js'
import { lineFlaw, stamp, type TrueFlaw } from './damage.js'
import { between, betweenLogarithmically, type Light } from './photograph.js'

/** Tears: the paper parted along a ragged line, its white core bare over a good many pixels. */

export function addTears(light: Light, options: { count: number; width: number; seed: number} ): void {
  const random = makeRandom(options.seed)
  for (let n = 0; n < options.count; n++) {
    const fromLeft = random.uniform() < 0.5
    let x = fromLeft ? 0 : between(random, 0.15, 0.85) * light.width
    let y = fromLeft ? between(random, 0.15, 0.85) * light.height : 0
    let heading = (fromLeft ? 0 : Math.PI / 2) + between(random, -0.3, 0.3)
    const length = between(random, 0.4, 0.7) * Math.min(light.width, light.height)
    for (let t = 0; t < length; t += 0.5) {
      heading += between(random, -0.06, 0.06)
      x += 0.5 * Math.cos(heading)
      y += 0.5 * Math.sin(heading)
      const half = (options.width / 2) * Math.min(1, (length - t) / 60) * between(random, 0.85, 1.1)
      stamp(light, x, y, half, (value) => value + (between(random, 0.8, 0.9) - value))
    }
  }
}

/** Losses: pieces of the picture's layer broken off along ragged lines, paper bare; the first one is a corner. */

export function addLosses(light: Light, options: { count: number; radius: readonly [number, number]; seed: number} ): void {
  const random = makeRandom(options.seed)
  for (let n = 0; n < options.count; n++) {
    const r = betweenLogarithmically(random, ...options.radius)
    const corner = n === 0
    const x = corner ? (random.uniform() < 0.5 ? 0 : light.width) : between(random, 0.05, 0.95) * light.width
    const y = corner ? (random.uniform() < 0.5 ? 0 : light.height) : between(random, 0.05, 0.95) * light.height
    const wander = wandering(random, 9, 0.32)
    // Numbers drawn at every step make the outline ragged.
    const teeth = Array.from({ length: 360 }, () => between(random, 0.94, 1.04))
    const paper = between(random, 0.78, 0.9)
    for (let py = Math.max(0, Math.floor(y - 2 * r)); py < Math.min(light.height, y + 2 * r); py++) {
      for (let px = Math.max(0, Math.floor(x - 2 * r)); px < Math.min(light.width, x + 2 * r); px++) {
        const angle = Math.atan2(py + 0.5 - y, px + 0.5 - x)
        const reach = r * teeth[Math.floor(((angle + Math.PI) / (2 * Math.PI)) * 359.9)]! * wander(angle)
        if (Math.hypot(px + 0.5 - x, py + 0.5 - y) > reach) continue
        const value = paper * between(random, 0.97, 1.03)
        for (const plane of light.channels) plane.data[py * light.width + px] = value
      }
    }
  }
}

/**
 * Stains of a print, put on in linear light: dried water with a tide line, thin inside, and foxing, small rust-brown spots
 * with soft edges. They take most of the blue and least of the red (common practice), each in its own measure.
 *
 * @param light  Of three channels; changed in place.
 */

export function addStains(light: Light, options: { water: number; foxing: number; radius: readonly [number, number]; depth: readonly [number, number]; seed: number} ): void {
  const random = makeRandom(options.seed)
  const short = Math.min(light.width, light.height)
  for (let n = 0; n < options.water + options.foxing; n++) {
    const water = n < options.water
    const r = water ? between(random, 0.08, 0.18) * short : betweenLogarithmically(random, ...options.radius)
    const depth = betweenLogarithmically(random, ...options.depth)
    const [x, y] = [random.uniform() * light.width, random.uniform() * light.height]
    const wander = wandering(random, 7, water ? 0.25 : 0.14)
    const soft = water ? between(random, 1.5, 4) : between(random, 0.25, 0.6) * r
    const rim = between(random, 0.05, 0.12) * r
    const inner = between(random, 0.25, 0.5)
    const tint = [between(random, 0.1, 0.45), between(random, 0.5, 0.75), 1]
    for (let py = Math.max(0, Math.floor(y - 2 * r)); py < Math.min(light.height, y + 2 * r); py++) {
      for (let px = Math.max(0, Math.floor(x - 2 * r)); px < Math.min(light.width, x + 2 * r); px++) {
        const angle = Math.atan2(py + 0.5 - y, px + 0.5 - x)
        const outside = Math.hypot(px + 0.5 - x, py + 0.5 - y) - r * wander(angle)
        const share = 1 / (1 + Math.exp((4 * outside) / soft))
        if (share < 0.002) continue
        const strength = share * depth * (water ? inner + (1 - inner) * Math.exp(-((outside / rim) ** 2)) : 1)
        light.channels.forEach((plane, c) => (plane.data[py * light.width + px]! *= Math.exp(-strength * tint[c]!)))
      }
    }
  }
}

/**
 * Mould on a print, put on in linear light: colonies of dark spots close together, each densest in its middle, with a ragged rim
 * of threads (common practice). It is grey to olive: hardly anything tells it by its colour.
 *
 * @param light    Changed in place.
 * @param options  How many colonies and about how many spots in each, the range of radii in pixels and of depths (as -ln of the
 *                 light that is left in the middle), the seed.
 */

export function addMould(light: Light, options: { colonies: number; spots: number; radius: readonly [number, number]; depth: readonly [number, number]; seed: number} ): TrueFlaw[] {
  const random = makeRandom(options.seed)
  const flaws: TrueFlaw[] = []
  for (let colony = 0; colony < options.colonies; colony++) {
    const [middleX, middleY] = [random.uniform() * light.width, random.uniform() * light.height]
    const spread = between(random, 6, 16) * Math.sqrt(options.radius[0] * options.radius[1])
    const tint = light.channels.map(() => between(random, 0.88, 1))
    for (let left = Math.round(options.spots * between(random, 0.5, 1.5)); left > 0; left--) {
      const r = betweenLogarithmically(random, ...options.radius)
      const depth = betweenLogarithmically(random, ...options.depth)
      const [away, direction] = [spread * Math.sqrt(random.uniform()), between(random, 0, 2 * Math.PI)]
      const [x, y] = [middleX + away * Math.cos(direction), middleY + away * Math.sin(direction)]
      const margin = 2 * r + 4
      if (x < margin || y < margin || x > light.width - margin || y > light.height - margin) continue
      if (flaws.some((flaw) => Math.hypot(flaw.x - x, flaw.y - y) < 1.3 * (flaw.r + r))) continue
      growSpot(light, { x, y, r }, depth, tint, random)
      flaws.push({ kind: 'mould', x, y, r })
    }
  }
  return flaws
}

function growSpot(light: Light, { x, y, r }: { readonly x: number; readonly y: number; readonly r: number} , depth: number, tint: readonly number[], random: Random): void {
  const wander = wandering(random, 14, 0.3)
  const soft = between(random, 0.3, 0.9) * r
  const reach = Math.ceil(2 * r + 2)
  for (let py = Math.floor(y - reach); py <= y + reach; py++) {
    for (let px = Math.floor(x - reach); px <= x + reach; px++) {
      if (px < 0 || py < 0 || px >= light.width || py >= light.height) continue
      const distance = Math.hypot(px + 0.5 - x, py + 0.5 - y)
      const outside = distance - r * wander(Math.atan2(py + 0.5 - y, px + 0.5 - x))
      const share = 1 / (1 + Math.exp((4 * outside) / soft))
      if (share < 0.002) continue
      const strength = depth * share * (0.6 + 0.4 * Math.exp(-((distance / (0.7 * r)) ** 2)))
      light.channels.forEach((plane, c) => (plane.data[py * light.width + px]! *= Math.exp(-strength * tint[c]!)))
    }
  }
}

/** Waves round a middle make an outline wander: its distance over the mean one, by the angle. */
function wandering(random: Random, count: number, size: number): (angle: number) => number {
  const waves = Array.from({ length: count }, (_value, k) => ({ size: between(random, 0, size) / Math.sqrt(k + 1), phase: between(random, 0, 2 * Math.PI) }))
  return (angle) => 1 + waves.reduce((sum, wave, k) => sum + wave.size * Math.sin((k + 1) * angle + wave.phase), 0)
}

/** Folds: a crease pressed flat again, its emulsion gone along a nearly straight line and thinned beside it. */

export function addFolds(light: Light, options: { count: number; width: number; seed: number} ): TrueFlaw[] {
  const random = makeRandom(options.seed)
  const flaws: TrueFlaw[] = []
  for (let n = 0; n < options.count; n++) {
    const across = random.uniform() < 0.5
    const start = across ? { x: 0, y: between(random, 0.15, 0.85) * light.height } : { x: between(random, 0.15, 0.85) * light.width, y: 0 }
    const heading = (across ? 0 : Math.PI / 2) + between(random, -0.15, 0.15)
    const wave = between(random, 40, 90)
    const path: [number, number][] = []
    for (let t = 0; t < light.width + light.height; t += 0.5) {
      const off = 1.2 * Math.sin(t / wave)
      const x = start.x + t * Math.cos(heading) - off * Math.sin(heading)
      const y = start.y + t * Math.sin(heading) + off * Math.cos(heading)
      if (x < 0 || y < 0 || x > light.width || y > light.height) break
      path.push([x, y])
      stamp(light, x, y, (options.width / 2) * (0.8 + 0.3 * Math.sin(t / 17 + n)), (value) => 0.35 * value + 0.65 * 0.8)
    }
    flaws.push(lineFlaw('fold', path, options.width, light))
  }
  return flaws
}
