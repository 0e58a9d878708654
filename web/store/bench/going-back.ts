import type { Ref } from 'vue'
import type { Region } from '@fennip/core/raster/raster.js'
import { applyEdit } from '@fennip/core/treatment/edit.js'
import type { Operation } from '@fennip/core/treatment/schema.js'
import { api, type OpenedPicture, type WentBack } from '../../shared/api.js'
import { plain } from '../../shared/plain.js'
import { isPassing, type useOutbox } from '../saving/outbox.js'
import type { BenchTools } from './tools.js'

interface GoingBackTools extends BenchTools {
  readonly revision: Ref<number>
  readonly outbox: ReturnType<typeof useOutbox>
  /** Inverses of gestures that were made in this page, by identifier. */
  readonly inverses: ReadonlyMap<string, Operation[]>
  readonly isWaiting: () => boolean
  readonly settled: () => Promise<void>
  readonly take: (answer: Pick<OpenedPicture, 'revision' | 'treatment' | 'undoLabel' | 'redoLabel'>) => void
  readonly tellChanged: (operations: readonly Operation[], where: Region | null) => void
  readonly reportAndRefresh: (error: unknown) => Promise<void>
}

/** Undo and redo: the server decides, and what it did is followed here without reading the picture anew. */
export function useGoingBack({ opened, treatment, revision, outbox, inverses, isWaiting, settled, keepDraft, take, thePool, tellPixels, tellChanged, refresh, reportAndRefresh }: GoingBackTools) {
  /** One after the other: what is pressed while an undo is on its way stands on what that leaves. */
  let turn: Promise<unknown> = Promise.resolve()
  let isGoing = false
  let heard = 0

  function goBack(kind: 'undo' | 'redo', times = 1): Promise<void> {
    const going = turn.then(() => goBackNow(kind, times))
    turn = going
    return going
  }

  async function goBackNow(kind: 'undo' | 'redo', times: number): Promise<void> {
    const id = opened.value?.id
    if (!id) return
    try {
      await keepDraft()
      if (outbox.trouble && kind === 'undo' && times === 1 && (await takeBackWaiting(id))) return
      await settled()
      const gesture = crypto.randomUUID()
      const seen = revision.value
      isGoing = true
      // An answer that got lost is asked for once more: the server knows the identifier.
      const went = await api.goBack(id, kind, seen, times, gesture).catch((error: unknown) => {
        if (isPassing(error)) return api.goBack(id, kind, seen, times, gesture)
        throw error
      })
      if (went.operations && opened.value?.id === id && revision.value === seen && !isWaiting()) await follow(went, went.operations)
      else await refresh()
      if (heard > revision.value && !isWaiting()) await refresh()
    } catch (error) {
      await reportAndRefresh(error)
    } finally {
      isGoing = false
      heard = 0
    }
  }

  /** Make here what the server has taken back or made again: of thousands of flaws only these change. */
  async function follow({ revision: reached, undoLabel = null, redoLabel = null }: WentBack, operations: readonly Operation[]): Promise<void> {
    const edits = plain([...operations])
    take({ revision: reached, treatment: applyEdit(treatment.value!, edits).treatment, undoLabel, redoLabel })
    await thePool().edit(edits)
    // Mends that took from what has changed look otherwise too: all that is in view.
    tellChanged(edits, null)
  }

  /** Undo a gesture that the server has not got yet. */
  async function takeBackWaiting(id: string): Promise<boolean> {
    const gesture = await outbox.takeBack(id)
    const inverse = gesture && inverses.get(gesture.id)
    if (!gesture || !inverse || !treatment.value) return false
    treatment.value = applyEdit(treatment.value, inverse).treatment
    await thePool().edit(plain(inverse))
    tellPixels(null)
    return true
  }

  return {
    goBack,
    /** Whether a revision that is told of may be the one that is on its way: it is looked at afterwards. */
    hears: (told: number): boolean => {
      if (isGoing) heard = Math.max(heard, told)
      return isGoing
    },
  }
}
