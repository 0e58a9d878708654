/** A path of straight pieces, measured along its length. */
export interface MeasuredPath {
  readonly length: number
  /** Place at a distance from the start, and the unit vector along the path there. */
  at(distance: number): { readonly x: number; readonly y: number; readonly alongX: number; readonly alongY: number }
  /** Distance along the path and to its right of the place nearest to a point. */
  nearest(x: number, y: number): { readonly along: number; readonly across: number }
}

/** @param points  At least one; a third number is not looked at. */
export function measurePath(points: readonly (readonly number[])[]): MeasuredPath {
  const pieces: { x: number; y: number; dx: number; dy: number; length: number; start: number }[] = []
  let length = 0
  for (let i = 0; i + 1 < points.length; i++) {
    const [x, y] = [points[i]![0]!, points[i]![1]!]
    const [ex, ey] = [points[i + 1]![0]! - x, points[i + 1]![1]! - y]
    const own = Math.sqrt(ex * ex + ey * ey)
    if (own === 0) continue
    pieces.push({ x, y, dx: ex / own, dy: ey / own, length: own, start: length })
    length += own
  }
  if (pieces.length === 0) pieces.push({ x: points[0]![0]!, y: points[0]![1]!, dx: 1, dy: 0, length: 0, start: 0 })
  return {
    length,
    at(distance) {
      const piece = pieces.find(({ start, length: own }) => distance <= start + own) ?? pieces.at(-1)!
      const t = Math.max(0, Math.min(piece.length, distance - piece.start))
      return { x: piece.x + t * piece.dx, y: piece.y + t * piece.dy, alongX: piece.dx, alongY: piece.dy }
    },
    nearest(x, y) {
      let [best, along, across] = [Infinity, 0, 0]
      for (const piece of pieces) {
        const [px, py] = [x - piece.x, y - piece.y]
        const t = Math.max(0, Math.min(piece.length, px * piece.dx + py * piece.dy))
        const [ex, ey] = [px - t * piece.dx, py - t * piece.dy]
        const distance = ex * ex + ey * ey
        if (distance >= best) continue
        best = distance
        along = piece.start + t
        across = (piece.dx * py - piece.dy * px < 0 ? -1 : 1) * Math.sqrt(distance)
      }
      return { along, across }
    },
  }
}
