import { mendShape } from '../mend-shape.js'
import { sourceShape } from '../../shape/donor.js'
import { shapesTouch } from '../../shape/shapes-touch.js'
import { touchesArea } from '../../shape/area.js'
import { shapeBounds, type Shape } from '../../shape/shape.js'
import { guardsOf } from './guards.js'
import type { Flaw, Source, Step, Treatment } from '../../treatment/schema.js'

/** Side of the cells in which open flaws are looked up, in pixels. */
const CELL = 256

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
  const near = openFlawsByPlace(treatment.flaws)
  for (const step of treatment.steps) {
    if (!step.source) continue
    const from = sourceShape(step.shape, step.source)
    const reason = whatItTakes(treatment, step, from, near(from))
    if (reason) poor.set(step.flaw, reason)
  }
  return poor
}

function whatItTakes(treatment: Treatment, step: Step, from: Shape, open: readonly Flaw[]): string | null {
  const guard = guardsOf(treatment).find((area) => touchesArea(from, [area]))
  if (guard) return `takes from the guard ${guard.name}`
  return open.some((flaw) => flaw.id !== step.flaw && shapesTouch(from, mendShape(flaw))) ? 'takes from an open flaw' : null
}

/** Open flaws by the cells they reach into, so that thousands of sources are checked at once. */
function openFlawsByPlace(flaws: readonly Flaw[]): (shape: Shape) => Flaw[] {
  const cells = new Map<string, Flaw[]>()
  for (const flaw of flaws) {
    if (flaw.state !== 'open') continue
    for (const key of cellsOf(mendShape(flaw))) {
      const list = cells.get(key)
      if (list) list.push(flaw)
      else cells.set(key, [flaw])
    }
  }
  return (shape) => cellsOf(shape).flatMap((key) => cells.get(key) ?? [])
}

function cellsOf(shape: Shape): string[] {
  const { x, y, width, height } = shapeBounds(shape)
  const keys: string[] = []
  for (let row = Math.floor(y / CELL); row * CELL < y + height; row++) {
    for (let column = Math.floor(x / CELL); column * CELL < x + width; column++) keys.push(`${column},${row}`)
  }
  return keys
}
