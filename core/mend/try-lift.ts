import { severity, TELLTALE_NAMES } from '../check/telltales.js'
import { logLight } from '../raster/log-light.js'
import { clipRegion, growRegion } from '../raster/raster.js'
import { patchedSource } from './patches/patch.js'
import { roundTo } from '../round.js'
import { distanceOutside, shapeBounds, shapeCentre, shapeThickness, type Disc, type Shape } from '../shape/shape.js'
import type { Flaw } from '../treatment/schema.js'
import { fitDamping } from './lift/fit-damping.js'
import { fitShadow, type ExpectedShadow, type ShadowFit } from './lift/fit-shadow.js'
import { likelyErrorOfHeal, STRUCTURED } from './ground-structure.js'
import type { Mended } from '../check/mended.js'
import { leastTransmission, shadowField, type Shadow } from './lift/shadow.js'
import { makeStep, measured, wordsFor, type MendRequest, type Trial } from './trial.js'
import { thickestFill } from './try-fill.js'
import { unevenness } from './unevenness.js'

/** Where so little light comes through that there is nothing to give back; more is asked of what nobody called dust. */
const LEAST_TRANSMISSION: Partial<Record<Flaw['kind'], number>> = { dust: 0.12, speck: 1 }
const LEAST_TRANSMISSION_OTHERWISE = 0.35
/** Where a heal would do as well, a lift needs this much evidence. */
const LEAST_EVIDENCE = 4

/** Half the width below which what was drawn or masked is no shadow worth fitting: bridging it is nearer the truth. */
const LEAST_SHADOW = 6

/** Whether a round shadow may lie under a shape: one that is drawn out or thin has another cause. */
export function mayBeShadow(shape: Shape): boolean {
  if (shape.type === 'disc') return true
  const thickness = shapeThickness(shape)
  return thickness >= LEAST_SHADOW && shapeCentre(shape).r < 2.2 * thickness
}

/**
 * Fit a shadow, lift it, and say whether the lift is kept.
 *
 * Where the surroundings are structured, a heal invents what it puts there, and no telltale can know that it is not
 * what was there; a lift gives the real thing, a little uneven at worst. So the patience with its telltales grows with
 * how much nearer to the truth it is likely to be, and more detail inside than around is the picture's own. On plain ground
 * a heal is hardly off, and an uneven lift is seen.
 */
export function tryLift(request: MendRequest): { trial: Trial; why: string; kept: boolean } | { refused: string } {
  const { flaw, picture, transfer } = request
  const centre = shapeCentre(flaw.shape)
  const start: Disc = { type: 'disc', x: centre.x, y: centre.y, r: flaw.origin === 'hand' ? Math.max(2, 0.8 * centre.r) : centre.r }
  if (start.r < 2) return { refused: 'it is too small to fit a shadow to' }
  const { expected } = request
  const own = expected
    ? fitShadow(picture, transfer, { ...start, x: expected.x, y: expected.y, r: expected.radius }, 'chart', { depth: expected.profile[0]!, spread: expected.spread })
    : fitShadow(picture, transfer, start, flaw.origin === 'hand' ? 'hand' : 'detector')
  const fit = expected && (!own || own.evidence < SPEAKS_ITSELF) ? knownShadow(expected, picture.channels) : own
  if (!fit) return { refused: 'there is no shadow to take away' }
  const errorOfHeal = likelyErrorOfHeal(request)
  const advantage = errorOfHeal / fit.uncertainty
  const structured = errorOfHeal > STRUCTURED
  const surelyDust = structured && flaw.kind === 'dust' && flaw.origin !== 'hand' && advantage > 0.5
  if (fit.evidence < LEAST_EVIDENCE && !surelyDust && request.method !== 'lift') return { refused: 'taking a shadow away does not make it calmer' }
  const plain: Shadow = roundShadow({ ...fit.shadow, damping: 0 })
  const through = leastTransmission(plain)
  if (through < (LEAST_TRANSMISSION[flaw.kind] ?? LEAST_TRANSMISSION_OTHERWISE) && request.method !== 'lift') return { refused: `only ${Math.round(100 * through)} % of the light comes through` }
  const shadow = { ...plain, damping: fitDamping(picture, transfer, plain) }
  const shape: Disc = { type: 'disc', x: roundTo(shadow.x, 3), y: roundTo(shadow.y, 3), r: roundTo(Math.max(1, outlineRadius(shadow)), 3) }
  const step = makeStep(request, 'lift', shape, { shadow })
  const trial = measured(request, step)
  const counted = TELLTALE_NAMES.filter((name) => !(name === 'grain' && structured && trial.telltales.grain.value > 1))
  const worst = Math.max(...counted.map((name) => severity(name, trial.telltales[name])))
  const uneven = structured ? 0 : unevenness(patchedSource(picture, [trial.mended]), transfer, shape, request.openFlaws) / Math.max(UNSEEN, UNEVEN * errorOfHeal)
  const most = structured && flaw.kind === 'dust' ? Math.max(1, 2 * advantage) : 1
  return { trial: { ...trial, worst: Math.max(trial.worst, uneven) }, why: `It lets ${Math.round(100 * through)} % of the light through, so what lies under it is given back.`, kept: Math.max(worst, uneven) <= most }
}

/**
 * On plain ground, so many times the likely error of a heal is more than a lift may leave: of 118 lifts in the demo's sky and on
 * plain ground of open photographs, none of the 28 that were nearer to the truth than a heal, by a third of its error, is given
 * up for it, and of the 29 that were twice as far off eight are kept.
 */
const UNEVEN = 1.6
/** Share of the light that nobody sees: in a sky without noise, or burnt out, a heal is not off at all. */
const UNSEEN = 0.001

/**
 * How much darker than a fill says a place may be after a lift, in logarithms of the light. Where bright and dark things
 * meet, a shadow that is fitted to what hides nearly all light may look like a light one over the dark thing: of 25 such
 * lifts of opaque dust 17 stay darker than this, of 93 of dust that dims one does (on open photographs).
 */
const STAYS_DARK = 0.6
/** How much lighter: what takes light away leaves nothing so light unless it was taken for something that lies on the picture. */
const STAYS_LIGHT = 1
/** Where a shape is too thick to be filled, what lies so far beside it is what it is held against, in pixels. */
const BESIDE = [2, 12] as const

/** How what was called no dust would stay after a lift, in words; null where it becomes like what is there. */
export function staysApart({ flaw, picture, transfer }: MendRequest, shape: Shape, { mended }: Trial, filled: () => Trial): string | null {
  if (flaw.kind === 'dust') return null
  const isFilled = shapeThickness(shape) <= thickestFill(shape)
  const region = clipRegion(growRegion(shapeBounds(shape), isFilled ? 0 : BESIDE[1]), picture.width, picture.height)
  const distance = distanceOutside(shape, region, BESIDE[1] + 1).data
  const meanLight = (by: Mended, isAsked: (distance: number) => boolean) => {
    const light = logLight(patchedSource(picture, [by]).read(region), transfer).data
    let sum = 0
    let count = 0
    for (let i = 0; i < light.length; i++) {
      if (!isAsked(distance[i]!)) continue
      sum += light[i]!
      count++
    }
    return sum / Math.max(1, count)
  }
  const isInside = (d: number) => d <= -1.5
  const lighter = meanLight(mended, isInside) - (isFilled ? meanLight(filled().mended, isInside) : meanLight(mended, (d) => d > BESIDE[0] && d < BESIDE[1]))
  if (isFilled && lighter < -STAYS_DARK) return 'darker'
  return lighter > STAYS_LIGHT ? 'lighter' : null
}

/** A lift may be given up for what no telltale says: that it leaves plain ground uneven. */
export function wordsForLift({ telltales }: Trial): string {
  return wordsFor(telltales) || 'uneven ground'
}

/** With less evidence than this a frame says less about a shadow than other frames do. */
const SPEAKS_ITSELF = 12

/** What is known needs no evidence of its own. */
function knownShadow({ spread, ...shadow }: ExpectedShadow, channels: number): ShadowFit {
  return { shadow: { ...shadow, channels: shadow.channels.slice(0, channels) }, saving: 0, evidence: Infinity, uncertainty: spread }
}

/** Radius within which a shadow takes more than a fiftieth of its depth. */
function outlineRadius(shadow: Shadow): number {
  const deepest = shadow.profile[0]!
  const field = shadowField({ ...shadow, wobble: shadow.wobble.map(() => 0) })
  let r = shadow.radius * 1.7
  while (r > 1 && field.depth(shadow.x + r, shadow.y) < 0.04 * deepest) r -= 0.02 * shadow.radius
  return r
}

function roundShadow(shadow: Shadow): Shadow {
  const fine = (value: number) => roundTo(value, 6)
  return {
    x: roundTo(shadow.x, 3),
    y: roundTo(shadow.y, 3),
    radius: roundTo(shadow.radius, 3),
    wobble: shadow.wobble.map(fine),
    profile: shadow.profile.map(fine),
    channels: shadow.channels.map(fine),
    damping: fine(shadow.damping),
  }
}
