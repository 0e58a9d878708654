// Search and vote of the fill with patches (core/mend/fill-patches.ts), in AssemblyScript; compiled by
// scripts/generate.ts. Addresses are in bytes. core/kernels/filling/patches.ts is the only caller and says what each is.

// @ts-nocheck: the compiler of this file is AssemblyScript's.

/** Half the side of a patch. */
const HALF = 3

/** A picture with gaps, in the order in which core/kernels/filling/patches.ts writes it. */
@unmanaged
class Gaps {
  planes: usize
  channels: i32
  width: i32
  height: i32
  places: usize
  count: i32
  index: usize
  offered: usize
  source: usize
  cost: usize
  says: usize
  /** Room for a value of each channel of each place. */
  means: usize
  chances: usize
}

/** Mean square difference of two patches, as much of them as lies in the picture; given up when it grows past `most`. */
function patchCost(planes: usize, channels: i32, width: i32, height: i32, place: i32, source: i32, most: f64): f64 {
  const size = <usize>(width * height) << 2
  const x = place % width
  const y = place / width
  const left = max(-HALF, -x)
  const right = min(HALF, width - 1 - x)
  const top = max(-HALF, -y)
  const bottom = min(HALF, height - 1 - y)
  const count = <f64>((right - left + 1) * (bottom - top + 1) * channels)
  const limit = most * count
  const across = <usize>(right - left + 1) << 2
  let sum: f64 = 0
  for (let dy = top; dy <= bottom; dy++) {
    let a = planes + (<usize>(place + dy * width + left) << 2)
    let b = planes + (<usize>(source + dy * width + left) << 2)
    for (let c = 0; c < channels; c++) {
      for (let u: usize = 0; u < across; u += 4) {
        const d = <f64>f32.load(a + u) - <f64>f32.load(b + u)
        sum += d * d
      }
      a += size
      b += size
    }
    if (sum > limit) return Infinity
  }
  return sum / count
}

export function search(gaps: Gaps, forward: i32): void {
  const planes = gaps.planes
  const channels = gaps.channels
  const width = gaps.width
  const height = gaps.height
  const places = gaps.places
  const count = gaps.count
  const source = gaps.source
  const cost = gaps.cost
  let chances = gaps.chances
  const size = width * height
  const step = forward ? -1 : 1
  for (let k: usize = 0; k < <usize>count << 2; k += 4) f32.store(cost + k, <f32>patchCost(planes, channels, width, height, load<i32>(places + k), load<i32>(source + k), Infinity))
  for (let n = 0; n < count; n++) {
    const k = <usize>(forward ? n : count - 1 - n) << 2
    const place = load<i32>(places + k)
    const beside = (place % width) + step
    if (beside >= 0 && beside < width) follow(gaps, k, place, step)
    const beyond = place + step * width
    if (beyond >= 0 && beyond < size) follow(gaps, k, place, step * width)
    for (let radius = max(width, height); radius >= 1; radius >>= 1) {
      const from = load<i32>(source + k)
      const x = (from % width) + away(chances, radius)
      const y = from / width + away(chances + 4, radius)
      chances += 8
      if (x < 0 || y < 0 || x >= width || y >= height) continue
      tryPatch(gaps, k, place, y * width + x)
    }
  }
}

/** A whole number from -radius to radius - 1 by a random one of 32 bits. */
@inline function away(chance: usize, radius: i32): i32 {
  return <i32>Math.floor((2 * (<f64>load<u32>(chance) / 4294967296) - 1) * <f64>radius)
}

/** Try what a neighbour found, moved along. */
function follow(gaps: Gaps, k: usize, place: i32, by: i32): void {
  const source = gaps.source
  const neighbour = load<i32>(gaps.index + (<usize>(place + by) << 2))
  if (neighbour < 0) return
  const candidate = load<i32>(source + (<usize>neighbour << 2)) - by
  if (candidate < 0 || candidate >= gaps.width * gaps.height || candidate == load<i32>(source + k)) return
  tryPatch(gaps, k, place, candidate)
}

function tryPatch(gaps: Gaps, k: usize, place: i32, candidate: i32): void {
  if (load<u8>(gaps.offered + <usize>candidate) == 0) return
  const least = <f64>f32.load(gaps.cost + k)
  const d = patchCost(gaps.planes, gaps.channels, gaps.width, gaps.height, place, candidate, least)
  if (d >= least) return
  f32.store(gaps.cost + k, <f32>d)
  store<i32>(gaps.source + k, candidate)
}

export function vote(gaps: Gaps): void {
  const planes = gaps.planes
  const channels = gaps.channels
  const width = gaps.width
  const height = gaps.height
  const places = gaps.places
  const count = gaps.count
  const index = gaps.index
  const source = gaps.source
  const says = gaps.says
  const means = gaps.means
  const size = <usize>(width * height) << 2
  for (let t = 0; t < count; t++) {
    const place = load<i32>(places + (<usize>t << 2))
    const x = place % width
    const y = place / width
    let sum: f64 = 0
    let first: f64 = 0
    let second: f64 = 0
    let third: f64 = 0
    let fourth: f64 = 0
    for (let dy = max(-HALF, -y); dy <= min(HALF, height - 1 - y); dy++) {
      for (let dx = max(-HALF, -x); dx <= min(HALF, width - 1 - x); dx++) {
        const by = dy * width + dx
        const k = load<i32>(index + (<usize>(place + by) << 2))
        if (k < 0) continue
        const say = f64.load(says + (<usize>k << 3))
        const shown = planes + (<usize>(load<i32>(source + (<usize>k << 2)) - by) << 2)
        sum += say
        first += say * <f64>f32.load(shown)
        if (channels > 1) second += say * <f64>f32.load(shown + size)
        if (channels > 2) third += say * <f64>f32.load(shown + 2 * size)
        if (channels > 3) fourth += say * <f64>f32.load(shown + 3 * size)
      }
    }
    const mean = means + (<usize>(t * channels) << 2)
    f32.store(mean, <f32>(first / sum))
    if (channels > 1) f32.store(mean + 4, <f32>(second / sum))
    if (channels > 2) f32.store(mean + 8, <f32>(third / sum))
    if (channels > 3) f32.store(mean + 12, <f32>(fourth / sum))
  }
  for (let t = 0; t < count; t++) {
    const at = planes + (<usize>load<i32>(places + (<usize>t << 2)) << 2)
    for (let c = 0; c < channels; c++) f32.store(at + <usize>c * size, f32.load(means + (<usize>(t * channels + c) << 2)))
  }
}
