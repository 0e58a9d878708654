import { SEARCH_KINDS, type Flaw, type SearchKind } from '../treatment/schema.js'
import { LINE_KINDS } from './line-judging/line-kinds.js'
import type { Medium } from './judging/medium.js'

/** From this aperture on, dust on a sensor casts shadows that are seen (common practice). */
const DUST_APERTURE = 10

/**
 * What a picture is searched for when nobody says otherwise: a frame for dust, one taken with a wide aperture for specks
 * too, since then what is seen lies in front of the lens; a scan for lint, mould, lines, losses and stains besides.
 */
export function usualKinds(picture: { readonly kind: Medium; readonly aperture: number | null }): SearchKind[] {
  if (picture.kind === 'scan') return ['dust', 'speck', 'mould', 'line', 'loss', 'stain']
  return (picture.aperture ?? 0) >= DUST_APERTURE ? ['dust'] : ['dust', 'speck']
}

/** What is searched for to find flaws of a kind; null for what is marked by hand alone. */
export function searchKindOf(kind: Flaw['kind']): SearchKind | null {
  if ((LINE_KINDS as readonly string[]).includes(kind)) return 'line'
  // Both are told by grain that is missing.
  if (kind === 'smudge') return 'flat'
  return SEARCH_KINDS.find((sought) => sought === kind) ?? null
}
