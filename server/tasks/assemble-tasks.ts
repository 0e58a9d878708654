import sharp from 'sharp'
import type { MessagePort } from 'node:worker_threads'
import { readPicture } from '@fennip/codec/read.js'
import { readTogether } from '@fennip/codec/read-together.js'
import { rowsOf } from '@fennip/codec/rows.js'
import { fillFile } from '@fennip/codec/sink.js'
import { writePicture } from '@fennip/codec/write.js'
import { bringOver as bring } from '@fennip/core/assemble/bring-over.js'
import { carryToJoined, carryToRejoined, type CarriedTreatment, type Joining } from '@fennip/core/assemble/pieces/carry-treatment.js'
import { cutOut, type Piece } from '@fennip/core/assemble/pieces/cut-out.js'
import type { SeamPlace } from '@fennip/core/assemble/pieces/fit.js'
import { fitAll, joinPieces, type JoinedPiece } from '@fennip/core/assemble/pieces/join.js'
import { alignedPlace, similarityOfAlignment, type Alignment } from '@fennip/core/rescan/align.js'
import { mergeExposures } from '@fennip/core/assemble/bracket/merge.js'
import type { MovingThing } from '@fennip/core/assemble/bracket/moving-things.js'
import type { Placement } from '@fennip/core/assemble/pieces/sheet.js'
import { ProblemError } from '@fennip/core/problem.js'
import { atan2 } from '@fennip/core/numbers/exact-math.js'
import { crop, depthOf, type IntegerRaster, type Region } from '@fennip/core/raster/raster.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { scaleOf, type Similarity } from '@fennip/core/rescan/similarity.js'
import type { Outline } from '@fennip/core/shape/shape.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'
import { originalKey } from '../storage/storage.js'
import { storageAt, type Where } from './tasks.js'
import { tellProgress } from './tell-progress.js'

/** Putting pictures together, in a thread. */

/** A piece as it is shown and moved. */
export interface ShownPiece extends JoinedPiece {
  readonly box: Region
  /** Small picture of the piece with transparency, as a data address. */
  readonly picture: string
}

/** What was found of the pieces on a scan, and how they fit. */
export interface FitResult {
  readonly width: number
  readonly height: number
  readonly pieces: readonly ShownPiece[]
  /** The longest seam, unrolled: both sides as one picture, and the misfit along it in pixels. */
  readonly seam: { readonly picture: string; readonly misfit: readonly number[]; readonly lengthPx: number } | null
}

/** Pictures of pieces are made so large that all of them fit a screen. */
const SHOWN_SIDE = 1100
/** Columns of the unrolled seam, and rows of either side. */
const [SEAM_COLUMNS, SEAM_ROWS] = [760, 26]

async function scanOf(where: Where, sha256: string, name: string) {
  return readPicture(await storageAt(where).localFile(originalKey(sha256)), name)
}

function piecesOf(pixels: IntegerRaster, name: string) {
  const cut = cutOut(pixels)
  if (cut.pieces.length < 2) throw new ProblemError('one-piece', { title: 'There is nothing to join', detail: `${name} shows ${cut.pieces.length === 1 ? 'one piece' : 'no piece'} of paper on its background. Leave room between the pieces on the scanner, on a bed that differs from the paper.`, status: 422 })
  return cut
}

/** Cut pieces out of a scan and fit them. */
export async function fitPieces({ where, sha256, name, byHand, refit, port }: { where: Where; sha256: string; name: string; byHand: readonly (Placement & { piece: number })[]; refit: boolean; port: MessagePort }): Promise<FitResult> {
  const tell = tellProgress(port)
  tell(0.02)
  const { pixels } = await scanOf(where, sha256, name)
  tell(0.1)
  const cut = piecesOf(pixels, name)
  tell(0.25)
  const fitting = fitAll(pixels, cut, new Map(byHand.map(({ piece, ...placement }) => [piece, placement])), refit, (share) => tell(0.25 + 0.55 * share))
  const { raster, origin } = joinPieces(pixels, cut, fitting.pieces)
  tell(0.9)
  const longest = [...fitting.seams].sort((a, b) => b.length - a.length)[0]
  const pieces = await Promise.all(cut.pieces.map(async (piece, i) => ({ ...fitting.pieces[i]!, box: piece.box, picture: await pictureOf(pixels, piece) })))
  const seam = longest && longest.length > 20 ? await unrolled(raster, origin, longest) : null
  port.close()
  return { width: pixels.width, height: pixels.height, pieces, seam: seam && { ...seam, lengthPx: Math.max(...fitting.pieces.map(({ seamPx }) => seamPx)) } }
}

/** What was done on a picture that was joined from the same pieces before, and how they lay there. */
export interface JoinedBefore extends Joining { readonly treatment: Treatment }

/**
 * Join the pieces of a scan into a file.
 *
 * @param before  The picture that was joined from them last: what was done on that goes along, in place of what was done on the pieces.
 * @returns What is missing between the pieces, where the picture begins in the plane of the scan, and what was done, moved.
 */
export async function joinScan({ where, treatment, name, pieces, before, file, port }: { where: Where; treatment: Treatment; name: string; pieces: readonly Pick<JoinedPiece, 'placement' | 'gain'>[]; before: JoinedBefore | null; file: string; port: MessagePort }): Promise<{ gaps: Outline[]; origin: Joining['origin']; carried: CarriedTreatment }> {
  const tell = tellProgress(port)
  tell(0.02)
  const { header, pixels } = await scanOf(where, treatment.original.sha256, name)
  tell(0.1)
  const cut = piecesOf(pixels, name)
  if (cut.pieces.length !== pieces.length) throw new ProblemError('other-pieces', { title: 'The pieces have changed', detail: `${name} shows ${cut.pieces.length} pieces, and places of ${pieces.length} were sent. Fit them again.`, status: 409 })
  tell(0.3)
  const { raster, gaps, origin } = joinPieces(pixels, cut, pieces)
  const now = { placements: pieces.map(({ placement }) => placement), origin }
  const carried = before && before.placements.length === cut.pieces.length ? carryToRejoined(before.treatment, treatment.original, cut.pieces, before, now) : carryToJoined(treatment, treatment.original, cut.pieces, now)
  tell(0.8)
  await fillFile(file, (sink) => writePicture(rowsOf(raster, null), header.metadata, { format: 'tiff', depth: depthOf(raster), quality: 100 }, sink))
  port.close()
  return { gaps: [...gaps], origin, carried }
}

/** Lay the pieces of several scans on one sheet, into a file. */
export async function layScansTogether({ where, scans, file, port }: { where: Where; scans: readonly { readonly sha256: string; readonly name: string }[]; file: string; port: MessagePort }): Promise<{ width: number; height: number }> {
  const tell = tellProgress(port)
  const storage = storageAt(where)
  const files = await Promise.all(scans.map(async ({ sha256, name }) => ({ path: await storage.localFile(originalKey(sha256)), name })))
  const { header, pixels } = await readTogether(files)
  tell(0.8)
  await fillFile(file, (sink) => writePicture(rowsOf(pixels, null), header.metadata, { format: 'tiff', depth: depthOf(pixels), quality: 100 }, sink))
  port.close()
  return { width: pixels.width, height: pixels.height }
}

/** Two pictures of one scene correlate more than this around a zone; what has nothing to do with one another about 0. */
const SAME_SCENE = 0.3

/** Bring what another picture shows into a zone of a treatment, into a file of 16 bits. */
export async function bringOver({ where, treatment, zone, name, other, file, port }: { where: Where; treatment: Treatment; zone: string; name: string; other: { readonly sha256: string; readonly name: string }; file: string; port: MessagePort }): Promise<{ turnDegrees: number; scale: number; gains: readonly number[] }> {
  const tell = tellProgress(port)
  const picture = await scanOf(where, treatment.original.sha256, name)
  tell(0.1)
  const second = await scanOf(where, other.sha256, other.name)
  tell(0.2)
  if (second.pixels.channels !== picture.pixels.channels) throw new ProblemError('other-channels', { title: 'One is in colour, the other grey', detail: `${name} and ${other.name} differ in their channels. Choose a picture of the same kind.`, status: 422 })
  const { pixels, header } = picture
  const cover = coverOf(picture, treatment, zone)
  const { raster, similarity, gains, likeness } = bring({ pixels, curve: header.profile.curve }, { pixels: second.pixels, curve: second.header.profile.curve }, cover, (share) => tell(0.2 + 0.6 * share))
  if (likeness < SAME_SCENE) throw new ProblemError('other-scene', { title: 'The pictures do not show the same', detail: `Around the zone ${name} and ${other.name} are not alike, so nothing was brought over. Choose another picture of the same scene, turned by no more than a few degrees.`, status: 422 })
  await fillFile(file, (sink) => writePicture(rowsOf(raster, null), header.metadata, { format: 'tiff', depth: 16, quality: 100 }, sink))
  port.close()
  return { turnDegrees: (atan2(similarity.b, similarity.a) * 180) / Math.PI, scale: scaleOf(similarity), gains }
}

/** How far each pixel of a picture lies in a zone of its treatment, 0 to 1. */
function coverOf({ pixels, header }: Awaited<ReturnType<typeof scanOf>>, treatment: Treatment, zone: string): Float32Array {
  const { width, height, channels } = pixels
  const chain = new Chain({ width, height, channels, profile: header.profile }, { areas: treatment.areas, operations: [] })
  const cover = chain.cover(zone, { x: 0, y: 0, width, height }, 0, (region) => crop(pixels, region))
  if (!cover?.some((value) => value > 0)) throw new ProblemError('zone-empty', { title: 'The zone covers nothing', detail: 'The zone was taken out or has no pixel in the picture. Choose another one.', status: 409 })
  return cover
}

function boundsOf(cover: Float32Array, width: number): Region {
  let [left, top, right, bottom] = [Infinity, Infinity, -1, -1]
  for (let i = 0; i < cover.length; i++) {
    if (cover[i]! <= 0.5) continue
    const [x, y] = [i % width, Math.floor(i / width)]
    left = Math.min(left, x)
    top = Math.min(top, y)
    right = Math.max(right, x)
    bottom = Math.max(bottom, y)
  }
  return right < 0 ? { x: 0, y: 0, width: 1, height: 1 } : { x: left, y: top, width: right - left + 1, height: bottom - top + 1 }
}

/** Exposures of a bracket, as a thread is told. */
export interface BracketPart { readonly sha256: string; readonly name: string; readonly light?: number | undefined }

/** A zone of the reference that is taken from one exposure by hand. */
export interface ZoneFrom { readonly zone: string; readonly from: number }

/** A thing that moved, or a zone that was chosen, as every exposure has it. */
export interface ShownThing extends MovingThing {
  /** Set when it is a zone that was chosen by hand. */
  readonly zone?: string
  /** One small picture an exposure, in their order. */
  readonly crops: readonly string[]
}

/** Merge exposures into a file of 16 bits. @returns What moved, how the exposures were told apart, and where places of the reference lie in each. */
export async function mergeBracket({ where, parts, reference, chosen, zones, treatment, file, port }: { where: Where; parts: readonly BracketPart[]; reference: number; chosen: readonly (number | null)[]; zones: readonly ZoneFrom[]; treatment: Treatment; file: string; port: MessagePort }): Promise<{ things: ShownThing[]; ratios: number[]; reference: number; lie: Similarity[] }> {
  const tell = tellProgress(port)
  const pictures: Awaited<ReturnType<typeof scanOf>>[] = []
  for (const [i, { sha256, name }] of parts.entries()) {
    pictures.push(await scanOf(where, sha256, name))
    tell((0.2 * (i + 1)) / parts.length)
  }
  const { width, height, channels } = pictures[0]!.pixels
  if (pictures.some(({ pixels }) => pixels.width !== width || pixels.height !== height || pixels.channels !== channels)) throw new ProblemError('other-size', { title: 'The exposures differ in size', detail: 'Exposures of a bracket have one size and as many channels. Choose frames of one camera that were taken one after another.', status: 422 })
  const header = pictures[reference]!.header
  const covers = zones.map(({ zone }) => coverOf(pictures[reference]!, treatment, zone))
  const merged = mergeExposures(pictures.map(({ pixels }, i) => ({ pixels, light: parts[i]!.light })), header.profile.curve, reference, new Map(chosen.flatMap((from, i) => (from === null ? [] : [[i, from] as const]))), (share) => tell(0.2 + 0.6 * share), zones.map(({ from }, i) => ({ cover: covers[i]!, from })))
  const asked = zones.map(({ zone, from }, i) => ({ ...boundsOf(covers[i]!, width), from, zone }))
  const things = await Promise.all([...merged.moving, ...asked].map(async (thing) => ({
    ...thing,
    crops: await Promise.all(pictures.map(({ pixels }, i) => cropOf(pixels, thing, merged.alignments[i]!))),
  })))
  await fillFile(file, (sink) => writePicture(rowsOf(merged.raster, null), header.metadata, { format: 'tiff', depth: 16, quality: 100 }, sink))
  port.close()
  return { things, ratios: [...merged.ratios], reference: merged.reference, lie: merged.alignments.map((alignment) => similarityOfAlignment(alignment, width, height)) }
}

/** Side of the crop of a moving thing, in pixels of the screen. */
const THING_SIDE = 200

async function cropOf(pixels: IntegerRaster, { x, y, width, height }: Region, alignment: Alignment): Promise<string> {
  const scale = Math.max(width, height) / THING_SIDE
  const [w, h] = [Math.max(1, Math.round(width / scale)), Math.max(1, Math.round(height / scale))]
  const result = Buffer.alloc(w * h * 3)
  for (let row = 0; row < h; row++) {
    for (let column = 0; column < w; column++) {
      const [px, py] = alignedPlace(alignment, pixels.width, pixels.height, x + (column + 0.5) * scale, y + (row + 0.5) * scale)
      const [left, top] = [Math.max(0, Math.min(pixels.width - 1, Math.floor(px))), Math.max(0, Math.min(pixels.height - 1, Math.floor(py)))]
      result.set(shown(pixels, top * pixels.width + left), (row * w + column) * 3)
    }
  }
  return dataAddress(await sharp(result, { raw: { width: w, height: h, channels: 3 } }).webp({ quality: 85 }).toBuffer())
}

/** Eight bits a channel for showing. */
function shown({ data, channels }: IntegerRaster, i: number): readonly [number, number, number] {
  const scale = data instanceof Uint16Array ? 1 / 257 : 1
  const value = (c: number) => data[i * channels + Math.min(c, channels - 1)]! * scale
  return [value(0), value(1), value(2)]
}

async function pictureOf(scan: IntegerRaster, { box, mask }: Piece): Promise<string> {
  const factor = Math.max(1, Math.ceil(Math.max(scan.width, scan.height) / SHOWN_SIDE))
  const [width, height] = [Math.ceil(box.width / factor), Math.ceil(box.height / factor)]
  const pixels = Buffer.alloc(width * height * 4)
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const [px, py] = [Math.min(box.width - 1, x * factor + (factor >> 1)), Math.min(box.height - 1, y * factor + (factor >> 1))]
      if (mask[py * box.width + px] === 0) continue
      pixels.set([...shown(scan, (box.y + py) * scan.width + box.x + px), 255], (y * width + x) * 4)
    }
  }
  return dataAddress(await sharp(pixels, { raw: { width, height, channels: 4 } }).webp({ quality: 82 }).toBuffer())
}

const dataAddress = (bytes: Buffer) => `data:image/webp;base64,${bytes.toString('base64')}`

/** Both sides of a seam straightened out: the base above, the piece below, as they lie in the joined picture. */
async function unrolled(joined: IntegerRaster, origin: { x: number; y: number }, seam: readonly SeamPlace[]): Promise<{ picture: string; misfit: number[] }> {
  const columns = Math.min(SEAM_COLUMNS, seam.length)
  const places = Array.from({ length: columns }, (_, i) => seam[Math.floor((i * seam.length) / columns)]!)
  const height = 2 * SEAM_ROWS
  const pixels = Buffer.alloc(columns * height * 3)
  const step = Math.max(1, joined.width / 1400)
  places.forEach(({ x, y, nx, ny, gap }, column) => {
    for (let row = 0; row < height; row++) {
      const away = row < SEAM_ROWS ? (SEAM_ROWS - row) * step + Math.max(0, gap) : (SEAM_ROWS - 1 - row) * step
      const [px, py] = [Math.floor(x + nx * away - origin.x), Math.floor(y + ny * away - origin.y)]
      if (px < 0 || py < 0 || px >= joined.width || py >= joined.height) continue
      pixels.set(shown(joined, py * joined.width + px), (row * columns + column) * 3)
    }
  })
  return { picture: dataAddress(await sharp(pixels, { raw: { width: columns, height, channels: 3 } }).webp({ quality: 85 }).toBuffer()), misfit: places.map(({ gap }) => Math.round(10 * gap) / 10) }
}
