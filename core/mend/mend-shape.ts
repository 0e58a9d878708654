import { roundTo } from '../round.js'
import type { Shape } from '../shape/shape.js'
import type { Flaw } from '../treatment/schema.js'

/** A found flaw is measured at half its depth, so a mend goes a little beyond; by hand the size is what was asked for. */
export function mendShape(flaw: Flaw): Shape {
  if (flaw.origin === 'hand' || flaw.shape.type !== 'disc') return flaw.shape
  const factor = flaw.kind === 'dust' ? 1.5 : 1.35
  return { ...flaw.shape, r: roundTo(flaw.shape.r * factor + 1.5, 3) }
}
