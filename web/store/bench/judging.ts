import { computed, type Ref } from 'vue'
import type { Flaw, Operation } from '@fennip/core/treatment/schema.js'
import { placeWords } from '../../shared/words.js'
import type { BenchTools } from './tools.js'

/** The way through the ledger: what is decided of a flaw, and the next one. */
export function useJudging({ flaws, steps, stepOf, selectedId, selected, selectedStep, change, keepDraft, extentOf, ledger }: BenchTools & { readonly ledger: Ref<readonly Flaw[]> }) {
  /** Lay the selected mend on after all others that it meets, or before them. */
  async function reorder(to: 'top' | 'bottom'): Promise<void> {
    const step = selectedStep.value
    if (!step) return
    await keepDraft()
    const now = stepOf.value.get(step.flaw)!
    await change(`${to === 'top' ? 'Lay on top' : 'Lay under the others'} ${placeWords(selected.value!)}`, [
      { type: 'remove', list: 'steps', ids: [now.id] },
      { type: 'put', list: 'steps', items: [now], at: [to === 'top' ? steps.value.length - 1 : 0] },
    ], null)
  }

  async function setState(state: Flaw['state']): Promise<void> {
    await keepDraft()
    const flaw = selected.value
    if (!flaw) return
    const step = selectedStep.value
    const next = neighbour(1)
    const operations: Operation[] = []
    // A flaw that is left on purpose has no mend.
    if (state === 'left' && step) operations.push({ type: 'remove', list: 'steps', ids: [step.id] })
    operations.push({ type: 'setState', ids: [flaw.id], state })
    if (next) selectedId.value = next.id
    await change(`${state === 'settled' ? 'Settle' : state === 'left' ? 'Leave' : 'Open again'} ${placeWords(flaw)}`, operations, extentOf([step]))
  }

  /** Lines that may be things in the picture; nobody has decided yet. */
  const wires = computed(() => flaws.value.filter((flaw) => flaw.kind === 'wire' && flaw.state === 'open' && !stepOf.value.has(flaw.id)))

  /** The answer to whether they are flaws, for all of them at once: those that are get mended like scratches, the others are left. */
  async function decideWires(areFlaws: boolean): Promise<void> {
    const list = wires.value
    if (list.length === 0) return
    if (areFlaws) await change(`${list.length} dark lines are flaws`, [{ type: 'put', list: 'flaws', items: list.map((flaw) => ({ ...flaw, kind: 'hair' as const })) }])
    else await change(`${list.length} dark lines belong to the picture`, [{ type: 'setState', ids: list.map(({ id }) => id), state: 'left' }])
  }

  /** Take the mend out; the flaw is open again. A flaw put there by hand goes with it. */
  async function takeOut(): Promise<void> {
    await keepDraft()
    const flaw = selected.value
    if (!flaw) return
    const step = selectedStep.value
    const operations: Operation[] = []
    if (step) operations.push({ type: 'remove', list: 'steps', ids: [step.id] })
    if (flaw.origin === 'hand' && flaw.kind === 'other') {
      operations.push({ type: 'remove', list: 'flaws', ids: [flaw.id] })
      selectedId.value = neighbour(1)?.id ?? null
    } else if (step || flaw.state !== 'open') operations.push({ type: 'setState', ids: [flaw.id], state: 'open' })
    if (operations.length > 0) await change(`Take out ${placeWords(flaw)}`, operations, extentOf([step]))
  }

  function neighbour(by: 1 | -1): Flaw | null {
    const listed = ledger.value
    const at = listed.findIndex((flaw) => flaw.id === selectedId.value)
    return listed[at < 0 ? 0 : at + by] ?? null
  }

  function stepThrough(by: 1 | -1): void {
    const next = neighbour(by)
    if (next) selectedId.value = next.id
  }

  /** To a place of the ledger; -1 is its last. */
  function stepTo(index: number): void {
    const flaw = ledger.value.at(index)
    if (flaw) selectedId.value = flaw.id
  }

  return { reorder, setState, wires, decideWires, takeOut, stepThrough, stepTo }
}
