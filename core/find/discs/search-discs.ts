import { LEAST_SEEN } from '../../check/visibility.js'
import type { Plane, Region } from '../../raster/raster.js'
import type { Disc } from '../../shape/shape.js'
import type { SearchKind } from '../../treatment/schema.js'
import { rateInPicture } from '../judging/false-finds.js'
import type { DiscKind, FindOptions, ScoredDisc, Size } from '../finds.js'
import { dustJudge, judge, leastScore, mouldJudge, speckJudge, type DiscJudge } from '../judging/judge.js'
import { LEAST_TELLING, tellsPopulation } from '../judging/population.js'
import { findCandidates, makeOctaves, type Candidate } from './candidates.js'
import type { ColourLook } from './colour.js'
import { worthFitting } from './first-look.js'
import { FIRST_EFFORT, fitDisc, type FittedDisc } from './fit-disc.js'
import { findRadial } from './radial.js'

export const LARGEST_RADIUS = { dust: 70, speck: 24 }

/** Log light and colour of a tile with some of its surroundings. */
export interface TilePlane {
  readonly plane: Plane
  readonly colour: ColourLook
  /** Where it lies in the picture. */
  readonly at: Region
}

/**
 * Places in a tile that may be round flaws, with who judges them.
 *
 * @param around  Log light and colour of the tile with its surroundings.
 * @param close   The same of what lies close to it, where specks are looked for.
 * @param size    Of the picture.
 */
export function findDiscs(around: TilePlane, close: TilePlane, tile: Region, options: FindOptions, size: Size): ScoredDisc[] {
  const wants = (...kinds: readonly SearchKind[]) => kinds.some((kind) => options.kinds.includes(kind))
  const discs: ScoredDisc[] = []
  for (const look of ['dust', 'speck'] as const) {
    const asked = judgesOf(look, options).map((kind) => ({ kind, accepts: leastScore(JUDGES[kind], rateOf(options, size)) })).map(({ kind, accepts }) => ({ kind, accepts, least: tellsPopulation(kind) ? Math.min(accepts, LEAST_TELLING) : accepts }))
    if (asked.length === 0) continue
    const { plane, colour, at } = look === 'dust' ? around : close
    for (const { candidate, fit } of evidenceInTile(plane, colour, at, tile, look, asked)) {
      // What cannot be told from noise is not claimed, whatever speaks for it.
      if (fit.weight < LEAST_SEEN) continue
      const features = FEATURES_OF[look](candidate, fit, colour)
      const claims = asked.map(({ kind, least, accepts }) => ({ kind, least, accepts, ...judge(JUDGES[kind], features) })).filter(({ score, least }) => score >= least)
      if (claims.length === 0) continue
      const accepted = claims.filter(({ score, accepts }) => score >= accepts)
      const { kind, confidence, score } = (accepted.length > 0 ? accepted : claims).reduce((surest, claim) => (claim.confidence > surest.confidence ? claim : surest))
      const isDust = kind === 'speck' && fit.amplitude < 0 && wants('dust') && (options.medium === 'frame' || !wants('speck'))
      if (kind === 'speck' && !isDust && !wants('speck')) continue
      const named = isDust ? 'dust' : kind
      const find: ScoredDisc = { by: kind, score, accepted: accepted.length > 0, kind: named, ...describeFit(fit, at), confidence, unrest: fit.structure }
      if (isInside(find.shape, tile)) discs.push(find)
    }
  }
  return discs
}

/** False finds a megapixel that each of those who judge may have in a picture of a size. */
export function rateOf(options: FindOptions, size: Size): number {
  const judges = judgesOf('dust', options).length + judgesOf('speck', options).length + (options.kinds.includes('line') ? 1 : 0)
  return rateInPicture(Math.max(1e-3, options.falseFinds), size) / Math.max(1, judges)
}

const JUDGES: Record<DiscKind, DiscJudge> = { dust: dustJudge, speck: speckJudge, mould: mouldJudge }

/** How round flaws are looked for: soft shadows, or specks. */
export type DiscLook = 'dust' | 'speck'

/**
 * Who judges what a look finds. Dust that is too small for the look at soft shadows is seen as a dark speck; a spot of mould is
 * a speck to the eye of a filter, and told from texture by a judge of its own. A frame has no mould.
 */
function judgesOf(look: DiscLook, { kinds, medium }: FindOptions): readonly DiscKind[] {
  const wants = (kind: DiscKind) => kinds.includes(kind)
  if (look === 'dust') return wants('dust') ? ['dust'] : []
  const isRound = wants('speck') || wants('dust')
  return [...(isRound ? ['speck' as const] : []), ...(wants('mould') && !(medium === 'frame' && isRound) ? ['mould' as const] : [])]
}

/** All who judge what one look finds go by the same evidence. */
const FEATURES_OF: Record<DiscLook, DiscJudge['features']> = { dust: dustJudge.features, speck: speckJudge.features }

/** A kind that is looked for, and the least score that is of interest. */
interface Asked {
  readonly kind: DiscKind
  readonly least: number
}

/** Whether no one who judges will accept what looks so at a glance. */
const isHopeless = (features: readonly number[], asked: readonly Asked[]) => asked.every(({ kind, least }) => JUDGES[kind].score(features) < least - GLANCE_MARGIN[kind])

/** A candidate with the disc that was fitted to it: what it is judged by. */
export interface Evidence {
  readonly candidate: Candidate
  readonly fit: FittedDisc
}

/**
 * Everything in a tile that could be a flaw, with its evidence; what is hopeless to all who judge it is left out.
 *
 * @param plane  Log light of the tile with its surroundings.
 * @param colour  Tells the colour of places in it.
 */
export function evidenceInTile(plane: Plane, colour: ColourLook, surroundings: Region, tile: Region, look: DiscLook, asked: readonly Asked[]): Evidence[] {
  const octaves = makeOctaves(plane, LARGEST_RADIUS[look])
  const candidates = look === 'dust' ? findRadial(octaves, -1) : findCandidates(octaves)
  const result: Evidence[] = []
  for (const candidate of byBands(candidates, plane.height)) {
    const x = candidate.x + surroundings.x
    const y = candidate.y + surroundings.y
    if (x < tile.x - 8 || y < tile.y - 8 || x > tile.x + tile.width + 8 || y > tile.y + tile.height + 8) continue
    if (look === 'speck' && !worthFitting(octaves, candidate)) continue
    const glance = fitDisc(octaves, candidate, FIRST_EFFORT)
    if (glance && isHopeless(FEATURES_OF[look](candidate, glance, colour), asked)) continue
    const fit = fitDisc(octaves, candidate)
    if (fit && fit.radius <= 1.15 * LARGEST_RADIUS[look]) result.push({ candidate, fit })
  }
  return result
}

/** Rows of a plane that stay near at hand, in a processor's own memory, while its candidates are looked at. */
const BAND = 32

/** Candidates band by band of rows: looked at as they stand out, each would lie where nobody just was. */
function byBands(candidates: readonly Candidate[], height: number): Candidate[] {
  const bands = Array.from({ length: Math.ceil(height / BAND) }, (): Candidate[] => [])
  for (const candidate of candidates) bands[Math.min(bands.length - 1, Math.floor(candidate.y / BAND))]!.push(candidate)
  return bands.flat()
}

/**
 * How far a glance may underrate what the full fit accepts: measured on the demo's pictures, and on its scenes and open
 * photographs with flaws put on, where one of 79 shadows that were accepted lay lower, by ten, and three of 6600 specks. Of mould
 * on fifteen prints one spot was underrated at all that is looked at for specks anyhow, by four.
 */
export const GLANCE_MARGIN: Record<DiscKind, number> = { dust: 5, speck: 8, mould: 5 }

function describeFit(fit: FittedDisc, at: Region): Pick<ScoredDisc, 'shape' | 'contrast' | 'weight'> {
  return {
    shape: { type: 'disc', x: fit.x + at.x, y: fit.y + at.y, r: fit.radius },
    contrast: Math.sign(fit.amplitude) * fit.contrast,
    weight: fit.weight,
  }
}

function isInside(disc: Disc, tile: Region): boolean {
  return disc.x >= tile.x && disc.y >= tile.y && disc.x < tile.x + tile.width && disc.y < tile.y + tile.height
}
