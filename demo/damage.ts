import { makeRandom, type Random } from '@fennip/core/random.js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import type { Light } from './photograph.js'
import { between, betweenLogarithmically } from './photograph.js'

/** A flaw as it was put on: the truth that finder and mends are measured against. */
export interface TrueFlaw {
  readonly kind: 'dust' | 'speck' | 'mould' | 'scratch' | 'hair' | 'fold'
  readonly x: number
  readonly y: number
  readonly r: number
  /** Along the middle of a line, half a pixel apart, and its width in pixels. */
  readonly path?: readonly (readonly [number, number])[]
  readonly width?: number
}

/** A copy of light whose planes can be changed without touching the clean one. */
export function copyLight(light: Light): Light {
  return { ...light, channels: light.channels.map((plane) => ({ ...plane, data: plane.data.slice() })) }
}

/**
 * Shadows of dust on a sensor, put on in linear light.
 *
 * Each shadow is an irregular grain blurred by the cone of light: an ellipse with wobbles up to the fifth order, a
 * core that is not in the middle, an edge whose width is set by the aperture and not by the size of the grain, and
 * now and then a fibre. Depths run from plainly visible to below what anyone could see.
 *
 * @param light    Changed in place.
 * @param options  How many, the range of radii in pixels and of depths (share of the light that is lost), the seed.
 */
export function addDust(
  light: Light,
  options: { count: number; radius: readonly [number, number]; depth: readonly [number, number]; seed: number; area?: (random: Random) => { x: number; y: number } },
): TrueFlaw[] {
  const random = makeRandom(options.seed)
  const flaws: TrueFlaw[] = []
  for (let attempt = 0; flaws.length < options.count && attempt < options.count * 50; attempt++) {
    const r = betweenLogarithmically(random, ...options.radius)
    const depth = betweenLogarithmically(random, ...options.depth)
    const place = options.area?.(random) ?? { x: random.uniform() * light.width, y: random.uniform() * light.height }
    const margin = 2.2 * r + 4
    if (place.x < margin || place.y < margin || place.x > light.width - margin || place.y > light.height - margin) continue
    if (flaws.some((flaw) => Math.hypot(flaw.x - place.x, flaw.y - place.y) < 2.4 * (flaw.r + r))) continue
    castShadow(light, place.x, place.y, r, depth, random)
    flaws.push({ kind: 'dust', ...place, r })
  }
  return flaws
}

export function castShadow(light: Light, x: number, y: number, r: number, depth: number, random: Random): void {
  const wobbles = [2, 3, 4, 5].map((order) => ({ order, size: between(random, 0, 0.2 / order), turn: between(random, 0, 2 * Math.PI) }))
  const softness = between(random, 0.22, 0.42)
  const core = { x: x + between(random, -0.2, 0.2) * r, y: y + between(random, -0.2, 0.2) * r, size: between(random, 0, 0.25) }
  const tint = light.channels.map(() => 1 + between(random, -0.04, 0.04))
  const reach = Math.ceil(2.2 * r + 2)
  for (let py = Math.max(0, Math.floor(y - reach)); py <= Math.min(light.height - 1, y + reach); py++) {
    for (let px = Math.max(0, Math.floor(x - reach)); px <= Math.min(light.width - 1, x + reach); px++) {
      const dx = px + 0.5 - x
      const dy = py + 0.5 - y
      const angle = Math.atan2(dy, dx)
      let outline = r
      for (const wobble of wobbles) outline += r * wobble.size * Math.cos(wobble.order * angle + wobble.turn)
      const edge = (Math.hypot(dx, dy) - outline) / (softness * r)
      const covered = edge <= -1 ? 1 : edge >= 1 ? 0 : 0.5 - 0.75 * edge + 0.25 * edge * edge * edge
      if (covered === 0) continue
      const heart = Math.hypot(px + 0.5 - core.x, py + 0.5 - core.y) / (0.8 * r)
      const density = (1 - core.size) + core.size * Math.exp(-heart * heart)
      for (let c = 0; c < light.channels.length; c++) {
        light.channels[c]!.data[py * light.width + px]! *= 1 - Math.min(0.97, depth * tint[c]!) * covered * density
      }
    }
  }
}

/**
 * Particles lit by a flash under water: bright soft specks, the near ones large, faint and with a halo.
 */
export function addBackscatter(light: Light, options: { count: number; radius: readonly [number, number]; seed: number }): TrueFlaw[] {
  const random = makeRandom(options.seed)
  const flaws: TrueFlaw[] = []
  for (let n = 0; n < options.count; n++) {
    const r = betweenLogarithmically(random, ...options.radius)
    const x = between(random, 2 * r + 4, light.width - 2 * r - 4)
    const y = between(random, 2 * r + 4, light.height - 2 * r - 4)
    const glow = betweenLogarithmically(random, 0.03, 0.5) / Math.sqrt(Math.max(1, r / 4))
    const halo = between(random, 0, 0.35)
    const softness = between(random, 0.25, 0.6)
    const squash = between(random, 0.75, 1)
    const turn = between(random, 0, Math.PI)
    const tint = [0.9, 1, 0.96]
    const reach = Math.ceil(3.2 * r + 2)
    for (let py = Math.max(0, Math.floor(y - reach)); py <= Math.min(light.height - 1, y + reach); py++) {
      for (let px = Math.max(0, Math.floor(x - reach)); px <= Math.min(light.width - 1, x + reach); px++) {
        const dx = px + 0.5 - x
        const dy = py + 0.5 - y
        const u = dx * Math.cos(turn) + dy * Math.sin(turn)
        const v = (dy * Math.cos(turn) - dx * Math.sin(turn)) / squash
        const distance = Math.hypot(u, v)
        const edge = (distance - r) / (softness * r)
        const disc = edge <= -1 ? 1 : edge >= 1 ? 0 : 0.5 - 0.75 * edge + 0.25 * edge * edge * edge
        const added = glow * (disc + halo * Math.exp(-(distance * distance) / (1.6 * r * r)))
        if (added < 1e-5) continue
        for (let c = 0; c < light.channels.length; c++) light.channels[c]!.data[py * light.width + px]! += added * (tint[c] ?? 1)
      }
    }
    flaws.push({ kind: 'speck', x, y, r })
  }
  return flaws
}

/** Dust and lint of a scan: small, sharp, opaque specks, light or dark. */
export function addSpecks(light: Light, options: { count: number; radius: readonly [number, number]; seed: number }): TrueFlaw[] {
  const random = makeRandom(options.seed)
  const flaws: TrueFlaw[] = []
  for (let n = 0; n < options.count; n++) {
    const r = betweenLogarithmically(random, ...options.radius)
    const x = between(random, 2 * r + 4, light.width - 2 * r - 4)
    const y = between(random, 2 * r + 4, light.height - 2 * r - 4)
    const tone = random.uniform() < 0.75 ? between(random, 0.75, 0.95) : between(random, 0.01, 0.05)
    const opacity = between(random, 0.35, 1)
    const wobbles = [2, 3, 4].map((order) => ({ order, size: between(random, 0, 0.3 / order), turn: between(random, 0, 2 * Math.PI) }))
    const reach = Math.ceil(1.8 * r + 2)
    for (let py = Math.floor(y - reach); py <= y + reach; py++) {
      for (let px = Math.floor(x - reach); px <= x + reach; px++) {
        const dx = px + 0.5 - x
        const dy = py + 0.5 - y
        const angle = Math.atan2(dy, dx)
        let outline = r
        for (const wobble of wobbles) outline += r * wobble.size * Math.cos(wobble.order * angle + wobble.turn)
        const covered = opacity * Math.max(0, Math.min(1, (outline - Math.hypot(dx, dy)) / 1.2 + 0.5))
        if (covered === 0) continue
        for (const plane of light.channels) {
          const i = py * light.width + px
          plane.data[i] = plane.data[i]! * (1 - covered) + tone * covered
        }
      }
    }
    flaws.push({ kind: 'speck', x, y, r })
  }
  return flaws
}

/** Scratches in the emulsion: thin pale lines that wander a little and fade in and out. */
export function addScratches(light: Light, options: { count: number; seed: number }): TrueFlaw[] {
  const random = makeRandom(options.seed)
  const flaws: TrueFlaw[] = []
  for (let n = 0; n < options.count; n++) {
    let x = random.uniform() * light.width
    let y = random.uniform() * light.height
    let heading = Math.PI / 2 + between(random, -0.5, 0.5)
    const length = betweenLogarithmically(random, 80, 1600)
    const half = between(random, 0.6, 1.6)
    const strength = between(random, 0.25, 0.85)
    const path: [number, number][] = []
    for (let t = 0; t < length; t += 0.5) {
      heading += between(random, -0.004, 0.004)
      x += 0.5 * Math.cos(heading)
      y += 0.5 * Math.sin(heading)
      path.push([x, y])
      const fade = strength * Math.min(1, t / 30, (length - t) / 30) * (0.75 + 0.25 * Math.sin(t / 37 + n))
      for (let py = Math.floor(y - 3); py <= y + 3; py++) {
        for (let px = Math.floor(x - 3); px <= x + 3; px++) {
          if (px < 0 || py < 0 || px >= light.width || py >= light.height) continue
          const covered = 0.35 * fade * Math.max(0, Math.min(1, half - Math.hypot(px + 0.5 - x, py + 0.5 - y) + 0.5))
          for (const plane of light.channels) plane.data[py * light.width + px]! += (0.85 - plane.data[py * light.width + px]!) * covered
        }
      }
    }
    flaws.push(lineFlaw('scratch', path, 2 * half, light))
  }
  return flaws
}

/** The truth about a line, as far as it lies in the picture. */
export function lineFlaw(kind: TrueFlaw['kind'], path: readonly (readonly [number, number])[], width: number, light: Light): TrueFlaw {
  const inside = path.filter(([x, y]) => x > 0 && y > 0 && x < light.width && y < light.height)
  const [first, last] = [inside[0] ?? path[0]!, inside.at(-1) ?? path.at(-1)!]
  return { kind, x: (first[0] + last[0]) / 2, y: (first[1] + last[1]) / 2, r: inside.length / 4, path: inside, width }
}

/** Hairs and lint: thin bent lines, dark and soft on a sensor, dark or pale and sharp on a scan. */
export function addHairs(light: Light, options: { count: number; width: readonly [number, number]; depth: readonly [number, number]; tone: 'dark' | 'both'; seed: number }): TrueFlaw[] {
  const random = makeRandom(options.seed)
  const flaws: TrueFlaw[] = []
  for (let n = 0; n < options.count; n++) {
    let x = between(random, 0.03, 0.97) * light.width
    let y = between(random, 0.03, 0.97) * light.height
    let heading = between(random, 0, 2 * Math.PI)
    let bend = between(random, -0.02, 0.02)
    const length = betweenLogarithmically(random, 50, 420)
    const half = 0.5 * between(random, ...options.width)
    const depth = betweenLogarithmically(random, ...options.depth)
    const pale = options.tone === 'both' && random.uniform() < 0.4
    const path: [number, number][] = []
    for (let t = 0; t < length; t += 0.5) {
      bend = Math.max(-0.05, Math.min(0.05, bend + between(random, -0.0015, 0.0015)))
      heading += 0.5 * bend
      x += 0.5 * Math.cos(heading)
      y += 0.5 * Math.sin(heading)
      path.push([x, y])
    }
    coverAlong(light, path, half, (value, covered) => (pale ? value + (0.85 - value) * depth * covered : value * (1 - depth * covered)))
    flaws.push(lineFlaw('hair', path, 2 * half, light))
  }
  return flaws
}

/** Change the light under a line once a pixel, by how much of the pixel it covers. */
function coverAlong(light: Light, path: readonly (readonly [number, number])[], half: number, change: (value: number, covered: number) => number): void {
  const covered = new Map<number, number>()
  const reach = Math.ceil(half + 1)
  for (const [x, y] of path) {
    for (let py = Math.floor(y) - reach; py <= y + reach; py++) {
      for (let px = Math.floor(x) - reach; px <= x + reach; px++) {
        if (px < 0 || py < 0 || px >= light.width || py >= light.height) continue
        const share = Math.max(0, Math.min(1, (half - Math.hypot(px + 0.5 - x, py + 0.5 - y)) / 0.9 + 0.5))
        const i = py * light.width + px
        if (share > (covered.get(i) ?? 0)) covered.set(i, share)
      }
    }
  }
  for (const [i, share] of covered) for (const plane of light.channels) plane.data[i] = change(plane.data[i]!, share)
}

/** Change the light within a disc, pixel by pixel. */
export function stamp(light: Light, x: number, y: number, r: number, change: (value: number) => number): void {
  for (let py = Math.max(0, Math.floor(y - r)); py <= Math.min(light.height - 1, y + r); py++) {
    for (let px = Math.max(0, Math.floor(x - r)); px <= Math.min(light.width - 1, x + r); px++) {
      if (Math.hypot(px + 0.5 - x, py + 0.5 - y) > r) continue
      for (const plane of light.channels) plane.data[py * light.width + px] = change(plane.data[py * light.width + px]!)
    }
  }
}

/** A round place that processing changed. */
export interface ProcessedPlace { readonly x: number; readonly y: number; readonly r: number }

/**
 * Moire, put on in linear light: a fine wave over round places, fading at their rims, as a screen or a weave leaves it that the
 * samples were too far apart for.
 *
 * @param light    Changed in place.
 * @param options  How many places, the range of their radii and of the wave's length in pixels, and of its strength as a share of the light.
 */
export function addMoire(light: Light, options: { count: number; radius: readonly [number, number]; length: readonly [number, number]; strength: readonly [number, number]; seed: number }): ProcessedPlace[] {
  const random = makeRandom(options.seed)
  return Array.from({ length: options.count }, () => {
    const r = betweenLogarithmically(random, ...options.radius)
    const [x, y] = [between(random, 0, light.width), between(random, 0, light.height)]
    const strength = betweenLogarithmically(random, ...options.strength)
    const [turn, frequency] = [between(random, 0, Math.PI), (2 * Math.PI) / betweenLogarithmically(random, ...options.length)]
    const [across, down] = [frequency * Math.cos(turn), frequency * Math.sin(turn)]
    for (let py = Math.max(0, Math.floor(y - r)); py < Math.min(light.height, y + r); py++) {
      for (let px = Math.max(0, Math.floor(x - r)); px < Math.min(light.width, x + r); px++) {
        const share = Math.min(1, (r - Math.hypot(px + 0.5 - x, py + 0.5 - y)) / (0.15 * r))
        if (share <= 0) continue
        for (const plane of light.channels) plane.data[py * light.width + px]! *= 1 + share * strength * Math.sin(across * px + down * py)
      }
    }
    return { x, y, r }
  })
}

/** Places are no nearer to the edge of the picture than this, in pixels: what wipes them out reaches beside them. */
const WIPED_FROM_EDGE = 30

/**
 * Places of a finished picture in which every pixel is the mean of those around it, as an earlier tool leaves them.
 *
 * @param options  How many, the range of their radii, and how far the mean reaches to each side, in pixels.
 */
export function wipeOut(raster: IntegerRaster, options: { count: number; radius: readonly [number, number]; reach: number; seed: number }): ProcessedPlace[] {
  const random = makeRandom(options.seed)
  const { width, height, channels } = raster
  const { reach } = options
  const before = raster.data.slice()
  return Array.from({ length: options.count }, () => {
    const r = between(random, ...options.radius)
    const x = between(random, WIPED_FROM_EDGE, width - WIPED_FROM_EDGE)
    const y = between(random, WIPED_FROM_EDGE, height - WIPED_FROM_EDGE)
    for (let py = Math.max(reach, Math.floor(y - r)); py <= Math.min(height - 1 - reach, y + r); py++) {
      for (let px = Math.max(reach, Math.floor(x - r)); px <= Math.min(width - 1 - reach, x + r); px++) {
        if (Math.hypot(px + 0.5 - x, py + 0.5 - y) > r) continue
        for (let c = 0; c < channels; c++) {
          let sum = 0
          for (let dy = -reach; dy <= reach; dy++) for (let dx = -reach; dx <= reach; dx++) sum += before[((py + dy) * width + px + dx) * channels + c]!
          raster.data[(py * width + px) * channels + c] = Math.round(sum / (2 * reach + 1) ** 2)
        }
      }
    }
    return { x, y, r }
  })
}
