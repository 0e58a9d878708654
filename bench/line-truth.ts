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

/** Which places of a picture lie on which line: asked for a point, the lines within `reach` pixels. */
export class LinePlaces {
  private readonly cells = new Map<number, { x: number; y: number; line: number }[]>()

  constructor(lines: readonly (readonly (readonly [number, number])[])[], private readonly reach: number) {
    lines.forEach((path, line) => {
      for (let k = 0; k < path.length; k++) {
        const [ax, ay] = path[Math.max(0, k - 1)]!
        const [bx, by] = path[k]!
        // Points of a find lie further apart than those of the truth.
        const steps = Math.max(1, Math.ceil(Math.hypot(bx - ax, by - ay)))
        for (let t = 1; t <= steps; t++) this.put(ax + ((bx - ax) * t) / steps, ay + ((by - ay) * t) / steps, line)
      }
    })
  }

  private key(x: number, y: number): number {
    return Math.floor(y / this.reach) * 100003 + Math.floor(x / this.reach)
  }

  private put(x: number, y: number, line: number): void {
    const key = this.key(x, y)
    const list = this.cells.get(key)
    if (list) list.push({ x, y, line })
    else this.cells.set(key, [{ x, y, line }])
  }

  near(x: number, y: number): number {
    let best = -1
    let nearest = this.reach
    for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) for (const point of this.cells.get(this.key(x + dx * this.reach, y + dy * this.reach)) ?? []) {
      const distance = Math.hypot(point.x - x, point.y - y)
      if (distance < nearest) {
        nearest = distance
        best = point.line
      }
    }
    return best
  }
}

/** Share of a path's points that lie within 4 pixels of the given lines. */
export function shareOn(path: readonly (readonly [number, number])[], places: LinePlaces): number {
  return path.filter(([x, y]) => places.near(x, y) >= 0).length / Math.max(1, path.length)
}

export const linesOf = (flaws: readonly TrueFlaw[]) => flaws.filter((flaw) => flaw.path && flaw.path.length > 20)

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
