import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { Placement } from '@fennip/core/assemble/pieces/sheet.js'
import { api } from '../shared/api.js'
import { useBench } from '../store/bench.js'

/** A piece of a torn print on the open scan. */
export interface AssembledPiece {
  readonly box: { readonly x: number; readonly y: number; readonly width: number; readonly height: number }
  readonly picture: string
  readonly placement: Placement
  readonly gain: number
  readonly misfitPx: number
  readonly seamPx: number
  readonly likeness: number
}
interface Fitted {
  readonly width: number
  readonly height: number
  readonly pieces: readonly AssembledPiece[]
  readonly seam: { readonly picture: string; readonly misfit: readonly number[]; readonly lengthPx: number } | null
}

/** Exposures that were merged, and what moved between them. */
export interface Merged {
  readonly picture: string
  readonly name: string
  readonly pictures: readonly string[]
  readonly exposures: readonly string[]
  readonly ratios: readonly number[]
  /** Steps that went along from the picture merged before. */
  readonly carried?: number
  readonly things: readonly { readonly x: number; readonly y: number; readonly width: number; readonly height: number; readonly from: number; /** Set when it is a zone that was chosen by hand. */ readonly zone?: string; readonly crops: readonly string[] }[]
}

/** How pieces are shown: put together, a little apart, or as they lie on the scan. */
export type PiecesShown = 'joined' | 'apart' | 'as scanned'

/** The pieces of a torn print: found and fitted by the server, moved by hand here. */
export const useAssemble = defineStore('assemble', () => {
  const bench = useBench()
  const selected = ref(1)
  const shown = ref<PiecesShown>('joined')
  /** Pieces that were moved by hand since they were fitted. */
  const moved = shallowRef<ReadonlyMap<number, Placement>>(new Map())

  const latest = (kind: 'lay-together' | 'fit' | 'join' | 'merge') => bench.runs.filter((run) => run.kind === kind && run.state === 'done').sort((a, b) => (a.createdAt < b.createdAt ? 1 : -1))[0]
  const fitted = computed(() => (latest('fit')?.result as Fitted | null | undefined) ?? null)
  const joined = computed(() => latest('join')?.result as { picture: string; name: string; flaws: number; carried?: number; again?: boolean; left?: readonly string[] } | undefined)
  /** The sheet on which this scan was laid together with others. */
  const laid = computed(() => latest('lay-together')?.result as { picture: string; name: string } | undefined)
  const isBusy = computed(() => bench.runs.some(({ kind, state }) => (kind === 'lay-together' || kind === 'fit' || kind === 'join' || kind === 'merge') && (state === 'queued' || state === 'running')))
  const placements = computed(() => (fitted.value?.pieces ?? []).map((piece, i) => moved.value.get(i) ?? piece.placement))
  const isMoved = computed(() => moved.value.size > 0)

  async function begin(ask: () => Promise<unknown>): Promise<void> {
    try {
      await ask()
    } catch (error) {
      bench.report(error)
    }
  }
  /** Find the pieces and fit them; from where they lie by hand if they were moved. */
  const fit = (fromHere: boolean) => begin(() => api.fit(bench.opened!.id, fromHere ? [...moved.value].map(([piece, placement]) => ({ piece, ...placement })) : [], true))
  const join = () => begin(() => api.join(bench.opened!.id, placements.value.map((placement, i) => ({ placement, gain: fitted.value!.pieces[i]!.gain }))))

  /** The last merge with this picture as the reference. */
  const merged = computed(() => latest('merge')?.result as Merged | undefined)
  const merge = (pictures: readonly string[], chosen: readonly (number | null)[], zones: readonly { zone: string; from: number }[]) => begin(() => api.merge(bench.opened!.id, pictures, chosen, zones))

  /** Move a piece by hand; the largest lies still. */
  function place(piece: number, placement: Placement): void {
    if (piece < 1) return
    const round = (value: number, digits: number) => Math.round(value * 10 ** digits) / 10 ** digits
    moved.value = new Map([...moved.value, [piece, { turnDegrees: round(placement.turnDegrees, 3), dx: round(placement.dx, 2), dy: round(placement.dy, 2) }]])
  }
  function nudge(by: Partial<Placement>): void {
    const now = placements.value[selected.value]
    if (now) place(selected.value, { turnDegrees: now.turnDegrees + (by.turnDegrees ?? 0), dx: now.dx + (by.dx ?? 0), dy: now.dy + (by.dy ?? 0) })
  }

  watch(fitted, () => {
    moved.value = new Map()
    selected.value = 1
  })
  return { selected, shown, moved, isMoved, fitted, joined, laid, merged, merge, isBusy, placements, fit, join, place, nudge }
})
