import { outlinesOfMask } from '../../shape/from-mask.js'
import { shapeArea, type Outline } from '../../shape/shape.js'
import { judge, type Belief } from '../judging/judge.js'

type AreaKind = 'loss' | 'stain' | 'flat' | 'smudge' | 'moire'

/** What may be an area of a kind, and the evidence it is judged by. */
export interface AreaCandidate {
  readonly shape: Outline
  readonly contrast: number
  readonly weight: number
  /** The first is 1. */
  readonly features: readonly number[]
}

/** What is told by the whole picture and found as an area. */
export interface AreaFind<Kind extends AreaKind> {
  readonly kind: Kind
  readonly shape: Outline
  readonly contrast: number
  readonly weight: number
  readonly confidence: number
  /** Not measured for areas: 1, as in a plain sky. */
  readonly unrest: 1
}

/** Candidates of a kind with what is believed of them; those of less confidence than `least` are not shown. */
export function judgedAreas<Kind extends AreaKind>(kind: Kind, candidates: readonly AreaCandidate[], by: Belief, least: number): AreaFind<Kind>[] {
  return candidates
    .map(({ shape, contrast, weight, features }): AreaFind<Kind> => ({ kind, shape, contrast, weight, confidence: judge(by, features).confidence, unrest: 1 }))
    .filter(({ confidence }) => confidence >= least)
}

/**
 * The outline, in pixels, of cells that touch.
 *
 * @param cells    Their indices in row order.
 * @param columns  Cells in a row of the picture.
 * @param side     Of a cell, in pixels.
 * @param size     Of the picture: nothing lies outside.
 * @param reach    Cells by which the area is larger than the cells, on all sides.
 */
export function outlineOfCells(cells: Int32Array, columns: number, side: number, size: { readonly width: number; readonly height: number }, reach = 0): Outline {
  let [left, right, top, bottom] = [Infinity, 0, Infinity, 0]
  for (const i of cells) {
    left = Math.min(left, i % columns)
    right = Math.max(right, i % columns)
    top = Math.min(top, Math.floor(i / columns))
    bottom = Math.max(bottom, Math.floor(i / columns))
  }
  const width = right - left + 1 + 2 * reach
  const height = bottom - top + 1 + 2 * reach
  const mask = new Uint8Array(width * height)
  for (const i of cells) {
    const x = (i % columns) - left
    const y = Math.floor(i / columns) - top
    for (let row = y; row <= y + 2 * reach; row++) mask.fill(1, row * width + x, row * width + x + 2 * reach + 1)
  }
  const [outline] = outlinesOfMask(mask, width, height, Infinity).sort((a, b) => shapeArea(b) - shapeArea(a))
  const inPixels = (points: readonly (readonly [number, number])[]) => points.map(([x, y]): [number, number] => [
    Math.max(0, Math.min(size.width, (x + left - reach) * side)),
    Math.max(0, Math.min(size.height, (y + top - reach) * side)),
  ])
  return { type: 'outline', points: inPixels(outline!.points), ...(outline!.holes ? { holes: outline!.holes.map(inPixels) } : {}) }
}
