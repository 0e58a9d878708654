import { randomUUID } from 'node:crypto'
import { receiveMessageOnPort, type MessagePort } from 'node:worker_threads'
import { checkWhole, readHeader, readPicture, type PictureHeader, type ReadLimits } from '@fennip/codec/read.js'
import { findInTile, findLines, settleFinds, tileSurroundings } from '@fennip/core/find/find.js'
import { findInWhole, type WholeKind } from '@fennip/core/find/whole-kinds.js'
import { joinFinds } from '@fennip/core/find/join-finds.js'
import type { Find, FindOptions, TileFinds, TileMeasures } from '@fennip/core/find/finds.js'
import type { LineFind } from '@fennip/core/find/line-judging/line-kinds.js'
import { levelCount } from '@fennip/core/raster/pyramid.js'
import type { Region } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import type { Mended } from '@fennip/core/check/mended.js'
import { makePatches, type Patch } from '@fennip/core/mend/patches/patch.js'
import { guardsOf } from '@fennip/core/mend/picture/guards.js'
import { areShadows } from '@fennip/core/mend/picture/company.js'
import { mendAll } from '@fennip/core/mend/picture/mend-all.js'
import type { ExpectedShadow } from '@fennip/core/mend/lift/fit-shadow.js'
import { placeMarks, type PlacedMark } from '@fennip/core/series/apply-chart.js'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import { tellMedium, type Medium } from '@fennip/core/find/judging/medium.js'
import { measureMark, type ExpectedMark, type MarkMeasure } from '@fennip/core/series/measure-mark.js'
import type { Placement } from '@fennip/core/series/placement.js'
import type { Plan, Step, Treatment } from '@fennip/core/treatment/schema.js'
import type { Settings } from '../settings.js'
import { keptPatches, writePatches } from '../storage/patches.js'
import { mendableBase, openBase } from '../storage/base.js'
import { openStorage, originalKey, type Storage } from '../storage/storage.js'
import { makeTiles } from '../storage/tiles.js'
import { tellProgress } from './tell-progress.js'

/** Heavy computation, run in threads so that heartbeats and requests go on. */

/** Where files are kept, as a thread is told. */
export type Where = Pick<Settings, 'storage' | 'cacheFolder'>
export const storageAt = (where: Where) => openStorage(where.storage, where.cacheFolder)
const baseAt = (where: Where, sha256: string) => openBase(storageAt(where), sha256)

/** What a file says of its picture, as it is kept in the database. */
export type FileSays = Pick<PictureHeader, 'format' | 'width' | 'height' | 'channels' | 'depth' | 'profile' | 'camera' | 'hasAlpha' | 'pages' | 'notes'> & { readonly resolutionPerInch: number | null }
/** And what the picture itself says besides. */
export type TakenIn = FileSays & { readonly medium: Medium }

const fileSays = ({ format, width, height, channels, depth, profile, camera, hasAlpha, pages, notes, metadata }: PictureHeader): FileSays =>
  ({ format, width, height, channels, depth, profile, camera, hasAlpha, pages, notes, resolutionPerInch: metadata.resolutionPerInch })

/** Look at a file without its pixels. @throws {ProblemError} when it cannot be used. */
export async function lookAt({ path, name, limits }: { path: string; name: string; limits: ReadLimits }): Promise<FileSays> {
  return fileSays(await readHeader(path, name, limits))
}

/** Decode an original whole and cut it into tiles. */
export async function takeIn({ where, sha256, name, limits, port }: { where: Where; sha256: string; name: string; limits: ReadLimits; port: MessagePort }): Promise<TakenIn> {
  const storage = storageAt(where)
  const tell = tellProgress(port)
  const path = await storage.localFile(originalKey(sha256))
  await checkWhole(path, name)
  tell(0.1)
  const { header, pixels } = await readPicture(path, name, limits)
  tell(0.3)
  const says = fileSays(header)
  const medium = tellMedium({ ...says, pixels })
  const { width, height, channels, depth, profile } = header
  await makeTiles(storage, sha256, pixels, makeTransfer(profile.curve, depth), { width, height, channels, depth, profile }, (share) => tell(0.3 + 0.7 * share))
  port.close()
  return { ...says, medium }
}

/**
 * Search one tile of an original.
 *
 * @param ended  Its one number is not 0 when nobody waits for the search any more: what still stands in line is passed over then.
 */
export async function searchTile({ where, sha256, tile, options, ended }: { where: Where; sha256: string; tile: Region; options: FindOptions; ended: Int32Array }): Promise<TileFinds> {
  if (Atomics.load(ended, 0) !== 0) return { discs: [], pieces: [] }
  const { source, transfer } = await baseAt(where, sha256)
  const surroundings = tileSurroundings(tile, source.width, source.height)
  return findInTile(source.read(surroundings), surroundings, tile, transfer, options, source)
}

type Size = { readonly width: number; readonly height: number }

/** Find what is of a kind in the whole picture, from what was measured in its tiles. */
export function searchWhole({ kind, tiles, size }: { kind: WholeKind; tiles: readonly TileMeasures[]; size: Size }): Find[] {
  return findInWhole(kind, tiles, size)
}

/** Join the pieces of lines of all tiles. */
export function searchLines({ tiles, options, size }: { tiles: readonly Pick<TileFinds, 'pieces'>[]; options: FindOptions; size: Size }): LineFind[] {
  return findLines(tiles, options, size)
}

/** Put together what was found side by side. */
export function joinSearch({ tiles, lines, whole, size }: { size: Size; tiles: readonly Pick<TileFinds, 'discs'>[]; lines: readonly LineFind[]; whole: readonly Find[] }): Find[] {
  return settleFinds(joinFinds(tiles, lines, whole), size)
}

/** Measure what an original shows at places where marks are expected. */
export async function measurePlaces({ where, sha256, places }: { where: Where; sha256: string; places: readonly ExpectedMark[] }): Promise<(MarkMeasure | null)[]> {
  const { source, transfer } = await baseAt(where, sha256)
  return places.map((place) => measureMark(source, transfer, place))
}

/** Measure every mark of a chart in an original. */
export async function placeChart({ where, sha256, chart, aperture, placement }: { where: Where; sha256: string; chart: SensorChart; aperture: number | null; placement: Placement }): Promise<PlacedMark[]> {
  const { source, transfer } = await baseAt(where, sha256)
  return placeMarks(chart, source, transfer, aperture, placement)
}

/** Choose mends for open flaws of a treatment and keep their patches; of some the shadow is known from elsewhere. */
export async function mendOpenFlaws({ where, treatment, only, expected, port }: { where: Where; treatment: Treatment; only: readonly string[]; expected: Readonly<Record<string, ExpectedShadow>>; port: MessagePort }): Promise<Step[]> {
  const storage = storageAt(where)
  const base = await baseAt(where, treatment.original.sha256)
  const picture = mendableBase(base)
  for (const patch of await patchesOf(storage, treatment)) picture.lay(patch)
  const wanted = new Set(only)
  const open = treatment.flaws.filter(({ id }) => wanted.has(id))
  const mended = new Set(treatment.steps.map(({ flaw }) => flaw))
  const beside = treatment.flaws.filter(({ id, state }) => state === 'open' && !wanted.has(id) && !mended.has(id))
  const made = new Map<string, Mended>()
  const steps = mendAll(picture, base.transfer, open, { guards: guardsOf(treatment), beside, areShadows: areShadows(base.source, base.transfer, treatment.flaws), expected: ({ id }) => (Object.hasOwn(expected, id) ? expected[id] : undefined), id: () => `m-${randomUUID().slice(0, 13)}` }, (step, done, pixelsOfStep) => {
    made.set(step.id, pixelsOfStep)
    port.postMessage(done / open.length)
    // Mending leaves no room for events, so the wish to stop is asked for.
    return receiveMessageOnPort(port) === undefined
  })
  port.close()
  await patchesOf(storage, { ...treatment, steps: [...treatment.steps, ...steps] }, made)
  return steps
}

/** Make and keep the patches of a treatment. @returns Keys by step. */
export async function keepPatches({ where, treatment }: { where: Where; treatment: Treatment }): Promise<Record<string, string>> {
  const patches = await patchesOf(storageAt(where), treatment)
  return Object.fromEntries(patches.map((patch, i) => [treatment.steps[i]!.id, patch.key]))
}

/** @param made  What steps make of the picture, by their identifiers, where they were carried out already. */
export async function patchesOf(storage: Storage, plan: Plan, made?: ReadonlyMap<string, Mended>): Promise<Patch[]> {
  const { original } = plan
  const { source, transfer } = await openBase(storage, original.sha256)
  const kept = await keptPatches(storage, plan)
  const fresh: Patch[] = []
  const patches = makePatches(source, transfer, plan, levelCount(original.width, original.height), {
    get: (key) => kept.get(key),
    set: (patch) => void fresh.push(patch),
    made: ({ id }) => made?.get(id),
  })
  await writePatches(storage, fresh)
  return patches
}
