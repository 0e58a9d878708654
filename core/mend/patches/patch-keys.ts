import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'
import { fillReach } from '../fill/fill.js'
import { shadowExtent } from '../lift/light-loss.js'
import { patternField } from '../lift/pattern.js'
import { tintField } from '../lift/tint.js'
import { donorRegion } from '../../shape/donor.js'
import { decisionsOf, versionOf, type Decisions } from '../methods.js'
import { clipRegion, overlaps, type Region } from '../../raster/raster.js'
import { PlaceIndex } from '../../shape/place-index.js'
import { shapeBounds } from '../../shape/shape.js'
import type { Area, Original, Plan, Step } from '../../treatment/schema.js'

/** Address of a step's patch, and the earlier steps whose pixels it may read. */
export interface PatchAddress {
  readonly key: string
  readonly below: readonly number[]
}

/**
 * Addresses of the patches of all steps, without computing any.
 *
 * A patch is addressed by the hash of its original, its decisions and the patches it sees, so it stays good until one of
 * these changes. What was worked out for a step is kept with the step object: of an edited list only what depends on
 * the edit costs anything.
 */
export function patchKeys({ original, steps, areas }: Plan): PatchAddress[] {
  const extents = steps.map((step) => stepExtent(step, original))
  const written = new PlaceIndex(extents, ({ writes }) => [writes])
  const addresses: PatchAddress[] = []
  steps.forEach((step, index) => {
    const below = new Set<number>()
    for (const region of extents[index]!.reads) {
      for (const earlier of written.placesNear(region)) if (earlier < index && overlaps(region, extents[earlier]!.writes)) below.add(earlier)
    }
    const seen = [...below].sort((a, b) => a - b)
    addresses.push({ key: keyOf(original, step, [...seen.map((earlier) => addresses[earlier]!.key), ...guardTexts(step, areas)].join('\n')), below: seen })
  })
  return addresses
}

/** What a step's guards cover, as text: moved guards make other patches. */
function guardTexts(step: Step, areas: readonly Area[] | undefined): string[] {
  return (decisionsOf(step, areas).guarded ?? []).map((area) => {
    const kept = areaTexts.get(area)
    if (kept) return kept
    const text = bytesToHex(sha256(utf8ToBytes(textOf(area.movedPx ? [area.parts, area.softEdgePx, area.movedPx] : [area.parts, area.softEdgePx]))))
    areaTexts.set(area, text)
    return text
  })
}

const areaTexts = new WeakMap<Area, string>()
const known = new WeakMap<Step, { seen: string; original: string; key: string }>()

function keyOf(original: Original, step: Step, seen: string): string {
  const kept = known.get(step)
  if (kept && kept.seen === seen && kept.original === original.sha256) return kept.key
  const key = bytesToHex(sha256(utf8ToBytes(`${original.sha256}\n${decisionsText(step)}\n${seen}`)))
  known.set(step, { seen, original: original.sha256, key })
  return key
}

/** The decisions of a step as text, the same for equal decisions. */
function decisionsText(step: Decisions): string {
  return textOf([step.method, versionOf(step), step.shape, step.softEdgePx, step.strength, step.source ?? null, step.shadow ?? null, ...(step.tint ? [step.tint] : []), ...(step.pattern ? [step.pattern] : []), ...(step.cover ? [step.cover] : []), ...(step.method === 'fill' || step.cover ? [step.seed, step.avoid ?? []] : [])])
}

/** JSON with the names of every object in their order: a database may hand them back in another. */
function textOf(value: unknown): string {
  return JSON.stringify(value, (_key, part) =>
    part !== null && typeof part === 'object' && !Array.isArray(part)
      ? Object.fromEntries(Object.entries(part as Record<string, unknown>).sort(([a], [b]) => (a < b ? -1 : 1)))
      : (part as unknown),
  )
}

/** Generous rectangles of everything a step may read or write. */
export interface PatchExtent {
  readonly writes: Region
  readonly reads: readonly Region[]
}

/** @param picture  What the rectangles are clipped to. */
export function stepExtent(step: Decisions, picture: { width: number; height: number }): PatchExtent {
  const grown = readingRegion(step)
  const writes = clipRegion(grown, picture.width, picture.height)
  if (!step.source) return { writes, reads: [writes] }
  return { writes, reads: [writes, clipRegion(donorRegion(grown, step.shape, step.source), picture.width, picture.height)] }
}

function readingRegion(step: Decisions): Region {
  if (step.tint) return tintField(step.tint).region
  if (step.pattern) return patternField(step.pattern).region
  if (step.shadow) return shadowExtent(step.shadow)
  const bounds = shapeBounds(step.shape)
  const margin = Math.ceil(step.softEdgePx / 2) + (step.method === 'fill' || step.cover ? fillReach(step.shape) : 18)
  return { x: bounds.x - margin, y: bounds.y - margin, width: bounds.width + 2 * margin, height: bounds.height + 2 * margin }
}
