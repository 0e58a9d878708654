/** Cells on all sides of one, those on its edges first. */
const AROUND = [[1, 0], [-1, 0], [0, 1], [0, -1], [1, 1], [-1, 1], [1, -1], [-1, -1]] as const

/**
 * Groups of cells that touch.
 *
 * @param starts    Whether a group may begin with this cell.
 * @param joins     Whether a cell joins the group of the one beside it.
 * @param corners   Whether cells that meet at a corner touch.
 * @returns Indices of each group's cells, the groups in reading order of their first.
 */
export function touching(columns: number, rows: number, starts: (i: number) => boolean, joins: (from: number, next: number) => boolean, corners: boolean): Int32Array[] {
  const seen = new Uint8Array(columns * rows)
  const stack = new Int32Array(columns * rows)
  const sides = corners ? 8 : 4
  const groups: Int32Array[] = []
  for (let first = 0; first < seen.length; first++) {
    if (seen[first] || !starts(first)) continue
    let count = 1
    stack[0] = first
    seen[first] = 1
    for (let k = 0; k < count; k++) {
      const from = stack[k]!
      const column = from % columns
      const row = (from - column) / columns
      for (let side = 0; side < sides; side++) {
        const x = column + AROUND[side]![0]
        const y = row + AROUND[side]![1]
        const next = y * columns + x
        if (x < 0 || y < 0 || x >= columns || y >= rows || seen[next] || !joins(from, next)) continue
        seen[next] = 1
        stack[count++] = next
      }
    }
    groups.push(stack.slice(0, count))
  }
  return groups
}
