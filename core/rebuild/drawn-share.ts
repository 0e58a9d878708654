import type { Size } from '../operations/operation.js'
import { levelSize } from '../raster/pyramid.js'
import type { OperationStep } from '../treatment/schema.js'
import { drawnCover } from './draw.js'
import { layStroke, type DrawnStroke } from './strokes.js'

/** What covers less is not counted as drawn. */
const SEEN = 0.02
/** A larger share is to be said to whoever gets the picture; how large is our choice, no published rule is known to us. */
export const MUCH_DRAWN = 0.01

/** Share of a picture that is drawn by steps of the stage Rebuild, 0..1, looked at on a smaller level. */
export function drawnShare(steps: readonly OperationStep[], picture: Size, level: number): number {
  const size = levelSize(picture.width, picture.height, level)
  const region = { x: 0, y: 0, ...size }
  const drawn = new Uint8Array(size.width * size.height)
  for (const { stage, enabled, operation, settings, strength } of steps) {
    if (stage !== 'rebuild' || !enabled || strength === 0) continue
    let cover: Float32Array
    if (operation === 'draw') cover = drawnCover(settings.strokes as DrawnStroke[], region, level)
    else {
      cover = new Float32Array(drawn.length)
      layStroke({ points: settings.points as number[][], widthPx: Number(settings.widthPx), opacity: 100, hardness: 50, pen: 'opacity' }, region, 2 ** level, cover)
    }
    for (let i = 0; i < drawn.length; i++) if (cover[i]! * strength > SEEN) drawn[i] = 1
  }
  return drawn.reduce((sum, value) => sum + value, 0) / drawn.length
}
