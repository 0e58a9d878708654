import { computed, ref, type ComputedRef, type Ref } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { worstOf } from '@fennip/core/mend/next-best.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import type { Flaw, Step } from '@fennip/core/treatment/schema.js'
import { isSeenAtSize, weightAtSize } from '@fennip/core/check/visibility.js'

export type LedgerFilter = 'all' | 'open' | 'judge' | 'shows' | 'left' | 'group'
export type LedgerOrder = 'weight' | 'size' | 'doubt' | 'telltale' | 'reading'

/** What the ledger lists. */
interface Listed {
  readonly flaws: ComputedRef<readonly Flaw[]>
  readonly steps: ComputedRef<readonly Step[]>
  /** By flaw. */
  readonly stepOf: ComputedRef<ReadonlyMap<string, Step>>
  readonly poorSources: ComputedRef<ReadonlyMap<string, string>>
  readonly group: Ref<ReadonlySet<string>>
  readonly original: ComputedRef<{ readonly width: number; readonly height: number } | null>
}

/** Below this confidence a find is rather none than one. */
const DOUBTFUL = 0.5
/** Nobody has settled it or left it. */
export const isUndecided = ({ state }: Pick<Flaw, 'state'>) => state === 'open' || state === 'mended'
/** What a search found and nobody has decided: of what was drawn or charted its confidence says nothing. */
export const isInDoubt = (flaw: Pick<Flaw, 'state' | 'origin'>) => flaw.origin === 'found' && isUndecided(flaw)

/** Rows of this height are read from left to right, in pixels. */
const READING_ROW = 400

/** The list of flaws beside the stage: which of them are listed, in which order, and which of them are doubtful or not seen in the size of delivery. */
export function useLedger({ flaws, steps, stepOf, poorSources, group, original }: Listed) {
  const filter = ref<LedgerFilter>('all')
  const order = ref<LedgerOrder>('weight')
  /** The longer side the picture is delivered with, in pixels; 0 for the size it has. */
  const deliveredSide = ref(0)
  /** Delivered over original width. */
  const deliveredScale = computed(() => {
    const longer = original.value ? Math.max(original.value.width, original.value.height) : 0
    return deliveredSide.value === 0 || longer === 0 ? 1 : Math.min(1, deliveredSide.value / longer)
  })
  /** Flaws that nobody will see in the size that is delivered. */
  const unseen = computed(() => new Set(flaws.value.filter((flaw) => !isSeenAtSize(flaw, deliveredScale.value)).map(({ id }) => id)))

  const doubtful = computed(() => new Set(flaws.value.filter((flaw) => isInDoubt(flaw) && flaw.confidence < DOUBTFUL).map(({ id }) => id)))

  function isListed(flaw: Flaw): boolean {
    switch (filter.value) {
      case 'open': return flaw.state === 'open'
      case 'judge': return flaw.state === 'mended'
      case 'left': return flaw.state === 'left'
      case 'shows': return whatShows(stepOf.value.get(flaw.id)?.telltales).length > 0 || poorSources.value.has(flaw.id)
      case 'group': return group.value.has(flaw.id)
      case 'all': return true
    }
  }

  const place = ({ shape }: Flaw) => shapeCentre(shape)
  const rowOf = (flaw: Flaw) => Math.floor(place(flaw).y / READING_ROW)

  function inOrder(listed: Flaw[]): Flaw[] {
    switch (order.value) {
      case 'weight': return listed.sort((a, b) => weightAtSize(b, deliveredScale.value) - weightAtSize(a, deliveredScale.value))
      case 'size': return listed.sort((a, b) => place(b).r - place(a).r)
      case 'doubt': {
        const doubtOf = (flaw: Flaw) => (isInDoubt(flaw) ? 1 - flaw.confidence : -1)
        return listed.sort((a, b) => doubtOf(b) - doubtOf(a))
      }
      case 'telltale': {
        const worst = new Map(steps.value.map((step) => [step.flaw, worstOf(step)]))
        return listed.sort((a, b) => (worst.get(b.id) ?? 0) - (worst.get(a.id) ?? 0))
      }
      case 'reading': return listed.sort((a, b) => rowOf(a) - rowOf(b) || place(a).x - place(b).x)
    }
  }

  const ledger = computed(() => inOrder(flaws.value.filter(isListed)))

  return { filter, order, deliveredSide, deliveredScale, unseen, doubtful, ledger }
}
