import { roundTo } from '../round.js'
import { distanceAt, roundedShape, shapeBounds, type Shape } from '../shape/shape.js'
import type { Flaw, Treatment } from '../treatment/schema.js'
import type { Find } from './finds.js'
import { isStain } from './areas/stains.js'

/** What an earlier search found and nobody has decided on. */
export function undecidedFinds(treatment: Pick<Treatment, 'flaws' | 'steps'>): Flaw[] {
  const mended = new Set(treatment.steps.map((step) => step.flaw))
  return treatment.flaws.filter((flaw) => flaw.origin === 'found' && flaw.state === 'open' && !mended.has(flaw.id))
}

/** Finds as open flaws of a treatment, numbered from 1. */
export function flawsOfFinds(finds: readonly Find[], idOf: (number: number) => string): Flaw[] {
  return finds.map(({ kind, shape, contrast, weight, confidence, unrest }, i) => ({
    id: idOf(i + 1), kind, shape: roundedShape(shape), state: 'open', contrast: roundTo(contrast, 2), weight: roundTo(weight, 1), confidence: roundTo(confidence, 3), unrest: roundTo(unrest, 1), origin: 'found',
  }))
}

/** Finds that are none of the given flaws seen again: those whose larger part lies outside each of them, or that lie in a stain. */
export function newFinds(finds: readonly Find[], known: readonly Flaw[]): Find[] {
  const bounds = known.map(({ shape }) => shapeBounds(shape))
  return finds.filter(({ kind, shape }) => {
    const points = pointsOf(shape)
    return !known.some((flaw, k) => {
      if (flaw.kind === 'stain' && kind !== 'stain') return isStain(shape, flaw.shape)
      // Of two discs the centre of one lies in the other, whichever is larger.
      const reach = shape.type === 'disc' && flaw.shape.type === 'disc' ? Math.max(0, shape.r - flaw.shape.r) : 1
      const { x, y, width, height } = bounds[k]!
      const near = points.filter(([px, py]) => px > x - reach && py > y - reach && px < x + width + reach && py < y + height + reach)
      return 2 * near.length > points.length && 2 * near.filter(([px, py]) => distanceAt(flaw.shape, px, py) < reach).length > points.length
    })
  })
}

/** Places that stand for a shape: the centre of a disc, the corners of others. */
function pointsOf(shape: Shape): readonly (readonly [number, number])[] {
  return shape.type === 'disc' ? [[shape.x, shape.y]] : shape.points
}
