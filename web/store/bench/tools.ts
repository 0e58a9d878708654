import type { Ref } from 'vue'
import type { Flaw, Operation, Step, Treatment } from '@fennip/core/treatment/schema.js'
import type { Region } from '@fennip/core/raster/raster.js'
import type { Shape } from '@fennip/core/shape/shape.js'
import type { OpenedPicture } from '../../shared/api.js'
import type { PixelPool } from '../../workers/pool.js'

/** What the parts of the bench work on: the open picture, what is selected, and how a change is made. */
export interface BenchTools {
  readonly opened: Ref<OpenedPicture['picture'] | null>
  readonly treatment: Ref<Treatment | null>
  readonly flaws: Ref<readonly Flaw[]>
  readonly steps: Ref<readonly Step[]>
  readonly stepOf: Ref<ReadonlyMap<string, Step>>
  readonly selectedId: Ref<string | null>
  readonly selected: Ref<Flaw | null>
  readonly selectedStep: Ref<Step | null>
  readonly problem: Ref<string | null>
  readonly busy: Ref<boolean>
  thePool(): PixelPool
  /** Change the treatment at once on screen, and save it. @param drawnAs  What was drawn and is saved with this. */
  change(label: string, operations: Operation[], where?: Region | null, drawnAs?: string | null): Promise<void>
  keepDraft(): Promise<void>
  openShapes(except: string, near: Shape): Shape[]
  /** Whole rectangle of pixels that steps may change. */
  extentOf(list: readonly (Step | null | undefined)[]): Region | null
  tellPixels(region: Region | null): void
  refresh(): Promise<void>
  report(error: unknown): void
}
