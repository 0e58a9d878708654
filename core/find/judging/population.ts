import { exp } from '../../numbers/exact-math.js'
import type { DiscKind, Find, ScoredDisc } from '../finds.js'

/**
 * What a picture says of its own finds. How much in it looks like a flaw by chance is told by all that is not taken for one:
 * texture has more of it than a sky. And flaws come in populations: where more stand out than chance can make, weaker ones are
 * believed too (after Efron 2004, "Large-scale simultaneous hypothesis testing: the choice of a null hypothesis").
 */

/** How many places a megapixel look like a flaw of some score by chance: ln r = (atOne - score) * steepness. */
export interface Chance {
  readonly atOne: number
  readonly steepness: number
  /** Of all that is believed, this share may be chance. */
  readonly share: number
}

/**
 * Of pictures without flaws, read off 160 clean pictures, photographs of five collections and three renders, developed in
 * many ways (bench/cross/collect-discs.ts).
 */
const CHANCE: Partial<Record<DiscKind, Chance>> = {
  dust: { atOne: -0.35, steepness: 0.95, share: 0.1 },
  speck: { atOne: 0.15, steepness: 0.68, share: 0.2 },
}

/** Places of at least this score tell how much in a picture looks like a flaw; none of less are asked for. */
export const LEAST_TELLING = -3
/** Behind a place that chance explains so much better than what is believed, none is looked for. */
const GIVEN_UP = 2
/** Chance is somewhat likelier than it says: read off skimage B and sights with flaws put on (bench/cross/finding.ts). */
const MARGIN = 1.2
/** What its judge accepted is at least so sure, unless the judge itself is less. */
const LEAST_CONFIDENCE = 0.4

/** Whether a judge has places weaker than those that it accepts looked at. */
export const tellsPopulation = (by: DiscKind): boolean => CHANCE[by] !== undefined

const isScored = (find: Find | ScoredDisc): find is ScoredDisc => 'score' in find

/**
 * Of round places those that are finds, with how sure they are; other finds as they are.
 *
 * @param found       From `joinFinds`: round places of at least `LEAST_TELLING`.
 * @param megapixels  Of the picture.
 */
export function findsOfPopulation(found: readonly (Find | ScoredDisc)[], megapixels: number): Find[] {
  const discs = found.filter(isScored)
  const believed = new Map<Find, number>()
  for (const by of new Set(discs.map((disc) => disc.by))) {
    const places = discs.filter((disc) => disc.by === by).sort((a, b) => b.score - a.score)
    const chance = CHANCE[by]
    if (!chance) {
      for (const place of places) if (place.accepted) believed.set(place, place.confidence)
      continue
    }
    const usual = exp((chance.atOne - LEAST_TELLING) * chance.steepness) * megapixels
    // How much denser this picture is than others; one place more or less says nothing.
    const density = (places.length + 1) / (usual + 1)
    const byChance = (score: number) => exp((chance.atOne - score) * chance.steepness) * megapixels * density
    let count = 0
    for (const [k, { score, accepted }] of places.entries()) {
      const allowed = chance.share * (k + 1)
      if (accepted || byChance(score) <= allowed) count = k + 1
      else if (byChance(score) > GIVEN_UP * allowed) break
    }
    // Of a place and of all that are surer this share is chance; the surer are never less sure (Storey 2003, "The positive false discovery rate").
    let share = 1
    for (let k = count - 1; k >= 0; k--) {
      share = Math.min(share, byChance(places[k]!.score) / (k + 1))
      believed.set(places[k]!, Math.max(Math.min(LEAST_CONFIDENCE, places[k]!.confidence), 1 - MARGIN * share))
    }
  }
  return found.flatMap((find): Find[] => {
    if (!isScored(find)) return [find]
    const confidence = believed.get(find)
    if (confidence === undefined) return []
    const { by: _by, score: _score, accepted: _accepted, ...told } = find
    return [{ ...told, confidence }]
  })
}
