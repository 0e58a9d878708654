import { mendShape } from '../mend-shape.js'
import { sourceShape } from '../../shape/donor.js'
import { PlaceIndex } from '../../shape/place-index.js'
import { shapesTouch } from '../../shape/shapes-touch.js'
import { touchesArea } from '../../shape/zone/area.js'
import { shapeBounds, type Shape } from '../../shape/shape.js'
import { guardsOf } from './guards.js'
import type { Flaw, Source, Step, Treatment } from '../../treatment/schema.js'

/**
 * Why a mend must not take from a source.
 *
 * @returns In words that go on from "the source"; null when it may.
 */
export function refusalOf(treatment: Treatment, step: Step, source: Source): string | null {
  const from = sourceShape(step.shape, source)
  const { x, y, width, height } = shapeBounds(from)
  const { original } = treatment
  if (x < 0 || y < 0 || x + width > original.width || y + height > original.height) return 'lies outside the picture'
  return whatItTakes(treatment, step, from, treatment.flaws.filter(({ state }) => state === 'open'))
}

/**
 * Mends whose source has become a poor one since it was chosen: an open flaw or a guard lies there now.
 *
 * @returns Reasons by flaw, as `refusalOf` gives them.
 */
export function poorSourcesOf(treatment: Treatment): Map<string, string> {
  const poor = new Map<string, string>()
  const open = new PlaceIndex(treatment.flaws.filter(({ state }) => state === 'open'), (flaw) => [shapeBounds(mendShape(flaw))])
  for (const step of treatment.steps) {
    if (!step.source) continue
    const from = sourceShape(step.shape, step.source)
    const reason = whatItTakes(treatment, step, from, open.near(shapeBounds(from)))
    if (reason) poor.set(step.flaw, reason)
  }
  return poor
}

function whatItTakes(treatment: Treatment, step: Step, from: Shape, open: readonly Flaw[]): string | null {
  const guard = guardsOf(treatment).find((area) => touchesArea(from, [area]))
  if (guard) return `takes from the guard ${guard.name}`
  return open.some((flaw) => flaw.id !== step.flaw && shapesTouch(from, mendShape(flaw))) ? 'takes from an open flaw' : null
}
