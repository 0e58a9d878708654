import { wrap, type Remote } from 'comlink'
import { levelSize } from '@fennip/core/raster/pyramid.js'
import type { Picture, Shown } from '../shared/api.js'
import { screenGamut } from '../shared/screen.js'
import type { PixelWorker } from '../workers/pixels.worker.js'

let worker: Remote<PixelWorker> | null = null
let last: Promise<unknown> = Promise.resolve()

/** The smallest level of a picture, in true colours; one worker paints them one after another. */
export function paintThumbnail(picture: Shown): Promise<ImageBitmap> {
  worker ??= wrap<PixelWorker>(new Worker(new URL('../workers/pixels.worker.ts', import.meta.url), { type: 'module' }))
  const painter = worker
  const turn = last.then(async () => {
    await painter.open(JSON.parse(JSON.stringify(picture)) as Picture, screenGamut())
    const level = picture.levels - 1
    const { width, height } = levelSize(picture.original.width, picture.original.height, level)
    return painter.paintPart(level, { x: 0, y: 0, width, height }, { lens: 'plain', strength: 0, show: 'original' })
  })
  last = turn.catch(() => undefined)
  return turn
}
