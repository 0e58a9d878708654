import { shallowRef, watch, type ComputedRef, type Ref } from 'vue'
import type { Region } from '@fennip/core/raster/raster.js'
import { shapeCentre, type Shape } from '@fennip/core/shape/shape.js'
import type { Operation, Step } from '@fennip/core/treatment/schema.js'
import { plain } from '../../shared/plain.js'
import type { PixelPool } from '../../workers/pool.js'

/** What of a mend can be set without choosing it anew. */
export type Settings = Partial<Pick<Step, 'strength' | 'softEdgePx' | 'source'>>

interface Drafted {
  readonly selectedId: Ref<string | null>
  /** By flaw. */
  readonly stepOf: ComputedRef<ReadonlyMap<string, Step>>
  thePool(): PixelPool
  openShapes(except: string, near: Shape): Shape[]
  extentOf(list: readonly (Step | null | undefined)[]): Region | null
  tellPixels(where: Region | null): void
  change(label: string, operations: Operation[], where: Region | null): Promise<void>
}

/** A setting that has rested so long is saved, in milliseconds. */
const AT_REST = 350

/** The selected mend while a setting of it is being moved: shown at once, saved as one gesture when it rests. */
export function useDraft({ selectedId, stepOf, thePool, openShapes, extentOf, tellPixels, change }: Drafted) {
  const draft = shallowRef<Step | null>(null)
  let timer = 0
  let showing: Promise<void> | null = null

  /** Set strength, soft edge or source of a mend; nothing is chosen anew. It is saved when it rests, if so said. */
  function adjust(step: Step, values: Settings, saveAtRest = true): void {
    draft.value = { ...step, ...values }
    showing ??= show().finally(() => (showing = null))
    clearTimeout(timer)
    if (saveAtRest) timer = window.setTimeout(() => void keepDraft(), AT_REST)
  }

  /** Show the newest draft until none is newer; what came between is left out. */
  async function show(): Promise<void> {
    for (let shown: Step | null = null; draft.value && draft.value !== shown; ) {
      const before = shown ?? stepOf.value.get(draft.value.flaw)
      shown = draft.value
      await thePool().edit([{ type: 'put', list: 'steps', items: [shown] }])
      tellPixels(extentOf([before, shown]))
    }
  }

  /** Go back from the draft to what is saved. */
  async function dropDraft(): Promise<void> {
    clearTimeout(timer)
    const step = draft.value
    if (!step) return
    draft.value = null
    await showing
    const old = stepOf.value.get(step.flaw)
    if (!old) return
    await thePool().edit(plain([{ type: 'put', list: 'steps', items: [old] }] as Operation[]))
    tellPixels(extentOf([step, old]))
  }

  /** Save the draft, if there is one. */
  async function keepDraft(): Promise<void> {
    clearTimeout(timer)
    const step = draft.value
    if (!step) return
    await showing
    const old = stepOf.value.get(step.flaw)
    const telltales = await thePool().mender.measure(step, plain(openShapes(step.flaw, step.shape)))
    // Moved on meanwhile: the newer one will be kept.
    if (draft.value !== step) return
    draft.value = null
    const setting = !old || old.strength !== step.strength ? 'strength' : old.softEdgePx !== step.softEdgePx ? 'soft edge' : 'source'
    const { x, y } = shapeCentre(step.shape)
    const label = setting === 'source' ? 'Move the source' : `Set the ${setting}`
    await change(`${label} at ${Math.round(x)}, ${Math.round(y)}`, [{ type: 'put', list: 'steps', items: [{ ...step, telltales, ...(setting === 'source' ? { chosenBy: 'hand' as const, reason: 'From the source you chose.' } : {}) }] }], extentOf([old, step]))
  }
  watch(selectedId, () => void keepDraft())

  /** Let go of it, unsaved: the picture is closed. */
  function forget(): void {
    clearTimeout(timer)
    draft.value = null
  }

  return { draft, adjust, keepDraft, dropDraft, forget }
}
