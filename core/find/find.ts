import { distanceAt, type Disc, type Outline, type Shape, type Stroke } from '../shape/shape.js'
import { clipRegion, crop, growRegion, type IntegerRaster, type PixelSource, type Plane, type Region } from '../raster/raster.js'
import { SampleTable } from '../kernels/samples.js'
import type { Transfer } from '../raster/transfer.js'
import type { SearchKind } from '../treatment/schema.js'
import { LEAST_SEEN } from '../treatment/visibility.js'
import { cellsOfTile, type TileCells } from './areas/cells.js'
import { ColourLook } from './discs/colour.js'
import { findCandidates, makeOctaves, type Candidate } from './discs/candidates.js'
import { REFERENCE_MEGAPIXELS } from './false-finds.js'
import { flatPatches, GRAIN_BLOCK, grainBlocks, type BlockGrain } from './fine/flat.js'
import { findLosses } from './areas/losses.js'
import { findStains, isStain } from './areas/stains.js'
import { worthFitting } from './discs/first-look.js'
import { FIRST_EFFORT, fitDisc, type FittedDisc } from './discs/fit-disc.js'
import { dustJudge, judge, leastScore, mouldJudge, speckJudge, type DiscJudge } from './judge.js'
import { judgedLines, type LineFind, type LineKind } from './lines/line-kinds.js'
import type { Medium } from './medium.js'
import { linePieces, type LinePiece } from './lines/lines.js'
import { logLight } from '../raster/log-light.js'
import { findSmudges, fineDetailOfTile, type FineDetail } from './fine/smudges.js'
import { findMoire, screensOfTile, type TileScreens } from './fine/moire.js'
import { findRadial } from './discs/radial.js'

/** Those that are round. */
export type DiscKind = 'dust' | 'speck' | 'mould'

/** A flaw as a detector describes it. */
export interface Find {
  readonly kind: DiscKind | LineKind | 'flat' | 'smudge' | 'loss' | 'stain' | 'moire'
  readonly shape: Shape
  /** Mean difference over the deviation of a pixel; negative where the flaw is darker. */
  readonly contrast: number
  /** The same summed over the flaw, as a matched filter sees it. */
  readonly weight: number
  readonly confidence: number
  /** How restless its surroundings are over what noise alone would make them: about 1 in a plain sky. */
  readonly unrest: number
}

export interface FindOptions {
  readonly kinds: readonly SearchKind[]
  /** The one control: mean number of false finds a picture of 24 megapixels that one is willing to look at. */
  readonly falseFinds: number
  /** What the picture is, where that is known: a frame has no mould, and what is dark and round in it lies on the sensor. */
  readonly medium?: Medium
}

/** What was found in a tile: round flaws as they are, lines in pieces, since they go on in other tiles. */
export interface TileFinds extends TileMeasures {
  readonly discs: readonly DiscFind[]
  readonly pieces: readonly LinePiece[]
}

/** What was measured in a tile for the kinds that only the whole picture tells. */
export interface TileMeasures {
  /** Grain of its blocks, where flat patches are looked for: what is usual only the whole picture says. */
  readonly grain?: BlockGrain
  /** Fine detail of its cells, where smudges are looked for: they are smaller than flat patches. */
  readonly fine?: FineDetail
  /** Lone waves of its windows, where moire is looked for. */
  readonly screens?: TileScreens
  /** Its cells, where losses or stains are looked for: they may lie over many tiles. */
  readonly cells?: TileCells
}

type DiscFind = Find & { readonly kind: DiscKind; readonly shape: Disc }

/** Mean false finds a frame of 24 megapixels when nobody says otherwise. */
export const DEFAULT_FALSE_FINDS = 3

const TILE = 2048
export const LARGEST_RADIUS = { dust: 70, speck: 24 }
/** Surroundings that a tile needs to judge a flaw on its edge. */
const APRON = 192

/** Surroundings that all but dust need, which may be three times as large as a speck. */
const CLOSE_APRON = 96

/** Log light and colour of a tile with some of its surroundings. */
interface TilePlane {
  readonly plane: Plane
  readonly colour: ColourLook
  /** Where it lies in the picture. */
  readonly at: Region
}

/** Of what was read for a tile, what lies close to it. */
function closeTo(tile: Region, pixels: IntegerRaster, { plane, at: around }: TilePlane, transfer: Transfer): TilePlane {
  const within = clipRegion({ x: tile.x - CLOSE_APRON - around.x, y: tile.y - CLOSE_APRON - around.y, width: tile.width + 2 * CLOSE_APRON, height: tile.height + 2 * CLOSE_APRON }, around.width, around.height)
  return {
    plane: crop({ ...plane, channels: 1 }, within),
    colour: new ColourLook(pixels, transfer, within),
    at: { ...within, x: within.x + around.x, y: within.y + around.y },
  }
}

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
export function findInTile(pixels: IntegerRaster, surroundings: Region, tile: Region, transfer: Transfer, options: FindOptions): TileFinds {
  const { placed, whole } = splitKinds(options.kinds)
  const plane = placed.length > 0 || whole.includes('moire') ? logLight(pixels, transfer) : null
  return {
    ...(plane && placed.length > 0 ? findPlaced({ plane, colour: new ColourLook(pixels, transfer), at: surroundings }, pixels, tile, transfer, options) : { discs: [], pieces: [] }),
    ...(whole.length > 0 ? measureTile(pixels, plane, surroundings, tile, whole) : {}),
  }
}

/** What is found where it lies: round flaws, and lines in pieces. */
function findPlaced(around: TilePlane, pixels: IntegerRaster, tile: Region, transfer: Transfer, options: FindOptions): Pick<TileFinds, 'discs' | 'pieces'> {
  const wants = (...kinds: readonly SearchKind[]) => kinds.some((kind) => options.kinds.includes(kind))
  const close = wants('speck', 'mould', 'line') ? closeTo(tile, pixels, around, transfer) : around
  const isFrame = options.medium === 'frame'
  const discs: DiscFind[] = []
  for (const look of ['dust', 'speck'] as const) {
    const asked = KINDS_OF[look].filter((kind) => wants(kind) && !(kind === 'mould' && isFrame && wants('dust', 'speck'))).map((kind) => ({ kind, least: leastScore(JUDGES[kind], rateOf(options)) }))
    if (asked.length === 0) continue
    const { plane, colour, at } = look === 'dust' ? around : close
    for (const { candidate, fit } of evidenceInTile(plane, colour, at, tile, look, asked)) {
      // What cannot be told from noise is not claimed, whatever speaks for it.
      if (fit.weight < LEAST_SEEN) continue
      const features = FEATURES_OF[look](candidate, fit, colour)
      const claims = asked.map(({ kind, least }) => ({ kind, least, ...judge(JUDGES[kind], features) })).filter(({ score, least }) => score >= least)
      if (claims.length === 0) continue
      const { kind, confidence } = claims.reduce((surest, claim) => (claim.confidence > surest.confidence ? claim : surest))
      const named = isFrame && kind === 'speck' && fit.amplitude < 0 && wants('dust') ? 'dust' : kind
      const find: DiscFind = { kind: named, ...describeFit(fit, at), confidence, unrest: fit.structure }
      if (isInside(find.shape, tile)) discs.push(find)
    }
  }
  return { discs, pieces: wants('line') ? linePieces(close.plane, close.colour, close.at, tile) : [] }
}

/** What the kinds need that only the whole picture tells. */
function measureTile(pixels: IntegerRaster, plane: Plane | null, surroundings: Region, tile: Region, kinds: readonly WholeKind[]): TileMeasures {
  const samples = kinds.some((kind) => kind !== 'moire') ? new SampleTable(pixels) : null
  return {
    ...(samples && kinds.includes('flat') ? { grain: grainBlocks(samples, surroundings, tile), fine: fineDetailOfTile(samples, surroundings, tile) } : {}),
    ...(samples && (kinds.includes('loss') || kinds.includes('stain')) ? { cells: cellsOfTile(samples, surroundings, tile) } : {}),
    ...(plane && kinds.includes('moire') ? { screens: screensOfTile(plane, surroundings, tile) } : {}),
  }
}

/** Kinds that are told by the whole picture, each by itself; they are few: their false finds are not counted by the megapixel. */
export const WHOLE_KINDS = ['stain', 'loss', 'flat', 'moire'] as const
export type WholeKind = (typeof WHOLE_KINDS)[number]

/** Kinds that are found where they lie, and those that the whole picture tells. */
export function splitKinds(kinds: readonly SearchKind[]): { placed: readonly SearchKind[]; whole: readonly WholeKind[] } {
  return {
    placed: kinds.filter((kind) => !(WHOLE_KINDS as readonly SearchKind[]).includes(kind)),
    whole: WHOLE_KINDS.filter((kind) => kinds.includes(kind)),
  }
}

/** False finds a megapixel that each kind may have. */
function rateOf({ falseFinds, kinds }: FindOptions): number {
  return Math.max(1e-3, falseFinds) / REFERENCE_MEGAPIXELS / Math.max(1, splitKinds(kinds).placed.length)
}

const JUDGES: Record<DiscKind, DiscJudge> = { dust: dustJudge, speck: speckJudge, mould: mouldJudge }

/** How round flaws are looked for: soft shadows, or specks. */
export type DiscLook = 'dust' | 'speck'

/** What is found by each look: a spot of mould is a speck to the eye of a filter, and told from texture by a judge of its own. */
const KINDS_OF: Record<DiscLook, readonly DiscKind[]> = { dust: ['dust'], speck: ['speck', 'mould'] }

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

function describeFit(fit: FittedDisc, at: Region): Pick<DiscFind, 'shape' | 'contrast' | 'weight'> {
  return {
    shape: { type: 'disc', x: fit.x + at.x, y: fit.y + at.y, r: fit.radius },
    contrast: Math.sign(fit.amplitude) * fit.contrast,
    weight: fit.weight,
  }
}

function isInside(disc: Disc, tile: Region): boolean {
  return disc.x >= tile.x && disc.y >= tile.y && disc.x < tile.x + tile.width && disc.y < tile.y + tile.height
}

type Size = { readonly width: number; readonly height: number }

/** What one kind needs of a tile. */
export function measuresFor(kind: WholeKind, { cells, grain, fine, screens }: TileMeasures): TileMeasures {
  switch (kind) {
    case 'loss': case 'stain': return cells ? { cells } : {}
    case 'flat': return grain && fine ? { grain, fine } : {}
    case 'moire': return screens ? { screens } : {}
  }
}

/** Find what is of a kind in the whole picture. */
export function findInWhole(kind: WholeKind, tiles: readonly TileMeasures[], size: Size): Find[] {
  switch (kind) {
    case 'loss': return findLosses(tiles.flatMap(({ cells }) => cells ?? []), size)
    case 'stain': return findStains(tiles.flatMap(({ cells }) => cells ?? []), size)
    case 'flat': return findFlatAndSmudges(tiles, size)
    case 'moire': return findMoire(tiles.flatMap(({ screens }) => screens ?? []), size)
  }
}

function findFlatAndSmudges(tiles: readonly TileMeasures[], size: Size): Find[] {
  const flat = flatPatches(tiles.flatMap(({ grain }) => grain ?? []), size)
  // A flat patch is told by whole blocks: what is left of it beside them is no smudge of its own.
  const besideFlat = (shape: Outline): boolean => flat.some((patch) => shape.points.some(([x, y]) => distanceAt(patch.shape, x, y) < GRAIN_BLOCK))
  return [...flat, ...findSmudges(tiles.flatMap(({ fine }) => fine ?? []), size).filter(({ shape }) => !besideFlat(shape))]
}

/** Lines that the pieces of all tiles make. */
export function findLines(tiles: readonly Pick<TileFinds, 'pieces'>[], options: FindOptions, size: Size): LineFind[] {
  return judgedLines(tiles.flatMap(({ pieces }) => pieces), rateOf(options), size)
}

/** Put the finds of all tiles together, heaviest first. */
export function gatherFinds(tiles: readonly TileFinds[], options: FindOptions, size: Size): Find[] {
  const whole = splitKinds(options.kinds).whole.flatMap((kind) => findInWhole(kind, tiles, size))
  return joinFinds(tiles, findLines(tiles, options, size), whole)
}

/**
 * Put finds together that were made side by side, heaviest first.
 *
 * Two round finds are the same flaw when the centre of the lighter lies within the heavier; one on a line is part of it, and one
 * that fills a stain is the stain.
 */
export function joinFinds(tiles: readonly Pick<TileFinds, 'discs'>[], lines: readonly LineFind[], whole: readonly Find[]): Find[] {
  const discs = oncePerPlace(tiles.flatMap((tile) => tile.discs))
  const along = new Nearby<Disc>()
  for (const { shape } of lines) for (const [x, y] of closely(shape)) along.add({ type: 'disc', x, y, r: 0.5 * shape.width + 1 })
  const free = discs.filter(({ shape }) => !along.some(shape.x, shape.y, (other) => distanceOf(shape, other) < other.r))
  const losses = whole.filter(({ kind }) => kind === 'loss')
  const stains = whole.filter(({ kind }) => kind === 'stain')
  // What lies in a loss is a piece of it, and what fills a stain is the stain.
  const lone = free.filter(({ shape }) => !stains.some((stain) => isStain(shape, stain.shape)))
  const apart = [...lone, ...lines].filter(({ shape }) => !losses.some((loss) => distanceAt(loss.shape, ...middleOf(shape)) < 0))
  return [...apart, ...whole].sort((a, b) => b.weight - a.weight)
}

const middleOf = (shape: Disc | Stroke): [number, number] => (shape.type === 'disc' ? [shape.x, shape.y] : shape.points[shape.points.length >> 1]!)

function oncePerPlace(finds: readonly DiscFind[]): DiscFind[] {
  const sorted = [...finds].sort((a, b) => b.confidence * b.weight - a.confidence * a.weight || a.shape.y - b.shape.y || a.shape.x - b.shape.x)
  const places = new Nearby<Disc>()
  return sorted.filter(({ shape }) => {
    if (places.some(shape.x, shape.y, (other) => distanceOf(shape, other) < Math.max(other.r, shape.r))) return false
    places.add(shape)
    return true
  })
}

const distanceOf = (a: { x: number; y: number }, b: { x: number; y: number }) => Math.sqrt((a.x - b.x) ** 2 + (a.y - b.y) ** 2)

/** Points of a stroke not further apart than it is wide. */
function closely({ points, width }: Stroke): (readonly [number, number])[] {
  return points.flatMap(([x, y], k) => {
    const [nx, ny] = points[k + 1] ?? [x, y]
    const steps = Math.max(1, Math.ceil(distanceOf({ x, y }, { x: nx, y: ny }) / Math.max(1, width)))
    return Array.from({ length: steps }, (_value, t) => [x + ((nx - x) * t) / steps, y + ((ny - y) * t) / steps] as const)
  })
}

/** Things asked for by place. */
class Nearby<T extends { readonly x: number; readonly y: number }> {
  private readonly cells = new Map<number, T[]>()

  private key(column: number, row: number): number {
    return row * 65536 + column
  }

  add(thing: T): void {
    const key = this.key(Math.floor(thing.x / CELL), Math.floor(thing.y / CELL))
    const list = this.cells.get(key)
    if (list) list.push(thing)
    else this.cells.set(key, [thing])
  }

  /** Whether any thing less than two cells away fits. */
  some(x: number, y: number, fits: (thing: T) => boolean): boolean {
    const column = Math.floor(x / CELL)
    const row = Math.floor(y / CELL)
    for (let r = row - 2; r <= row + 2; r++) for (let c = column - 2; c <= column + 2; c++) if (this.cells.get(this.key(c, r))?.some(fits)) return true
    return false
  }
}

const CELL = 64

/** Search a whole picture in this thread, tile by tile. */
export function findFlaws(picture: PixelSource, transfer: Transfer, options: FindOptions, onProgress?: (share: number) => void): Find[] {
  const tiles = searchTiles(picture.width, picture.height)
  const found = tiles.map((tile, i) => {
    const surroundings = tileSurroundings(tile, picture.width, picture.height)
    const finds = findInTile(picture.read(surroundings), surroundings, tile, transfer, options)
    onProgress?.((i + 1) / tiles.length)
    return finds
  })
  return gatherFinds(found, options, picture)
}
