import { wrap, type Remote } from 'comlink'
import type { Region } from '@fennip/core/raster/raster.js'
import type { Patch } from '@fennip/core/mend/patches/patch.js'
import type { Operation, Treatment } from '@fennip/core/treatment/schema.js'
import type { Picture } from '../shared/api.js'
import { screenGamut } from '../shared/screen.js'
import type { PixelWorker } from './pixels.worker.js'
import type { View } from './view.js'

/** Level of the pyramid (0 is full size), column and row of a tile. */
export interface TilePlace {
  readonly level: number
  readonly column: number
  readonly row: number
}

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

  /** One that may be busy for long without holding up a mend. */
  get helper(): Remote<PixelWorker> {
    return this.workers.at(-1)!
  }

  async open(picture: Picture): Promise<void> {
    const plain = JSON.parse(JSON.stringify(picture)) as Picture
    await Promise.all(this.workers.map((worker) => worker.open(plain, screenGamut())))
  }

  /** Bring all workers to a treatment. */
  async load(treatment: Treatment): Promise<void> {
    await this.share(treatment, this.mender.load(treatment, true))
  }

  /** Make a gesture in the treatment that the workers have. */
  async edit(operations: readonly Operation[]): Promise<void> {
    await this.share(operations, this.mender.edit(operations))
  }

  private async share(change: Treatment | readonly Operation[], made: Promise<{ keys: string[]; fresh: Patch[] }>): Promise<void> {
    const { keys, fresh } = await made
    await Promise.all(this.workers.slice(1).map((worker) => worker.take(change, keys, fresh)))
  }

  /** A part of a tile, in pixels of its level. */
  paintTile(place: TilePlace, part: Region, view: View): Promise<ImageBitmap> {
    // The same tile goes to the same worker, which has it at hand.
    return this.workers[(place.column + place.row + place.level) % this.workers.length]!.paintPart(place.level, part, view)
  }

  paintCrop(region: Region, view: View, scale = 1): Promise<ImageBitmap> {
    // Crops keep off the mender, so that a mend in hand is not held up.
    const painters = this.workers.length > 1 ? this.workers.slice(1) : this.workers
    this.next = (this.next + 1) % painters.length
    return painters[this.next]!.paintCrop(region, view, scale)
  }

  end(): void {
    for (const thread of this.threads) thread.terminate()
  }
}
