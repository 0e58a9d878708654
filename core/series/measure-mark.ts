import { PI, cos, exp, sin } from '../numbers/exact-math.js'
import { makeOctaves } from '../find/discs/candidates.js'
import { fitDisc, type FittedDisc } from '../find/discs/fit-disc.js'
import { logLight } from '../raster/log-light.js'
import { clipRegion, type PixelSource, type Plane } from '../raster/raster.js'
import { DEVIATION_PER_MAD, median } from '../numbers/statistics.js'
import type { Transfer } from '../raster/transfer.js'
import type { Disc } from '../shape/shape.js'

/** What a frame shows where a mark is expected. */
export interface MarkMeasure {
  readonly x: number
  readonly y: number
  readonly r: number
  /** -ln of the share of light that comes through in the middle; below 0 where it is lighter. */
  readonly depth: number
  /** Deviation of the depth: what the same question finds around, where no mark lies. */
  readonly deviation: number
  /** Depth over what noise of a pixel alone would let it be: the mark as a matched filter sees it. */
  readonly weight: number
  /** Mean difference over the deviation of a pixel. */
  readonly contrast: number
  /** How restless the surroundings are: the root of the deviation over what noise alone would make it, 1 in a plain sky. */
  readonly unrest: number
}

/** Where to look: the expected place and radius, and how far it may lie off. */
export interface ExpectedMark extends Disc {
  readonly slack: number
}

/** Octaves are halved until a radius is at most this. */
const WORKING_RADIUS = 7
const SOFTNESS = 0.35
const DIRECTIONS = 12
/** So far out, in radii, the same question is asked. */
const AROUND = [2.7, 3.7]
/** A shadow that is so many times as deep as what lies around says itself where it lies and how wide it is. */
const SPEAKS = 6
/** Steps from the expected place to the end of the slack. */
const STEPS = 3
/** Share of the slack by which marks usually lie off: the rest is for the few that do not. */
const USUALLY_OFF = 0.2

/**
 * Measure the shadow of a mark that is known to be on the sensor: how deep it is, not whether it is one.
 *
 * @returns Null when too little of it lies in the picture.
 */
export function measureMark(picture: PixelSource, transfer: Transfer, expected: ExpectedMark): MarkMeasure | null {
  if (expected.x < 0 || expected.y < 0 || expected.x >= picture.width || expected.y >= picture.height) return null
  const reach = Math.ceil(6.2 * expected.r + expected.slack + 12)
  const region = clipRegion({ x: Math.floor(expected.x) - reach, y: Math.floor(expected.y) - reach, width: 2 * reach, height: 2 * reach }, picture.width, picture.height)
  const octaves = makeOctaves(logLight(picture.read(region), transfer), 2 * expected.r)
  let octave = 0
  while (octave + 1 < octaves.planes.length && expected.r / 2 ** octave > WORKING_RADIUS) octave++
  const plane = octaves.planes[octave]!
  const scale = 2 ** octave
  const r = expected.r / scale
  const at = (x: number, y: number, radius: number, of: Plane = plane) => ask(of, (x - region.x) / scale, (y - region.y) / scale, radius)

  const asked = at(expected.x, expected.y, r)
  if (!asked) return null
  const noise = noiseOf(plane)
  const byNoise = (answer: Answer) => noise / answer.norm
  /** What the same question finds around a place, where no mark lies; the mark itself, which reaches there, is taken away before. */
  const around = (place: Disc, answer: Answer): number => {
    const bare = withoutMark(plane, (place.x - region.x) / scale, (place.y - region.y) / scale, place.r / scale, answer.depth)
    const others: number[] = []
    for (const out of AROUND) {
      for (let k = 0; k < DIRECTIONS; k++) {
        const angle = (2 * PI * k) / DIRECTIONS
        const other = at(place.x + out * place.r * cos(angle), place.y + out * place.r * sin(angle), place.r / scale, bare)
        if (other) others.push(Math.abs(other.depth))
      }
    }
    return Math.max(byNoise(answer), others.length >= 6 ? DEVIATION_PER_MAD * median(Float32Array.from(others)) : 0)
  }

  // Where the mark is clear it says itself where it lies; in texture, where anything looks like one, the expected place has the say.
  const doubt = around({ type: 'disc', x: expected.x, y: expected.y, r: expected.r }, asked)
  const usual = Math.max(1e-6, USUALLY_OFF * expected.slack)
  let place: Disc = { type: 'disc', x: expected.x, y: expected.y, r: expected.r }
  let answer = asked
  let best = -Infinity
  for (let j = -STEPS; j <= STEPS; j++) {
    for (let i = -STEPS; i <= STEPS; i++) {
      const [dx, dy] = [(i * expected.slack) / STEPS, (j * expected.slack) / STEPS]
      const here = at(expected.x + dx, expected.y + dy, r)
      if (!here) continue
      const clear = here.depth / doubt
      const merit = clear * Math.abs(clear) - (dx * dx + dy * dy) / (usual * usual)
      if (merit <= best) continue
      best = merit
      answer = here
      place = { type: 'disc', x: expected.x + dx, y: expected.y + dy, r: expected.r }
    }
  }
  if (answer.depth > SPEAKS * doubt) {
    const fit = fitDisc(octaves, { x: place.x - region.x, y: place.y - region.y, radius: expected.r, response: -1 })
    if (fit && isNear(fit, place, expected, region)) {
      place = { type: 'disc', x: fit.x + region.x, y: fit.y + region.y, r: fit.radius }
      answer = at(place.x, place.y, place.r / scale) ?? answer
    }
  }
  const deviation = around(place, answer)
  return {
    x: place.x, y: place.y, r: place.r, depth: answer.depth, deviation, weight: Math.max(0, answer.depth / byNoise(answer)),
    contrast: -(0.7 * answer.depth) / (noise * scale), unrest: Math.sqrt(deviation / byNoise(answer)),
  }
}

/** Share of light lost in the middle. */
export const lostOf = (depth: number) => 1 - exp(-Math.max(0, depth))

function isNear(fit: FittedDisc, found: { x: number; y: number }, expected: ExpectedMark, region: { x: number; y: number }): boolean {
  const off = Math.sqrt((fit.x + region.x - found.x) ** 2 + (fit.y + region.y - found.y) ** 2)
  return off < expected.slack + 0.1 * expected.r && fit.radius > 0.6 * expected.r && fit.radius < 1.7 * expected.r
}

interface Answer {
  readonly depth: number
  /** Root of the sum of squares of the profile less its mean. */
  readonly norm: number
}

/** How deep a soft disc of a radius lies here: least squares on a level ground; null where too much is outside. */
function ask(plane: Plane, cx: number, cy: number, r: number): Answer | null {
  const reach = Math.ceil(2.1 * r + 1)
  const left = Math.floor(cx) - reach
  const top = Math.floor(cy) - reach
  let n = 0
  let sum = 0
  let squares = 0
  let values = 0
  let product = 0
  const all = (2 * reach + 1) ** 2
  for (let y = Math.max(0, top); y <= Math.min(plane.height - 1, top + 2 * reach); y++) {
    for (let x = Math.max(0, left); x <= Math.min(plane.width - 1, left + 2 * reach); x++) {
      const dx = x + 0.5 - cx
      const dy = y + 0.5 - cy
      const distance = Math.sqrt(dx * dx + dy * dy)
      if (distance > reach) continue
      const profile = softDisc(distance, r)
      const value = plane.data[y * plane.width + x]!
      n++
      sum += profile
      squares += profile * profile
      values += value
      product += profile * value
    }
  }
  if (n < 0.5 * all) return null
  const spread = squares - (sum * sum) / n
  return { depth: -(product - (sum * values) / n) / spread, norm: Math.sqrt(spread) }
}

/** Share of its depth that a soft disc has at a distance from its middle. */
function softDisc(distance: number, r: number): number {
  const u = (distance - r) / (SOFTNESS * r)
  return 0.5 - (0.5 * u) / Math.sqrt(1 + u * u)
}

/** The plane as it would be without a soft disc of a depth. */
function withoutMark({ width, height, data }: Plane, cx: number, cy: number, r: number, depth: number): Plane {
  const bare = data.slice()
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) bare[y * width + x]! += depth * softDisc(Math.sqrt((x + 0.5 - cx) ** 2 + (y + 0.5 - cy) ** 2), r)
  }
  return { width, height, data: bare }
}

/** Deviation of a pixel of the plane, from neighbours. */
function noiseOf(plane: Plane): number {
  const differences = new Float32Array(plane.width * plane.height)
  let n = 0
  for (let y = 0; y < plane.height; y++) for (let x = 0; x + 1 < plane.width; x++) differences[n++] = Math.abs(plane.data[y * plane.width + x]! - plane.data[y * plane.width + x + 1]!)
  return Math.max(1e-5, (DEVIATION_PER_MAD * median(differences, n)) / Math.sqrt(2))
}
