import { ln } from '../../numbers/exact-math.js'
import { inOrder, smallestOfMany } from '../../numbers/order.js'
import { overlaps } from '../../raster/raster.js'
import { DEVIATION_PER_MAD, median, placeOfGreatest, valuesAt } from '../../numbers/statistics.js'
import { distanceAt, shapeBounds, type Outline } from '../../shape/shape.js'
import type { AreaCandidate, AreaFind } from './area-find.js'
import { barePaper, coloursOf, type Colours } from './bare-paper.js'
import { cellsOfPicture, type TileCells } from './cells.js'
import { boxRound, contourRound } from '../../shape/contour.js'
import { confidenceOf, lossJudge } from '../judging/judge.js'
import { stableRegions, type Cluster } from './stable-regions.js'

/** Losses and tears: places where the picture's layer is gone and paper, or the bed of the scanner, lies bare. */

export type LossFind = AreaFind<'loss'>

/** Tone of all cells of a picture, 0..255, the side of one in pixels, and their colours. */
interface Cells { readonly columns: number; readonly rows: number; readonly tone: Float32Array; readonly side: number; readonly colours: Colours | null }

const MOST_CELLS = 400000

/** Confidence from which a candidate is shown. */
const SHOWN = 0.15

/**
 * A loss of such a score is sure, and sure ones elsewhere in the picture speak for a find: what tore a print tore it more than
 * once, while most pictures have no loss at all. More than two say no more than two. Read off by bench/learn/calibrate-company.ts.
 */
const SURE = 2.5
const MOST_COMPANY = 2
const COMPANY = 1.83

/** A candidate, what is believed of it by itself, and how many sure ones lie elsewhere in the picture. */
export interface JudgedLoss {
  readonly candidate: AreaCandidate
  readonly score: number
  readonly company: number
}

/**
 * Losses and tears of a picture.
 *
 * @param tiles  Cells of all tiles, from `cellsOfTile`.
 * @param size   Of the picture, in pixels.
 */
export function findLosses(tiles: readonly TileCells[], size: { readonly width: number; readonly height: number }): LossFind[] {
  return judgedLosses(tiles, size)
    .filter(({ score, company }) => shownIn(company, score))
    .map(({ candidate: { shape, contrast, weight }, score, company }) => ({ kind: 'loss', shape, contrast, weight, confidence: confidenceIn(company, score), unrest: 1 }))
}

/** Candidates that lie apart and may be shown, those that look most like a loss first; parameters as of `findLosses`. */
export function judgedLosses(tiles: readonly TileCells[], size: { readonly width: number; readonly height: number }): JudgedLoss[] {
  const scored = lossCandidates(tiles, size).map((candidate) => ({ candidate, score: lossJudge.score(candidate.features) }))
  // Of regions that lie in one another the one that looks most like a loss stands for all.
  const kept: typeof scored = []
  for (const one of scored.filter(({ score }) => shownIn(MOST_COMPANY, score)).sort((a, b) => b.score - a.score)) {
    if (!kept.some((other) => lieInOneAnother(one.candidate.shape, other.candidate.shape))) kept.push(one)
  }
  const sure = kept.filter(({ score }) => score > SURE).length
  return kept.map((one) => ({ ...one, company: Math.min(MOST_COMPANY, sure - (one.score > SURE ? 1 : 0)) }))
}

const confidenceIn = (company: number, score: number) => confidenceOf(lossJudge, score + COMPANY * company)
const shownIn = (company: number, score: number) => confidenceIn(company, score) >= SHOWN
const lieInOneAnother = (a: Outline, b: Outline): boolean => overlaps(shapeBounds(a), shapeBounds(b)) && (distanceAt(a, ...b.points[0]!) < 0 || distanceAt(b, ...a.points[0]!) < 0)

/** Everything that stands out from its surroundings by one tone with an edge all round, bright and dark. */
export function lossCandidates(tiles: readonly TileCells[], size: { readonly width: number; readonly height: number }): AreaCandidate[] {
  if (tiles.length === 0) return []
  const { columns, rows, side, planes } = cellsOfPicture(tiles, size, MOST_CELLS)
  const bright: Cells = { columns, rows, side, tone: meanOf(planes), colours: coloursOf(planes) }
  const dark = { ...bright, tone: bright.tone.map((value) => 255 - value) }
  return [...candidatesAmong(bright, size, 1), ...candidatesAmong(dark, size, -1)]
}

function meanOf(planes: readonly Float32Array[]): Float32Array {
  const mean = new Float32Array(planes[0]!.length)
  for (let i = 0; i < mean.length; i++) {
    let sum = 0
    for (let c = 0; c < planes.length; c++) sum += planes[c]![i]!
    mean[i] = sum / planes.length
  }
  return mean
}

function candidatesAmong(cells: Cells, size: { readonly width: number; readonly height: number }, sign: 1 | -1): AreaCandidate[] {
  const border = borderOf(cells)
  const open = { ...cells, tone: withoutBorder(cells.tone, border) }
  const sorted = valuesAt(open.tone, inOrder(open.tone))
  const marks = new Int32Array(open.tone.length)
  return stableRegions(open, sorted).flatMap((region, n) => {
    const own = MARKS * (n + 1)
    for (let k = 0; k < region.length; k++) marks[region[k]!] = own
    const candidate = describe(open, border, region, { of: marks, own }, sorted, size, sign)
    return candidate ? [candidate] : []
  })
}

function withoutBorder(tone: Float32Array, border: Uint8Array): Float32Array {
  const open = tone.slice()
  for (let i = 0; i < open.length; i++) if (border[i]) open[i] = -1
  return open
}

/** A line of cells along the edge belongs to the border of a print when so many of them have its tone. */
const EVEN_SHARE = 0.8
const EVEN_TONE = 12

/** Cells of the white border of a print: rows and columns from the edge inward that are bright and even. */
function borderOf({ columns, rows, tone }: Cells): Uint8Array {
  const border = new Uint8Array(tone.length)
  const bright = smallestOfMany(tone, Math.floor(0.8 * tone.length))
  const even = (count: number, at: (k: number) => number): boolean => {
    const line = Float32Array.from({ length: count }, (_value, k) => tone[at(k)]!).sort()
    const middle = line[count >> 1]!
    return middle >= bright && line.filter((value) => Math.abs(value - middle) < EVEN_TONE).length > EVEN_SHARE * count
  }
  const eat = (lines: number, count: number, at: (line: number, k: number) => number) => {
    for (let line = 0; line < lines / 4 && even(count, (k) => at(line, k)); line++) for (let k = 0; k < count; k++) border[at(line, k)] = 1
  }
  eat(rows, columns, (line, k) => line * columns + k)
  eat(rows, columns, (line, k) => (rows - 1 - line) * columns + k)
  eat(columns, rows, (line, k) => k * columns + line)
  eat(columns, rows, (line, k) => k * columns + columns - 1 - line)
  return border
}

/** Least difference to what lies around, and how near in tone other places are counted as like it, of 255. */
const LEAST_CONTRAST = 18
const LONE_TONE = 12

/** So much of what lies around is darker than what a contour keeps out. */
const BRIGHT_SHARE = 0.9

/** How far from a contour, in cells, tone is compared. */
const ASIDE = 1.5
/** Share of its contrast on the whole by which a place must stand out to have an edge at all. */
const LEAST_DROP = 0.2
/** Points of a contour between the corners of the smoother line that its raggedness is told by. */
const STRIDE = 6

/** Outline a region half-way between its tone and the brighter of what is around, and measure what it is judged by. */
function describe(cells: Cells, border: Uint8Array, region: Cluster, marks: Marks, sorted: Float32Array, size: { readonly width: number; readonly height: number }, sign: 1 | -1): AreaCandidate | null {
  const { columns, rows, tone, side } = cells
  const inside = median(valuesAt(tone, region))
  const places = cellsAround(cells, border, region, marks)
  const around = valuesAt(tone, places)
  if (around.length < 8) return null
  const outside = median(around)
  const contrast = inside - outside
  if (contrast < LEAST_CONTRAST) return null
  // Where it lies over sky and roof alike, half-way to the roof would be darker than the sky.
  const brightestAround = around.sort()[Math.floor(BRIGHT_SHARE * around.length)]!
  const level = (inside + Math.min(brightestAround, inside - LEAST_CONTRAST)) / 2
  const outline = contourRound((i) => (border[i] ? level - 1 : tone[i]!), columns, boxRound(region, columns, rows, 4), level, placeOfGreatest(tone, region))
  if (!outline) return null
  const { sharp, length, straight, ragged, unrest, atEdge } = alongContour(cells, border, outline, inside, contrast)
  // A stable region may have grown a little into what lies beside it.
  const bare = region.filter((i) => tone[i]! > level)
  const own = valuesAt(tone, bare)
  const area = bare.length
  const lone = area / Math.max(area, sorted.length - firstAbove(sorted, inside - LONE_TONE))
  for (let n = 0; n < own.length; n++) own[n] = Math.abs(own[n]! - inside)
  const spread = median(own) / contrast
  const deviation = median(around.map((value) => Math.abs(value - outside)))
  return {
    shape: { type: 'outline', points: outline.map(([x, y]): [number, number] => [Math.min(size.width, x * side), Math.min(size.height, y * side)]) },
    contrast: (sign * contrast) / (side * Math.max(0.2, DEVIATION_PER_MAD * deviation)),
    weight: (contrast / Math.max(0.2, DEVIATION_PER_MAD * deviation)) * Math.sqrt(area),
    features: [1, sharp, Math.min(1.6, length / straight), ln(area), ln(1e-3 + lone), Math.min(1, spread), Math.min(1, unrest), contrast / 255, atEdge > 0 ? 1 : 0, ln((length * length) / area), sign, inside / 255, ln(0.02 + ragged), ...barePaper(cells, bare, level, places, contrast)],
  }
}

/**
 * What each cell is marked as: `own` of the region that is looked at, one more when it was counted among what lies around; less
 * by regions before it. So no mark has to be taken away again.
 */
interface Marks {
  readonly of: Int32Array
  readonly own: number
}
const MARKS = 2

/** Cells two to four away from a region, up, down, left or right of it, that are not its own. */
function cellsAround({ columns, rows }: Cells, border: Uint8Array, region: Cluster, { of: marks, own }: Marks): number[] {
  const around: number[] = []
  for (let n = 0; n < region.length; n++) {
    const x = region[n]! % columns
    const y = (region[n]! - x) / columns
    for (let side = 0; side < COMPASS.length; side++) {
      const [dx, dy] = COMPASS[side]!
      const [nx, ny] = [x + dx, y + dy]
      if (nx < 0 || ny < 0 || nx >= columns || ny >= rows || marks[ny * columns + nx] === own) continue
      for (let reach = 2; reach <= 4; reach++) {
        const [u, v] = [x + dx * reach, y + dy * reach]
        const at = v * columns + u
        if (u < 0 || v < 0 || u >= columns || v >= rows || marks[at]! >= own || border[at]) continue
        marks[at] = own + 1
        around.push(at)
      }
    }
  }
  return around
}

/** Index of the first of sorted values that is larger. */
function firstAbove(sorted: Float32Array, value: number): number {
  let [low, high] = [0, sorted.length]
  while (low < high) {
    const between = (low + high) >> 1
    if (sorted[between]! > value) high = between
    else low = between + 1
  }
  return low
}

const COMPASS = [[1, 0], [-1, 0], [0, 1], [0, -1]] as const

/** How far a contour wanders from a smooth course at one of its points: the third difference across it, in cells. */
function wanderAt(contour: readonly (readonly [number, number])[], k: number): number {
  const at = (step: number) => contour[(k + step + contour.length) % contour.length]!
  const [a, b, c, d] = [at(-3), at(-1), at(1), at(3)]
  const [alongX, alongY] = [d[0] - a[0], d[1] - a[1]]
  const chord = Math.sqrt(alongX * alongX + alongY * alongY)
  const [x, y] = [d[0] - a[0] - 3 * (c[0] - b[0]), d[1] - a[1] - 3 * (c[1] - b[1])]
  return chord > 0 ? Math.abs(x * alongY - y * alongX) / chord : 0
}

/**
 * Share of a contour where the tone falls at once, its length and that of a smoother line, how much the tone beside it
 * changes from one place to the next over the contrast, and the share along the picture's edge.
 */
function alongContour({ columns, rows, tone }: Cells, border: Uint8Array, contour: readonly (readonly [number, number])[], inside: number, contrast: number): { sharp: number; length: number; straight: number; ragged: number; unrest: number; atEdge: number } {
  const at = (x: number, y: number) => tone[Math.max(0, Math.min(rows - 1, Math.floor(y))) * columns + Math.max(0, Math.min(columns - 1, Math.floor(x)))]!
  const outer = (x: number, y: number) => x < 1 || y < 1 || x > columns - 1 || y > rows - 1 || COMPASS.some(([dx, dy]) => border[Math.min(rows - 1, Math.floor(y + dy)) * columns + Math.min(columns - 1, Math.floor(x + dx))])
  let sharp = 0
  let free = 0
  let length = 0
  let straight = 0
  const wander: number[] = []
  const beside: number[] = []
  const n = contour.length
  for (let k = 0; k < n; k++) {
    const [ax, ay] = contour[k]!
    const [bx, by] = contour[(k + 1) % n]!
    const part = Math.sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay))
    if (outer(ax, ay)) continue
    free++
    length += part
    if (part > 0) {
      const [nx, ny] = [((by - ay) / part) * ASIDE, (-(bx - ax) / part) * ASIDE]
      const [left, right] = [at(ax + nx, ay + ny), at(ax - nx, ay - ny)]
      // Against what lies a little further out on the darker side, since a tear may lie over sky and roof alike.
      const outward = left < right ? 2 : -2
      const drop = inside - at(ax + outward * nx, ay + outward * ny)
      if (drop > LEAST_DROP * contrast && Math.abs(left - right) > 0.55 * drop) sharp++
      beside.push(Math.min(left, right))
    }
    wander.push(wanderAt(contour, k))
    if (k % STRIDE === 0) {
      const [cx, cy] = contour[(k + STRIDE) % n]!
      straight += Math.sqrt((cx - ax) * (cx - ax) + (cy - ay) * (cy - ay))
    }
  }
  const changes = Float32Array.from({ length: Math.max(0, beside.length - STRIDE) }, (_value, k) => Math.abs(beside[k + STRIDE]! - beside[k]!))
  return { unrest: median(changes) / contrast, sharp: sharp / Math.max(1, free), length: Math.max(1, length), straight: Math.max(1, straight), ragged: median(Float32Array.from(wander)), atEdge: (n - free) / n }
}
