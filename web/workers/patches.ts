import { decisionsOf } from '@fennip/core/mend/methods.js'
import { unpackPatch } from '@fennip/core/mend/patches/patch-code.js'
import { patchKeys } from '@fennip/core/mend/patches/patch-keys.js'
import { layPatchesOverTile, makePatch, patchedSource, pasteTiles, type Patch } from '@fennip/core/mend/patches/patch.js'
import { levelSize, TILE_SIZE, tileRegion } from '@fennip/core/raster/pyramid.js'
import { clipRegion, makeRaster, type IntegerRaster, type PixelSource, type Region } from '@fennip/core/raster/raster.js'
import { applyEdit, emptyTreatment } from '@fennip/core/treatment/edit.js'
import type { Operation, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { picture, transfer } from './opened.js'
import { sourceOf, tile, withTiles } from './tiles.js'
import type { View } from './view.js'

/** What the worker knows of the treatment. */
export let treatment: Treatment
/** Of the treatment's steps, in their order. */
export let patches: Patch[] = []
/** Counts the states of the mended picture: what stands on an older one is not used again. */
export let mendedState = 0
const known = new Map<string, Patch>()

/** Tiles may be painted before the treatment has come. */
export function forgetTreatment(): void {
  treatment = emptyTreatment(picture.original)
  patches = []
  known.clear()
}

/** Pixels of any region of a level, of the original or of the result. */
export async function pixelsOf(region: Region, level: number, { show, without, proposal }: Pick<View, 'show' | 'without' | 'proposal'>): Promise<IntegerRaster> {
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
export async function patchesSeen(without: string | undefined, proposal: Step | undefined): Promise<readonly Patch[]> {
  if (without === undefined && !proposal) return patches
  const hidden = treatment.steps.findIndex((step) => (proposal ? step.flaw === proposal.flaw : step.id === without))
  const others = patches.filter((_patch, i) => i !== hidden)
  if (!proposal) return others
  const key = `proposal ${JSON.stringify(proposal)}`
  const made = known.get(key) ?? (await withTiles(() => makePatch(patchedSource(sourceOf(), others), transfer, decisionsOf(proposal, treatment.areas), key, picture.levels)))
  known.set(key, made)
  return [...others, made]
}

/** Mended pixels of a level from the tiles at hand; `TileWanted` when one is missing. */
export function readMended(region: Region, level: number): IntegerRaster {
  const pixels = sourceOf(level).read(region)
  layPatchesOverTile(pixels, region, level, patches, transfer)
  return pixels
}

/** The picture without the mend of one step, as that step is to be made anew. */
export function surroundingsOf(without: string): PixelSource {
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
export interface Completed {
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

/** Take a whole treatment. @returns Keys of its patches in order, and those patches that are new here. */
export function loadTreatment(whole: Treatment, askServer: boolean): Promise<Completed> {
  return inTurn(() => {
    treatment = whole
    return completePatches(askServer)
  })
}

/** Make a gesture in the treatment at hand. */
export function editTreatment(operations: readonly Operation[]): Promise<Completed> {
  return inTurn(() => {
    treatment = applyEdit(treatment, operations).treatment
    return completePatches(false)
  })
}

/** Take over patches that another worker made, and the change of the treatment they belong to. */
export function takePatches(change: Treatment | readonly Operation[], keys: readonly string[], fresh: readonly Patch[]): void {
  treatment = 'format' in change ? change : applyEdit(treatment, change).treatment
  for (const patch of fresh) known.set(patch.key, patch)
  setPatches(keys.map((key) => known.get(key)).filter((patch): patch is Patch => patch !== undefined))
}
