import type { TrueFlaw } from '@fennip/demo/damage.js'

/** Which places of a picture lie on which line: asked for a point, the lines within `reach` pixels. */
export class LinePlaces {
  private readonly cells = new Map<number, { x: number; y: number; line: number }[]>()

  constructor(lines: readonly (readonly (readonly [number, number])[])[], private readonly reach: number) {
    lines.forEach((path, line) => {
      for (let k = 0; k < path.length; k++) {
        const [ax, ay] = path[Math.max(0, k - 1)]!
        const [bx, by] = path[k]!
        // Points of a find lie further apart than those of the truth.
        const steps = Math.max(1, Math.ceil(Math.hypot(bx - ax, by - ay)))
        for (let t = 1; t <= steps; t++) this.put(ax + ((bx - ax) * t) / steps, ay + ((by - ay) * t) / steps, line)
      }
    })
  }

  private key(x: number, y: number): number {
    return Math.floor(y / this.reach) * 100003 + Math.floor(x / this.reach)
  }

  private put(x: number, y: number, line: number): void {
    const key = this.key(x, y)
    const list = this.cells.get(key)
    if (list) list.push({ x, y, line })
    else this.cells.set(key, [{ x, y, line }])
  }

  near(x: number, y: number): number {
    let best = -1
    let nearest = this.reach
    for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) for (const point of this.cells.get(this.key(x + dx * this.reach, y + dy * this.reach)) ?? []) {
      const distance = Math.hypot(point.x - x, point.y - y)
      if (distance < nearest) {
        nearest = distance
        best = point.line
      }
    }
    return best
  }
}

/** Share of a path's points that lie within reach of the given lines. */
export function shareOn(path: readonly (readonly [number, number])[], places: LinePlaces): number {
  return path.filter(([x, y]) => places.near(x, y) >= 0).length / Math.max(1, path.length)
}

export const linesOf = (flaws: readonly TrueFlaw[]) => flaws.filter((flaw) => flaw.path && flaw.path.length > 20)
