import Flatbush from 'flatbush'
import type { Region } from '../raster/raster.js'

/**
 * Things by the rectangles they lie in, so that those near a place are found without asking all: an R-tree packed once
 * along a Hilbert curve (flatbush).
 */
export class PlaceIndex<T> {
  private readonly tree: Flatbush | null
  /** Thing of each rectangle: one may lie in several. */
  private readonly owners: Int32Array

  /**
   * @param things   In the order in which they are found.
   * @param regions  Where each lies, in one unit for all; a long thing may give several small rectangles.
   */
  constructor(private readonly things: readonly T[], regions: (thing: T) => readonly Region[]) {
    const boxes = things.map(regions)
    const count = boxes.reduce((sum, { length }) => sum + length, 0)
    this.owners = new Int32Array(count)
    this.tree = count > 0 ? new Flatbush(count) : null
    let k = 0
    boxes.forEach((list, index) => {
      for (const { x, y, width, height } of list) {
        this.owners[k++] = index
        this.tree!.add(x, y, x + width, y + height)
      }
    })
    this.tree?.finish()
  }

  /** Places in the list of the things whose rectangles touch a region, each once, in their order. */
  placesNear({ x, y, width, height }: Region): number[] {
    const found = this.tree?.search(x, y, x + width, y + height) ?? []
    return [...new Set(found.map((k) => this.owners[k]!))].sort((a, b) => a - b)
  }

  /** Things whose rectangles touch a region, each once, in their order. */
  near(region: Region): T[] {
    return this.placesNear(region).map((i) => this.things[i]!)
  }

  /** The thing whose rectangle lies nearest to a place, no further than so many pixels. */
  nearest(x: number, y: number, within: number): T | null {
    const [found] = this.tree?.neighbors(x, y, 1, within) ?? []
    return found === undefined ? null : this.things[this.owners[found]!]!
  }
}

/** The square around a place whose sides are so far from it. */
export function squareAround(x: number, y: number, reach: number): Region {
  return { x: x - reach, y: y - reach, width: 2 * reach, height: 2 * reach }
}
