import { expose, transfer as handOver } from 'comlink'
import { LRUCache } from 'lru-cache'
import { clippedShares, hatchClipped, histogramOf } from '@fennip/core/finish/clipping.js'
import type { Region, IntegerRaster, PixelSource } from '@fennip/core/raster/raster.js'
import { clipRegion, growRegion, makeRaster } from '@fennip/core/raster/raster.js'
import { proposeFinish } from '@fennip/core/finish/propose.js'
import { makeOperationStep, type StepOptions } from '@fennip/core/operations/make-step.js'
import type { FloatRaster, Proposal, Settings } from '@fennip/core/operations/operation.js'
import { openTables } from '@fennip/core/raster/colour-library.js'
import { drawnShare } from '@fennip/core/rebuild/drawn-share.js'
import { labOfXyz } from '@fennip/core/raster/lab.js'
import { Chain, contextOf } from '@fennip/core/render/chain.js'
import { rounded, toFloat } from '@fennip/core/render/samples.js'
import { halve, levelSize, TILE_SIZE, tileRegion, unpackTile } from '@fennip/core/raster/pyramid.js'
import { tiledSource } from '@fennip/core/raster/tiled-source.js'
import { measureAreaStep, type AreaTelltales } from '@fennip/core/check/area-telltales.js'
import { proposeZones, type ZoneProposal } from '@fennip/core/correct/propose-zones.js'
import { makeTransfer, type Transfer } from '@fennip/core/raster/transfer.js'
import { layOver, layPatchesOverTile, makePatch, patchedSource, pasteTiles, type Patch } from '@fennip/core/render/patch.js'
import { decisionsOf } from '@fennip/core/mend/methods.js'
import { patchKeys } from '@fennip/core/render/patch-keys.js'
import { applyEdit, emptyTreatment } from '@fennip/core/treatment/edit.js'
import { unpackPatch } from '@fennip/core/render/patch-code.js'
import { chooseMend, quickHeal } from '@fennip/core/mend/choose.js'
import { measureStep, type MendRequest } from '@fennip/core/mend/trial.js'
import type { Area, Flaw, Operation, OperationStep, Step, Telltales, Treatment } from '@fennip/core/treatment/schema.js'
import { nextBest } from '@fennip/core/mend/next-best.js'
import { snapSource, type SnapTo } from '@fennip/core/mend/heal/snap-source.js'
import { explainMend, type Explanation } from '@fennip/core/check/explain.js'
import { growAreaAt, markSurroundings, type AreaMarks } from '@fennip/core/shape/grow-area.js'
import { guardsOf } from '@fennip/core/treatment/guards.js'
import { splitByTexture } from '@fennip/core/mend/split-by-texture.js'
import type { Outline, Shape, Stroke } from '@fennip/core/shape/shape.js'
import type { Picture } from '../shared/api.js'
import type { ScreenGamut } from '../shared/screen.js'
import { Display } from './display.js'
import { asChange, asGrain, asNegative, asRelief, GRAIN_RADIUS, RELIEF_RADIUS, type Lens } from './lenses.js'
import lcmsFile from 'lcms-wasm/dist/lcms.wasm?url'

/** How a zone is shown: its edge, a tint over it, or the mask alone. */
export type ZoneShow = 'edge' | 'tint' | 'mask'

/** One worker: tiles, patches and mends of the picture that is open. */

export interface View {
  readonly lens: Lens
  /** Strength of the lens, 0..1. */
  readonly strength: number
  /** How wide a neighbourhood the relief lens compares with, in pixels of the picture. */
  readonly radius?: number
  readonly show: 'result' | 'original'
  /** A mend that is left out of the result. */
  readonly without?: string
  /** A mend that is laid on in place of the one its flaw has. */
  readonly proposal?: Step
  /** How far the result goes: with mends alone, or (by default) with all that stands on them. */
  readonly upTo?: 'mended'
  /** Steps on the mended picture in place of the treatment's: a setting that is being moved, or a strip of several. */
  readonly operations?: readonly OperationStep[]
  /** A zone drawn over the picture. */
  readonly zone?: { readonly area: Area; readonly show: ZoneShow }
  /** Whether what is lost at black and white is hatched. */
  readonly clipping?: boolean
  /** Whether filters are computed at full size and reduced, in the background: any other painting ends it. */
  readonly exact?: boolean
  /** Whether regions are of the delivered picture, in its frame. */
  readonly delivered?: boolean
}

/** Asked for pixels of a tile that has not come yet; it is fetched and the work begun again. */
class TileWanted extends Error {
  constructor(readonly level: number, readonly column: number, readonly row: number) {
    super('tile wanted')
  }
}

/** Unpacked tiles that a worker keeps: of a picture of three channels at 16 bit some 64, enough for a large screen and what is mended. */
const TILE_BYTES = 96 * 2 ** 20
/** What chains keep of the pixels below the step that is being changed, and of covers of zones. */
const CHAIN_BYTES = 96 * 2 ** 20
/** Most pixels an area grows on while it is drawn, and when it is kept: these must fit among the tiles that are kept. */
const ROUGH_PIXELS = 400_000
const EXACT_PIXELS = 26_000_000

let picture: Picture
let transfer: Transfer
let display: Display
let gamut: ScreenGamut = 'srgb'
const tiles = new LRUCache<string, IntegerRaster>({ maxSize: TILE_BYTES, sizeCalculation: ({ data }) => data.byteLength })
const remembered = new LRUCache<string, Float32Array<ArrayBufferLike>>({ maxSize: CHAIN_BYTES, sizeCalculation: ({ byteLength }) => Math.max(1, byteLength) })
/** Counts the states of the mended picture: what stands on an older one is not used again. */
let mendedState = 0
let fetching = new Map<string, Promise<IntegerRaster>>()
let treatment: Treatment
/** Chains of the treatment's operations and of others that were shown, the newest last. */
const chains = new Map<string, Chain>()
let chainsOf: Treatment['areas']
const CHAINS_KEPT = 12
/** Teal, as what is settled: a zone is what was decided. */
const ZONE_TINT = [12, 160, 160]
/** Of the treatment's steps, in their order. */
let patches: Patch[] = []
const known = new Map<string, Patch>()

async function tile(level: number, column: number, row: number): Promise<IntegerRaster> {
  const key = `${level}/${column}/${row}`
  const kept = tiles.get(key)
  if (kept) return kept
  let coming = fetching.get(key)
  if (!coming) {
    coming = fetchTile(level, column, row).finally(() => fetching.delete(key))
    fetching.set(key, coming)
  }
  return coming
}

async function fetchTile(level: number, column: number, row: number): Promise<IntegerRaster> {
  const { sha256, width, height, channels, depth } = picture.original
  const response = await fetch(`/api/originals/${sha256}/tiles/${level}/${column}/${row}`).catch(() => null)
  if (!response?.ok) throw Object.assign(new Error(`The pixels at ${column}, ${row} of level ${level} cannot be fetched.`), { name: 'Unreachable' })
  const region = tileRegion(width, height, level, column, row)
  const raster = unpackTile(new Uint8Array(await response.arrayBuffer()), region.width, region.height, channels, depth)
  tiles.set(`${level}/${column}/${row}`, raster)
  return raster
}

/** Pixels of any region of a level, of the original or of the result. */
async function pixelsOf(region: Region, level: number, { show, without, proposal }: Pick<View, 'show' | 'without' | 'proposal'>): Promise<IntegerRaster> {
  const { width, height, channels, depth } = picture.original
  const size = levelSize(width, height, level)
  const inside = clipRegion(region, size.width, size.height)
  const result = makeRaster(inside.width, inside.height, channels, depth)
  const wanted: Promise<{ region: Region; pixels: IntegerRaster }>[] = []
  for (let row = Math.floor(inside.y / TILE_SIZE); row * TILE_SIZE < inside.y + inside.height; row++) {
    for (let column = Math.floor(inside.x / TILE_SIZE); column * TILE_SIZE < inside.x + inside.width; column++) {
      wanted.push(tile(level, column, row).then((pixels) => ({ region: tileRegion(width, height, level, column, row), pixels })))
    }
  }
  pasteTiles(result, inside, await Promise.all(wanted))
  if (show === 'result') layPatchesOverTile(result, inside, level, await patchesSeen(without, proposal), transfer)
  return result
}

/** The patches of the result, without one mend or with another in its place. */
async function patchesSeen(without: string | undefined, proposal: Step | undefined): Promise<readonly Patch[]> {
  if (without === undefined && !proposal) return patches
  const hidden = treatment.steps.findIndex((step) => (proposal ? step.flaw === proposal.flaw : step.id === without))
  const others = patches.filter((_patch, i) => i !== hidden)
  if (!proposal) return others
  const key = `proposal ${JSON.stringify(proposal)}`
  const made = known.get(key) ?? (await withTiles(() => makePatch(patchedSource(sourceOf(), others), transfer, decisionsOf(proposal, treatment.areas), key, picture.levels)))
  known.set(key, made)
  return [...others, made]
}

/** Pixels of a level of the original from the tiles at hand, as kernels want them; `TileWanted` when one is missing. */
function sourceOf(level = 0): PixelSource {
  return tiledSource(picture.original, level, (column, row) => {
    const pixels = tiles.get(`${level}/${column}/${row}`)
    if (!pixels) throw new TileWanted(level, column, row)
    return pixels
  })
}

/** Mended pixels of a level from the tiles at hand; `TileWanted` when one is missing. */
function readMended(region: Region, level: number): IntegerRaster {
  const pixels = sourceOf(level).read(region)
  layPatchesOverTile(pixels, region, level, patches, transfer)
  return pixels
}

/** Fetch the tiles of a level that a rectangle of the full size touches. */
async function fetchRegion(region: Region, level: number): Promise<void> {
  const { width, height } = picture.original
  const area = clipRegion(region, width, height)
  const side = TILE_SIZE * 2 ** level
  const wanted: Promise<unknown>[] = []
  for (let row = Math.floor(area.y / side); row * side < area.y + area.height; row++) {
    for (let column = Math.floor(area.x / side); column * side < area.x + area.width; column++) wanted.push(tile(level, column, row))
  }
  await Promise.all(wanted)
}

/**
 * Run work that reads pixels, fetching what it misses until it goes through.
 *
 * @param around  So many tiles around a missing one are fetched with it: measuring reads on, and begins anew each time.
 */
async function withTiles<T>(work: () => T, around = 0): Promise<T> {
  for (;;) {
    try {
      return work()
    } catch (error) {
      if (!(error instanceof TileWanted)) throw error
      const { level, column, row } = error
      const region = { x: (column - around) * TILE_SIZE, y: (row - around) * TILE_SIZE, width: (2 * around + 1) * TILE_SIZE, height: (2 * around + 1) * TILE_SIZE }
      await Promise.all(tilesOf(region, level).map(([c, r]) => tile(level, c, r)))
    }
  }
}

/** Tiles around a missing one that measuring fetches with it. */
const MEASURED_AROUND = 2

/** A chain of operations on the picture at hand, kept while they may be asked for again. */
function chainOf(operations: readonly OperationStep[], below: string): Chain {
  if (chainsOf !== treatment.areas) {
    chains.clear()
    chainsOf = treatment.areas
  }
  const key = `${below} ${JSON.stringify(operations)}`
  const kept = chains.get(key) ?? new Chain({ ...picture.original, profile: picture.about.profile }, { operations, areas: treatment.areas }, { memory: remembered, below })
  chains.delete(key)
  chains.set(key, kept)
  if (chains.size > CHAINS_KEPT) chains.delete(chains.keys().next().value!)
  return kept
}

/** The chain that a view shows; null when it shows the picture as mended. */
function chainFor({ show, upTo, operations, delivered, without, proposal }: View): Chain | null {
  if (show === 'original' || upTo === 'mended') return null
  const chain = chainOf(operations ?? treatment.operations ?? [], `${mendedState} ${without ?? ''} ${proposal ? JSON.stringify(proposal) : ''}`)
  return chain.isEmpty && !(delivered && operations) ? null : chain
}

/** Pixels as a view shows them, before they are converted to the screen: samples, or floats where operations stand on them. */
async function seenPixels(region: Region, level: number, view: View): Promise<IntegerRaster | FloatRaster> {
  const standing = chainFor(view)
  if (!standing) return pixelsOf(region, level, view)
  const size = levelSize(picture.original.width, picture.original.height, level)
  const needed = view.delivered ? standing.baseRegion(region, level) : clipRegion(growRegion(region, standing.reach(level)), size.width, size.height)
  const laid = await patchesSeen(view.without, view.proposal)
  // What will be read for certain is fetched at once; the rest, if any, when it is asked for.
  await Promise.all(tilesOf(needed, level).map(([column, row]) => tile(level, column, row)))
  const read = (part: Region, at: number) => {
    const pixels = sourceOf(at).read(part)
    layPatchesOverTile(pixels, part, at, laid, transfer)
    return pixels
  }
  return withTiles(() => (view.delivered ? standing.deliver(region, level, read) : standing.read(region, level, read)))
}

/** Columns and rows of the tiles that a region of a level touches. */
function tilesOf(region: Region, level: number): [number, number][] {
  const size = levelSize(picture.original.width, picture.original.height, level)
  const inside = clipRegion(region, size.width, size.height)
  const places: [number, number][] = []
  for (let row = Math.floor(inside.y / TILE_SIZE); row * TILE_SIZE < inside.y + inside.height; row++) {
    for (let column = Math.floor(inside.x / TILE_SIZE); column * TILE_SIZE < inside.x + inside.width; column++) places.push([column, row])
  }
  return places
}

async function paintRegion(region: Region, level: number, view: View): Promise<ImageBitmap> {
  const { width, height } = view.delivered ? levelSize((chainFor(view) ?? { delivered: picture.original }).delivered.width, (chainFor(view) ?? { delivered: picture.original }).delivered.height, level) : levelSize(picture.original.width, picture.original.height, level)
  const apron = view.lens === 'relief' ? reliefApron(view.radius, level) : view.lens === 'grain' ? GRAIN_RADIUS : 0
  const wide = clipRegion({ x: region.x - apron, y: region.y - apron, width: region.width + 2 * apron, height: region.height + 2 * apron }, width, height)
  const raster = view.exact && level > 0 ? await exactPixels(wide, level, view) : await seenPixels(wide, level, view)
  const image = new ImageData(wide.width, wide.height, { colorSpace: gamut })
  display.paint(asSamples(await throughLens(raster, wide, level, view)), image.data)
  if (view.clipping) hatchClipped(raster, image.data)
  if (view.zone && !view.delivered) await drawZone(image, wide, level, view.zone)
  return createImageBitmap(image, region.x - wide.x, region.y - wide.y, region.width, region.height)
}

/** Side of the pieces that an exact picture is made in, in pixels of the full size. */
const EXACT_BLOCK = 1024
/** Counts what was painted: an exact picture that is being made is given up for it. */
let painted = 0

/** Pixels as a view shows them from the full size, made smaller as the levels of the picture are. */
async function exactPixels(region: Region, level: number, view: View): Promise<FloatRaster> {
  const scale = 2 ** level
  const full = view.delivered ? chainFor(view)!.delivered : picture.original
  const tables = makeTransfer(picture.about.profile.curve, 16)
  const { channels } = picture.original
  const result: FloatRaster = { width: region.width, height: region.height, channels, data: new Float32Array(region.width * region.height * channels) }
  const side = Math.max(1, EXACT_BLOCK / scale)
  const before = painted
  for (let y = 0; y < region.height; y += side) {
    for (let x = 0; x < region.width; x += side) {
      // Messages are heard between two pieces.
      await new Promise((resolve) => setTimeout(resolve))
      if (painted !== before) throw Object.assign(new Error('Something else is painted.'), { name: 'AbortError' })
      const block = clipRegion({ x: (region.x + x) * scale, y: (region.y + y) * scale, width: Math.min(side, region.width - x) * scale, height: Math.min(side, region.height - y) * scale }, full.width, full.height)
      const seen = await seenPixels(block, 0, view)
      let small = rounded(seen.data instanceof Float32Array ? (seen as FloatRaster) : toFloat(seen as IntegerRaster), 16)
      for (let i = 0; i < level; i++) small = halve(small, tables)
      const { data } = toFloat(small)
      for (let row = 0; row < small.height; row++) result.data.set(data.subarray(row * small.width * channels, (row + 1) * small.width * channels), ((y + row) * region.width + x) * channels)
    }
  }
  return result
}

/** What a lens makes of pixels, at their full depth. */
async function throughLens(raster: IntegerRaster | FloatRaster, region: Region, level: number, { lens, strength, radius }: View): Promise<IntegerRaster | FloatRaster> {
  if (lens === 'plain') return raster
  const values = raster.data instanceof Float32Array ? (raster as FloatRaster) : toFloat(raster as IntegerRaster)
  if (lens === 'negative') return asNegative(values, strength)
  if (lens === 'relief') return asRelief(values, reliefApron(radius, level), strength)
  if (lens === 'grain') return asGrain(values, strength)
  return asChange(toFloat(await pixelsOf(region, level, { show: 'original' })), values, 1 + 10 * strength)
}

const reliefApron = (radius: number | undefined, level: number) => Math.max(2, Math.round((radius ?? RELIEF_RADIUS) / 2 ** level))

/** Lay a zone over painted pixels: the line where its cover passes one half, a tint, or the mask in its place. */
async function drawZone(image: ImageData, region: Region, level: number, { area, show }: NonNullable<View['zone']>): Promise<void> {
  const cover = await withTiles(() => coverOf(area, region, level))
  const { width, height, data } = image
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const value = cover[i]!
      if (show === 'mask') data[4 * i] = data[4 * i + 1] = data[4 * i + 2] = Math.round(255 * value)
      else if (show === 'tint') for (let c = 0; c < 3; c++) data[4 * i + c]! += 0.5 * value * (ZONE_TINT[c]! - data[4 * i + c]!)
      else {
        const isInside = value > 0.5
        const isEdge = (x > 0 && cover[i - 1]! > 0.5 !== isInside) || (y > 0 && cover[i - width]! > 0.5 !== isInside)
        if (!isEdge) continue
        // Light and dark in turn, so that it is seen on any ground.
        data[4 * i] = data[4 * i + 1] = data[4 * i + 2] = (x + y) % 8 < 4 ? 255 : 20
      }
    }
  }
}

function coverOf(area: Area, region: Region, level: number): Float32Array {
  return new Chain({ ...picture.original, profile: picture.about.profile }, { areas: [area] }, { memory: remembered, below: `${mendedState} zone` }).cover(area.id, region, level, readMended)!
}

/** Samples for the screen: floats are rounded to the depth of the picture's tables. */
const asSamples = (raster: IntegerRaster | FloatRaster): IntegerRaster => (raster.data instanceof Float32Array ? rounded(raster as FloatRaster, picture.original.depth) : (raster as IntegerRaster))

/** The picture without the mend of one step, as that step is to be made anew. */
function surroundingsOf(without: string): PixelSource {
  return patchedSource(sourceOf(), patches.filter((_patch, i) => treatment.steps[i]!.id !== without))
}

let lastTurn: Promise<unknown> = Promise.resolve()

/** Changes of the treatment one after another: each may wait for tiles. */
function inTurn<T>(work: () => Promise<T>): Promise<T> {
  const turn = lastTurn.then(work)
  lastTurn = turn.catch(() => undefined)
  return turn
}

function setPatches(next: Patch[]): void {
  if (next.length !== patches.length || next.some((patch, i) => patch !== patches[i])) mendedState++
  patches = next
}

/** What the other workers have to be told. */
interface Completed {
  readonly keys: string[]
  readonly fresh: Patch[]
}

/** Patches of the treatment that are not known: the server's if it is asked and has them, else computed here. */
async function completePatches(askServer: boolean): Promise<Completed> {
  const addresses = patchKeys(treatment)
  const fresh: Patch[] = []
  const keep = (patch: Patch) => {
    known.set(patch.key, patch)
    fresh.push(patch)
  }
  if (askServer) {
    await Promise.all(
      addresses.filter(({ key }) => !known.has(key)).map(async ({ key }) => {
        // What the server does not answer is computed here.
        const response = await fetch(`/api/patches/${key}`).catch(() => null)
        if (response?.ok) keep(unpackPatch(new Uint8Array(await response.arrayBuffer())))
      }),
    )
  }
  for (const [i, { key, below }] of addresses.entries()) {
    if (known.has(key)) continue
    const seen = below.map((earlier) => known.get(addresses[earlier]!.key)!)
    keep(await withTiles(() => makePatch(seen.length === 0 ? sourceOf() : patchedSource(sourceOf(), seen), transfer, decisionsOf(treatment.steps[i]!, treatment.areas), key, picture.levels)))
  }
  const keys = addresses.map(({ key }) => key)
  setPatches(keys.map((key) => known.get(key)!))
  return { keys, fresh }
}

const contextNow = () => contextOf({ ...picture.original, profile: picture.about.profile })

/** The level that whole-picture measures are made on. */
function smallLevel(): number {
  let level = 0
  while (level + 1 < picture.levels && (picture.original.width * picture.original.height) / 4 ** level > 400_000) level++
  return level
}

/** Values of one pixel as the trade reads them. */
export interface Sampled { readonly values: number[]; readonly lab: [number, number, number]; readonly density: number }

function sampled({ data, channels }: FloatRaster): Sampled {
  const { tones } = contextNow()
  const light = Array.from({ length: 3 }, (_, c) => tones.decode(data[channels === 1 ? 0 : c]!))
  const matrix = picture.about.profile.toXyz
  const xyz = matrix ? [0, 3, 6].map((row) => matrix[row]! * light[0]! + matrix[row + 1]! * light[1]! + matrix[row + 2]! * light[2]!) : [0.9642 * light[0]!, light[0]!, 0.8249 * light[0]!]
  const maximum = picture.original.depth === 8 ? 255 : 65535
  const lab = labOfXyz(xyz as [number, number, number])
  return { values: Array.from(data, (value) => Math.round(value * maximum)), lab: [lab.l, lab.a, lab.b], density: -Math.log10(Math.max(1e-4, xyz[1]!)) }
}

const worker = {
  /** @param screen  Colours that the screen shows. */
  async open(opened: Picture, screen: ScreenGamut): Promise<void> {
    picture = opened
    gamut = screen
    // Tiles may be painted before the treatment has come.
    treatment = emptyTreatment(opened.original)
    transfer = makeTransfer(picture.about.profile.curve, picture.original.depth)
    display = new Display(picture.about.profile, picture.original.depth, gamut)
    tiles.clear()
    remembered.clear()
    fetching = new Map()
    patches = []
    chains.clear()
    known.clear()
    if (!picture.about.profile.isByTables) return
    // Without the profile itself the closest matrix is shown.
    const profile = await fetch(`/api/originals/${picture.original.sha256}/profile`).catch(() => null)
    if (profile?.ok) display = new Display(picture.about.profile, picture.original.depth, gamut, await openTables(new Uint8Array(await profile.arrayBuffer()), lcmsFile))
  },

  /** A part of a level, in pixels of the level. */
  async paintPart(level: number, part: Region, view: View): Promise<ImageBitmap> {
    if (!view.exact) painted++
    const bitmap = await paintRegion(part, level, view)
    return handOver(bitmap, [bitmap])
  },

  /** A piece of the picture, from the level it is drawn at: `scale` pixels of the picture on one of the drawing. */
  async paintCrop(region: Region, view: View, scale = 1): Promise<ImageBitmap> {
    let level = 0
    while (level + 1 < picture.levels && 2 ** (level + 1) <= scale) level++
    const step = 2 ** level
    const size = levelSize(picture.original.width, picture.original.height, level)
    const inside = clipRegion({ x: Math.floor(region.x / step), y: Math.floor(region.y / step), width: Math.ceil(region.width / step), height: Math.ceil(region.height / step) }, size.width, size.height)
    const bitmap = await paintRegion(inside, level, view)
    return handOver(bitmap, [bitmap])
  },

  /** Fetch full-size tiles round a place before they are needed. */
  prefetch(x: number, y: number, reach: number): Promise<void> {
    return fetchRegion({ x: Math.floor(x - reach), y: Math.floor(y - reach), width: Math.ceil(2 * reach), height: Math.ceil(2 * reach) }, 0)
  },

  /** Take a whole treatment. @returns Keys of its patches in order, and those patches that are new here. */
  load(whole: Treatment, askServer: boolean): Promise<Completed> {
    return inTurn(() => {
      treatment = whole
      return completePatches(askServer)
    })
  },

  /** Make a gesture in the treatment at hand. */
  edit(operations: readonly Operation[]): Promise<Completed> {
    return inTurn(() => {
      treatment = applyEdit(treatment, operations).treatment
      return completePatches(false)
    })
  },

  /** Take over patches that another worker made, and the change of the treatment they belong to. */
  take(change: Treatment | readonly Operation[], keys: readonly string[], fresh: readonly Patch[]): void {
    treatment = 'format' in change ? change : applyEdit(treatment, change).treatment
    for (const patch of fresh) known.set(patch.key, patch)
    setPatches(keys.map((key) => known.get(key)).filter((patch): patch is Patch => patch !== undefined))
  },

  choose(flaw: Flaw, openFlaws: readonly Shape[], wishes: Pick<MendRequest, 'method' | 'source' | 'skipSources' | 'strength' | 'softEdgePx' | 'id'>): Promise<Step> {
    return withTiles(() => chooseMend({ picture: surroundingsOf(wishes.id), transfer, flaw, openFlaws, guards: guardsOf(treatment), ...wishes }))
  },

  quickHeal(flaw: Flaw, openFlaws: readonly Shape[], id: string): Promise<Step> {
    return withTiles(() => quickHeal({ picture: surroundingsOf(id), transfer, flaw, openFlaws, guards: guardsOf(treatment), id }))
  },

  measure(step: Step, openFlaws: readonly Shape[]): Promise<Telltales> {
    return withTiles(() => measureStep({ picture: surroundingsOf(step.id), transfer, openFlaws, guards: guardsOf(treatment) }, step))
  },

  /** The mend that shows least beside the one at hand. */
  nextBest(flaw: Flaw, openFlaws: readonly Shape[], current: Step): Promise<Step | null> {
    return withTiles(() => nextBest({ picture: surroundingsOf(current.id), transfer, flaw, openFlaws, guards: guardsOf(treatment), id: current.id }, current))
  },

  snapSource(step: Step, near: { dx: number; dy: number }, to: SnapTo, reachPx: number): Promise<{ dx: number; dy: number }> {
    return withTiles(() => snapSource(surroundingsOf(step.id), step.shape, near, to, reachPx))
  },

  /** The parts of a stroke that lie on one ground each. */
  splitByTexture(stroke: Stroke): Promise<Stroke[]> {
    return withTiles(() => splitByTexture(patchedSource(sourceOf(), patches), transfer, stroke))
  },

  /** Roughly and at once, or to the pixel. */
  async growArea(marks: AreaMarks, thinPx: number, how: 'roughly' | 'exactly'): Promise<Outline[]> {
    const region = markSurroundings(marks, picture.original)
    const most = how === 'roughly' ? ROUGH_PIXELS : EXACT_PIXELS
    let level = 0
    while (level + 1 < picture.levels && (region.width * region.height) / 4 ** level > most) level++
    await fetchRegion(region, level)
    return withTiles(() => growAreaAt(sourceOf, level, marks, thinPx))
  },

  /** Profile across the outline of a mend, and the spectrum of its grain, as the close look draws them. */
  explain(step: Step): Promise<Explanation> {
    return withTiles(() => explainMend(patchedSource(sourceOf(), patches), transfer, step.shape))
  },

  /** Histogram, before and after the chain, of a level of some hundred thousand pixels: counts of 256 steps for each channel. */
  async histogram(operations: readonly OperationStep[]): Promise<{ before: number[][]; after: number[][]; clipped: [number, number] }> {
    const level = smallLevel()
    const size = levelSize(picture.original.width, picture.original.height, level)
    const whole = { x: 0, y: 0, ...size }
    const view: View = { lens: 'plain', strength: 0, show: 'result', operations }
    const before = await seenPixels(whole, level, { ...view, upTo: 'mended' })
    const after = await seenPixels(whole, level, view)
    return { before: histogramOf(before), after: histogramOf(after), clipped: clippedShares(after) }
  },

  /** What Fennip proposes for the finish, from the mended picture. */
  async propose(): Promise<Proposal[]> {
    const level = smallLevel()
    const size = levelSize(picture.original.width, picture.original.height, level)
    return proposeFinish(toFloat(await pixelsOf({ x: 0, y: 0, ...size }, level, { show: 'result' })), contextNow())
  },

  /**
   * A step of an operation, proposed and measured on what lies below it.
   *
   * @param before  The steps that come before it.
   * @param areas   Zones in place of the treatment's: one that is being changed.
   */
  makeStep(id: string, name: string, settings: Settings, before: readonly OperationStep[], options: StepOptions, areas?: readonly Area[]): Promise<OperationStep> {
    const chain = areas ? new Chain({ ...picture.original, profile: picture.about.profile }, { operations: before, areas }, null) : chainOf(before, `${mendedState}  `)
    return withTiles(() => makeOperationStep(id, name, settings, chain.survey(options.zone, readMended), contextNow(), options), MEASURED_AROUND)
  },

  /** How far the step of an operation gives itself away. @param before  The steps that come before it. */
  areaTelltales(step: OperationStep, before: readonly OperationStep[]): Promise<AreaTelltales> {
    const [below, above] = [chainOf(before, `${mendedState}  `), chainOf([...before, step], `${mendedState}  `)]
    return withTiles(() => measureAreaStep(below.survey(step.zone, readMended), above.survey(step.zone, readMended), contextNow()), MEASURED_AROUND)
  },

  /** Zones that Fennip proposes for the picture as mended. */
  async proposeZones(): Promise<ZoneProposal[]> {
    const level = smallLevel()
    const size = levelSize(picture.original.width, picture.original.height, level)
    return proposeZones(toFloat(await pixelsOf({ x: 0, y: 0, ...size }, level, { show: 'result' })), 2 ** level, contextNow())
  },

  /** Shares of the picture that zones cover, by their identifiers. */
  async zoneShares(areas: readonly Area[]): Promise<Record<string, number>> {
    const level = Math.min(picture.levels - 1, smallLevel() + 1)
    const size = levelSize(picture.original.width, picture.original.height, level)
    const region = { x: 0, y: 0, ...size }
    const shares: Record<string, number> = {}
    for (const area of areas) shares[area.id] = await withTiles(() => coverOf(area, region, level).reduce((sum, value) => sum + value, 0) / (size.width * size.height))
    return shares
  },

  /** Share of the picture that steps of Rebuild draw. */
  drawnShare(operations: readonly OperationStep[]): number {
    return drawnShare(operations, picture.original, smallLevel())
  },

  /** Samples under a place, before and after: encoded values, CIE L*a*b* and density. */
  async sample(x: number, y: number, operations: readonly OperationStep[]): Promise<{ before: Sampled; after: Sampled } | null> {
    const at = { x: Math.floor(x), y: Math.floor(y), width: 1, height: 1 }
    if (at.x < 0 || at.y < 0 || at.x >= picture.original.width || at.y >= picture.original.height) return null
    const view: View = { lens: 'plain', strength: 0, show: 'result', operations }
    const before = await pixelsOf(at, 0, view)
    const after = await seenPixels(at, 0, view)
    return { before: sampled(toFloat(before)), after: sampled(after.data instanceof Float32Array ? (after as FloatRaster) : toFloat(after as IntegerRaster)) }
  },

  /** Bytes of the delivered picture over a region, to compare with what is written. */
  async deliveredBytes(region: Region, depth: 8 | 16): Promise<Uint8Array> {
    const pixels = await seenPixels(region, 0, { lens: 'plain', strength: 0, show: 'result', delivered: true })
    const { data } = pixels.data instanceof Float32Array ? rounded(pixels as FloatRaster, depth) : pixels
    return new Uint8Array(data.buffer as ArrayBuffer, data.byteOffset, data.byteLength)
  },

  /** Bytes of the result over a region, to compare with the server's. */
  async resultBytes(region: Region): Promise<Uint8Array> {
    const pixels = await pixelsOf(region, 0, { show: 'original' })
    for (const patch of patches) layOver(pixels, region, patch)
    return new Uint8Array(pixels.data.buffer, pixels.data.byteOffset, pixels.data.byteLength)
  },
}

export type PixelWorker = typeof worker

expose(worker)
