import { MessageChannel } from 'node:worker_threads'
import { fileURLToPath } from 'node:url'
import { Piscina } from 'piscina'
import type { Find, FindOptions } from '@fennip/core/find/find.js'
import type { Region } from '@fennip/core/raster/raster.js'
import type { Step, Treatment } from '@fennip/core/treatment/schema.js'

/** The heavy tasks of tasks.ts, run in threads. */
export class Threads {
  private readonly pool: Piscina

  constructor(private readonly folder: string, count: number) {
    this.pool = new Piscina({
      filename: fileURLToPath(new URL('./tasks-entry.mjs', import.meta.url)),
      minThreads: 1,
      maxThreads: count,
      idleTimeout: 60000,
    })
  }

  makePyramid(sha256: string): Promise<void> {
    return this.pool.run({ folder: this.folder, sha256 }, { name: 'makePyramid' }) as Promise<void>
  }

  searchTile(sha256: string, tile: Region, options: FindOptions): Promise<Find[]> {
    return this.pool.run({ folder: this.folder, sha256, tile, options }, { name: 'searchTile' }) as Promise<Find[]>
  }

  async mendOpenFlaws(treatment: Treatment, onProgress: (share: number) => boolean): Promise<Step[]> {
    const { port1, port2 } = new MessageChannel()
    port1.on('message', (share: number) => {
      if (!onProgress(share)) port1.postMessage('cancel')
    })
    try {
      return (await this.pool.run({ folder: this.folder, treatment, port: port2 }, { name: 'mendOpenFlaws', transferList: [port2] })) as Step[]
    } finally {
      port1.close()
    }
  }

  keepPatches(treatment: Treatment): Promise<Record<string, string>> {
    return this.pool.run({ folder: this.folder, treatment }, { name: 'keepPatches' }) as Promise<Record<string, string>>
  }

  stop(): Promise<void> {
    return this.pool.destroy()
  }
}
