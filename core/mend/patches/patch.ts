import { carryOut, decisionsOf, type Decisions } from '../methods.js'
import type { Mended } from '../../check/mended.js'
import {
  clipRegion, crop, overlaps, paste, rasterSource, type IntegerRaster, type PixelSource, type Raster, type Region,
} from '../../raster/raster.js'
import { levelSize } from '../../raster/pyramid.js'
import type { Transfer } from '../../raster/transfer.js'
import type { Plan, Step } from '../../treatment/schema.js'
import { patchKeys } from './patch-keys.js'

/** A mend computed once, at full size and depth. */
export interface Patch extends Mended {
  readonly key: string
  /** What the mend adds to the light of smaller levels, from level 1 on. */
  readonly levels: readonly PatchLevel[]
}

/** Change of linear light over a rectangle of a level; changes of several patches add up in any order. */
export interface PatchLevel {
  readonly region: Region
  readonly change: Float32Array
}

/** The picture with patches laid over it, as the next mend sees it. */
export function patchedSource(picture: PixelSource, patches: readonly Mended[]): PixelSource {
  return {
    ...picture,
    read: (region) => {
      const pixels = picture.read(region)
      for (const patch of patches) layOver(pixels, region, patch)
      return pixels
    },
  }
}

/** A picture that mends are laid into as they are made, so that the next one sees them. */
export interface MendablePicture extends PixelSource {
  lay(mended: Mended): void
}

/** A raster in memory as a mendable picture; its pixels change. */
export function mendableRaster(raster: IntegerRaster): MendablePicture {
  const whole = { x: 0, y: 0, width: raster.width, height: raster.height }
  return { ...rasterSource(raster), lay: (mended) => layOver(raster, whole, mended) }
}

/** Lay the touched pixels of a patch over pixels that start at `region`. */
export function layOver(pixels: Raster, region: Region, patch: Mended): void {
  if (!overlaps(region, patch.region)) return
  const shared = clipRegion({ ...patch.region, x: patch.region.x - region.x, y: patch.region.y - region.y }, region.width, region.height)
  const { channels } = pixels
  for (let y = shared.y; y < shared.y + shared.height; y++) {
    const patchRow = (y + region.y - patch.region.y) * patch.region.width - patch.region.x + region.x
    for (let x = shared.x; x < shared.x + shared.width; x++) {
      const from = patchRow + x
      if (patch.touched[from] === 0) continue
      const to = (y * pixels.width + x) * channels
      for (let c = 0; c < channels; c++) pixels.data[to + c] = patch.pixels.data[from * channels + c]!
    }
  }
}

/**
 * Compute a patch with its smaller levels.
 *
 * @param picture  As mended by the earlier steps.
 * @param levels   Number of levels of the picture's pyramid.
 * @param mended   What the step makes of the picture, where that is known.
 */
export function makePatch(picture: PixelSource, transfer: Transfer, step: Decisions, key: string, levels: number, mended = carryOut(picture, transfer, step)): Patch {
  const kept = whatWasTouched(mended)
  return { key, ...kept, levels: changesOfLevels(picture, transfer, kept, levels) }
}

/** A mend reads far beyond what it changes: of thousands, what is only read would be most of what is kept and sent. */
function whatWasTouched(mended: Mended): Mended {
  const { region, pixels, touched } = mended
  let [left, top, right, bottom] = [region.width, region.height, 0, 0]
  for (let y = 0, i = 0; y < region.height; y++) {
    for (let x = 0; x < region.width; x++, i++) {
      if (touched[i] === 0) continue
      left = Math.min(left, x)
      right = Math.max(right, x + 1)
      top = Math.min(top, y)
      bottom = y + 1
    }
  }
  if (right === 0) return mended
  const part = { x: left, y: top, width: right - left, height: bottom - top }
  return {
    region: { ...part, x: region.x + left, y: region.y + top },
    pixels: crop(pixels, part),
    touched: crop({ width: region.width, height: region.height, channels: 1, data: touched }, part).data,
  }
}

/** Means of the change of light over the pixels of each smaller level. */
function changesOfLevels(picture: PixelSource, transfer: Transfer, mended: Mended, levels: number): PatchLevel[] {
  const { region, pixels, touched } = mended
  const { channels } = picture
  const before = picture.read(region)
  let width = region.width
  let height = region.height
  let at = { x: region.x, y: region.y }
  let change = new Float32Array(width * height * channels)
  for (let i = 0; i < touched.length; i++) {
    if (touched[i] === 0) continue
    for (let c = 0; c < channels; c++) {
      const k = i * channels + c
      change[k] = transfer.light[pixels.data[k]!]! - transfer.light[before.data[k]!]!
    }
  }
  const result: PatchLevel[] = []
  for (let level = 1; level < levels; level++) {
    const upper = levelSize(picture.width, picture.height, level - 1)
    const x = Math.floor(at.x / 2)
    const y = Math.floor(at.y / 2)
    const nextWidth = Math.floor((at.x + width - 1) / 2) - x + 1
    const nextHeight = Math.floor((at.y + height - 1) / 2) - y + 1
    const next = new Float32Array(nextWidth * nextHeight * channels)
    for (let row = 0; row < height; row++) {
      const targetRow = Math.floor((at.y + row) / 2) - y
      // At an odd edge of the picture the last row and column count twice, as they do in the pyramid.
      const rowShare = at.y + row === upper.height - 1 && upper.height % 2 === 1 ? 0.5 : 0.25
      for (let column = 0; column < width; column++) {
        const share = at.x + column === upper.width - 1 && upper.width % 2 === 1 ? 2 * rowShare : rowShare
        const to = (targetRow * nextWidth + Math.floor((at.x + column) / 2) - x) * channels
        const from = (row * width + column) * channels
        for (let c = 0; c < channels; c++) next[to + c]! += share * change[from + c]!
      }
    }
    result.push({ region: { x, y, width: nextWidth, height: nextHeight }, change: next })
    at = { x, y }
    width = nextWidth
    height = nextHeight
    change = next
  }
  return result
}

/**
 * Lay patches over a tile of any level.
 *
 * @param tile     Pixels of the level; changed in place.
 * @param region   Where the tile lies, in pixels of its level.
 * @param patches  In the order of their steps.
 */
export function layPatchesOverTile(tile: IntegerRaster, region: Region, level: number, patches: readonly Patch[], transfer: Transfer): void {
  if (level === 0) {
    for (const patch of patches) layOver(tile, region, patch)
    return
  }
  const { channels } = tile
  let sum: Float32Array | null = null
  for (const patch of patches) {
    const small = patch.levels[level - 1]
    if (!small || !overlaps(region, small.region)) continue
    sum ??= new Float32Array(tile.data.length)
    const shared = clipRegion({ ...small.region, x: small.region.x - region.x, y: small.region.y - region.y }, region.width, region.height)
    for (let y = shared.y; y < shared.y + shared.height; y++) {
      for (let x = shared.x; x < shared.x + shared.width; x++) {
        const from = ((y + region.y - small.region.y) * small.region.width + x + region.x - small.region.x) * channels
        const to = (y * region.width + x) * channels
        for (let c = 0; c < channels; c++) sum[to + c]! += small.change[from + c]!
      }
    }
  }
  if (!sum) return
  for (let i = 0; i < sum.length; i++) if (sum[i] !== 0) tile.data[i] = transfer.encode(transfer.light[tile.data[i]!]! + sum[i]!)
}

/** Patches kept by key, so that a change remakes only what depends on it. */
export interface PatchStore {
  get(key: string): Patch | undefined
  set(patch: Patch): void
  /** What a step makes of the picture, where it was carried out already to be judged. */
  made?(step: Step): Mended | undefined
}

/**
 * Patches of all steps in order.
 *
 * @param picture   The original.
 * @param store     Where patches are looked up and kept.
 * @param onPatch   Told of each patch, with its place in the order.
 */
export function makePatches(
  picture: PixelSource, transfer: Transfer, plan: Plan, levels: number, store: PatchStore,
  onPatch?: (patch: Patch, index: number) => void,
): Patch[] {
  const keys = patchKeys(plan)
  const patches: Patch[] = []
  plan.steps.forEach((step, index) => {
    const { key, below } = keys[index]!
    let patch = store.get(key)
    if (!patch) {
      const seen = below.map((earlier) => patches[earlier]!)
      patch = makePatch(seen.length === 0 ? picture : patchedSource(picture, seen), transfer, decisionsOf(step, plan.areas), key, levels, store.made?.(step))
      store.set(patch)
    }
    patches.push(patch)
    onPatch?.(patch, index)
  })
  return patches
}

/** Copy a region of a raster with patches in it; what an export writes strip by strip. */
export function renderRegion(picture: PixelSource, patches: readonly Mended[], region: Region): IntegerRaster {
  const pixels = picture.read(region)
  for (const patch of patches) layOver(pixels, region, patch)
  return pixels
}

/** Assemble a region of one level from tiles that overlap it. */
export function pasteTiles(into: IntegerRaster, region: Region, tiles: readonly { region: Region; pixels: IntegerRaster }[]): void {
  for (const tile of tiles) paste(into, tile.pixels, tile.region.x - region.x, tile.region.y - region.y)
}
