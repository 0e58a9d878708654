/** Side of a cell, pixels. */
const CELL = 4

/** Where lines run and in which directions: another that runs there the same way is the same line, one that crosses is not. */
export class TakenPlaces {
  private readonly columns: number
  /** A bit for each direction. */
  private readonly taken: Uint16Array
  private directions = new Uint8Array(1024)

  /** Sides of the plane that the lines lie in, pixels. */
  constructor(private readonly width: number, private readonly height: number) {
    this.columns = Math.ceil(width / CELL)
    this.taken = new Uint16Array(this.columns * Math.ceil(height / CELL))
  }

  /** Share of a path's points that lie where a line runs the same way. */
  shareOf(points: Float64Array): number {
    const count = points.length / 2
    const directions = this.directionsOf(points)
    let covered = 0
    for (let k = 0; k < count; k++) covered += (this.taken[this.cellOf(points[2 * k]!, points[2 * k + 1]!)]! >> directions[k]!) & 1
    return covered / count
  }

  /**
   * From now on a line runs there.
   *
   * @param reach  Of it to either side, pixels.
   */
  take(points: Float64Array, reach: number): void {
    const count = points.length / 2
    const directions = this.directionsOf(points)
    for (let k = 0; k < count; k++) {
      const near = alike(directions[k]!)
      for (let dy = -reach; dy <= reach; dy += reach) {
        for (let dx = -reach; dx <= reach; dx += reach) {
          const x = points[2 * k]! + dx
          const y = points[2 * k + 1]! + dy
          if (x >= 0 && y >= 0 && x < this.width && y < this.height) this.taken[this.cellOf(x, y)]! |= near
        }
      }
    }
  }

  private cellOf(x: number, y: number): number {
    return Math.floor(y / CELL) * this.columns + Math.floor(x / CELL)
  }

  /** Good until the next path is asked about. */
  private directionsOf(points: Float64Array): Uint8Array {
    const count = points.length / 2
    if (this.directions.length < count) this.directions = new Uint8Array(2 * count)
    for (let k = 0; k < count; k++) this.directions[k] = directionAt(points, k)
    return this.directions
  }
}

/** Slopes that part sectors of 11.25 degrees: tangents of 11.25, 22.5, 33.75, 45, 56.25, 67.5 and 78.75 degrees. */
const SECTORS = [0.1989, 0.4142, 0.6682, 1, 1.4966, 2.4142, 5.0273]

/** One of sixteen directions in which a path runs at a point, told from the points around; along a line is the same both ways. */
function directionAt(points: Float64Array, k: number): number {
  const a = 2 * Math.max(0, k - 4)
  const b = Math.min(points.length - 2, 2 * (k + 4))
  // Across it: a quarter turn.
  const nx = points[a + 1]! - points[b + 1]!
  const ny = points[b]! - points[a]!
  const back = ny < 0 || (ny === 0 && nx < 0)
  const x = back ? -nx : nx
  const y = back ? -ny : ny
  let sector = 0
  while (sector < 7 && y >= SECTORS[sector]! * Math.abs(x)) sector++
  return x >= 0 ? sector : 15 - sector
}

/** Bits of a direction and of both beside it. */
const alike = (direction: number) => (1 << direction) | (1 << ((direction + 1) & 15)) | (1 << ((direction + 15) & 15))
