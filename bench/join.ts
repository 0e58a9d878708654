import { cutOut } from '../core/assemble/pieces/cut-out.js'
import { fitPiece, placed } from '../core/assemble/pieces/fit.js'
import { sheetOf } from '../core/assemble/pieces/sheet.js'
import { makeRandom } from '../core/random.js'
import { makeRaster, type IntegerRaster } from '../core/raster/raster.js'
import { furtherPhotographs, openPhotographs, unseenPhotographs } from './open-photographs.js'

/**
 * Pieces of open photographs that were torn here: by a random line, with bare fibre along it and paper missing, turned up to
 * 5 degrees and moved, scanned with noise on a bed. The error is how far places on either side of the tear that were one lie
 * apart after the fit: the greatest along the whole seam. Nothing here is code of the fit.
 *
 *   node --import tsx bench/join.ts [--unseen]
 */

interface Torn {
  readonly scan: IntegerRaster
  /** Places along the tear in both pieces, in pixels of the scan. */
  readonly along: readonly { readonly upper: readonly [number, number]; readonly lower: readonly [number, number] }[]
}

/** A line that wanders by midpoint displacement; heights over the width of a picture. */
function tearLine(width: number, height: number, random: ReturnType<typeof makeRandom>): Float64Array {
  const count = 1025
  const line = new Float64Array(count)
  line[0] = (random.uniform() - 0.5) * 0.2
  line[count - 1] = (random.uniform() - 0.5) * 0.2
  let reach = 0.09
  for (let step = count - 1; step > 1; step /= 2) {
    for (let i = step / 2; i < count; i += step) line[i] = (line[i - step / 2]! + line[i + step / 2]!) / 2 + (random.uniform() - 0.5) * 2 * reach
    reach *= 0.52
  }
  return Float64Array.from({ length: width }, (_, x) => {
    const at = (x * (count - 1)) / (width - 1)
    const i = Math.min(count - 2, Math.floor(at))
    return height * (0.5 + line[i]! + (line[i + 1]! - line[i]!) * (at - i))
  })
}

/** Bare fibre: of one tone, or uneven: lighter and darker along the tear, warm, coarse, and thinning out into the picture. */
type Fibre = 'even' | 'uneven'

export function tear(photograph: IntegerRaster, gapPx: number, seed: number, fibreKind: Fibre = 'even'): Torn {
  const random = makeRandom(seed)
  const { width, height, channels } = photograph
  const line = tearLine(width, height, random)
  const [fibreA, fibreB] = [Array.from({ length: 7 }, () => random.uniform() * 4), Array.from({ length: 7 }, () => random.uniform() * 4)]
  const fibre = (of: number[], x: number) => of.reduce((sum, phase, k) => sum + Math.sin(phase * 7 + (x * (k + 1)) / 23), 4) * 0.8
  const bed = random.uniform() < 0.5 ? 60 : 250
  const margin = 60
  // Turned, the ends of the pieces come nearer by so much; they lie apart on the bed.
  const nearer = Math.ceil(width * 0.5 * Math.sin((7 * Math.PI) / 180))
  const scan = makeRaster(width + 2 * margin + 40, height + 2 * margin + 60 + 2 * nearer, channels, 8)
  // Of coarse fibres, two pixels across.
  const coarse = makeRandom(seed + 1)
  const texture = Float32Array.from({ length: (scan.width >> 1) * (scan.height >> 1) }, () => (coarse.uniform() + coarse.uniform() + coarse.uniform() - 1.5) * 14)
  const [lightAt, WARM] = [coarse.uniform() * 6, [4, 0, -9]]
  const fibreTone = (x: number, y: number, px: number, c: number) => (fibreKind === 'even' ? 236 : 230 + 9 * Math.sin(lightAt + px / 61) + WARM[channels === 1 ? 1 : c]! + (texture[Math.min(texture.length - 1, (y >> 1) * (scan.width >> 1) + (x >> 1))] ?? 0))
  const THINNING = 1.5
  const noise = () => (random.uniform() + random.uniform() + random.uniform() + random.uniform() - 2) * 1.8
  for (let i = 0; i < scan.data.length; i++) scan.data[i] = Math.max(0, Math.min(255, Math.round(bed + noise())))
  const pose = (turn: number, dx: number, dy: number, cy: number) => {
    const [c, s] = [Math.cos(turn), Math.sin(turn)]
    const [px, py] = [width / 2, cy]
    return {
      to: (x: number, y: number): [number, number] => [px + c * (x - px) - s * (y - py) + dx, py + s * (x - px) + c * (y - py) + dy],
      from: (x: number, y: number): [number, number] => [px + c * (x - dx - px) + s * (y - dy - py), py - s * (x - dx - px) + c * (y - dy - py)],
    }
  }
  const degrees = Math.PI / 180
  const upper = pose((random.uniform() - 0.5) * 4 * degrees, margin + 10 + 6 * random.uniform(), margin - 14 + nearer / 2, height * 0.25)
  const lower = pose((random.uniform() - 0.5) * 10 * degrees, margin + 10 + 24 * random.uniform(), margin + 26 + 20 * random.uniform() + 1.5 * nearer, height * 0.75)
  const sample = (x: number, y: number, c: number) => {
    const [px, py] = [Math.max(0, Math.min(width - 1.001, x - 0.5)), Math.max(0, Math.min(height - 1.001, y - 0.5))]
    const [left, top] = [Math.floor(px), Math.floor(py)]
    const at = (dx: number, dy: number) => photograph.data[((top + dy) * width + left + dx) * channels + c]!
    return (at(0, 0) * (1 - px + left) + at(1, 0) * (px - left)) * (1 - py + top) + (at(0, 1) * (1 - px + left) + at(1, 1) * (px - left)) * (py - top)
  }
  for (let y = 0; y < scan.height; y++) {
    for (let x = 0; x < scan.width; x++) {
      for (const [which, { from }] of [['upper', upper], ['lower', lower]] as const) {
        const [px, py] = from(x + 0.5, y + 0.5)
        if (px < 0 || py < 0 || px >= width || py >= height) continue
        const edge = line[Math.min(width - 1, Math.floor(px))]!
        const beyond = which === 'upper' ? py - (edge - gapPx / 2) : edge + gapPx / 2 - py
        const bare = Math.max(0, fibre(which === 'upper' ? fibreA : fibreB, px))
        if (beyond > bare) continue
        const share = fibreKind === 'even' ? (beyond > 0 ? 1 : 0) : Math.max(0, Math.min(1, 1 + beyond / THINNING))
        for (let c = 0; c < channels; c++) scan.data[(y * scan.width + x) * channels + c] = Math.max(0, Math.min(255, Math.round(share * fibreTone(x, y, px, c) + (1 - share) * sample(px, py, c) + noise())))
      }
    }
  }
  const along = Array.from({ length: 60 }, (_, k) => {
    const x = ((k + 0.5) * width) / 60
    const y = line[Math.floor(x)]!
    return { upper: upper.to(x, y), lower: lower.to(x, y) }
  })
  return { scan, along }
}

/** Greatest distance along the seam of places that were one. */
export function errorOfJoin({ scan, along }: Torn): { error: number; pieces: number; likeness: number; milliseconds: number } {
  const before = performance.now()
  const { pieces } = cutOut(scan)
  if (pieces.length !== 2) return { error: Infinity, pieces: pieces.length, likeness: 0, milliseconds: performance.now() - before }
  const [base, piece] = pieces.map((one) => sheetOf(scan, one)) as [ReturnType<typeof sheetOf>, ReturnType<typeof sheetOf>]
  const fit = fitPiece(base, piece)
  const milliseconds = performance.now() - before
  // The larger piece lies still, whichever it is.
  const isUpperBase = base.y < piece.y
  const error = Math.max(...along.map(({ upper, lower }) => {
    const [still, moved] = isUpperBase ? [upper, lower] : [lower, upper]
    const [x, y] = placed(piece, fit.placement, moved[0], moved[1])
    return Math.hypot(x - still[0], y - still[1])
  }))
  return { error, pieces: pieces.length, likeness: fit.likeness, milliseconds }
}

if (process.argv[1]?.endsWith('join.ts')) {
  const only = process.env.ONLY?.split(',')
  const photographs = (process.argv.includes('--unseen') ? [...(await unseenPhotographs()), ...(await furtherPhotographs())] : await openPhotographs()).filter(({ name }) => !only || only.includes(name))
  console.log('| fibre | paper missing | photographs | within 1 px | median px | worst px | ms |\n|---|---|---|---|---|---|---|')
  for (const fibre of ['even', 'uneven'] as const) {
    for (const gap of process.env.GAPS ? process.env.GAPS.split(',').map(Number) : [0, 2, 4, 8]) {
      const results = photographs.map(({ name, raster }, i) => ({ name, ...errorOfJoin(tear(raster, gap, 100 + 17 * i + gap, fibre)) }))
      const errors = results.map(({ error }) => error).sort((a, b) => a - b)
      console.log(`| ${fibre} | ${gap} px | ${results.length} | ${errors.filter((error) => error <= 1).length} | ${errors[errors.length >> 1]!.toFixed(2)} | ${errors.at(-1)!.toFixed(1)} | ${Math.round(results.reduce((sum, { milliseconds }) => sum + milliseconds, 0) / results.length)} |`)
      if (process.env.SHOW) for (const { name, error, pieces, likeness } of results) console.log(`  ${name}: ${error.toFixed(2)} px, ${pieces} pieces, likeness ${likeness.toFixed(2)}`)
    }
  }
}
