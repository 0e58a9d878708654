import type { Light } from '@fennip/demo/photograph.js'

/**
 * A second maker of damage, from the optics of how flaws come into a picture. It shares no code with `demo/damage.ts`, so
 * that what is learned or tuned on one can be measured on the other. Parameters are drawn wide.
 */

export type OpticalKind = 'dust' | 'fibres' | 'drops' | 'specks' | 'specks with halo' | 'scratches' | 'flakes'
export const OPTICAL_KINDS: readonly OpticalKind[] = ['dust', 'fibres', 'drops', 'specks', 'specks with halo', 'scratches', 'flakes']

/** A flaw that was made. */
export interface MadeFlaw {
  readonly kind: OpticalKind
  readonly x: number
  readonly y: number
  /** Half of its longer side. */
  readonly r: number
  /** Middle line of what is long. */
  readonly path?: readonly (readonly [number, number])[]
  /** Pixels that it changed by more than two parts in a hundred. */
  readonly pixels: Int32Array
}

/** A generator that has nothing to do with the one of the project (Marsaglia 2003, xorshift with 32 bits). */
export class Dice {
  private state: number
  constructor(seed: number) {
    this.state = (seed * 2654435761) >>> 0 || 1
    for (let i = 0; i < 20; i++) this.next()
  }
  next(): number {
    let x = this.state
    x ^= x << 13
    x ^= x >>> 17
    x ^= x << 5
    this.state = x >>> 0
    return this.state / 4294967296
  }
  between(low: number, high: number): number {
    return low + (high - low) * this.next()
  }
  /** Each doubling as likely as another. */
  size(low: number, high: number): number {
    return low * (high / low) ** this.next()
  }
  normal(): number {
    return Math.sqrt(-2 * Math.log(1 - this.next())) * Math.cos(2 * Math.PI * this.next())
  }
}

/** A window on the picture with how much of the light a flaw takes or gives at each pixel. */
interface Cover { readonly left: number; readonly top: number; readonly width: number; readonly height: number; readonly data: Float32Array }

/** Coverage of an outline given in polar form, sampled 3 x 3 a pixel. */
function grainCover(dice: Dice, x: number, y: number, r: number, margin: number): Cover {
  // A grain that was broken off: a few straight faces, as the least of some half planes, with a rough outline.
  const faces = Array.from({ length: 4 + Math.floor(dice.next() * 5) }, () => ({ angle: dice.between(0, 2 * Math.PI), out: r * dice.between(0.55, 1.05) }))
  const rough = Array.from({ length: 5 }, (_, k) => ({ size: (0.1 / (k + 1)) * dice.next(), phase: dice.between(0, 6.28), k: k + 3 }))
  const [left, top] = [Math.floor(x - r - margin), Math.floor(y - r - margin)]
  const side = Math.ceil(2 * (r + margin)) + 2
  const data = new Float32Array(side * side)
  const isIn = (dx: number, dy: number) => {
    const angle = Math.atan2(dy, dx)
    const wobble = 1 + rough.reduce((sum, { size, phase, k }) => sum + size * Math.sin(k * angle + phase), 0)
    if (Math.hypot(dx, dy) > r * wobble) return false
    return faces.every((face) => dx * Math.cos(face.angle) + dy * Math.sin(face.angle) < face.out * wobble)
  }
  for (let row = 0; row < side; row++) for (let column = 0; column < side; column++) {
    let hits = 0
    for (let s = 0; s < 9; s++) if (isIn(left + column + ((s % 3) + 0.5) / 3 - x, top + row + (Math.floor(s / 3) + 0.5) / 3 - y)) hits++
    data[row * side + column] = hits / 9
  }
  return { left, top, width: side, height: side, data }
}

/** Mean over a disc around each pixel: what an opening of the lens does to what lies off the plane of focus. */
function seenThroughAperture(cover: Cover, radius: number): Cover {
  if (radius < 0.3) return cover
  const pad = Math.ceil(radius) + 1
  const [width, height] = [cover.width + 2 * pad, cover.height + 2 * pad]
  const data = new Float32Array(width * height)
  // Weights of the disc with soft rim, by rows.
  const weights: { dx: number; dy: number; w: number }[] = []
  let total = 0
  for (let dy = -pad; dy <= pad; dy++) for (let dx = -pad; dx <= pad; dx++) {
    const w = Math.max(0, Math.min(1, radius + 0.5 - Math.hypot(dx, dy)))
    if (w > 0) {
      weights.push({ dx, dy, w })
      total += w
    }
  }
  for (let y = 0; y < cover.height; y++) for (let x = 0; x < cover.width; x++) {
    const value = cover.data[y * cover.width + x]!
    if (value === 0) continue
    for (const { dx, dy, w } of weights) data[(y + pad + dy) * width + x + pad + dx]! += (value * w) / total
  }
  return { left: cover.left - pad, top: cover.top - pad, width, height, data }
}

/** Coverage of a line of varying width along a path. */
function lineCover(path: readonly (readonly [number, number])[], widthAt: (share: number) => number, soft: number): Cover {
  const widest = Math.max(...Array.from({ length: 21 }, (_, k) => widthAt(k / 20))) / 2 + soft + 2
  const xs = path.map(([x]) => x)
  const ys = path.map(([, y]) => y)
  const [left, top] = [Math.floor(Math.min(...xs) - widest), Math.floor(Math.min(...ys) - widest)]
  const [width, height] = [Math.ceil(Math.max(...xs) + widest) - left + 1, Math.ceil(Math.max(...ys) + widest) - top + 1]
  const data = new Float32Array(width * height)
  for (let i = 0; i < path.length - 1; i++) {
    const [ax, ay] = path[i]!
    const [bx, by] = path[i + 1]!
    const half = widthAt(i / (path.length - 1)) / 2
    const reach = half + soft + 1.5
    for (let y = Math.max(0, Math.floor(Math.min(ay, by) - reach - top)); y <= Math.min(height - 1, Math.ceil(Math.max(ay, by) + reach - top)); y++) {
      for (let x = Math.max(0, Math.floor(Math.min(ax, bx) - reach - left)); x <= Math.min(width - 1, Math.ceil(Math.max(ax, bx) + reach - left)); x++) {
        const [px, py] = [left + x + 0.5, top + y + 0.5]
        const [vx, vy] = [bx - ax, by - ay]
        const t = Math.max(0, Math.min(1, ((px - ax) * vx + (py - ay) * vy) / Math.max(1e-6, vx * vx + vy * vy)))
        const d = Math.hypot(px - ax - t * vx, py - ay - t * vy)
        const value = Math.max(0, Math.min(1, (half - d) / Math.max(0.7, soft) + 0.5)) * Math.min(1, 2 * half)
        if (value > data[y * width + x]!) data[y * width + x] = value
      }
    }
  }
  return { left, top, width, height, data }
}

/** A path that bends as it goes: its heading drifts and is drawn back. */
function wander(dice: Dice, x: number, y: number, length: number, bend: number): [number, number][] {
  const path: [number, number][] = [[x, y]]
  let heading = dice.between(0, 2 * Math.PI)
  let turn = 0
  const step = 2
  for (let s = 0; s < length; s += step) {
    turn = 0.95 * turn + bend * dice.normal() * 0.05
    heading += turn
    const [px, py] = path.at(-1)!
    path.push([px + step * Math.cos(heading), py + step * Math.sin(heading)])
  }
  return path
}

/** Lay a cover on the light. @returns The pixels that changed visibly. */
function lay(light: Light, cover: Cover, how: (value: number, share: number, channel: number, x: number, y: number) => number): Int32Array {
  const changed: number[] = []
  for (let row = 0; row < cover.height; row++) for (let column = 0; column < cover.width; column++) {
    const share = cover.data[row * cover.width + column]!
    const [x, y] = [cover.left + column, cover.top + row]
    if (share <= 0 || x < 0 || y < 0 || x >= light.width || y >= light.height) continue
    const i = y * light.width + x
    let isSeen = false
    light.channels.forEach((plane, c) => {
      const before = plane.data[i]!
      const after = Math.max(0, how(before, share, c, x, y))
      if (Math.abs(after - before) > 0.02 * Math.max(before, 0.02)) isSeen = true
      plane.data[i] = after
    })
    if (isSeen) changed.push(i)
  }
  return Int32Array.from(changed)
}

/** Way from the grains on the glass before a sensor to the sensor over the side of a pixel: about 1 to 1.8 mm and 4 to 6 micrometres (common practice). */
const GLASS_PX = [180, 420] as const

/** Sensor dust: opaque or nearly so, its shadow the grain seen through the opening of the lens. */
function dust(light: Light, dice: Dice, scale: number): Omit<MadeFlaw, 'kind'> | null {
  const aperture = [4, 5.6, 8, 11, 16, 22, 32][Math.floor(dice.next() * 7)]!
  const grain = Math.max(0.6, dice.size(1.2, 14) * scale)
  const blur = (dice.between(...GLASS_PX) * scale) / aperture / 2
  const [x, y] = [dice.between(0, light.width), dice.between(0, light.height)]
  const opaque = dice.between(0.75, 1)
  // Seldom is it neutral to the last part in a hundred.
  const tint = [1 + 0.02 * dice.normal(), 1, 1 + 0.02 * dice.normal()]
  const cover = seenThroughAperture(grainCover(dice, x, y, grain, 1), blur)
  if (Math.max(...cover.data) * opaque < 0.015) return null
  const pixels = lay(light, cover, (value, share, c) => value * (1 - Math.min(1, opaque * share * tint[c]!)))
  return { x, y, r: grain + blur, pixels }
}

/** Fibres and hairs on glass or paper: dark or light, sharp or soft. */
function fibre(light: Light, dice: Dice, scale: number): Omit<MadeFlaw, 'kind'> {
  const [x, y] = [dice.between(0, light.width), dice.between(0, light.height)]
  const path = wander(dice, x, y, Math.max(12, dice.size(25, 260) * scale), dice.between(0.3, 1.6))
  const width = Math.max(0.9, dice.size(1.2, 4.5) * scale)
  const soft = dice.between(0.5, 2)
  const isDark = dice.next() < 0.6
  const strength = dice.between(0.2, 0.95)
  const tone = isDark ? 0.015 : dice.between(0.55, 0.9)
  const phase = dice.between(0, 6)
  const pixels = lay(light, lineCover(path, (at) => width * (0.75 + 0.35 * Math.sin(9 * at + phase)) * (at < 0.05 || at > 0.95 ? 0.6 : 1), soft), (value, share) => value + strength * share * (tone - value))
  return { x, y, r: path.length, path, pixels }
}

/** A drop on a pane before the lens: the ground seen soft and turned upside down within it, a light rim on one side. */
function drop(light: Light, dice: Dice, scale: number): Omit<MadeFlaw, 'kind'> {
  const r = Math.max(4, dice.size(6, 40) * scale)
  const [x, y] = [dice.between(0, light.width), dice.between(0, light.height)]
  const cover = seenThroughAperture(grainCover(dice, x, y, r * 0.9, 1), dice.between(0.15, 0.4) * r)
  const strength = dice.between(0.25, 0.8)
  const means = light.channels.map((plane) => {
    let [sum, count] = [0, 0]
    for (let py = Math.max(0, Math.floor(y - 2 * r)); py < Math.min(light.height, y + 2 * r); py += 2) for (let px = Math.max(0, Math.floor(x - 2 * r)); px < Math.min(light.width, x + 2 * r); px += 2) {
      sum += plane.data[py * light.width + px]!
      count++
    }
    return sum / Math.max(1, count)
  })
  const from = dice.between(0, 6.28)
  const pixels = lay(light, cover, (value, share, c, px, py) => {
    const d = Math.hypot(px - x, py - y) / r
    const rim = 0.35 * Math.exp(-(((d - 0.85) / 0.14) ** 2)) * Math.max(0, Math.cos(Math.atan2(py - y, px - x) - from))
    return value + share * strength * (means[c]! * (1.1 + rim) - value)
  })
  return { x, y, r: 1.3 * r, pixels }
}

/** Dirt on a scan: a grain between glass and paper, white or black, nearly sharp. */
function speck(light: Light, dice: Dice, scale: number): Omit<MadeFlaw, 'kind'> {
  const r = Math.max(0.75, dice.size(0.8, 6) * scale)
  const [x, y] = [dice.between(0, light.width), dice.between(0, light.height)]
  const isLight = dice.next() < 0.7
  const tone = isLight ? dice.between(0.45, 1) : dice.between(0, 0.06)
  const strength = dice.between(0.35, 1)
  const cast = [1 + 0.04 * dice.normal(), 1, 1 + 0.04 * dice.normal()]
  const pixels = lay(light, seenThroughAperture(grainCover(dice, x, y, r, 1), dice.between(0.3, 0.9)), (value, share, c) => value + strength * share * (tone * cast[c]! - value))
  return { x, y, r: r + 1, pixels }
}

/** What floats before the lens and is lit: a core that hides the picture, a halo through which it is seen. */
function speckWithHalo(light: Light, dice: Dice, scale: number): Omit<MadeFlaw, 'kind'> {
  const r = Math.max(0.9, dice.size(1.2, 9) * scale)
  const [x, y] = [dice.between(0, light.width), dice.between(0, light.height)]
  const tone = dice.between(0.35, 0.95)
  const cast = [1 + 0.06 * dice.normal(), 1, 1 + 0.06 * dice.normal()]
  const blur = dice.between(0.4, 1.6) * r
  const core = seenThroughAperture(grainCover(dice, x, y, r, 1), 0.5)
  const halo = seenThroughAperture(seenThroughAperture(grainCover(dice, x, y, r * dice.between(1.1, 2), 1), blur), 0.6 * blur)
  const [coreStrength, haloStrength] = [dice.between(0.6, 1), dice.between(0.1, 0.5)]
  const haloPixels = lay(light, halo, (value, share, c) => value + haloStrength * share * (tone * cast[c]! - value))
  const corePixels = lay(light, core, (value, share, c) => value + coreStrength * share * (tone * cast[c]! - value))
  return { x, y, r: 2 * r + blur, pixels: Int32Array.from(new Set([...haloPixels, ...corePixels])) }
}

/** A groove in an emulsion lit from one side: a light flank and a dark one, coming and going along its length. */
function scratch(light: Light, dice: Dice, scale: number): Omit<MadeFlaw, 'kind'> {
  const [x, y] = [dice.between(0, light.width), dice.between(0, light.height)]
  const path = wander(dice, x, y, Math.max(20, dice.size(60, 700) * scale), dice.between(0, 0.12))
  const width = Math.max(0.8, dice.size(1, 3.6) * scale)
  const depth = dice.between(0.25, 1)
  const tone = dice.next() < 0.75 ? dice.between(0.6, 0.95) : 0.02
  const flank = dice.between(0, 0.5)
  const [a, b, c0] = [dice.between(3, 14), dice.between(0, 6), dice.between(0.1, 0.5)]
  const ink = (at: number) => Math.max(0, Math.min(1, 0.75 + c0 * Math.sin(a * at + b) + 0.25 * Math.sin(4.3 * a * at)))
  const first = lineCover(path, (at) => width * ink(at), 0.7)
  const shifted = path.map(([px, py]) => [px + width * 0.8, py + width * 0.5] as const)
  const shade = lay(light, lineCover(shifted, (at) => width * ink(at), 0.9), (value, share) => value * (1 - flank * depth * share * 0.6))
  const lit = lay(light, first, (value, share) => value + depth * share * (tone - value))
  return { x, y, r: path.length, path, pixels: Int32Array.from(new Set([...shade, ...lit])) }
}

/** A flake of emulsion that has come off: paper or clear film with its own tooth, a shadow at one edge. */
function flake(light: Light, dice: Dice, scale: number): Omit<MadeFlaw, 'kind'> {
  const r = Math.max(3, dice.size(5, 45) * scale)
  const [x, y] = [dice.between(0, light.width), dice.between(0, light.height)]
  const cover = grainCover(dice, x, y, r, 1)
  const tone = dice.next() < 0.8 ? dice.between(0.6, 0.9) : 0.01
  const cast = [1, dice.between(0.93, 1), dice.between(0.82, 1)]
  const shade = lay(light, { ...cover, left: cover.left + 1, top: cover.top + 2 }, (value, share) => value * (1 - 0.35 * share))
  const bare = lay(light, cover, (value, share, c) => value + share * (tone * cast[c]! * (1 + 0.04 * dice.normal()) - value))
  return { x, y, r, pixels: Int32Array.from(new Set([...shade, ...bare])) }
}

const MAKERS: Readonly<Record<OpticalKind, (light: Light, dice: Dice, scale: number) => Omit<MadeFlaw, 'kind'> | null>> = {
  dust, fibres: fibre, drops: drop, specks: speck, 'specks with halo': speckWithHalo, scratches: scratch, flakes: flake,
}

/**
 * Harm a scene.
 *
 * @param light  Linear light, changed in place.
 * @param scale  Size of a flaw over that in a picture of 24 megapixels brought to this size; 1 makes them as they are at full size.
 */
export function harm(light: Light, kind: OpticalKind, count: number, seed: number, scale = 1): MadeFlaw[] {
  const dice = new Dice(seed)
  const made: MadeFlaw[] = []
  for (let tries = 0; made.length < count && tries < 4 * count; tries++) {
    const flaw = MAKERS[kind](light, dice, scale)
    if (flaw && flaw.pixels.length > 0) made.push({ kind, ...flaw })
  }
  return made
}
