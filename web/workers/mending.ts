import { explainMend, type Explanation } from '@fennip/core/check/explain.js'
import { chooseMend, quickHeal } from '@fennip/core/mend/choose.js'
import { snapSource, type SnapTo } from '@fennip/core/mend/heal/snap-source.js'
import { nextBest } from '@fennip/core/mend/next-best.js'
import { patchedSource } from '@fennip/core/mend/patches/patch.js'
import { guardsOf } from '@fennip/core/mend/picture/guards.js'
import { splitByTexture } from '@fennip/core/mend/split-by-texture.js'
import { measureStep, type MendRequest } from '@fennip/core/mend/trial.js'
import { growAreaAt, markSurroundings, type AreaMarks } from '@fennip/core/shape/zone/grow-area.js'
import type { Outline, Shape, Stroke } from '@fennip/core/shape/shape.js'
import type { Flaw, Step, Telltales } from '@fennip/core/treatment/schema.js'
import { picture, transfer } from './opened.js'
import { patches, surroundingsOf, treatment } from './patches.js'
import { fetchRegion, sourceOf, withTiles } from './tiles.js'

/** Most pixels an area grows on while it is drawn, and when it is kept: these must fit among the tiles that are kept. */
const ROUGH_PIXELS = 400_000
const EXACT_PIXELS = 26_000_000

/** Mends and areas: chosen, measured and drawn. */
export const mending = {
  /** Fetch full-size tiles round a place before they are needed. */
  prefetch(x: number, y: number, reach: number): Promise<void> {
    return fetchRegion({ x: Math.floor(x - reach), y: Math.floor(y - reach), width: Math.ceil(2 * reach), height: Math.ceil(2 * reach) }, 0)
  },

  choose(flaw: Flaw, openFlaws: readonly Shape[], wishes: Pick<MendRequest, 'method' | 'source' | 'skipSources' | 'strength' | 'softEdgePx' | 'id'>): Promise<Step> {
    return withTiles(() => chooseMend({ picture: surroundingsOf(wishes.id), transfer, flaw, openFlaws, guards: guardsOf(treatment), ...wishes }))
  },

  quickHeal(flaw: Flaw, openFlaws: readonly Shape[], id: string): Promise<Step> {
    return withTiles(() => quickHeal({ picture: surroundingsOf(id), transfer, flaw, openFlaws, guards: guardsOf(treatment), id }))
  },

  measure(step: Step, openFlaws: readonly Shape[]): Promise<Telltales> {
    return withTiles(() => measureStep({ picture: surroundingsOf(step.id), transfer, openFlaws, guards: guardsOf(treatment) }, step))
  },

  /** The mend that shows least beside the one at hand. */
  nextBest(flaw: Flaw, openFlaws: readonly Shape[], current: Step): Promise<Step | null> {
    return withTiles(() => nextBest({ picture: surroundingsOf(current.id), transfer, flaw, openFlaws, guards: guardsOf(treatment), id: current.id }, current))
  },

  snapSource(step: Step, near: { dx: number; dy: number }, to: SnapTo, reachPx: number): Promise<{ dx: number; dy: number }> {
    return withTiles(() => snapSource(surroundingsOf(step.id), step.shape, near, to, reachPx))
  },

  /** The parts of a stroke that lie on one ground each. */
  splitByTexture(stroke: Stroke): Promise<Stroke[]> {
    return withTiles(() => splitByTexture(patchedSource(sourceOf(), patches), transfer, stroke))
  },

  /** Roughly and at once, or to the pixel. */
  async growArea(marks: AreaMarks, thinPx: number, how: 'roughly' | 'exactly'): Promise<Outline[]> {
    const region = markSurroundings(marks, picture.original)
    const most = how === 'roughly' ? ROUGH_PIXELS : EXACT_PIXELS
    let level = 0
    while (level + 1 < picture.levels && (region.width * region.height) / 4 ** level > most) level++
    await fetchRegion(region, level)
    return withTiles(() => growAreaAt(sourceOf, level, marks, thinPx))
  },

  /** Profile across the outline of a mend, and the spectrum of its grain, as the close look draws them. */
  explain(step: Step): Promise<Explanation> {
    return withTiles(() => explainMend(patchedSource(sourceOf(), patches), transfer, step.shape))
  },
}
