import { HALF_PATCH as HALF, PatchTable, type PatchGaps } from '../../kernels/filling/patches.js'
import { makeRandom, type Random } from '../../random.js'
import { gaussianBlur } from '../../raster/blur.js'
import { bridgeGaps } from './fill-bridge.js'
import { BARRED, FILL, KNOWN, type FillProblem } from './fill-problem.js'
import { maskWhere } from '../../raster/per-pixel.js'

/** Least side of the coarsest level. */
const LEAST_SIDE = 40
/** On the coarsest level a gap is at most about this thick on either side, so that its first content can be guessed. */
const COARSEST_THICKNESS = 4
/** Rounds of search and vote: on the finest level, where a round costs most, the match of the coarser one is near. */
const ROUNDS = 4
const FINEST_ROUNDS = 2
const GRAIN_FILTER = 1.5

/**
 * Fill a wide gap with patches of the surroundings, coarse to fine.
 *
 * On the coarsest level the gap is closed layer by layer from its edge, each place by the patch that goes on best from
 * what is known beside it: a smooth first guess would find smooth patches and stay smooth. Then, level by level, every
 * place looks for the patch of the surroundings that is most like what is there so far, and takes the mean of what all
 * patches over it say. The mean has lost the grain, so on the finest level the fine detail of each place's own patch is
 * laid on top.
 *
 * @param problem    Changed in place: pixels with role FILL get values; roles stay.
 * @param seed       Of the search.
 * @param thickness  Half the width of the gap where it is thickest, in pixels.
 * @param grain      How much of the fine detail is laid on, 0..1.
 *
 * Wexler, Shechtman and Irani 2007, "Space-time completion of video" (the energy, coarse to fine); Barnes and others
 * 2009, "PatchMatch" (the search); Newson and others 2014, "Video inpainting of complex scenes" (the last step).
 */
export function fillPatches(problem: FillProblem, seed: number, thickness: number, grain: number): void {
  const levels: FillProblem[] = [problem]
  for (let t = thickness; t > COARSEST_THICKNESS; t /= 2) {
    const next = halved(levels.at(-1)!)
    if (Math.min(next.width, next.height) < LEAST_SIDE) break
    levels.push(next)
  }
  const random = makeRandom(seed)
  let found: Match | null = null
  for (let n = levels.length - 1; n >= 0; n--) {
    const level = levels[n]!
    const match = matchOf(level, found, random)
    if (!match) break
    if (!found) closeInLayers(level.role, match, random)
    const table = new PatchTable(match)
    // The content that was found one level coarser, in the finer patches it points at.
    if (found) table.vote()
    for (let round = 0; round < (n === 0 && found ? FINEST_ROUNDS : ROUNDS); round++) {
      table.search(random.integer, round % 2 === 0)
      table.vote()
    }
    table.release()
    found = match
    if (n === 0 && grain > 0) layDetail(match, grain)
  }
  if (!found || found.width !== problem.width) bridgeGaps({ ...problem, role: problem.role.slice() }, seed, grain)
}

/** Half the size: means of what is known; a pixel with anything to fill is to be filled. */
function halved({ width, height, channels, role }: FillProblem): FillProblem {
  const w = width >> 1
  const h = height >> 1
  const roles = new Uint8Array(w * h)
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const i = 2 * y * width + 2 * x
      const fill = role[i] === FILL || role[i + 1] === FILL || role[i + width] === FILL || role[i + width + 1] === FILL
      const known = role[i] === KNOWN && role[i + 1] === KNOWN && role[i + width] === KNOWN && role[i + width + 1] === KNOWN
      roles[y * w + x] = fill ? FILL : known ? KNOWN : BARRED
    }
  }
  const planes = channels.map((plane) => {
    const half = new Float32Array(w * h)
    for (let y = 0; y < h; y++) {
      for (let x = 0; x < w; x++) {
        const first = 2 * y * width + 2 * x
        let sum = 0
        let count = 0
        for (let k = 0; k < 4; k++) {
          const i = first + (k & 1) + (k >> 1) * width
          if (role[i] !== KNOWN) continue
          sum += plane[i]!
          count++
        }
        half[y * w + x] = count > 0 ? sum / count : 0.5
      }
    }
    return half
  })
  return { width: w, height: h, channels: planes, role: roles }
}

/** What the search works on, and the middles of patches that are known whole. */
interface Match extends PatchGaps {
  readonly offers: Int32Array
}

/** A first match: twice the coarser one where that is a whole patch, else by chance; null when no patch is known whole. */
function matchOf({ width, height, channels, role }: FillProblem, coarser: Match | null, random: Random): Match | null {
  const index = new Int32Array(width * height).fill(-1)
  const places = new Int32Array(width * height)
  let wanting = 0
  for (let i = 0; i < role.length; i++) {
    if (role[i] !== FILL) continue
    index[i] = wanting
    places[wanting++] = i
  }
  const offered = new Uint8Array(width * height)
  const offers = new Int32Array(width * height)
  let whole = 0
  // How many pixels in a row, and then in a column, are known up to here.
  const down = new Int32Array(width)
  for (let y = 0; y < height; y++) {
    let across = 0
    for (let x = 0; x < width; x++) {
      across = role[y * width + x] === KNOWN ? across + 1 : 0
      down[x] = across >= 2 * HALF + 1 ? down[x]! + 1 : 0
      if (down[x]! >= 2 * HALF + 1) {
        const middle = (y - HALF) * width + x - HALF
        offered[middle] = 1
        offers[whole++] = middle
      }
    }
  }
  if (whole === 0) return null
  const source = places.slice(0, wanting).map((i) => {
    if (coarser) {
      const x = i % width
      const y = (i - x) / width
      const above = coarser.index[Math.min(coarser.height - 1, y >> 1) * coarser.width + Math.min(coarser.width - 1, x >> 1)]!
      if (above >= 0) {
        const from = coarser.source[above]!
        const at = (2 * Math.floor(from / coarser.width) + (y & 1)) * width + 2 * (from % coarser.width) + (x & 1)
        if (offered[at]) return at
      }
    }
    return offers[Math.floor(random.uniform() * whole)]!
  })
  return { width, height, channels, places: places.slice(0, wanting), index, source, cost: new Float32Array(wanting), offers: offers.slice(0, whole), offered }
}

/** Patches tried at random for each place of a layer. */
const LAYER_TRIES = 120

/** First content of the coarsest level: from the edge inward, each place by the patch that fits what is known round it. */
function closeInLayers(role: Uint8Array, { width, height, channels, places, index, source, offers, offered }: Match, random: Random): void {
  const known = maskWhere(role, (value) => value === KNOWN)
  const closed = new Uint8Array(places.length)
  const costOf = (place: number, candidate: number, most: number): number => {
    const px = place % width
    const py = (place - px) / width
    let sum = 0
    let count = 0
    for (let dy = Math.max(-HALF, -py); dy <= Math.min(HALF, height - 1 - py); dy++) {
      for (let dx = Math.max(-HALF, -px); dx <= Math.min(HALF, width - 1 - px); dx++) {
        const a = place + dy * width + dx
        if (!known[a]) continue
        count++
        for (const plane of channels) {
          const d = plane[a]! - plane[candidate + dy * width + dx]!
          sum += d * d
        }
      }
      if (count > 6 && sum > most * count * 3) return Infinity
    }
    return count === 0 ? Infinity : sum / count
  }
  for (let left = places.length; left > 0; ) {
    const layer: number[] = []
    for (let k = 0; k < places.length; k++) {
      const place = places[k]!
      const px = place % width
      const beside = (px > 0 && known[place - 1]) || (px + 1 < width && known[place + 1]) || known[place - width] || known[place + width]
      if (!closed[k] && beside) layer.push(k)
    }
    // A gap without any edge, such as one that fills the whole picture, keeps its places by chance.
    if (layer.length === 0) break
    for (const k of layer) {
      const place = places[k]!
      let best = source[k]!
      let least = costOf(place, best, Infinity)
      const consider = (candidate: number) => {
        if (!offered[candidate]) return
        const d = costOf(place, candidate, least)
        if (d < least) {
          least = d
          best = candidate
        }
      }
      for (const by of [-1, 1, -width, width]) {
        const neighbour = index[place + by]
        if (neighbour !== undefined && neighbour >= 0 && closed[neighbour]) consider(source[neighbour]! - by)
      }
      for (let attempt = 0; attempt < LAYER_TRIES; attempt++) consider(offers[Math.floor(random.uniform() * offers.length)]!)
      source[k] = best
      for (const plane of channels) plane[place] = plane[best]!
      closed[k] = 1
    }
    for (const k of layer) known[places[k]!] = 1
    left -= layer.length
  }
}

/** Fine detail of each place's own patch over the mean of all: what the mean has lost. */
function layDetail({ width, height, channels, places, source }: Match, grain: number): void {
  for (const plane of channels) {
    const lost = new Float32Array(width * height)
    for (let k = 0; k < places.length; k++) lost[places[k]!] = plane[source[k]!]! - plane[places[k]!]!
    const smooth = gaussianBlur({ width, height, data: lost }, GRAIN_FILTER).data
    for (const i of places) plane[i]! += grain * (lost[i]! - smooth[i]!)
  }
}
