import sharp from 'sharp'
import { joinPieces } from '@fennip/core/find/lines/join-lines.js'
import { linePieces, type LinePiece } from '@fennip/core/find/lines/lines.js'
import { searchTiles, tileSurroundings } from '@fennip/core/find/find.js'
import { ColourLook } from '@fennip/core/find/discs/colour.js'
import { logLight } from '@fennip/core/raster/log-light.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { makeRandom } from '@fennip/core/random.js'
import { addDust, addHairs, addScratches, addSpecks, copyLight, type TrueFlaw } from '@fennip/demo/damage.js'
import { addFolds } from '@fennip/demo/print-damage.js'
import { between, expose } from '@fennip/demo/photograph.js'
import { furtherPhotographs, groundPhotographs } from '../open-photographs.js'
import { demoScenes, FRAME, sceneOf, throughJpeg } from '../scenes.js'

/** All lines of a picture before they are judged. */
export function allLines(picture: IntegerRaster, depth: 8 | 16): LinePiece[] {
  const transfer = makeTransfer({ type: 'srgb' }, depth)
  const source = rasterSource(picture)
  return joinPieces(searchTiles(source.width, source.height).flatMap((tile) => {
    const around = tileSurroundings(tile, source.width, source.height)
    const pixels = source.read(around)
    return linePieces(logLight(pixels, transfer), new ColourLook(pixels, transfer), around, tile)
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

/**
 * A photograph turned, mirrored, smaller and softer as a seed says. Of brick there are few pictures, and what is learned from
 * joints that run level in all of them says nothing of those that run up with the scratches.
 */
export async function seenOtherwise({ width, height, channels, data }: IntegerRaster, seed: number): Promise<IntegerRaster> {
  const random = makeRandom(seed)
  const size = Math.max(between(random, 0.55, 1), Math.min(1, LEAST_SIDE / Math.min(width, height)))
  const seen = sharp(data, { raw: { width, height, channels: channels as 3 } }).flop(random.uniform() < 0.5).resize({ width: Math.round(size * width) })
  const softness = between(random, -1, 1)
  const turned = sharp(await (softness > LEAST_BLUR ? seen.blur(softness) : seen).png({ compressionLevel: 0 }).toBuffer()).rotate(90 * Math.floor(between(random, 0, 4)))
  const { data: pixels, info } = await turned.raw().toBuffer({ resolveWithObject: true })
  return { width: info.width, height: info.height, channels: 3, data: new Uint8Array(pixels) }
}

/** Pixels that the shorter side of a photograph keeps. */
const LEAST_SIDE = 480
/** Deviation in pixels of the least blur that the image library makes. */
const LEAST_BLUR = 0.3

/** Every so many seeds, pictures are left without damage. */
const CLEAN = 3

/**
 * Scratches, hairs and folds, and among them dust and specks, on the demo's scenes and on photographs, and every third time the
 * same scenes without. Half of the frames are as cameras keep them.
 */
export async function lineScenes(seed: number): Promise<LineScene[]> {
  const { station, pylon, shaft } = await demoScenes()
  const known = [...(await furtherPhotographs()), ...(await groundPhotographs())]
  const photographs = await Promise.all(known.map(async ({ name, raster }, i) => ({ name, light: sceneOf(await seenOtherwise(raster, seed + 7 * i), makeTransfer({ type: 'srgb' }, 8), Infinity), exposure: FRAME })))
  const scenes = [station, pylon, shaft, ...photographs].map((scene) => ({ ...scene, frame: scene === pylon }))
  return Promise.all(scenes.map(async ({ name, frame, light, exposure }, i) => {
    const hurt = copyLight(light)
    const scale = (light.width * light.height) / 15e6
    const own = seed + 7 * i
    const flaws = seed % CLEAN === 0 ? [] : [
      ...(frame ? [] : addScratches(hurt, { count: Math.max(3, Math.round(26 * scale)), seed: own })),
      ...addHairs(hurt, { count: Math.max(2, Math.round(16 * scale)), width: [1, 3.5], depth: [0.08, 0.8], tone: frame ? 'dark' : 'both', seed: own + 1 }),
      ...(frame ? [] : addFolds(hurt, { count: light.width > 2000 ? 3 : seed % 2, width: 5, seed: own + 2 })),
      ...(own % 2 === 0 ? [] : [
        ...addDust(hurt, { count: Math.ceil(60 * scale), radius: [5, 24], depth: [0.02, 0.42], seed: own + 3 }),
        ...addSpecks(hurt, { count: Math.ceil(240 * scale), radius: [1.2, 7], seed: own + 4 }),
      ]),
    ]
    const { damaged } = expose(light, hurt, { ...exposure, seed: own })
    return { name, frame, picture: exposure.depth === 8 && (seed + i) % 2 === 0 ? await throughJpeg(damaged) : damaged, depth: exposure.depth, flaws }
  }))
}
