import { findFlaws } from '@fennip/core/find/find.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { insideOutline, type Outline } from '@fennip/core/shape/shape.js'
import { addMoire, copyLight, wipeOut, type ProcessedPlace } from '@fennip/demo/damage.js'
import { expose } from '@fennip/demo/photograph.js'
import { animalAndBuildingPhotographs, furtherPhotographs, groundPhotographs, halvesOf, openPhotographs, sightPhotographs, type Photograph } from './open-photographs.js'
import { FRAME, greyOf, PRINT, sceneOf, throughJpeg, type ExposedScene } from './scenes.js'
import type { Claim } from './truth.js'

/** What processing leaves in a picture, as Fennip tells it apart. */
export const PROCESSED_KINDS = ['flat', 'smudge', 'moire'] as const
export type ProcessedKind = (typeof PROCESSED_KINDS)[number]

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
}

/**
 * A scene with smudges of 8 to 18 px radius or flat patches of 45 to 140, smoothed over by a mean of 3 x 3 to 7 x 7, or with moire
 * of waves from 2.4 to 10 px, from hardly to plainly visible; at even seeds as cameras keep pictures, which takes grain too.
 */
export async function processedScene(kind: ProcessedKind, { light, exposure }: ExposedScene, seed: number): Promise<ProcessedScene> {
  const { clean, damaged, places } = asProcessed(kind, { light, exposure }, seed)
  const inJpeg = seed % 2 === 0 && exposure.depth === 8
  return inJpeg ? { clean: await throughJpeg(clean), damaged: await throughJpeg(damaged), places } : { clean, damaged, places }
}

function asProcessed(kind: ProcessedKind, { light, exposure }: Pick<ExposedScene, 'light' | 'exposure'>, seed: number): ProcessedScene {
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

/** What was found of a kind. @property shape  For what was missed to be counted by. */
export interface ProcessedClaim extends Claim {
  readonly weight: number
  readonly shape: Outline
}

/** A find is real when more than half of it lies in places that were processed, or more than half of such a place in it. */
export function claimsOf(kind: ProcessedKind, raster: IntegerRaster, depth: 8 | 16, places: readonly ProcessedPlace[]): ProcessedClaim[] {
  const extent = { x: 0, y: 0, width: raster.width, height: raster.height }
  const finds = findFlaws(rasterSource(raster), makeTransfer({ type: 'srgb' }, depth), { kinds: [kind === 'moire' ? 'moire' : 'flat'], falseFinds: 3 })
  return finds.filter((find) => find.kind === kind).map(({ shape, weight, confidence }) => {
    let [inside, hit] = [0, 0]
    const ofPlaces = places.map(() => 0)
    insideOutline(shape as Outline, extent).forEach((covered, i) => {
      if (!covered) return
      inside++
      const [x, y] = [(i % raster.width) + 0.5, Math.floor(i / raster.width) + 0.5]
      const at = places.findIndex((place) => Math.hypot(x - place.x, y - place.y) < place.r)
      if (at < 0) return
      hit++
      ofPlaces[at]!++
    })
    return { shape: shape as Outline, weight, confidence, real: hit > 0.5 * inside || places.some(({ r }, k) => ofPlaces[k]! > 0.5 * Math.PI * r * r) }
  })
}
