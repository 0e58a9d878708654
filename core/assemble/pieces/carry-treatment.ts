import { cos, PI, sin } from '../../numbers/exact-math.js'
import type { Region } from '../../raster/raster.js'
import { moveTreatment } from '../../rescan/move-treatment.js'
import { composed, inverseOf, placeIn, type Similarity } from '../../rescan/similarity.js'
import { operationOf } from '../../pipeline/registry.js'
import { shapeCentre } from '../../shape/shape.js'
import type { Area, OperationStep, Original, Treatment } from '../../treatment/schema.js'
import type { Piece } from './cut-out.js'
import { pivotOf } from './fit.js'
import type { Placement } from './sheet.js'

/** What was done on the scan of the pieces, as it lies in the joined picture. */
export interface CarriedTreatment {
  readonly treatment: Treatment
  /** Flaws whose mend gives light back: it is fitted anew, since the piece was resampled. */
  readonly refit: readonly string[]
  /** Steps that look at the picture: what they measured has to be measured anew. */
  readonly remeasure: readonly string[]
  /** What lies on no piece, or is about the whole scan, in words. */
  readonly left: readonly string[]
}

/** How places of a piece lie in the joined picture. @param origin  Where that begins in the plane of the scan. */
function similarityOf(box: Region, { turnDegrees, dx, dy }: Placement, origin: { readonly x: number; readonly y: number }): Similarity {
  const { x, y } = pivotOf(box)
  const [a, b] = [cos((turnDegrees * PI) / 180), sin((turnDegrees * PI) / 180)]
  return { a, b, right: x - (a * x - b * y) + dx - origin.x, down: y - (b * x + a * y) + dy - origin.y }
}

/** How pieces were joined: one placement a piece, and where the joined picture begins in the plane of the scan. */
export interface Joining {
  readonly placements: readonly Placement[]
  readonly origin: { readonly x: number; readonly y: number }
}

const holds = ({ box, mask }: Piece, x: number, y: number) => x >= box.x && y >= box.y && x < box.x + box.width && y < box.y + box.height && mask[Math.floor(y - box.y) * box.width + Math.floor(x - box.x)] === 1

/**
 * Carry what was done on the scan of the pieces to the joined picture: everything moves with the piece it lies on.
 *
 * @param pieces  As they were joined.
 */
export function carryToJoined(treatment: Treatment, to: Original, pieces: readonly Piece[], { placements, origin }: Joining): CarriedTreatment {
  const pieceAt = (x: number, y: number) => pieces.findIndex((piece) => holds(piece, x, y))
  return carryByPieces(treatment, to, pieceAt, pieces.map(({ box }, i) => similarityOf(box, placements[i]!, origin)))
}

/**
 * Carry what was done on a joined picture to another one, joined anew from the same pieces.
 *
 * @param before  How they were joined then.
 * @param now     How they are joined now.
 */
export function carryToRejoined(treatment: Treatment, to: Original, pieces: readonly Piece[], before: Joining, now: Joining): CarriedTreatment {
  const back = pieces.map(({ box }, i) => inverseOf(similarityOf(box, before.placements[i]!, before.origin)))
  const pieceAt = (x: number, y: number) => pieces.findIndex((piece, i) => holds(piece, ...placeIn(back[i]!, x, y)))
  return carryByPieces(treatment, to, pieceAt, pieces.map(({ box }, i) => composed(back[i]!, similarityOf(box, now.placements[i]!, now.origin))))
}

/** @param similarities  One a piece: where its places come to lie. */
function carryByPieces(treatment: Treatment, to: Original, pieceAt: PieceAt, similarities: readonly Similarity[]): CarriedTreatment {
  const left: string[] = []
  const flawPiece = new Map(treatment.flaws.map(({ id, shape }) => [id, pieceAt(shapeCentre(shape).x, shapeCentre(shape).y)]))
  const areaPiece = new Map((treatment.areas ?? []).map((area) => [area.id, placeOfArea(area, pieceAt)]))
  const stepPiece = new Map((treatment.operations ?? []).map((step) => [step.id, placeOfStep(step, areaPiece, pieceAt)]))
  for (const [id, piece] of flawPiece) if (piece < 0) left.push(`Flaw ${id} lies on no piece.`)
  for (const { id, name } of treatment.areas ?? []) if (areaPiece.get(id)! < 0) left.push(`${name} lies on no piece.`)
  for (const { id, operation } of treatment.operations ?? []) if (stepPiece.get(id)! < 0) left.push(`${operation} is about the whole scan.`)
  const carried = similarities.map((similarity, i) => moveTreatment({
    ...treatment,
    flaws: treatment.flaws.filter(({ id }) => flawPiece.get(id) === i),
    // A guard that lies elsewhere keeps nothing here.
    steps: treatment.steps.filter(({ flaw }) => flawPiece.get(flaw) === i).map(({ guards, ...step }) => ({ ...step, ...(guards ? { guards: guards.filter((id) => areaPiece.get(id) === i) } : {}) })),
    areas: (treatment.areas ?? []).filter(({ id }) => areaPiece.get(id) === i),
    operations: (treatment.operations ?? []).filter(({ id }) => stepPiece.get(id) === i),
    remarks: (treatment.remarks ?? []).filter(({ x, y }) => pieceAt(x, y) === i),
  }, to, similarity, new Map()))
  const all = <T>(pick: (of: Treatment) => readonly T[] | undefined): T[] => carried.flatMap(({ treatment: part }) => pick(part) ?? [])
  const operations = all((part) => part.operations)
  // In the order in which they were made, whatever piece they are on.
  const order = new Map((treatment.operations ?? []).map(({ id }, i) => [id, i]))
  operations.sort((a, b) => order.get(a.id)! - order.get(b.id)!)
  return {
    treatment: { ...treatment, original: to, flaws: all((part) => part.flaws), steps: all((part) => part.steps), areas: all((part) => part.areas), operations, remarks: all((part) => part.remarks) },
    refit: carried.flatMap(({ refit }) => refit), remeasure: carried.flatMap(({ remeasure }) => remeasure), left,
  }
}

type PieceAt = (x: number, y: number) => number

/** The piece that an area begins on; -1 when it has no place of its own, as a range of tones. */
function placeOfArea({ parts }: Area, pieceAt: PieceAt): number {
  for (const part of parts) {
    if (!('shape' in part)) continue
    const { x, y } = shapeCentre(part.shape)
    const piece = pieceAt(x, y)
    if (piece >= 0) return piece
  }
  return -1
}

/** The piece that a step is about: by its zone, or by the place of its first stroke; -1 for the whole picture. */
function placeOfStep({ operation, zone, settings }: OperationStep, areaPiece: ReadonlyMap<string, number>, pieceAt: PieceAt): number {
  if (operationOf(operation).form === 'geometry') return -1
  if (zone !== undefined) return areaPiece.get(zone) ?? -1
  const { points, strokes } = settings as { points?: number[][]; strokes?: { points: number[][] }[] }
  const first = points?.[0] ?? strokes?.[0]?.points[0]
  return first ? pieceAt(first[0]!, first[1]!) : -1
}
