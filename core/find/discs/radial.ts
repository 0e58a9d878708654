import { PlaneWorkshop } from '../../kernels/finding/planes.js'
import { PI, cos, ln, sin } from '../../numbers/exact-math.js'
import type { Plane } from '../../raster/raster.js'
import { selectSmallest } from '../../numbers/statistics.js'
import { strongestOnly, type Candidate, type Octaves } from './candidates.js'

/** Directions in which a place is compared with what lies further out. */
const DIRECTIONS = 12

/** Radii that are tried in every octave from the second on, in pixels of the octave. */
const RADII = [3, 4.2]

/** Mean difference over the spread among directions, below which a place is no disc. */
const LEAST_EVENNESS = 1.15

/**
 * Weights of a first judgement (logarithms of evenness, response, unrest, radius; constant), fitted by logistic
 * regression with bench/learn/calibrate.ts; it spares four in five the full fit and loses few real shadows.
 */
const FIRST_JUDGEMENT = [0.392, 7.799, -8.935, 2.334, -27.797] as const
const LEAST_JUDGEMENT = -8.5

/** Mean difference in deviations that noise alone would give it. */
const LEAST_RESPONSE = 4.5

/**
 * Places that are darker than what lies around them in every direction.
 *
 * For each pixel the radial differences of a disc's inside and outside are taken in twelve directions; their mean must
 * stand above their spread. A bank of cloud, an edge or a cable gives large differences in some directions and none in
 * others, so it drops out although it is far stronger than a faint shadow: this is what a plain scale space extremum
 * cannot tell.
 *
 * @param octaves  From `makeOctaves`, on log light.
 * @param sign     -1 for dark, 1 for bright.
 * @returns Candidates, strongest first, none within another's radius.
 */
export function findRadial(octaves: Octaves, sign: -1 | 1): Candidate[] {
  const found: Candidate[] = []
  for (let octave = 1; octave < octaves.planes.length; octave++) {
    const plane = octaves.planes[octave]!
    if (plane.width < 24 || plane.height < 24) break
    const wide = mirroredBeyond(plane, MARGIN)
    const workshop = new PlaneWorkshop(wide.width, wide.height, 5)
    workshop.plane(0).data.set(wide.data)
    workshop.blur(workshop.plane(0), workshop.plane(1))
    for (const radius of RADII) collect(workshop, wide, radius, octave, sign, found)
  }
  return strongestOnly(found)
}

/** Rings of the largest discs at the very edge still lie within: what is near an edge is held against its mirror image beyond. */
const MARGIN = outerOf(Math.max(...RADII)) + 2

function outerOf(radius: number): number {
  return Math.round(1.55 * radius)
}

function mirroredBeyond({ width, height, data }: Plane, margin: number): Plane {
  const [w, h] = [width + 2 * margin, height + 2 * margin]
  const wide = new Float32Array(w * h)
  const inside = (i: number, size: number) => (i < 0 ? -1 - i : i >= size ? 2 * size - 1 - i : i)
  for (let y = 0; y < h; y++) {
    const row = inside(y - margin, height) * width
    wide.set(data.subarray(row, row + width), y * w + margin)
    for (let x = 0; x < margin; x++) {
      wide[y * w + x] = data[row + inside(x - margin, width)]!
      wide[y * w + margin + width + x] = data[row + inside(width + x, width)]!
    }
  }
  return { width: w, height: h, data: wide }
}

function collect(workshop: PlaneWorkshop, { width, height }: Plane, radius: number, octave: number, sign: -1 | 1, found: Candidate[]): void {
  const outer = outerOf(radius)
  const innerOffsets = new Int32Array(DIRECTIONS)
  const outerOffsets = new Int32Array(DIRECTIONS)
  for (let k = 0; k < DIRECTIONS; k++) {
    const angle = (2 * PI * k) / DIRECTIONS
    innerOffsets[k] = Math.round(0.45 * radius * sin(angle)) * width + Math.round(0.45 * radius * cos(angle))
    outerOffsets[k] = Math.round(1.55 * radius * sin(angle)) * width + Math.round(1.55 * radius * cos(angle))
  }
  const [smooth, scores, spreads] = [workshop.plane(1), workshop.plane(2), workshop.plane(3)]
  scores.data.fill(0)
  workshop.radialStatistics(smooth, outer, innerOffsets, outerOffsets, sign, scores, spreads)
  const score = scores.data
  const spread = spreads.data
  const quiet = quietSpread(spread, width, height, outer)
  const noise = Math.sqrt(quiet) + 1e-6
  const meanNoise = noise / Math.sqrt(DIRECTIONS)
  const least = LEAST_RESPONSE * meanNoise
  const scale = 2 ** octave
  for (const i of workshop.evenMaxima(scores, spreads, outer + 1, least, LEAST_EVENNESS, workshop.plane(4))) {
    const [column, row] = [(i % width) - MARGIN, Math.floor(i / width) - MARGIN]
    if (column < 0 || row < 0 || column >= width - 2 * MARGIN || row >= height - 2 * MARGIN) continue
    const mean = score[i]!
    const local = Math.sqrt(Math.max(spread[i]!, quiet))
    const evenness = mean / local
    // Texture throws up round dark places by chance; there the evidence has to be better.
    if (evenness < LEAST_EVENNESS + Math.min(1, 0.16 * (local / noise - 2))) continue
    const response = (mean * radius) / noise
    const [a, b, c, d, e] = FIRST_JUDGEMENT
    if (a * ln(evenness) + b * ln(response) + c * ln(local / noise) + d * ln(radius * scale) + e < LEAST_JUDGEMENT) continue
    found.push({
      x: (column + 0.5) * scale,
      y: (row + 0.5) * scale,
      radius: radius * scale,
      response: sign * response,
      evenness,
      unrest: local / noise,
      // Told by evenness here, not by what lies around.
      standing: 1,
      crowd: 0,
    })
  }
}

/** Spread among directions in the quiet tenth of the plane: what noise alone gives. */
function quietSpread(spread: Float32Array, width: number, height: number, border: number): number {
  const step = Math.max(3, Math.floor(Math.sqrt((width * height) / 8000)))
  const samples = new Float32Array(Math.ceil((width - 2 * border) / step) * Math.ceil((height - 2 * border) / step))
  let n = 0
  for (let y = border; y < height - border; y += step) {
    for (let x = border; x < width - border; x += step) samples[n++] = spread[y * width + x]!
  }
  return n === 0 ? 0 : selectSmallest(samples, n, Math.floor(n / 10))
}
