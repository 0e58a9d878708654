import { ref } from 'vue'
import type { MethodName } from '@fennip/core/mend/methods.js'
import { roundTo } from '@fennip/core/round.js'
import type { Disc, Shape } from '@fennip/core/shape/shape.js'
import type { Flaw, Source, Step } from '@fennip/core/treatment/schema.js'
import { plain } from '../../shared/plain.js'
import { placeWords } from '../../shared/words.js'
import { identifier } from '../identifier.js'
import type { Drawn } from '../saving/kept.js'
import { useOutbox } from '../saving/outbox.js'
import { rememberedSources } from './remembered-sources.js'
import type { BenchTools } from './tools.js'

/** When what was drawn without pixels at hand is tried again, in milliseconds. */
const RESUME = 3000
/** Wider strokes are filled with patches, not bridged, in pixels. */
const WIDE_STROKE = 20

/** Mends that are chosen and laid on: of what is selected, and of what is drawn by hand. */
export function useMending({ opened, treatment, flaws, stepOf, selectedId, selected, selectedStep, problem, busy, thePool, change, keepDraft, openShapes, extentOf, tellPixels, refresh, report, spotRadius }: BenchTools & { readonly spotRadius: { readonly value: number } }) {
  const outbox = useOutbox()
  /** How mends by hand are made: the method and strength that are set before drawing. */
  const handMethod = ref<MethodName | 'auto'>('auto')
  const handStrength = ref(1)
  const freshMendId = () => identifier('m')

  const isThere = (flaw: Flaw) => flaws.value.some((candidate) => candidate.id === flaw.id)

  /** Choose a mend for a flaw and lay it on. @returns Whether it was. */
  async function mend(flaw: Flaw, wishes: { method?: MethodName; source?: Source; skipSources?: number; strength?: number; softEdgePx?: number }, label: string, shown: Step | null = null, drawnAs: string | null = null): Promise<boolean> {
    if (!treatment.value) return false
    busy.value = true
    try {
      await keepDraft()
      const existed = isThere(flaw)
      // What is shown for the moment is replaced by the mend that is chosen.
      const old = stepOf.value.get(flaw.id) ?? shown
      const id = old?.id ?? freshMendId()
      const step = await thePool().mender.choose(plain(flaw), plain(openShapes(flaw.id, flaw.shape)), { id, ...plain(wishes) })
      const known = isThere(flaw)
      // It was taken out while its mend was being chosen.
      if (existed && !known) return false
      await change(label, [
        { type: 'put', list: 'flaws', items: [{ ...flaw, state: 'mended' }] },
        { type: 'put', list: 'steps', items: [step] },
      ], extentOf([old, step]), drawnAs)
      if (!known) selectedId.value = flaw.id
      return true
    } catch (error) {
      if (shown) await refresh()
      if (drawnAs && isUnreachable(error)) {
        // Nothing that was drawn is swallowed: it is an open flaw until its mend can be chosen.
        if (!isThere(flaw)) await change(`Mark ${placeWords(flaw)}`, [{ type: 'put', list: 'flaws', items: [flaw] }])
        problem.value = 'The server cannot be reached. The place is marked, and mended by itself when the server is back.'
        resumeSoon()
      } else {
        if (drawnAs) await outbox.dropDrawn(drawnAs)
        report(error)
      }
      return false
    } finally {
      busy.value = false
    }
  }

  /** Pixels that are needed could not be fetched. */
  const isUnreachable = (error: unknown) => error instanceof Error && (error.name === 'Unreachable' || /fetch/i.test(error.message))

  let resuming = 0
  const resumeSoon = () => {
    clearTimeout(resuming)
    resuming = window.setTimeout(() => void resumeDrawn(), RESUME)
  }

  /** Mend what was drawn when the page was left, or while the server was out of reach. */
  async function resumeDrawn(): Promise<void> {
    const id = opened.value?.id
    if (!id || busy.value) return
    for (const drawn of outbox.drawnOf(id)) {
      if (opened.value?.id !== id) return
      const there = flaws.value.find((flaw) => flaw.id === drawn.id)
      if (there && stepOf.value.has(there.id)) await outbox.dropDrawn(drawn.id)
      else await mendDrawn(there ?? handFlaw(drawn.shape, drawn.id), drawn)
    }
  }

  /** A click in the picture: a flaw of the current size, mended at once. */
  function addSpot(x: number, y: number): Promise<void> {
    const disc: Disc = { type: 'disc', x: roundTo(x, 1), y: roundTo(y, 1), r: spotRadius.value }
    return addShape(disc)
  }

  /** A flaw drawn by hand, mended at once; kept before anything is worked out, so that it survives a reload. */
  async function addShape(shape: Shape): Promise<void> {
    if (!treatment.value || !opened.value) return
    const flaw = handFlaw(shape)
    const drawn: Drawn = { id: flaw.id, picture: opened.value.id, shape: plain(shape), method: handMethod.value, strength: handStrength.value }
    await outbox.keepDrawn(drawn)
    await mendDrawn(flaw, drawn)
  }

  async function mendDrawn(flaw: Flaw, { id, shape, method, strength }: Drawn): Promise<void> {
    // A stroke that takes from one place needs one ground; a thin fill takes from close by all along.
    if (shape.type === 'stroke' && (method === 'heal' || method === 'clone' || shape.width > WIDE_STROKE)) {
      const parts = await thePool().mender.splitByTexture(plain(shape)).catch(() => [])
      if (parts.length > 1) return addParts(parts, id)
    }
    // First what can be shown at once, then the method that Fennip chooses; only that is saved.
    const step = shape.type === 'disc' && (method === 'auto' || method === 'heal') && strength === 1 ? await thePool().mender.quickHeal(flaw, plain(openShapes(flaw.id, shape)), identifier('m')).catch(() => null) : null
    if (step && !isThere(flaw)) {
      await thePool().edit([{ type: 'put', list: 'flaws', items: [flaw] }, { type: 'put', list: 'steps', items: [step] }])
      tellPixels(extentOf([step]))
    }
    const isMade = await mend(flaw, { ...(method === 'auto' ? {} : { method }), ...(strength < 1 ? { strength } : {}) }, `${{ disc: 'Mend a spot', stroke: 'Mend along a stroke', outline: 'Mend an outline' }[shape.type]} ${placeWords(flaw)}`, step, id)
    if (isMade) selectedId.value = flaw.id
  }

  const handFlaw = (shape: Shape, id = identifier('h')): Flaw => ({ id, kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' })

  /** Parts of a stroke over several grounds: flaws of their own, in one gesture. */
  async function addParts(parts: readonly Shape[], drawnAs: string): Promise<void> {
    busy.value = true
    try {
      const made = parts.map((shape, i) => ({ ...handFlaw(shape, i === 0 ? drawnAs : undefined), state: 'mended' as const }))
      const wishes = { ...(handMethod.value === 'auto' ? {} : { method: handMethod.value }), ...(handStrength.value < 1 ? { strength: handStrength.value } : {}) }
      const chosen: Step[] = []
      for (const flaw of made) chosen.push(await thePool().mender.choose(plain(flaw), plain(openShapes(flaw.id, flaw.shape)), { id: freshMendId(), ...wishes }))
      await change(`Mend along a stroke over ${parts.length} grounds`, [{ type: 'put', list: 'flaws', items: made }, { type: 'put', list: 'steps', items: chosen }], extentOf(chosen), drawnAs)
      selectedId.value = made[0]!.id
    } catch (error) {
      report(error)
    } finally {
      busy.value = false
    }
  }

  const sources = rememberedSources()
  async function mendSelected(method?: MethodName): Promise<void> {
    const flaw = selected.value
    if (!flaw) return
    await keepDraft()
    otherSources.delete(flaw.id)
    const step = stepOf.value.get(flaw.id)
    if (step) sources.keep(step)
    await mend(flaw, { ...(method ? { method, ...sources.wishes(flaw.id, method, step) } : {}) }, `Mend ${method ? `by ${method} ` : ''}${placeWords(flaw)}`)
  }

  const otherSources = new Map<string, number>()
  async function otherSource(): Promise<void> {
    const flaw = selected.value
    const step = selectedStep.value
    if (!flaw || !step) return
    const skip = (otherSources.get(flaw.id) ?? 0) + 1
    otherSources.set(flaw.id, skip)
    await mend(flaw, { method: step.method === 'lift' ? 'heal' : step.method, skipSources: skip, strength: step.strength }, `${step.method === 'fill' ? 'Fill differently' : 'Take another source'} ${placeWords(flaw)}`)
  }

  /** Another picture, or none, is open. */
  function forget(): void {
    clearTimeout(resuming)
    sources.forget()
    otherSources.clear()
  }

  return { handMethod, handStrength, freshMendId, mend, addSpot, addShape, mendSelected, otherSource, resumeDrawn, forget }
}
