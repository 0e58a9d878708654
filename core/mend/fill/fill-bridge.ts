import { krige, type Places } from '../../kernels/filling/kriging.js'
import { makeRandom } from '../../random.js'
import { gaussianBlur } from '../../raster/blur.js'
import { FILL, KNOWN, type FillProblem } from './fill-problem.js'
import { BLOCK, groundAt, LAGS, LARGEST_LAG, learnTexture, type Texture } from './learn-texture.js'

const CELL = 12
/** Known pixels no further than this from one to fill speak for it. */
const NEAR = 4
/** Most pixels that are asked for one cell: the cost grows with their third power. */
const MOST_WITNESSES = 180
/** Variance of a pixel's own noise as a share of the texture's: keeps the equations sound. */
const NUGGET = 0.02
/** Places tried for the grain of a cell. */
const GRAIN_TRIES = 16
const GRAIN_FILTER = 1.5

/**
 * Fill thin gaps by what the texture around them says of itself.
 *
 * The texture round a cell is taken for a stationary random field: a sloping ground and a covariance measured in the
 * known surroundings. The likeliest content of the gap, given the pixels along it, is then a weighted sum of these
 * (simple kriging); edges that cross the gap come out of the covariance, which is stretched along them. That content is
 * smoother than a photograph, so grain is added as conditional simulation does it: the fine detail of a place near by,
 * less its own bridging.
 *
 * @param problem  Changed in place: pixels with role FILL get values and become KNOWN for the cells after them.
 * @param seed     Which places lend their grain.
 * @param grain    How much of the grain is laid on, 0..1.
 *
 * Journel and Huijbregts 1978, "Mining Geostatistics" (kriging, conditional simulation); Galerne and Leclaire 2017,
 * "Texture inpainting using efficient Gaussian conditional simulation" (the same for pictures).
 */
export function bridgeGaps(problem: FillProblem, seed: number, grain: number): void {
  const { width, height, role } = problem
  const random = makeRandom(seed)
  // Filled pixels speak for later cells, but texture is learned from true ones only.
  const truth = role.slice()
  for (let blockTop = 0; blockTop < height; blockTop += BLOCK) {
    for (let blockLeft = 0; blockLeft < width; blockLeft += BLOCK) {
      let texture: Texture | null | undefined
      for (let top = blockTop; top < Math.min(height, blockTop + BLOCK); top += CELL) {
        for (let left = blockLeft; left < Math.min(width, blockLeft + BLOCK); left += CELL) {
          const gaps = gapsOf(problem, left, top)
          if (gaps.length === 0) continue
          texture ??= learnTexture(problem, truth, blockLeft, blockTop)
          bridgeCell(problem, truth, gaps, texture, random.integer(), grain)
          for (const i of gaps) role[i] = KNOWN
        }
      }
    }
  }
}

function gapsOf({ width, height, role }: FillProblem, left: number, top: number): Int32Array {
  const gaps: number[] = []
  for (let y = top; y < Math.min(height, top + CELL); y++) {
    for (let x = left; x < Math.min(width, left + CELL); x++) if (role[y * width + x] === FILL) gaps.push(y * width + x)
  }
  return Int32Array.from(gaps)
}

function placesOf(indices: Int32Array, width: number): Places {
  return { xs: indices.map((i) => i % width), ys: indices.map((i) => Math.floor(i / width)) }
}

function bridgeCell(problem: FillProblem, truth: Uint8Array, gaps: Int32Array, texture: Texture | null, seed: number, grain: number): void {
  const { width, channels } = problem
  const witnesses = witnessesOf(problem, gaps)
  if (witnesses.length === 0 || !texture) {
    layGround(problem, gaps)
    return
  }
  const lender = grain > 0 ? findLender(problem, truth, texture, gaps, witnesses, seed) : null
  const sets: Float32Array[] = []
  channels.forEach((plane, c) => {
    const ground = texture.grounds[c]!
    const residual = (i: number) => plane[i]! - groundAt(ground, i % width, Math.floor(i / width))
    sets.push(Float32Array.from(witnesses, residual))
    if (lender !== null) sets.push(Float32Array.from(witnesses, (i) => residual(i + lender)))
  })
  const asked = placesOf(gaps, width)
  const told = krige(texture.covariance, LARGEST_LAG, NUGGET, placesOf(witnesses, width), sets, asked)
  const gain = grain * fineGain(texture.covariance)
  channels.forEach((plane, c) => {
    const ground = texture.grounds[c]!
    const own = told[lender === null ? c : 2 * c]!
    const fine = lender === null ? null : highPass(asked, Float32Array.from(gaps, (i, g) => plane[i + lender]! - groundAt(ground, (i + lender) % width, Math.floor((i + lender) / width)) - told[2 * c + 1]![g]!))
    gaps.forEach((i, g) => (plane[i] = groundAt(ground, asked.xs[g]!, asked.ys[g]!) + own[g]! + (fine ? gain * fine[g]! : 0)))
  })
}

/** Nothing known is near: the mean of what there is, or mid grey in an empty picture. */
function layGround({ channels, role }: FillProblem, gaps: Int32Array): void {
  for (const plane of channels) {
    let sum = 0
    let n = 0
    for (let i = 0; i < plane.length; i++) {
      if (role[i] !== KNOWN) continue
      sum += plane[i]!
      n++
    }
    for (const i of gaps) plane[i] = n > 0 ? sum / n : 0.5
  }
}

/** Known pixels near those to fill, the nearest first when there are too many. */
function witnessesOf({ width, height, role }: FillProblem, gaps: Int32Array): Int32Array {
  const nearest = new Map<number, number>()
  for (const i of gaps) {
    const x = i % width
    const y = (i - x) / width
    for (let dy = -NEAR; dy <= NEAR; dy++) {
      for (let dx = -NEAR; dx <= NEAR; dx++) {
        const px = x + dx
        const py = y + dy
        if (px < 0 || py < 0 || px >= width || py >= height) continue
        const j = py * width + px
        if (role[j] !== KNOWN) continue
        const d = dx * dx + dy * dy
        const before = nearest.get(j)
        if (before === undefined || d < before) nearest.set(j, d)
      }
    }
  }
  const list = [...nearest].sort((a, b) => a[1] - b[1] || a[0] - b[0]).slice(0, MOST_WITNESSES)
  return Int32Array.from(list, ([i]) => i)
}

/** Offset of a place whose known pixels look most like the witnesses, all of it true; null when there is none. */
function findLender({ width, channels }: FillProblem, truth: Uint8Array, texture: Texture, gaps: Int32Array, witnesses: Int32Array, seed: number): number | null {
  const random = makeRandom(seed)
  const { area, grounds } = texture
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity]
  for (const list of [gaps, witnesses]) {
    for (const i of list) {
      const x = i % width
      const y = (i - x) / width
      left = Math.min(left, x)
      right = Math.max(right, x)
      top = Math.min(top, y)
      bottom = Math.max(bottom, y)
    }
  }
  const spanX = area.right - area.left - (right - left + 1)
  const spanY = area.bottom - area.top - (bottom - top + 1)
  if (spanX < 1 && spanY < 1) return null
  let best: number | null = null
  let least = Infinity
  for (let attempt = 0; attempt < GRAIN_TRIES; attempt++) {
    const dx = area.left + Math.floor(random.uniform() * (spanX + 1)) - left
    const dy = area.top + Math.floor(random.uniform() * (spanY + 1)) - top
    if (Math.abs(dx) + Math.abs(dy) < 3) continue
    const shift = dy * width + dx
    if (gaps.some((i) => truth[i + shift] !== KNOWN) || witnesses.some((i) => truth[i + shift] !== KNOWN)) continue
    let cost = 0
    channels.forEach((plane, c) => {
      const ground = grounds[c]!
      const slope = ground[1]! * dx + ground[2]! * dy
      for (let k = 0; k < witnesses.length; k += 2) cost += Math.abs(plane[witnesses[k]!]! - plane[witnesses[k]! + shift]! + slope)
    })
    if (cost < least) {
      least = cost
      best = shift
    }
  }
  return best
}

/** How often detail is taken through the high pass: what is left of its tone would show as a mottle. */
const PASSES = 3

/** The same passes take some of the finest detail too, more of it where neighbours are alike (measured: noise and open photographs). */
function fineGain(covariance: Float32Array): number {
  const middle = LARGEST_LAG * LAGS + LARGEST_LAG
  return 1.06 + 0.33 * Math.max(0, (covariance[middle + 1]! + covariance[middle + LAGS]!) / 2)
}

/** What of the lent detail is finer than the grain filter; outside the gap there is none. */
function highPass({ xs, ys }: Places, lent: Float32Array): Float32Array {
  const left = xs.reduce((a, b) => Math.min(a, b)) - 5
  const top = ys.reduce((a, b) => Math.min(a, b)) - 5
  const width = xs.reduce((a, b) => Math.max(a, b)) - left + 6
  const height = ys.reduce((a, b) => Math.max(a, b)) - top + 6
  const at = Int32Array.from(xs, (x, g) => (ys[g]! - top) * width + x - left)
  const fine = lent.slice()
  const data = new Float32Array(width * height)
  for (let pass = 0; pass < PASSES; pass++) {
    fine.forEach((value, g) => (data[at[g]!] = value))
    const smooth = gaussianBlur({ width, height, data }, GRAIN_FILTER).data
    for (let g = 0; g < fine.length; g++) fine[g]! -= smooth[at[g]!]!
  }
  return fine
}
