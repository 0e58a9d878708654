import { clipRegion, growRegion, maximumOf, overlaps, unionRegion, type PixelSource, type Region } from '../../raster/raster.js'
import { distanceFrom } from '../../raster/distance-transform.js'
import { outlinesOfMask } from '../from-mask.js'
import { distanceAt, distanceOutside, moveShape, scaleShape, shapeBounds, type Outline, type Shape } from '../shape.js'
import { maskWhere } from '../../raster/per-pixel.js'

/** A few strokes that say what belongs to an area and what does not. */
export interface AreaMarks {
  readonly inside: readonly Shape[]
  readonly outside: readonly Shape[]
}

/** Most cells of the first, coarse pass. */
const COARSE_CELLS = 600_000
/** Side of the pieces in which the edge is found again at full size. */
const PIECE = 128
/** Colours are told apart in so many steps a channel. */
const STEPS = 24
/** What a path pays a pixel for its length, and for a change of colour that says nothing of inside or outside. */
const LENGTH = 0.004
const COLOUR = 0.35
const SWEEPS = 2

/**
 * Grow an area from a few strokes, up to the edges of the picture's own things.
 *
 * Colours under the strokes say how likely each pixel is to belong inside. A pixel goes to the strokes it can be reached
 * from over the least change of that likelihood: paths along a thing are short, paths across its edge are long. First on
 * averaged cells, then again at full size in a band along the edge that came out.
 *
 * @param picture  Read only within the strokes' surroundings.
 * @param marks    At least one stroke inside; without strokes outside, the border of the surroundings counts as outside.
 * @param thinPx   Parts narrower than this are left out, such as a cable; 0 keeps them.
 * @returns Outlines on borders of pixels, largest first; empty when nothing belongs.
 *
 * Bai and Sapiro 2007, "A geodesic framework for fast interactive image and video segmentation and matting"; distances
 * by sweeps in raster order (Toivanen 1996).
 */
export function growArea(picture: PixelSource, marks: AreaMarks, thinPx = 0): Outline[] {
  if (marks.inside.length === 0) return []
  const region = markSurroundings(marks, picture)
  let factor = 1
  while ((region.width * region.height) / (factor * factor) > COARSE_CELLS) factor++
  const coarse = meansOf(picture, region, factor)
  const seeds = seedsOf(marks, region, factor, coarse.width, coarse.height)
  const likelihood = likelihoodTable(coarse, seeds)
  const labels = labelled(coarse, seeds, likelihood)
  const whole = factor === 1 ? labels : refined(picture, region, factor, coarse, labels, marks, likelihood)
  const kept = thinPx > 0 ? opened(whole, region.width, region.height, thinPx / 2) : whole
  const pieces = outlinesOfMask(kept, region.width, region.height, Infinity).map((outline) => withoutPinholes(moveShape(outline, region.x, region.y)))
  const largest = Math.max(0, ...pieces.map((piece) => boxArea(piece)))
  return pieces.filter((piece) => boxArea(piece) >= LEAST_PIECE * largest || marks.inside.some((mark) => meets(mark, piece))).sort((a, b) => boxArea(b) - boxArea(a))
}

/** Smaller pieces, as a share of the largest, are crumbs of like colour unless a stroke was drawn on them. */
const LEAST_PIECE = 0.02
/** Smaller holes are grain, square pixels of their box. */
const LEAST_HOLE = 24

const boxArea = (shape: Shape) => shapeBounds(shape).width * shapeBounds(shape).height

function withoutPinholes(outline: Outline): Outline {
  const holes = (outline.holes ?? []).filter((points) => boxArea({ type: 'outline', points }) > LEAST_HOLE)
  return { type: 'outline', points: outline.points, ...(holes.length > 0 ? { holes } : {}) }
}

/** Whether a stroke runs over a piece. */
function meets(mark: Shape, piece: Outline): boolean {
  if (!overlaps(shapeBounds(mark), shapeBounds(piece))) return false
  const points = mark.type === 'disc' ? [[mark.x, mark.y] as const] : mark.points
  return points.some(([x, y]) => distanceAt(piece, x, y) < 1)
}


/**
 * The same on a smaller level of the picture's pyramid: roughly and at once, while strokes are drawn.
 *
 * @param levelAt  Gives a level of the pyramid, 0 the full size, each next half as large.
 */
export function growAreaAt(levelAt: (level: number) => PixelSource, level: number, marks: AreaMarks, thinPx = 0): Outline[] {
  const by = 1 / 2 ** level
  const smaller = (shapes: readonly Shape[]) => shapes.map((shape) => scaleShape(shape, by))
  return growArea(levelAt(level), { inside: smaller(marks.inside), outside: smaller(marks.outside) }, thinPx * by).map((outline) => scaleShape(outline, 1 / by))
}

/** The rectangle of a picture that is looked at for some marks. */
export function markSurroundings(marks: AreaMarks, picture: { width: number; height: number }): Region {
  const bounds = [...marks.inside, ...marks.outside].map(shapeBounds).reduce(unionRegion)
  return clipRegion(growRegion(bounds, Math.ceil(40 + 0.3 * Math.max(bounds.width, bounds.height))), picture.width, picture.height)
}

/** Colours of cells, 0..1, always three planes. */
interface Cells {
  readonly width: number
  readonly height: number
  readonly colours: readonly [Float32Array, Float32Array, Float32Array]
}

function meansOf(picture: PixelSource, region: Region, factor: number): Cells {
  const width = Math.ceil(region.width / factor)
  const height = Math.ceil(region.height / factor)
  const colours = [0, 1, 2].map(() => new Float32Array(width * height)) as [Float32Array, Float32Array, Float32Array]
  const { channels } = picture
  const maximum = maximumOf(picture.depth)
  for (let row = 0; row < height; row++) {
    const strip = { x: region.x, y: region.y + row * factor, width: region.width, height: Math.min(factor, region.height - row * factor) }
    const { data } = picture.read(strip)
    for (let column = 0; column < width; column++) {
      const right = Math.min(region.width, (column + 1) * factor)
      const share = 1 / (strip.height * (right - column * factor) * maximum)
      for (let c = 0; c < 3; c++) {
        const channel = channels === 1 ? 0 : c
        let sum = 0
        for (let y = 0; y < strip.height; y++) for (let x = column * factor; x < right; x++) sum += data[(y * region.width + x) * channels + channel]!
        colours[c]![row * width + column] = sum * share
      }
    }
  }
  return { width, height, colours }
}

const UNKNOWN = 0
const INSIDE = 1
const OUTSIDE = 2

/** What the strokes say of each cell; later strokes win over earlier ones. */
function seedsOf(marks: AreaMarks, region: Region, factor: number, width: number, height: number): Uint8Array {
  const seeds = new Uint8Array(width * height)
  const lay = (shape: Shape, label: number) => {
    const mark = seen(scaleShape(moveShape(shape, -region.x, -region.y), 1 / factor))
    const box = clipRegion(growRegion(shapeBounds(mark), 1), width, height)
    if (box.width === 0 || box.height === 0) return
    const distance = distanceOutside(mark, box, 2).data
    for (let y = 0; y < box.height; y++) for (let x = 0; x < box.width; x++) if (distance[y * box.width + x]! < 0.2) seeds[(box.y + y) * width + box.x + x] = label
  }
  if (marks.outside.length === 0) {
    for (let x = 0; x < width; x++) seeds[x] = seeds[(height - 1) * width + x] = OUTSIDE
    for (let y = 0; y < height; y++) seeds[y * width] = seeds[y * width + width - 1] = OUTSIDE
  }
  for (const shape of marks.outside) lay(shape, OUTSIDE)
  for (const shape of marks.inside) lay(shape, INSIDE)
  return seeds
}

/** A mark never so thin that it falls between the cells. */
function seen(mark: Shape): Shape {
  if (mark.type === 'disc') return { ...mark, r: Math.max(0.7, mark.r) }
  return mark.type === 'stroke' ? { ...mark, width: Math.max(1.4, mark.width) } : mark
}

const colourAt = ({ colours }: Cells, i: number) => {
  const step = (value: number) => Math.max(0, Math.min(STEPS - 1, Math.floor(value * STEPS)))
  return (step(colours[0][i]!) * STEPS + step(colours[1][i]!)) * STEPS + step(colours[2][i]!)
}

/** How likely each colour belongs inside, 0..1, from the colours under the strokes, spread to their neighbours. */
function likelihoodTable(cells: Cells, seeds: Uint8Array): Float32Array {
  const inside = new Float32Array(STEPS ** 3)
  const outside = new Float32Array(STEPS ** 3)
  let insideCount = 0
  let outsideCount = 0
  for (let i = 0; i < seeds.length; i++) {
    if (seeds[i] === INSIDE) {
      inside[colourAt(cells, i)]!++
      insideCount++
    } else if (seeds[i] === OUTSIDE) {
      outside[colourAt(cells, i)]!++
      outsideCount++
    }
  }
  const a = spread(inside)
  const b = spread(outside)
  return a.map((value, i) => (value / Math.max(1, insideCount) + 1e-7) / (value / Math.max(1, insideCount) + b[i]! / Math.max(1, outsideCount) + 2e-7))
}

/** Each count smeared over its neighbouring colours, twice by (1, 2, 1) / 4 along every axis. */
function spread(counts: Float32Array): Float32Array {
  let from = counts
  for (let pass = 0; pass < 2; pass++) {
    for (const stride of [1, STEPS, STEPS * STEPS]) {
      const to = new Float32Array(from.length)
      for (let i = 0; i < from.length; i++) {
        const at = Math.floor(i / stride) % STEPS
        to[i] = 0.5 * from[i]! + 0.25 * (at > 0 ? from[i - stride]! : from[i]!) + 0.25 * (at + 1 < STEPS ? from[i + stride]! : from[i]!)
      }
      from = to
    }
  }
  return from
}

/** 1 where a cell is nearer to the strokes inside. */
function labelled(cells: Cells, seeds: Uint8Array, likelihood: Float32Array): Uint8Array {
  const belongs = new Float32Array(seeds.length)
  for (let i = 0; i < belongs.length; i++) belongs[i] = likelihood[colourAt(cells, i)]!
  const { width } = cells
  const across = NEIGHBOURS.map(([dx, dy, length]) => crossingCost(cells, belongs, dy * width + dx, length))
  const fromInside = geodesic(cells, across, seeds, INSIDE)
  const fromOutside = geodesic(cells, across, seeds, OUTSIDE)
  return seeds.map((seed, i) => {
    if (seed !== UNKNOWN) return seed === INSIDE ? 1 : 0
    return fromInside[i]! * (1.05 - belongs[i]!) < fromOutside[i]! * (0.05 + belongs[i]!) ? 1 : 0
  })
}

/** Neighbours that a raster has passed already: left, above, and the two between; with their distances. */
const NEIGHBOURS = [[-1, 0, 1], [0, -1, 1], [-1, -1, 1.4142135], [1, -1, 1.4142135]] as const

/** What a step from each cell to a neighbour costs. */
function crossingCost({ colours: [r, g, b] }: Cells, belongs: Float32Array, to: number, length: number): Float32Array {
  const cost = new Float32Array(belongs.length)
  for (let i = Math.max(0, -to); i < cost.length; i++) {
    const j = i + to
    cost[i] = length * LENGTH + Math.abs(belongs[i]! - belongs[j]!) + COLOUR * (Math.abs(r[i]! - r[j]!) + Math.abs(g[i]! - g[j]!) + Math.abs(b[i]! - b[j]!))
  }
  return cost
}

/** Least cost of a way from the cells of a label to every other, by sweeps there and back. */
function geodesic({ width, height }: Cells, across: readonly Float32Array[], seeds: Uint8Array, label: number): Float32Array {
  const distance = new Float32Array(seeds.length)
  for (let i = 0; i < distance.length; i++) distance[i] = seeds[i] === label ? 0 : 1e9
  const [fromLeft, fromAbove, fromLeftAbove, fromRightAbove] = across as [Float32Array, Float32Array, Float32Array, Float32Array]
  const last = width - 1
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    for (let y = 0; y < height; y++) {
      const row = y * width
      for (let x = 0; x < width; x++) {
        const i = row + x
        let least = distance[i]!
        if (x > 0) least = Math.min(least, distance[i - 1]! + fromLeft[i]!)
        if (y > 0) {
          least = Math.min(least, distance[i - width]! + fromAbove[i]!)
          if (x > 0) least = Math.min(least, distance[i - width - 1]! + fromLeftAbove[i]!)
          if (x < last) least = Math.min(least, distance[i - width + 1]! + fromRightAbove[i]!)
        }
        distance[i] = least
      }
      for (let i = row + last - 1; i >= row; i--) distance[i] = Math.min(distance[i]!, distance[i + 1]! + fromLeft[i + 1]!)
    }
    for (let y = height - 1; y >= 0; y--) {
      const row = y * width
      for (let x = last; x >= 0; x--) {
        const i = row + x
        let least = distance[i]!
        if (x < last) least = Math.min(least, distance[i + 1]! + fromLeft[i + 1]!)
        if (y + 1 < height) {
          least = Math.min(least, distance[i + width]! + fromAbove[i + width]!)
          if (x < last) least = Math.min(least, distance[i + width + 1]! + fromLeftAbove[i + width + 1]!)
          if (x > 0) least = Math.min(least, distance[i + width - 1]! + fromRightAbove[i + width - 1]!)
        }
        distance[i] = least
      }
      for (let i = row + 1; i <= row + last; i++) distance[i] = Math.min(distance[i]!, distance[i - 1]! + fromLeft[i]!)
    }
  }
  return distance
}

/** The same at full size, piece by piece, within a band along the coarse edge. */
function refined(picture: PixelSource, region: Region, factor: number, coarse: Cells, labels: Uint8Array, marks: AreaMarks, likelihood: Float32Array): Uint8Array {
  const whole = new Uint8Array(region.width * region.height)
  const edge = edgeOf(labels, coarse.width, coarse.height)
  const near = distanceFrom(edge, coarse.width, coarse.height)
  for (let top = 0; top < region.height; top += PIECE) {
    for (let left = 0; left < region.width; left += PIECE) {
      const apron = 4 * factor
      const piece = clipRegion({ x: left - apron, y: top - apron, width: PIECE + 2 * apron, height: PIECE + 2 * apron }, region.width, region.height)
      const cellAt = (x: number, y: number) => Math.floor((piece.y + y) / factor) * coarse.width + Math.floor((piece.x + x) / factor)
      const seeds = new Uint8Array(piece.width * piece.height)
      let open = 0
      for (let y = 0; y < piece.height; y++) {
        for (let x = 0; x < piece.width; x++) {
          const cell = cellAt(x, y)
          const known = near[cell]! > 2
          if (!known) open++
          seeds[y * piece.width + x] = known ? (labels[cell] ? INSIDE : OUTSIDE) : UNKNOWN
        }
      }
      let result: Uint8Array
      if (open === 0) result = seeds.map((seed) => (seed === INSIDE ? 1 : 0))
      else {
        const place = { ...piece, x: piece.x + region.x, y: piece.y + region.y }
        const drawn = seedsOf({ inside: marks.inside, outside: marks.outside.length > 0 ? marks.outside : [FAR_AWAY] }, place, 1, piece.width, piece.height)
        result = labelled(meansOf(picture, place, 1), seeds.map((seed, i) => drawn[i]! || seed), likelihood)
      }
      for (let y = Math.max(top, piece.y); y < Math.min(region.height, top + PIECE); y++) {
        for (let x = Math.max(left, piece.x); x < Math.min(region.width, left + PIECE); x++) whole[y * region.width + x] = result[(y - piece.y) * piece.width + x - piece.x]!
      }
    }
  }
  return whole
}

/** Stands for strokes outside that a piece has none of. */
const FAR_AWAY: Shape = { type: 'disc', x: -1e5, y: -1e5, r: 1 }

function edgeOf(labels: Uint8Array, width: number, height: number): Uint8Array {
  return labels.map((label, i) => {
    const x = i % width
    const y = (i - x) / width
    return (x + 1 < width && labels[i + 1] !== label) || (y + 1 < height && labels[i + width] !== label) || (x > 0 && labels[i - 1] !== label) || (y > 0 && labels[i - width] !== label) ? 1 : 0
  })
}

/** Without what no disc of a radius fits into. */
function opened(mask: Uint8Array, width: number, height: number, radius: number): Uint8Array {
  const fromOutside = distanceFrom(mask.map((value) => 1 - value), width, height)
  const cores = maskWhere(fromOutside, (distance) => distance > radius)
  const fromCores = distanceFrom(cores, width, height)
  return mask.map((value, i) => (value && fromCores[i]! <= radius ? 1 : 0))
}
