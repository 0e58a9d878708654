import { chooseAndMend } from '../choose.js'
import { areShadows, isUnnamed } from './company.js'
import { mendShape } from '../mend-shape.js'
import type { MendRequest } from '../trial.js'
import type { Mended } from '../../check/mended.js'
import type { MethodName } from '../methods.js'
import { growRegion, type Region } from '../../raster/raster.js'
import type { Transfer } from '../../raster/transfer.js'
import type { MendablePicture } from '../patches/patch.js'
import { liesWithin } from '../../shape/zone/area.js'
import { PlaceIndex } from '../../shape/place-index.js'
import { shapeBounds, shapeCentre } from '../../shape/shape.js'
import type { Area, Flaw, Step } from '../../treatment/schema.js'

/** Other flaws are looked up so far around a flaw, in pixels. */
const AROUND_PX = 512

/**
 * Choose a mend for every flaw, each seeing the earlier ones: big flaws first.
 *
 * @param picture  The mends are laid into it.
 * @param flaws   Open flaws. What may be a wire or a loss, flat patches and moire are left: of those the restorer decides. So are
 *                stains that cannot be lifted: all else would put invention in place of what shows through them.
 * @param options  What lies wholly in a guard stays open; nothing is taken from flaws that stay open `beside`; `expected` is the shadow that is known of a flaw from elsewhere;
 *                 `areShadows` says whether those that nobody named are shadows, where there are more of them than these.
 * @param onStep  Told after each, with the pixels it made; returns false to stop.
 */
export function mendAll(
  picture: MendablePicture, transfer: Transfer, flaws: readonly Flaw[],
  options: { method?: MethodName; guards?: readonly Area[]; beside?: readonly Flaw[]; expected?: (flaw: Flaw) => MendRequest['expected']; areShadows?: boolean; id: (flaw: Flaw) => string }, onStep?: (step: Step, done: number, mended: Mended) => boolean | void,
): Step[] {
  const { guards = [], beside = [] } = options
  const order = flaws.filter((flaw) => !LEFT_TO_THE_RESTORER.includes(flaw.kind) && !liesWithin(mendShape(flaw), guards)).sort((a, b) => shapeCentre(b.shape).r - shapeCentre(a.shape).r)
  const open = new Set([...order, ...beside])
  const steps: Step[] = []
  const shadows = !options.method && (options.areShadows ?? areShadows(picture, transfer, order))
  const byPlace = new PlaceIndex([...open], placesOf)
  for (const flaw of order) {
    open.delete(flaw)
    const around = new Set(placesOf(flaw).flatMap((place) => byPlace.near(growRegion(place, AROUND_PX))))
    const neighbours = [...around].filter((other) => open.has(other)).map((other) => mendShape(other))
    const expected = options.expected?.(flaw)
    const { step, mended } = chooseAndMend({ picture, transfer, flaw, openFlaws: neighbours, guards, id: options.id(flaw), ...(options.method ? { method: options.method } : {}), ...(expected ? { expected } : {}), amongShadows: shadows && isUnnamed(flaw) })
    if (flaw.kind === 'stain' && step.method !== 'lift' && !options.method) continue
    picture.lay(mended)
    steps.push(step)
    if (onStep?.(step, steps.length, mended) === false) break
  }
  return steps
}

/** A wire, and what looks like bare paper, may belong to the picture; a flat patch is whole but for its grain, a picture under a pattern but for that. */
const LEFT_TO_THE_RESTORER: readonly Flaw['kind'][] = ['wire', 'loss', 'flat', 'moire']

/** Flaws that are mended one after the other, once those of some earlier parts are. */
export interface PartOfFlaws {
  readonly flaws: readonly Flaw[]
  /** The parts whose mends it sees, by their places in the list. */
  readonly after: readonly number[]
}

/** From so many flaws on, the parts of a picture are mended side by side. */
const MANY = 150
const STRIPS = 4
/** What lies so near to where two strips meet is mended after both, seeing them. */
const SEAM = 120

/**
 * Flaws in parts of which some can be mended side by side: upright strips of the picture, then the seam between two of
 * them as soon as both are mended, then what belongs to more than two. How they are parted, and which mends each part
 * sees, is fixed by the picture alone, so that any number of workers makes the same mends.
 */
export function partsOfFlaws(flaws: readonly Flaw[], width: number): PartOfFlaws[] {
  if (flaws.length === 0) return []
  if (flaws.length < MANY) return [{ flaws, after: [] }]
  const strip = width / STRIPS
  const strips: Flaw[][] = Array.from({ length: STRIPS }, () => [])
  const seams: Flaw[][] = Array.from({ length: STRIPS - 1 }, () => [])
  const last: Flaw[] = []
  for (const flaw of flaws) {
    const bounds = shapeBounds(mendShape(flaw))
    const right = bounds.x + bounds.width
    const from = Math.max(0, Math.floor((bounds.x - SEAM) / strip))
    const to = Math.min(STRIPS - 1, Math.floor((right + SEAM) / strip))
    const meeting = to * strip
    // What reaches into the middle of a strip could meet what reaches there from its other side.
    const ofOneSeam = to === from + 1 && bounds.x > meeting - strip / 2 + SEAM && right < meeting + strip / 2 - SEAM
    if (from === to) strips[from]!.push(flaw)
    else if (ofOneSeam) seams[from]!.push(flaw)
    else last.push(flaw)
  }
  const earlier = strips.length + seams.length
  return [
    ...strips.map((part) => ({ flaws: part, after: [] })),
    ...seams.map((part, k) => ({ flaws: part, after: [k, k + 1] })),
    { flaws: last, after: Array.from({ length: earlier }, (_value, k) => k) },
  ]
}

/** So many points of a line share a rectangle. */
const PART_POINTS = 16

/** Where a flaw lies: a long line in the rectangles of its parts, since it leaves most of the one around it free. */
function placesOf({ shape }: Flaw): Region[] {
  if (shape.type !== 'stroke') return [shapeBounds(shape)]
  const parts = Math.ceil((shape.points.length - 1) / PART_POINTS) || 1
  return Array.from({ length: parts }, (_, k) => shapeBounds({ ...shape, points: shape.points.slice(k * PART_POINTS, (k + 1) * PART_POINTS + 1) }))
}
