import { joinPieces } from '@fennip/core/find/join-lines.js'
import { linePieces, type LinePiece } from '@fennip/core/find/lines.js'
import { searchTiles, tileSurroundings } from '@fennip/core/find/find.js'
import { colourLook } from '@fennip/core/find/colour.js'
import { logLight } from '@fennip/core/find/log-light.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { addFolds, addHairs, addScratches, copyLight, type TrueFlaw } from '@fennip/demo/damage.js'
import { expose } from '@fennip/demo/photograph.js'
import { furtherPhotographs } from './open-photographs.js'
import { demoScenes, FRAME, sceneOf } from './scenes.js'

/** All lines of a picture before they are judged. */
export function allLines(picture: IntegerRaster, depth: 8 | 16): LinePiece[] {
  const transfer = makeTransfer({ type: 'srgb' }, depth)
  const source = rasterSource(picture)
  return joinPieces(searchTiles(source.width, source.height).flatMap((tile) => {
    const around = tileSurroundings(tile, source.width, source.height)
    const pixels = source.read(around)
    return linePieces(logLight(pixels, transfer), colourLook(pixels, transfer), around, tile)
  }))
}

/** A picture with lines put on, or none, and the truth about them. */
export interface LineScene {
  readonly name: string
  /** A camera's: no scratches and folds, and wires may really be there. */
  readonly frame: boolean
  readonly picture: IntegerRaster
  readonly depth: 8 | 16
  readonly flaws: readonly TrueFlaw[]
}

/** Every so many seeds, pictures are left without damage. */
const CLEAN = 3

/** Scratches, hairs and folds on the demo's scenes and on photographs, and every third time the same scenes without. */
export async function lineScenes(seed: number): Promise<LineScene[]> {
  const { station, pylon, shaft } = await demoScenes()
  const photographs = (await furtherPhotographs()).map(({ name, raster }) => ({ name, light: sceneOf(raster, makeTransfer({ type: 'srgb' }, 8), Infinity), exposure: FRAME }))
  const scenes = [station, pylon, shaft, ...photographs].map((scene) => ({ ...scene, frame: scene === pylon }))
  return scenes.map(({ name, frame, light, exposure }, i) => {
    const hurt = copyLight(light)
    const scale = (light.width * light.height) / 15e6
    const own = seed + 7 * i
    const flaws = seed % CLEAN === 0 ? [] : [
      ...(frame ? [] : addScratches(hurt, { count: Math.max(3, Math.round(26 * scale)), seed: own })),
      ...addHairs(hurt, { count: Math.max(2, Math.round(16 * scale)), width: [1, 3.5], depth: [0.08, 0.8], tone: frame ? 'dark' : 'both', seed: own + 1 }),
      ...(frame ? [] : addFolds(hurt, { count: light.width > 2000 ? 3 : seed % 2, width: 5, seed: own + 2 })),
    ]
    return { name, frame, picture: expose(light, hurt, { ...exposure, seed: own }).damaged, depth: exposure.depth, flaws }
  })
}
