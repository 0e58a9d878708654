import { wrap, type Remote } from 'comlink'
import type { Region } from '@fennip/core/raster/raster.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'
import type { Picture } from '../shared/api.js'
import type { PixelWorker, View } from './pixels.worker.js'

/** The workers of one open picture: one makes mends, all paint. */
export class PixelPool {
  private readonly threads: Worker[]
  private readonly workers: Remote<PixelWorker>[]
  private next = 0

  constructor(count = Math.max(2, Math.min(4, navigator.hardwareConcurrency))) {
    this.threads = Array.from({ length: count }, () => new Worker(new URL('./pixels.worker.ts', import.meta.url), { type: 'module' }))
    this.workers = this.threads.map((thread) => wrap<PixelWorker>(thread))
  }

  /** The one that makes mends. */
  get mender(): Remote<PixelWorker> {
    return this.workers[0]!
  }

  async open(picture: Picture): Promise<void> {
    const plain = JSON.parse(JSON.stringify(picture)) as Picture
    await Promise.all(this.workers.map((worker) => worker.open(plain)))
  }

  /** Bring all workers to a treatment. */
  async update(treatment: Treatment, askServer: boolean): Promise<void> {
    const { keys, fresh } = await this.mender.update(treatment, askServer)
    await Promise.all(this.workers.slice(1).map((worker) => worker.take(keys, fresh)))
  }

  paintTile(level: number, column: number, row: number, view: View): Promise<ImageBitmap> {
    // The same tile goes to the same worker, which has it at hand.
    return this.workers[(column + row + level) % this.workers.length]!.paintTile(level, column, row, view)
  }

  paintCrop(region: Region, view: View): Promise<ImageBitmap> {
    // Crops keep off the mender, so that a mend in hand is not held up.
    const painters = this.workers.length > 1 ? this.workers.slice(1) : this.workers
    this.next = (this.next + 1) % painters.length
    return painters[this.next]!.paintCrop(region, view)
  }

  end(): void {
    for (const thread of this.threads) thread.terminate()
  }
}
