import type { MethodName } from '@fennip/core/mend/methods.js'
import type { Source, Step } from '@fennip/core/treatment/schema.js'

type Wishes = { source?: Source; strength?: number; softEdgePx?: number }
type Remembered = Required<Pick<Wishes, 'strength' | 'softEdgePx'>> & { readonly source: Source | null }

/** Heal and clone take from the same source: what was chosen for one is good for the other. */
const SHARING: readonly MethodName[] = ['heal', 'clone']

/** What each method of a flaw's mend was set to, so that going back to a method brings it back. */
export function rememberedSources() {
  const kept = new Map<string, Partial<Record<MethodName, Remembered>>>()

  function keep({ flaw, method, source, strength, softEdgePx }: Step): void {
    kept.set(flaw, { ...kept.get(flaw), [method]: { source: source ?? null, strength, softEdgePx } })
  }

  /** What a mend by a method is to begin with. @param now  The mend that it takes the place of. */
  function wishes(flaw: string, method: MethodName, now: Step | undefined): Wishes {
    const own = kept.get(flaw)?.[method]
    const shared = now?.source && SHARING.includes(now.method) && SHARING.includes(method) ? now.source : undefined
    const source = shared ?? (SHARING.includes(method) ? (own?.source ?? SHARING.map((other) => kept.get(flaw)?.[other]?.source).find((other) => !!other)) : undefined)
    return { ...(source ? { source } : {}), ...(own ? { strength: own.strength, ...(method === 'lift' ? {} : { softEdgePx: own.softEdgePx }) } : {}) }
  }

  return { keep, wishes, forget: () => kept.clear() }
}
