import { ProblemError } from '../../problem.js'
import { depthOf, makeRaster, maximumOf, type IntegerRaster } from '../../raster/raster.js'
import { cutOutWithFibre, MOST_PIECES, type Piece } from './cut-out.js'

/** A scan that shows one or more pieces of a print on its bed. */
export interface PieceScan {
  readonly name: string
  readonly pixels: IntegerRaster
}

/** Bed between pieces, as a share of the longest side of a piece; and at least so many pixels. */
const [GAP_SHARE, GAP_PX] = [0.04, 24]

/**
 * Lay the pieces of several scans on one sheet, so that they can be fitted and joined as if they had been scanned at once.
 * Every piece is copied sample by sample, not turned; the bed around is that of the first scan, without its noise.
 *
 * @param scans  At least two, with the same number of channels; all of one resolution and colour profile (the caller knows).
 * @returns The sheet, at the greatest depth of the scans, rows of pieces about as wide as high, and where each piece lies.
 * @throws ProblemError when the channels differ, a scan shows no paper, or there are more than eight pieces.
 */
export function layTogether(scans: readonly PieceScan[]): { raster: IntegerRaster; places: { scan: number; piece: Piece; x: number; y: number }[] } {
  const [first] = scans
  const { channels } = first!.pixels
  const other = scans.find(({ pixels }) => pixels.channels !== channels)
  if (other) throw new ProblemError('other-channels', { title: 'One is in colour, the other grey', detail: `${first!.name} and ${other.name} differ in their channels. Scan all pieces in the same way.`, status: 422 })
  const depth = scans.some(({ pixels }) => depthOf(pixels) === 16) ? 16 : 8
  const cuts = scans.map(({ pixels }) => cutOutWithFibre(pixels))
  cuts.forEach(({ pieces }, i) => {
    if (pieces.length === 0) throw new ProblemError('no-piece', { title: 'A scan shows no piece', detail: `On ${scans[i]!.name} no paper was found on its background. Leave room around the piece on the scanner, on a bed that differs from the paper.`, status: 422 })
  })
  const all = cuts.flatMap(({ pieces }, scan) => pieces.map((piece) => ({ scan, piece })))
  if (all.length > MOST_PIECES) throw new ProblemError('too-many-pieces', { title: 'These are too many pieces', detail: `The scans show ${all.length} pieces together; up to ${MOST_PIECES} can be joined at once. Join some of them first.`, status: 422 })
  const gap = Math.max(GAP_PX, Math.round(GAP_SHARE * Math.max(...all.map(({ piece: { box } }) => Math.max(box.width, box.height)))))
  const { places, width, height } = inRows(all, gap)
  const raster = makeRaster(width, height, channels, depth)
  const bed = cuts[0]!.background.map((value) => Math.round((value * maximumOf(depth)) / maximumOf(depthOf(first!.pixels))))
  for (let i = 0; i < raster.data.length; i++) raster.data[i] = bed[i % channels]!
  for (const { scan, piece: { box, mask }, x, y } of places) {
    const { pixels } = scans[scan]!
    const factor = maximumOf(depth) / maximumOf(depthOf(pixels))
    for (let row = 0; row < box.height; row++) {
      for (let column = 0; column < box.width; column++) {
        if (mask[row * box.width + column] === 0) continue
        const [from, to] = [((box.y + row) * pixels.width + box.x + column) * channels, ((y + row) * width + x + column) * channels]
        for (let c = 0; c < channels; c++) raster.data[to + c] = pixels.data[from + c]! * factor
      }
    }
  }
  return { raster, places }
}

/** Shelves from top to bottom, the highest pieces first, as wide as makes the sheet about square. */
function inRows(all: readonly { scan: number; piece: Piece }[], gap: number) {
  const sorted = [...all].sort((a, b) => b.piece.box.height - a.piece.box.height)
  const paper = all.reduce((sum, { piece: { box } }) => sum + (box.width + gap) * (box.height + gap), 0)
  const widest = Math.max(Math.sqrt(paper), ...all.map(({ piece }) => piece.box.width + gap))
  let [x, y, rowHeight, width] = [gap, gap, 0, 0]
  const places = sorted.map((one) => {
    const { box } = one.piece
    if (x > gap && x + box.width > widest + gap) {
      x = gap
      y += rowHeight + gap
      rowHeight = 0
    }
    const place = { ...one, x, y }
    x += box.width + gap
    rowHeight = Math.max(rowHeight, box.height)
    width = Math.max(width, x)
    return place
  })
  return { places, width, height: y + rowHeight + gap }
}
