import type { Area, OperationStep, Step } from '@fennip/core/treatment/schema.js'
import type { Lens } from './lenses.js'

/** How a zone is shown: its edge, a tint over it, or the mask alone. */
export type ZoneShow = 'edge' | 'tint' | 'mask'

/** What of the picture is seen, and how. */
export interface View {
  readonly lens: Lens
  /** Strength of the lens, 0..1. */
  readonly strength: number
  /** How wide a neighbourhood the relief lens compares with, in pixels of the picture. */
  readonly radius?: number
  readonly show: 'result' | 'original'
  /** A mend that is left out of the result. */
  readonly without?: string
  /** A mend that is laid on in place of the one its flaw has. */
  readonly proposal?: Step
  /** How far the result goes: with mends alone, or (by default) with all that stands on them. */
  readonly upTo?: 'mended'
  /** Steps on the mended picture in place of the treatment's: a setting that is being moved, or a strip of several. */
  readonly operations?: readonly OperationStep[]
  /** A zone drawn over the picture. */
  readonly zone?: { readonly area: Area; readonly show: ZoneShow }
  /** Whether what is lost at black and white is hatched. */
  readonly clipping?: boolean
  /** Whether filters are computed at full size and reduced, in the background: any other painting ends it. */
  readonly exact?: boolean
  /** Whether regions are of the delivered picture, in its frame. */
  readonly delivered?: boolean
}
