import { ln } from '../raster/exact-math.js'
import type { Disc } from '../shape/shape.js'
import { clipRegion, growRegion, type IntegerRaster, type PixelSource, type Plane, type Region } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { findCandidates, makeOctaves, type Candidate, type Octaves } from './candidates.js'
import { FIRST_EFFORT, fitDisc, type FittedDisc } from './fit-disc.js'
import { dustJudge, judge, leastScore, speckJudge, type Judge } from './judge.js'
import { logLight } from './log-light.js'
import { findRadial } from './radial.js'

export const FLAW_KINDS = ['dust', 'speck'] as const
export type FoundKind = (typeof FLAW_KINDS)[number]

/** A flaw as a detector describes it. */
export interface Find {
  readonly kind: FoundKind
  readonly shape: Disc
  /** Mean difference over the deviation of a pixel; negative where the flaw is darker. */
  readonly contrast: number
  /** The same summed over the flaw, as a matched filter sees it. */
  readonly weight: number
  readonly confidence: number
}

export interface FindOptions {
  readonly kinds: readonly FoundKind[]
  /** The one control: mean number of false finds a picture of 24 megapixels that one is willing to look at. */
  readonly falseFinds: number
}

/** Mean false finds a frame of 24 megapixels when nobody says otherwise. */
export const DEFAULT_FALSE_FINDS = 3

const REFERENCE_MEGAPIXELS = 24
const TILE = 2048
const LARGEST_RADIUS = { dust: 70, speck: 24 }
/** Surroundings that a tile needs to judge a flaw on its edge. */
const APRON = 192

/** The tiles a search is split into. How it is split is fixed, so that any number of workers finds the same. */
export function searchTiles(width: number, height: number): Region[] {
  const tiles: Region[] = []
  for (let y = 0; y < height; y += TILE) {
    for (let x = 0; x < width; x += TILE) tiles.push({ x, y, width: Math.min(TILE, width - x), height: Math.min(TILE, height - y) })
  }
  return tiles
}

/** The pixels that the search of a tile reads. */
export function tileSurroundings(tile: Region, width: number, height: number): Region {
  return clipRegion(growRegion(tile, APRON), width, height)
}

/**
 * Search one tile.
 *
 * @param pixels    The tile with its surroundings, as `tileSurroundings` gives them.
 * @param surroundings  Where these pixels lie in the picture.
 * @param tile      Finds whose centre lies outside are another tile's.
 * @param transfer  Tables of the picture's curve.
 */
export function findInTile(pixels: IntegerRaster, surroundings: Region, tile: Region, transfer: Transfer, options: FindOptions): Find[] {
  const plane = logLight(pixels, transfer)
  const rate = Math.max(1e-3, options.falseFinds) / REFERENCE_MEGAPIXELS / options.kinds.length
  const finds: Find[] = []
  for (const kind of options.kinds) {
    const by = JUDGES[kind]
    const least = leastScore(by, rate)
    for (const { candidate, fit } of evidenceInTile(plane, surroundings, tile, kind, least)) {
      const { score, confidence } = judge(by, candidate, fit)
      if (score < least) continue
      const find = { kind, ...describeFit(fit, surroundings), confidence }
      if (isInside(find.shape, tile)) finds.push(find)
    }
  }
  return finds
}

const JUDGES: Record<FoundKind, Judge> = { dust: dustJudge, speck: speckJudge }

/** A candidate with the disc that was fitted to it: what it is judged by. */
export interface Evidence {
  readonly candidate: Candidate
  readonly fit: FittedDisc
}

/**
 * Everything in a tile that could be a flaw of a kind, with its evidence; hopeless ones are left out.
 *
 * @param plane  Log light of the tile with its surroundings.
 * @param least  Least score that is of interest.
 */
export function evidenceInTile(plane: Plane, surroundings: Region, tile: Region, kind: FoundKind, least: number): Evidence[] {
  const octaves = makeOctaves(plane, LARGEST_RADIUS[kind])
  const candidates = kind === 'dust' ? findRadial(octaves, -1) : findCandidates(octaves, 'both').filter((candidate) => isRound(octaves, candidate))
  const result: Evidence[] = []
  for (const candidate of candidates) {
    const x = candidate.x + surroundings.x
    const y = candidate.y + surroundings.y
    if (x < tile.x - 8 || y < tile.y - 8 || x > tile.x + tile.width + 8 || y > tile.y + tile.height + 8) continue
    const glance = fitDisc(octaves, candidate, FIRST_EFFORT)
    if (glance && judge(JUDGES[kind], candidate, glance).score < least - GLANCE_MARGIN) continue
    const fit = fitDisc(octaves, candidate)
    if (fit && fit.radius <= 1.15 * LARGEST_RADIUS[kind]) result.push({ candidate, fit })
  }
  return result
}

/** How far a glance may underrate what the full fit accepts: measured on the four demo pictures. */
const GLANCE_MARGIN = 6.5

const AROUND = [[1, 0], [0.7071, 0.7071], [0, 1], [-0.7071, 0.7071], [-1, 0], [-0.7071, -0.7071], [0, -1], [0.7071, -0.7071]] as const

/**
 * Weights of a first look (logarithms of response, unrest, radius and evenness; least difference over their mean;
 * constant), fitted by logistic regression on the flecks of the shaft and the station that the full fit accepts; it
 * spares six in seven the full fit in a picture without specks and loses one in two hundred.
 */
const FIRST_LOOK = { response: -0.654, unrest: -0.827, radius: 0.164, evenness: 2.67, least: -1.214, constant: -0.289 } as const
const LEAST_LOOK = -1.45

/** A first look that spares edges and lines the full fit: the middle differs from all eight sides in the same sense. */
function isRound(octaves: Octaves, candidate: Candidate): boolean {
  let octave = 0
  while (octave + 1 < octaves.planes.length && candidate.radius / 2 ** octave > 4) octave++
  const plane = octaves.planes[octave]!
  const scale = 2 ** octave
  const column = Math.floor(candidate.x / scale)
  const row = Math.floor(candidate.y / scale)
  const reach = Math.ceil((2 * candidate.radius) / scale) + 1
  if (column < reach || row < reach || column >= plane.width - reach || row >= plane.height - reach) return true
  const middle = plane.data[row * plane.width + column]!
  const sign = Math.sign(candidate.response)
  let least = Infinity
  let mean = 0
  let squares = 0
  for (const [dx, dy] of AROUND) {
    const at = (row + Math.round((dy * (1.9 * candidate.radius)) / scale)) * plane.width + column + Math.round((dx * (1.9 * candidate.radius)) / scale)
    const difference = sign * (middle - plane.data[at]!)
    least = Math.min(least, difference)
    mean += difference / 8
    squares += (difference * difference) / 8
  }
  if (least <= 0.15 * mean) return false
  const evenness = Math.max(0.1, Math.min(30, mean / Math.sqrt(Math.max(1e-12, squares - mean * mean))))
  const look =
    FIRST_LOOK.response * ln(Math.abs(candidate.response)) + FIRST_LOOK.unrest * ln(Math.max(1e-3, candidate.unrest)) +
    FIRST_LOOK.radius * ln(candidate.radius) + FIRST_LOOK.evenness * ln(evenness) + (FIRST_LOOK.least * least) / mean + FIRST_LOOK.constant
  return look >= LEAST_LOOK
}

function describeFit(fit: FittedDisc, at: Region): Pick<Find, 'shape' | 'contrast' | 'weight'> {
  return {
    shape: { type: 'disc', x: fit.x + at.x, y: fit.y + at.y, r: fit.radius },
    contrast: Math.sign(fit.amplitude) * fit.contrast,
    weight: fit.weight,
  }
}

function isInside(disc: Disc, tile: Region): boolean {
  return disc.x >= tile.x && disc.y >= tile.y && disc.x < tile.x + tile.width && disc.y < tile.y + tile.height
}

/**
 * Put the finds of all tiles together: heaviest first, one for each place.
 *
 * Two finds are the same flaw when the centre of the lighter lies within the heavier.
 */
export function gatherFinds(finds: readonly Find[]): Find[] {
  const sorted = [...finds].sort((a, b) => b.confidence * b.weight - a.confidence * a.weight || a.shape.y - b.shape.y || a.shape.x - b.shape.x)
  const cell = 64
  const cells = new Map<number, Find[]>()
  const kept: Find[] = []
  for (const find of sorted) {
    const column = Math.floor(find.shape.x / cell)
    const row = Math.floor(find.shape.y / cell)
    let known = false
    for (let y = row - 2; y <= row + 2 && !known; y++) {
      for (let x = column - 2; x <= column + 2 && !known; x++) {
        known = (cells.get(y * 65536 + x) ?? []).some((other) => {
          const distance = Math.sqrt((other.shape.x - find.shape.x) ** 2 + (other.shape.y - find.shape.y) ** 2)
          return distance < Math.max(other.shape.r, find.shape.r)
        })
      }
    }
    if (known) continue
    kept.push(find)
    const key = row * 65536 + column
    cells.set(key, [...(cells.get(key) ?? []), find])
  }
  return kept.sort((a, b) => b.weight - a.weight)
}

/** Search a whole picture in this thread, tile by tile. */
export function findFlaws(picture: PixelSource, transfer: Transfer, options: FindOptions, onProgress?: (share: number) => void): Find[] {
  const tiles = searchTiles(picture.width, picture.height)
  const finds: Find[] = []
  tiles.forEach((tile, i) => {
    const surroundings = tileSurroundings(tile, picture.width, picture.height)
    finds.push(...findInTile(picture.read(surroundings), surroundings, tile, transfer, options))
    onProgress?.((i + 1) / tiles.length)
  })
  return gatherFinds(finds)
}
