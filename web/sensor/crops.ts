import { wrap, type Remote } from 'comlink'
import { overlaps, type Region } from '@fennip/core/raster/raster.js'
import { stepExtent } from '@fennip/core/mend/patches/patch-keys.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'
import type { Picture } from '../shared/api.js'
import { plain } from '../shared/plain.js'
import { screenGamut } from '../shared/screen.js'
import type { PixelWorker } from '../workers/pixels.worker.js'

/** Crops of many pictures, before and after, from a few workers that each keep the picture they last had open. */

interface Painter {
  readonly thread: Worker
  readonly worker: Remote<PixelWorker>
  picture: string
  last: Promise<unknown>
  used: number
}

const PAINTERS = 3

export class CropPainters {
  private readonly painters: Painter[] = []
  private clock = 0

  private painterFor(picture: string): Painter {
    const known = this.painters.find((painter) => painter.picture === picture)
    if (known) return known
    if (this.painters.length < PAINTERS) {
      const thread = new Worker(new URL('../workers/pixels.worker.ts', import.meta.url), { type: 'module' })
      const made: Painter = { thread, worker: wrap<PixelWorker>(thread), picture: '', last: Promise.resolve(), used: 0 }
      this.painters.push(made)
      return made
    }
    return this.painters.reduce((oldest, painter) => (painter.used < oldest.used ? painter : oldest))
  }

  /** Both crops of a region at 1:1. Only the mends that reach it are computed. */
  pair(picture: Picture, treatment: Treatment, region: Region): Promise<{ before: ImageBitmap; after: ImageBitmap }> {
    const painter = this.painterFor(picture.id)
    painter.used = ++this.clock
    const fresh = painter.picture !== picture.id
    painter.picture = picture.id
    const turn = painter.last.then(async () => {
      if (fresh) await painter.worker.open(plain(picture), screenGamut())
      const near = treatment.steps.filter((step) => overlaps(stepExtent(step, picture.original).writes, region))
      await painter.worker.load(plain({ ...treatment, steps: near }), true)
      const view = { lens: 'plain', strength: 0 } as const
      return { before: await painter.worker.paintCrop(region, { ...view, show: 'original' }), after: await painter.worker.paintCrop(region, { ...view, show: 'result' }) }
    })
    painter.last = turn.catch(() => undefined)
    return turn
  }

  end(): void {
    for (const { thread } of this.painters) thread.terminate()
    this.painters.length = 0
  }
}
