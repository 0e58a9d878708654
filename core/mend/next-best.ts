import { severity, TELLTALE_NAMES } from '../check/telltales.js'
import type { Step } from '../treatment/schema.js'
import { chooseMend } from './choose.js'
import type { MendRequest } from './trial.js'
import type { MethodName } from './methods.js'

/** Sources that are tried beside the one that is taken. */
const SOURCES = 3

/**
 * The mend that shows least among those that are not the one at hand: other methods, other sources, another fill.
 *
 * @param request  As for `chooseMend`; method, source and skipSources of it are not looked at.
 * @param current  The mend at hand.
 * @returns Null when there is no other.
 */
export function nextBest(request: Omit<MendRequest, 'method' | 'source' | 'skipSources'>, current: Step): Step | null {
  const tries: { method: MethodName; skipSources: number }[] = [
    { method: 'lift', skipSources: 0 },
    ...Array.from({ length: SOURCES }, (_value, skipSources) => ({ method: 'heal' as const, skipSources })),
    { method: 'fill', skipSources: current.method === 'fill' ? current.seed : 0 },
  ]
  const others = tries.map((wish) => chooseMend({ ...request, ...wish })).filter((step) => !sameDecisions(step, current))
  return others.length === 0 ? null : others.reduce((best, step) => (worstOf(step) < worstOf(best) ? step : best))
}

/** How far the worst telltale of a mend is over its limit: 1 is the limit itself. */
export function worstOf({ telltales }: Step): number {
  return telltales ? Math.max(...TELLTALE_NAMES.map((name) => severity(name, telltales[name]))) : 0
}

function sameDecisions(a: Step, b: Step): boolean {
  return a.method === b.method && a.source?.dx === b.source?.dx && a.source?.dy === b.source?.dy && (a.method !== 'fill' || a.seed === b.seed)
}
