import type { Disc, Shape } from '../shape/shape.js'
import type { SearchKind } from '../treatment/schema.js'
import type { TileCells } from './areas/cells.js'
import type { BlockGrain } from './fine/flat.js'
import type { TileScreens } from './fine/moire.js'
import type { FineDetail } from './fine/smudges.js'
import type { LineKind } from './line-judging/line-kinds.js'
import type { LinePiece } from './lines/lines.js'
import type { Medium } from './judging/medium.js'

/** What a search is asked for, and what it finds. */

/** Those that are round. */
export type DiscKind = 'dust' | 'speck' | 'mould'

/** A flaw as a detector describes it. */
export interface Find {
  readonly kind: DiscKind | LineKind | 'flat' | 'smudge' | 'loss' | 'stain' | 'moire'
  readonly shape: Shape
  /** Mean difference over the deviation of a pixel; negative where the flaw is darker. */
  readonly contrast: number
  /** The same summed over the flaw, as a matched filter sees it. */
  readonly weight: number
  readonly confidence: number
  /** How restless its surroundings are over what noise alone would make them: about 1 in a plain sky. */
  readonly unrest: number
}

export interface FindOptions {
  readonly kinds: readonly SearchKind[]
  /** The one control: how many false finds in this picture, on average over pictures, one is willing to look at. */
  readonly falseFinds: number
  /** What the picture is, where that is known: a frame has no mould, and what is dark and round in it lies on the sensor. */
  readonly medium?: Medium
}

/** What was found in a tile: round flaws as they are, lines in pieces, since they go on in other tiles. */
export interface TileFinds extends TileMeasures {
  readonly discs: readonly ScoredDisc[]
  readonly pieces: readonly LinePiece[]
}

/** What was measured in a tile for the kinds that only the whole picture tells. */
export interface TileMeasures {
  /** Grain of its blocks, where flat patches are looked for: what is usual only the whole picture says. */
  readonly grain?: BlockGrain
  /** Fine detail of its cells, where smudges are looked for: they are smaller than flat patches. */
  readonly fine?: FineDetail
  /** Lone waves of its windows, where moire is looked for. */
  readonly screens?: TileScreens
  /** Its cells, where losses or stains are looked for: they may lie over many tiles. */
  readonly cells?: TileCells
}

/** A round place that may be a flaw: who judged it, its score, and whether that is enough whatever else is in the picture. */
export type ScoredDisc = Find & { readonly kind: DiscKind; readonly shape: Disc; readonly by: DiscKind; readonly score: number; readonly accepted: boolean }

/** Of a picture, in pixels. */
export interface Size { readonly width: number; readonly height: number }
