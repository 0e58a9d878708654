import { partOfSheet, reduced, type Sheet } from './sheet.js'

/** An edge point of a piece with the unit vector that leads out of it. */
export interface EdgePoint { readonly x: number; readonly y: number; readonly nx: number; readonly ny: number; /** How little the edge is a straight line here, 0..1: cut edges fit anywhere, torn ones only where they belong. 0 where it may be bare fibre. */ readonly torn: number }

/** A torn edge strays from a straight line over this share of the piece, by at least so many pixels of the level it is looked at on. */
export const STRAIGHT_SHARE = 0.07

export const [STRAIGHT, TORN] = [0.35, 1]

/** An edge that may be cut says so much of what a torn one says. */
export const CUT_EDGE_SAYS = 0.06

/** What is at most so far from an edge is at it, in pixels of the scan. */
const NEAR_EDGE_PX = 2

/** Longer side on which it is told whether an edge is torn. */
export const TORN_SIDE = 700

/** Where edges of a piece are torn, by its mask: places in its own pixels and their weights. */
export const tornPlaces = new WeakMap<Uint8Array, { readonly factor: number; readonly weights: ReadonlyMap<number, number>} >()

const CELL = 65536

/** Tell torn edges from cut ones on a level that shows their course. */
export function tellTorn(piece: Sheet): void {
  let factor = 1
  while (Math.max(piece.width, piece.height) / factor > TORN_SIDE) factor *= 2
  const small = reduced(piece, factor)
  const points = rawEdge(small)
  const reach = STRAIGHT_SHARE * Math.max(small.width, small.height)
  const weights = new Map<number, number>()
  for (const { x, y } of points) {
    let [n, mx, my, xx, xy, yy] = [0, 0, 0, 0, 0, 0]
    for (const other of points) {
      const [dx, dy] = [other.x - x, other.y - y]
      if (dx * dx + dy * dy > reach * reach) continue
      n++
      mx += dx
      my += dy
      xx += dx * dx
      xy += dx * dy
      yy += dy * dy
    }
    xx = xx / n - (mx / n) ** 2
    xy = xy / n - (mx * my) / (n * n)
    yy = yy / n - (my / n) ** 2
    // The smaller eigenvalue: how far the edge strays from its line.
    const stray = Math.sqrt(Math.max(0, (xx + yy - Math.sqrt((xx - yy) ** 2 + 4 * xy * xy)) / 2))
    const torn = Math.max(CUT_EDGE_SAYS, Math.min(1, (stray - STRAIGHT) / (TORN - STRAIGHT)))
    weights.set(Math.floor(y - small.y) * CELL + Math.floor(x - small.x), torn)
  }
  tornPlaces.set(piece.mask, { factor, weights })
}

/** Whether it is not known if an edge of the picture is near a place, or only bare fibre. */
function mayBeFibre({ x: left, y: top, width, height, doubt }: Sheet, x: number, y: number): boolean {
  if (!doubt) return false
  for (let row = Math.max(0, Math.floor(y - top - NEAR_EDGE_PX)); row < Math.min(height, y - top + NEAR_EDGE_PX); row++) {
    for (let column = Math.max(0, Math.floor(x - left - NEAR_EDGE_PX)); column < Math.min(width, x - left + NEAR_EDGE_PX); column++) if (doubt[row * width + column] === 1) return true
  }
  return false
}

const edges = new WeakMap<Uint8Array, EdgePoint[]>()

/** Edge points of a sheet of a piece on a level, with how torn they are; at full size what may be bare fibre counts for nothing. */
export function edgeOf(sheet: Sheet, piece: Sheet, level: number): EdgePoint[] {
  const kept = edges.get(sheet.mask)
  if (kept) return kept
  const { factor, weights } = tornPlaces.get(piece.mask)!
  const [left, top] = [Math.floor(piece.x / factor), Math.floor(piece.y / factor)]
  const tornAt = (x: number, y: number): number => {
    const [column, row] = [Math.floor((x * level) / factor) - left, Math.floor((y * level) / factor) - top]
    const reach = Math.max(2, Math.ceil(level / factor))
    let [sum, count] = [0, 0]
    for (let dy = -reach; dy <= reach; dy++) {
      for (let dx = -reach; dx <= reach; dx++) {
        const weight = weights.get((row + dy) * CELL + column + dx)
        if (weight === undefined) continue
        sum += weight
        count++
      }
    }
    return count === 0 ? CUT_EDGE_SAYS : sum / count
  }
  const points = rawEdge(sheet).map((point) => ({ ...point, torn: level === 1 && mayBeFibre(piece, point.x, point.y) ? 0 : tornAt(point.x, point.y) }))
  edges.set(sheet.mask, points)
  return points
}

/** Edge points of a sheet; the edge of the sheet's rectangle counts too. */
export function rawEdge(sheet: Sheet): Omit<EdgePoint, 'torn'>[] {
  const margin = 5
  const wide = partOfSheet(sheet, sheet.x - margin, sheet.y - margin, sheet.width + 2 * margin, sheet.height + 2 * margin)
  const { width, height, mask } = wide
  const points: Omit<EdgePoint, 'torn'>[] = []
  for (let y = 4; y < height - 4; y++) {
    for (let x = 4; x < width - 4; x++) {
      const i = y * width + x
      if (mask[i] === 0 || (mask[i - 1] && mask[i + 1] && mask[i - width] && mask[i + width])) continue
      // Away from the middle of what belongs to the piece around: over nine pixels, so that steps of the edge do not turn it.
      let [gx, gy] = [0, 0]
      for (let dy = -4; dy <= 4; dy++) {
        for (let dx = -4; dx <= 4; dx++) {
          if (mask[i + dy * width + dx] === 0) continue
          gx -= dx
          gy -= dy
        }
      }
      const length = Math.sqrt(gx * gx + gy * gy)
      if (length > 0) points.push({ x: wide.x + x + 0.5, y: wide.y + y + 0.5, nx: gx / length, ny: gy / length })
    }
  }
  return points
}

/** Direction in which places spread most, and their middle. */
export function mainAxis(points: readonly { readonly x: number; readonly y: number }[]): { x: number; y: number; middle: { x: number; y: number } } {
  const middle = { x: 0, y: 0 }
  for (const { x, y } of points) {
    middle.x += x / points.length
    middle.y += y / points.length
  }
  let [xx, xy, yy] = [0, 0, 0]
  for (const { x, y } of points) {
    xx += (x - middle.x) ** 2
    xy += (x - middle.x) * (y - middle.y)
    yy += (y - middle.y) ** 2
  }
  // The eigenvector of the larger eigenvalue of a symmetric matrix of two.
  const larger = (xx + yy + Math.sqrt((xx - yy) ** 2 + 4 * xy * xy)) / 2
  const [x, y] = Math.abs(larger - yy) > Math.abs(larger - xx) ? [larger - yy, xy] : [xy, larger - xx]
  const length = Math.sqrt(x * x + y * y) || 1
  return { x: x / length, y: y / length, middle }
}
