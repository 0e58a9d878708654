import type { AreaCandidate } from '@fennip/core/find/areas/area-find.js'
import { findFlaws, findInTile, searchTiles, tileSurroundings } from '@fennip/core/find/find.js'
import { flatCandidates, GRAIN_BLOCK, grainBlocks, type BlockGrain } from '@fennip/core/find/fine/flat.js'
import { moireCandidates } from '@fennip/core/find/fine/moire.js'
import { findSmudges } from '@fennip/core/find/fine/smudges.js'
import { SampleTable } from '@fennip/core/kernels/samples/samples.js'
import { crop, rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { distanceAt, insideOutline, type Outline } from '@fennip/core/shape/shape.js'
import { addMoire, copyLight, wipeOut, type ProcessedPlace } from '@fennip/demo/damage.js'
import { expose } from '@fennip/demo/photograph.js'
import { animalAndBuildingPhotographs, furtherPhotographs, groundPhotographs, halvesOf, openPhotographs, sightPhotographs, type Photograph } from '../open-photographs.js'
import { FRAME, greyOf, PRINT, sceneOf, throughJpeg, type ExposedScene } from '../scenes.js'

/** What processing leaves in a picture, as Fennip tells it apart. */
export const PROCESSED_KINDS = ['flat', 'smudge', 'moire'] as const
export type ProcessedKind = (typeof PROCESSED_KINDS)[number]
/** Grain that is less than this share of what there was is lost: half of it, and what a block's estimate may err by. */
const LOST = 0.6

/** Of every second photograph of each sort the confidence is fitted, on the others it is measured. */
export async function halvesOfAll(): Promise<{ fittedOn: Photograph[]; others: Photograph[] }> {
  const sorts = [await furtherPhotographs(), await groundPhotographs(), await animalAndBuildingPhotographs(), await openPhotographs(), await sightPhotographs()].map(halvesOf)
  return { fittedOn: sorts.flatMap(({ learnedFrom }) => learnedFrom), others: sorts.flatMap(({ unseen }) => unseen) }
}

/** Photographs as scenes: of every third a grainy print without colour is made, of the others frames. */
export function takenScenes(photographs: readonly Photograph[]): ExposedScene[] {
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  return photographs.map(({ name, raster }, i) => {
    const light = sceneOf(raster, transfer, Infinity)
    return i % 3 === 2 ? { name, light: greyOf(light), exposure: PRINT } : { name, light, exposure: FRAME }
  })
}

/** A scene as its picture is, and as processing left it. */
export interface ProcessedScene {
  readonly clean: IntegerRaster
  readonly damaged: IntegerRaster
  readonly places: readonly ProcessedPlace[]
  /** As it was before anything took grain from it. */
  readonly grainy: IntegerRaster
}

/**
 * A scene with smudges of 8 to 18 px radius or flat patches of 45 to 140, smoothed over by a mean of 3 x 3 to 7 x 7, or with moire
 * of waves from 2.4 to 10 px, from hardly to plainly visible; at even seeds as cameras keep pictures, which takes grain too.
 */
export async function processedScene(kind: ProcessedKind, { light, exposure }: ExposedScene, seed: number): Promise<ProcessedScene> {
  const { clean, damaged, places } = asProcessed(kind, { light, exposure }, seed)
  const inJpeg = seed % 2 === 0 && exposure.depth === 8
  return { clean: inJpeg ? await throughJpeg(clean) : clean, damaged: inJpeg ? await throughJpeg(damaged) : damaged, places, grainy: clean }
}

function asProcessed(kind: ProcessedKind, { light, exposure }: Pick<ExposedScene, 'light' | 'exposure'>, seed: number): Omit<ProcessedScene, 'grainy'> {
  const pixels = light.width * light.height
  if (kind === 'moire') {
    const hurt = copyLight(light)
    const places = addMoire(hurt, { count: Math.max(1, Math.round(pixels / 1.5e6)), radius: [110, 320], length: [2.4, 10], strength: [0.008, 0.15], seed })
    return { ...expose(light, hurt, { ...exposure, seed }), places }
  }
  const { clean } = expose(light, light, { ...exposure, seed })
  const damaged = { ...clean, data: clean.data.slice() }
  const reach = 1 + (seed % 3)
  const places = kind === 'smudge'
    ? wipeOut(damaged, { count: Math.max(6, Math.round(pixels / 1e5)), radius: [8, 18], reach, seed })
    : wipeOut(damaged, { count: Math.max(1, Math.round(pixels / 6e5)), radius: [45, 140], reach, seed })
  return { clean, damaged, places }
}

/** A picture to be searched for one kind. */
export interface Searched {
  readonly kind: ProcessedKind
  readonly raster: IntegerRaster
  readonly depth: 8 | 16
}

const searchFor = (kind: ProcessedKind) => ({ kinds: [kind === 'moire' ? 'moire' as const : 'flat' as const], falseFinds: 3 })

/** What is found and shown. */
export function findsOf({ kind, raster, depth }: Searched): { readonly shape: Outline; readonly confidence: number }[] {
  return findFlaws(rasterSource(raster), makeTransfer({ type: 'srgb' }, depth), searchFor(kind)).filter((find) => find.kind === kind).map(({ shape, confidence }) => ({ shape: shape as Outline, confidence }))
}

/** What is found, however sure. */
export function candidatesOf({ kind, raster, depth }: Searched): Pick<AreaCandidate, 'shape' | 'features'>[] {
  const tiles = searchTiles(raster.width, raster.height).map((tile) => {
    const surroundings = tileSurroundings(tile, raster.width, raster.height)
    return findInTile(crop(raster, surroundings), surroundings, tile, makeTransfer({ type: 'srgb' }, depth), searchFor(kind), raster)
  })
  switch (kind) {
    case 'flat': return flatCandidates(tiles.flatMap(({ grain }) => grain ?? []), raster)
    case 'smudge': return findSmudges(tiles.flatMap(({ fine }) => fine ?? []), raster).map(({ shape, weight }) => ({ shape, features: [1, weight] }))
    case 'moire': return moireCandidates(tiles.flatMap(({ screens }) => screens ?? []), raster)
  }
}

/**
 * Whether what was found is what it is taken for. A smudge or moire is when more than half of it lies in places that were
 * processed, or more than half of such a place in it; a flat patch is when more than half of its blocks have less than .6 of the
 * grain that the picture had before: compression takes grain too.
 */
export function truthOf({ kind, raster }: Omit<Searched, 'depth'>, { places, grainy }: Pick<ProcessedScene, 'places' | 'grainy'>): (shape: Outline) => boolean {
  if (kind === 'flat') {
    const whole = { x: 0, y: 0, width: raster.width, height: raster.height }
    const [after, before] = [raster, grainy].map((one) => grainBlocks(new SampleTable(one), whole, whole)) as [BlockGrain, BlockGrain]
    const lost = (i: number) => after.deviation[i]! < LOST * before.deviation[i]!
    const middleOf = (i: number) => [((i % after.columns) + 0.5) * GRAIN_BLOCK, (Math.floor(i / after.columns) + 0.5) * GRAIN_BLOCK] as const
    return (shape) => {
      const blocks = [...after.deviation.keys()].filter((i) => distanceAt(shape, ...middleOf(i)) < 0)
      return blocks.filter(lost).length > 0.5 * blocks.length
    }
  }
  return (shape) => {
    let [inside, hit] = [0, 0]
    const ofPlaces = places.map(() => 0)
    insideOutline(shape, { x: 0, y: 0, width: raster.width, height: raster.height }).forEach((covered, i) => {
      if (!covered) return
      inside++
      const [x, y] = [(i % raster.width) + 0.5, Math.floor(i / raster.width) + 0.5]
      const at = places.findIndex((place) => Math.hypot(x - place.x, y - place.y) < place.r)
      if (at < 0) return
      hit++
      ofPlaces[at]!++
    })
    return hit > 0.5 * inside || places.some(({ r }, k) => ofPlaces[k]! > 0.5 * Math.PI * r * r)
  }
}
