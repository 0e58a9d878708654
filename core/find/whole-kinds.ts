import { SampleTable } from '../kernels/samples/samples.js'
import type { IntegerRaster, Plane, Region } from '../raster/raster.js'
import { distanceAt, type Outline } from '../shape/shape.js'
import type { SearchKind } from '../treatment/schema.js'
import { cellsOfTile } from './areas/cells.js'
import { findLosses } from './areas/losses.js'
import { findStains } from './areas/stains.js'
import type { Find, Size, TileMeasures } from './finds.js'
import { flatPatches, GRAIN_BLOCK, grainBlocks } from './fine/flat.js'
import { findMoire, screensOfTile } from './fine/moire.js'
import { findSmudges, fineDetailOfTile } from './fine/smudges.js'

/** Kinds that are told by the whole picture, each by itself; they are few: their false finds are not counted by the megapixel. */
export const WHOLE_KINDS = ['stain', 'loss', 'flat', 'moire'] as const
export type WholeKind = (typeof WHOLE_KINDS)[number]

/** Kinds that are found where they lie, and those that the whole picture tells. */
export function splitKinds(kinds: readonly SearchKind[]): { placed: readonly SearchKind[]; whole: readonly WholeKind[] } {
  return {
    placed: kinds.filter((kind) => !(WHOLE_KINDS as readonly SearchKind[]).includes(kind)),
    whole: WHOLE_KINDS.filter((kind) => kinds.includes(kind)),
  }
}

/** What the kinds need that only the whole picture tells. */
export function measureTile(pixels: IntegerRaster, plane: Plane | null, surroundings: Region, tile: Region, kinds: readonly WholeKind[]): TileMeasures {
  const samples = kinds.some((kind) => kind !== 'moire') ? new SampleTable(pixels) : null
  return {
    ...(samples && kinds.includes('flat') ? { grain: grainBlocks(samples, surroundings, tile), fine: fineDetailOfTile(samples, surroundings, tile) } : {}),
    ...(samples && (kinds.includes('loss') || kinds.includes('stain')) ? { cells: cellsOfTile(samples, surroundings, tile) } : {}),
    ...(plane && kinds.includes('moire') ? { screens: screensOfTile(plane, surroundings, tile) } : {}),
  }
}

/** What one kind needs of a tile. */
export function measuresFor(kind: WholeKind, { cells, grain, fine, screens }: TileMeasures): TileMeasures {
  switch (kind) {
    case 'loss': case 'stain': return cells ? { cells } : {}
    case 'flat': return grain && fine ? { grain, fine } : {}
    case 'moire': return screens ? { screens } : {}
  }
}

/** Find what is of a kind in the whole picture. */
export function findInWhole(kind: WholeKind, tiles: readonly TileMeasures[], size: Size): Find[] {
  switch (kind) {
    case 'loss': return findLosses(tiles.flatMap(({ cells }) => cells ?? []), size)
    case 'stain': return findStains(tiles.flatMap(({ cells }) => cells ?? []), size)
    case 'flat': return findFlatAndSmudges(tiles, size)
    case 'moire': return findMoire(tiles.flatMap(({ screens }) => screens ?? []), size)
  }
}

function findFlatAndSmudges(tiles: readonly TileMeasures[], size: Size): Find[] {
  const flat = flatPatches(tiles.flatMap(({ grain }) => grain ?? []), size)
  // A flat patch is told by whole blocks: what is left of it beside them is no smudge of its own.
  const besideFlat = (shape: Outline): boolean => flat.some((patch) => shape.points.some(([x, y]) => distanceAt(patch.shape, x, y) < GRAIN_BLOCK))
  return [...flat, ...findSmudges(tiles.flatMap(({ fine }) => fine ?? []), size).filter(({ shape }) => !besideFlat(shape))]
}
