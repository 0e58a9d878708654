import { ref } from 'vue'
import type { MethodName } from '@fennip/core/mend/methods.js'
import type { SnapTo } from '@fennip/core/mend/heal/snap-source.js'
import { refusalOf } from '@fennip/core/mend/picture/poor-sources.js'
import { widenShape } from '@fennip/core/shape/edit-shape.js'
import { roundedShape, type Shape } from '@fennip/core/shape/shape.js'
import type { Flaw, Source, Step } from '@fennip/core/treatment/schema.js'
import { plain } from '../../shared/plain.js'
import { placeWords } from '../../shared/words.js'
import type { Settings } from './draft.js'
import type { BenchTools } from './tools.js'

/** How far a source is moved by snapping, in pixels. */
const SNAP_REACH = 14
/** When the wheel has rested so long a size is set, in milliseconds. */
const RESIZED = 250

interface Drafts {
  draw(step: Step, values: Settings, saveAtRest: boolean): void
  dropDraft(): Promise<void>
  mend(flaw: Flaw, wishes: { method?: MethodName; source?: Source; strength?: number; softEdgePx?: number }, label: string): Promise<boolean>
}

/** Where the selected mend takes from, and its own place and size. */
export function useSource({ treatment, stepOf, selected, selectedStep, problem, thePool, change, keepDraft, draw, dropDraft, mend }: BenchTools & Drafts) {
  const snapTo = ref<SnapTo | 'free'>('free')

  /** Why a mend must not take from a source; null when it may. */
  const sourceRefusal = (step: Step, source: Source): string | null => (treatment.value ? refusalOf(treatment.value, step, source) : null)

  /** Show the selected mend with another source while it is being moved; a source that is refused is not shown. */
  function trySource(dx: number, dy: number): void {
    const step = selectedStep.value
    if (!step?.source) return
    const source = { ...step.source, dx: Math.round(dx), dy: Math.round(dy) }
    if (!sourceRefusal(step, source)) adjust({ source }, false)
  }

  /** Set the source of the selected mend down. A source that is refused goes back to where it was. */
  async function moveSource(dx: number, dy: number): Promise<void> {
    const step = selectedStep.value
    if (!selected.value || !step?.source) return
    let near = { dx: Math.round(dx), dy: Math.round(dy) }
    if (snapTo.value !== 'free') near = await thePool().mender.snapSource(plain(step), near, snapTo.value, SNAP_REACH)
    const source = { ...step.source, ...near }
    const refusal = sourceRefusal(step, source)
    if (refusal) {
      problem.value = `The source ${refusal}, so it stays where it was.`
      await dropDraft()
      return
    }
    adjust({ source }, false)
    await keepDraft()
  }

  /** Mirror, turn or scale the source of the selected mend, shown at once. */
  function placeSource(placing: Pick<Source, 'mirror' | 'turn' | 'scale'>): void {
    const step = selectedStep.value
    if (!step?.source) return
    const source = { ...step.source, ...placing }
    if (!source.mirror) delete source.mirror
    if (!source.turn) delete source.turn
    if (!source.scale || source.scale === 1) delete source.scale
    adjust({ source })
  }

  /** Give the selected flaw another place or size; its mend is made anew there. */
  async function reshape(shape: Shape, label: string): Promise<void> {
    const flaw = selected.value
    if (!flaw) return
    const step = selectedStep.value
    const changed: Flaw = { ...flaw, shape, origin: 'hand' }
    if (!step) await change(`${label} ${placeWords(changed)}`, [{ type: 'put', list: 'flaws', items: [changed] }])
    else await mend(changed, step.method === 'lift' ? { method: 'lift' } : { method: step.method, ...(step.source ? { source: step.source } : {}), strength: step.strength, softEdgePx: step.softEdgePx }, `${label} ${placeWords(changed)}`)
  }

  let resizing = 0
  let growth = 1
  /** Make the selected mark larger or smaller; several turns of the wheel are one gesture. */
  function resizeBy(factor: number): void {
    growth *= factor
    clearTimeout(resizing)
    resizing = window.setTimeout(() => {
      const flaw = selected.value
      const by = growth
      growth = 1
      if (flaw) void reshape(roundedShape(widenShape(stepOf.value.get(flaw.id)?.shape ?? flaw.shape, by)), 'Resize')
    }, RESIZED)
  }

  /** Set the size of the selected spot, across, in pixels. */
  async function setSize(across: number): Promise<void> {
    const flaw = selected.value
    if (flaw?.shape.type === 'disc') await reshape({ ...flaw.shape, r: Math.max(0.5, across / 2) }, 'Set the size')
  }

  /** Make the selected stroke wider or narrower. */
  async function setWidth(width: number): Promise<void> {
    const flaw = selected.value
    if (flaw?.shape.type === 'stroke') await reshape({ ...flaw.shape, width }, 'Set the width')
  }

  /** Set strength, soft edge or source of the selected mend; nothing is chosen anew. It is saved when it rests, if so said. */
  function adjust(values: Settings, saveAtRest = true): void {
    if (selectedStep.value) draw(selectedStep.value, values, saveAtRest)
  }

  return { snapTo, sourceRefusal, trySource, moveSource, placeSource, reshape, resizeBy, setSize, setWidth, adjust }
}
