import type { IntegerRaster, Region } from '@fennip/core/raster/raster.js'
import { expose, type Exposure, type Light } from '@fennip/demo/photograph.js'
import { animalAndBuildingPhotographs, groundPhotographs, halvesOf, sightPhotographs, unseenPhotographs, type Photograph } from '../open-photographs.js'
import { changedAt, PAPERS, tornPrint } from '../scenes.js'

/** Scans of prints with losses, tears or stains put on, and the pictures to put them on that no judge of areas learned from. */

/** Photographs that nothing was learned from; of walls and grounds from edge to edge it is said that they are. */
export async function unlearnedPhotographs(): Promise<(Photograph & { readonly surface: boolean })[]> {
  const scenes = [...(await unseenPhotographs()), ...(await sightPhotographs()), ...halvesOf(await animalAndBuildingPhotographs()).unseen]
  const surfaces = halvesOf(await groundPhotographs()).unseen
  return [...scenes.map((one) => ({ ...one, surface: false })), ...surfaces.map((one) => ({ ...one, surface: true }))]
}

export const exposureOf = (seed: number): Exposure => ({ electrons: 6000, readNoise: 6, grainSize: 0, depth: 8, seed })

/** A faded print on white paper with so many tears and losses. */
export const fadedPrint = (light: Light, seed: number, damage: { readonly tears: number; readonly losses: number }) => tornPrint(light, seed, { ...damage, things: 0, age: 'faded', exposure: 1, paper: PAPERS[0]!, roughness: 1, corner: 0 })

/** What a damaged print has of damage that stands for itself: a tear, or a loss at a corner. */
export const loneDamage = (seed: number) => (seed % 2 === 0 ? { tears: 0, losses: 1 } : { tears: 1, losses: 0 })

export interface ScannedPrint {
  readonly clean: IntegerRaster
  readonly damaged: IntegerRaster
  /** Of its pixels, 1 where it is damaged. */
  readonly mask: Uint8Array
  readonly extent: Region
}

export function scanned({ print, hurt }: { readonly print: Light; readonly hurt: Light }, exposure: Exposure): ScannedPrint {
  const mask = Uint8Array.from({ length: print.width * print.height }, (_value, i) => (changedAt(print, hurt, i) ? 1 : 0))
  const { clean, damaged } = expose(print, hurt, exposure)
  return { clean, damaged, mask, extent: { x: 0, y: 0, width: print.width, height: print.height } }
}

/** What is found is damage when more than half of it is. */
export const isDamage = (inside: Uint8Array, mask: Uint8Array): boolean => sumOf(inside, mask) > 0.5 * sumOf(inside)

export function sumOf(inside: Uint8Array, within?: Uint8Array): number {
  let sum = 0
  for (let i = 0; i < inside.length; i++) if (inside[i] && (!within || within[i])) sum++
  return sum
}
