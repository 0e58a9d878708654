import { makeRandom, type Random } from '../random.js'
import { gaussianBlur } from '../raster/blur.js'
import { BARRED, bridgeGaps, FILL, KNOWN, type FillProblem } from './fill-bridge.js'

/** Half the side of a patch. */
const HALF = 3
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
    // The content that was found one level coarser, in the finer patches it points at.
    if (found) vote(level, match)
    else closeInLayers(level, match, random)
    for (let round = 0; round < (n === 0 && found ? FINEST_ROUNDS : ROUNDS); round++) {
      search(level, match, random, round)
      vote(level, match)
    }
    found = match
    if (n === 0 && grain > 0) layDetail(level, match, grain)
  }
  if (!found || found.width !== problem.width) bridgeGaps({ ...problem, role: problem.role.slice() }, seed, grain)
}

/** Half the size: means of what is known; a pixel with anything to fill is to be filled. */
function halved({ width, height, channels, role }: FillProblem): FillProblem {
  const w = width >> 1
  const h = height >> 1
  const roles = new Uint8Array(w * h)
  const planes = channels.map(() => new Float32Array(w * h))
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const first = 2 * y * width + 2 * x
      const four = [first, first + 1, first + width, first + width + 1]
      const known = four.filter((i) => role[i] === KNOWN)
      const at = y * w + x
      roles[at] = four.some((i) => role[i] === FILL) ? FILL : known.length === 4 ? KNOWN : BARRED
      channels.forEach((plane, c) => {
        let sum = 0
        for (const i of known) sum += plane[i]!
        planes[c]![at] = known.length > 0 ? sum / known.length : 0.5
      })
    }
  }
  return { width: w, height: h, channels: planes, role: roles }
}

/** For every place to fill, the middle of the patch it takes. */
interface Match {
  readonly width: number
  readonly height: number
  /** Places to fill, row by row. */
  readonly places: Int32Array
  /** Index into places by pixel, -1 elsewhere. */
  readonly index: Int32Array
  readonly source: Int32Array
  readonly cost: Float32Array
  /** Middles of patches that are known whole, and 1 where a pixel is one. */
  readonly offers: Int32Array
  readonly offered: Uint8Array
}

/** A first match: twice the coarser one where that is a whole patch, else by chance; null when no patch is known whole. */
function matchOf({ width, height, role }: FillProblem, coarser: Match | null, random: Random): Match | null {
  const places: number[] = []
  const index = new Int32Array(width * height).fill(-1)
  for (let i = 0; i < role.length; i++) {
    if (role[i] !== FILL) continue
    index[i] = places.length
    places.push(i)
  }
  const offered = new Uint8Array(width * height)
  const offers: number[] = []
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
        offers.push(middle)
      }
    }
  }
  if (offers.length === 0) return null
  const source = Int32Array.from(places, (i) => {
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
    return offers[Math.floor(random.uniform() * offers.length)]!
  })
  return { width, height, places: Int32Array.from(places), index, source, cost: new Float32Array(places.length), offers: Int32Array.from(offers), offered }
}

/** Patches tried at random for each place of a layer. */
const LAYER_TRIES = 120

/** First content of the coarsest level: from the edge inward, each place by the patch that fits what is known round it. */
function closeInLayers({ width, height, channels, role }: FillProblem, { places, index, source, offers, offered }: Match, random: Random): void {
  const known = Uint8Array.from(role, (value) => (value === KNOWN ? 1 : 0))
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

/** Mean square difference of two patches; given up when it grows past `most`. */
function patchCost({ width, height, channels }: FillProblem, place: number, source: number, most: number): number {
  const x = place % width
  const y = (place - x) / width
  const left = Math.max(-HALF, -x)
  const right = Math.min(HALF, width - 1 - x)
  const top = Math.max(-HALF, -y)
  const bottom = Math.min(HALF, height - 1 - y)
  const count = (right - left + 1) * (bottom - top + 1) * channels.length
  const limit = most * count
  let sum = 0
  for (let dy = top; dy <= bottom; dy++) {
    for (let c = 0; c < channels.length; c++) {
      const plane = channels[c]!
      let a = place + dy * width + left
      let b = source + dy * width + left
      for (let dx = left; dx <= right; dx++) {
        const d = plane[a++]! - plane[b++]!
        sum += d * d
      }
    }
    if (sum > limit) return Infinity
  }
  return sum / count
}

/** One round of the search: what the neighbours found, moved along, then places at random, ever nearer. */
function search(level: FillProblem, match: Match, random: Random, round: number): void {
  const { width, height } = level
  const { places, index, source, cost, offered } = match
  const forward = round % 2 === 0
  const step = forward ? -1 : 1
  for (let k = 0; k < places.length; k++) cost[k] = patchCost(level, places[k]!, source[k]!, Infinity)
  for (let n = 0; n < places.length; n++) {
    const k = forward ? n : places.length - 1 - n
    const place = places[k]!
    const px = place % width
    for (const by of [step, step * width]) {
      if (by === step && (px + step < 0 || px + step >= width)) continue
      const neighbour = index[place + by]
      if (neighbour === undefined || neighbour < 0) continue
      const candidate = source[neighbour]! - by
      if (candidate === source[k] || !offered[candidate]) continue
      const d = patchCost(level, place, candidate, cost[k]!)
      if (d < cost[k]!) {
        cost[k] = d
        source[k] = candidate
      }
    }
    for (let radius = Math.max(width, height); radius >= 1; radius = radius >> 1) {
      const from = source[k]!
      const x = (from % width) + Math.floor((2 * random.uniform() - 1) * radius)
      const y = Math.floor(from / width) + Math.floor((2 * random.uniform() - 1) * radius)
      if (x < 0 || y < 0 || x >= width || y >= height || !offered[y * width + x]) continue
      const d = patchCost(level, place, y * width + x, cost[k]!)
      if (d < cost[k]!) {
        cost[k] = d
        source[k] = y * width + x
      }
    }
  }
}

/** Every place takes the mean of what the patches over it say; patches that fit better say more. */
function vote(level: FillProblem, match: Match): void {
  const { width, height, channels } = level
  const { places, index, source, cost } = match
  let usual = 1e-9
  for (const value of cost) usual += value / cost.length
  const says = Float64Array.from(cost, (value) => 1 / (0.05 + (value / usual) * (value / usual)))
  const means = channels.map(() => new Float32Array(places.length))
  // Of the patches over one place: where each shows it, and its say.
  const shown = new Int32Array((2 * HALF + 1) * (2 * HALF + 1))
  const say = new Float64Array(shown.length)
  for (let t = 0; t < places.length; t++) {
    const place = places[t]!
    const x = place % width
    const y = (place - x) / width
    let count = 0
    let sum = 0
    for (let dy = Math.max(-HALF, -y); dy <= Math.min(HALF, height - 1 - y); dy++) {
      for (let dx = Math.max(-HALF, -x); dx <= Math.min(HALF, width - 1 - x); dx++) {
        const by = dy * width + dx
        const k = index[place + by]!
        if (k < 0) continue
        shown[count] = source[k]! - by
        say[count++] = says[k]!
        sum += says[k]!
      }
    }
    for (let c = 0; c < channels.length; c++) {
      const plane = channels[c]!
      let value = 0
      for (let n = 0; n < count; n++) value += say[n]! * plane[shown[n]!]!
      means[c]![t] = value / sum
    }
  }
  channels.forEach((plane, c) => {
    for (let t = 0; t < places.length; t++) plane[places[t]!] = means[c]![t]!
  })
}

/** Fine detail of each place's own patch over the mean of all: what the mean has lost. */
function layDetail({ width, height, channels }: FillProblem, { places, source }: Match, grain: number): void {
  for (const plane of channels) {
    const lost = new Float32Array(width * height)
    for (let k = 0; k < places.length; k++) lost[places[k]!] = plane[source[k]!]! - plane[places[k]!]!
    const smooth = gaussianBlur({ width, height, data: lost }, GRAIN_FILTER).data
    for (const i of places) plane[i]! += grain * (lost[i]! - smooth[i]!)
  }
}
