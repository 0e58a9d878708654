import type { Outline } from './shape.js'

/** Side of the grid along which large pieces are cut, so that a long scratch is mended piece by piece from close by. */
const PIECE = 192

/**
 * Turn a mask into outlines, one for each piece that hangs together.
 *
 * @param mask  Row by row, not 0 where damaged.
 * @param piecePx  Side of the grid along which large pieces are cut; Infinity leaves them whole.
 * @returns Outlines along the borders of pixels, holes included; together they cover exactly the pixels of the mask.
 */
export function outlinesOfMask(mask: Uint8Array, width: number, height: number, piecePx = PIECE): Outline[] {
  const labels = new Int32Array(width * height)
  const outlines: Outline[] = []
  let label = 0
  const stack: number[] = []
  for (let start = 0; start < mask.length; start++) {
    if (mask[start] === 0 || labels[start] !== 0) continue
    label++
    // A piece never leaves the cell of the grid it starts in.
    const side = Math.min(piecePx, Math.max(width, height))
    const left = Math.floor((start % width) / side) * side
    const right = Math.min(width, left + side)
    const top = Math.floor(Math.floor(start / width) / side) * side
    const bottom = Math.min(height, top + side)
    labels[start] = label
    stack.push(start)
    const box = { left: right, right: left, top: bottom, bottom: top }
    while (stack.length > 0) {
      const i = stack.pop()!
      const x = i % width
      const y = (i - x) / width
      box.left = Math.min(box.left, x)
      box.right = Math.max(box.right, x + 1)
      box.top = Math.min(box.top, y)
      box.bottom = Math.max(box.bottom, y + 1)
      const visit = (j: number, nx: number, ny: number) => {
        if (nx < left || nx >= right || ny < top || ny >= bottom || mask[j] === 0 || labels[j] !== 0) return
        labels[j] = label
        stack.push(j)
      }
      visit(i - 1, x - 1, y)
      visit(i + 1, x + 1, y)
      visit(i - width, x, y - 1)
      visit(i + width, x, y + 1)
    }
    outlines.push(traceBorders(labels, label, width, box))
  }
  return outlines
}

/** Follow all borders of one label, keeping it on the right hand; the longest is the outline, the others are holes. */
function traceBorders(labels: Int32Array, label: number, width: number, box: { left: number; right: number; top: number; bottom: number }): Outline {
  const is = (x: number, y: number) => x >= box.left && x < box.right && y >= box.top && y < box.bottom && labels[y * width + x] === label
  // Directed edges between pixel corners, by their start; the piece lies to the right of each.
  const edges = new Map<string, [number, number][]>()
  const add = (x1: number, y1: number, x2: number, y2: number) => {
    const key = `${x1},${y1}`
    const list = edges.get(key)
    if (list) list.push([x2, y2])
    else edges.set(key, [[x2, y2]])
  }
  for (let y = box.top; y < box.bottom; y++) {
    for (let x = box.left; x < box.right; x++) {
      if (!is(x, y)) continue
      if (!is(x, y - 1)) add(x, y, x + 1, y)
      if (!is(x + 1, y)) add(x + 1, y, x + 1, y + 1)
      if (!is(x, y + 1)) add(x + 1, y + 1, x, y + 1)
      if (!is(x - 1, y)) add(x, y + 1, x, y)
    }
  }
  const rings: [number, number][][] = []
  while (edges.size > 0) {
    const first = edges.keys().next().value as string
    const [sx, sy] = first.split(',').map(Number) as [number, number]
    const ring: [number, number][] = []
    let x = sx
    let y = sy
    do {
      const key = `${x},${y}`
      const list = edges.get(key)!
      const [nx, ny] = list.pop()!
      if (list.length === 0) edges.delete(key)
      const last = ring.at(-1)
      const before = ring.at(-2)
      // Corners in a straight line are left out.
      if (last && before && (last[0] - before[0]) * (y - last[1]) === (last[1] - before[1]) * (x - last[0])) ring[ring.length - 1] = [x, y]
      else ring.push([x, y])
      x = nx
      y = ny
    } while (x !== sx || y !== sy)
    rings.push(ring)
  }
  rings.sort((a, b) => Math.abs(areaOf(b)) - Math.abs(areaOf(a)))
  const [points, ...holes] = rings
  return { type: 'outline', points: points!, ...(holes.length > 0 ? { holes } : {}) }
}

function areaOf(ring: readonly (readonly [number, number])[]): number {
  let sum = 0
  for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) sum += ring[j]![0] * ring[i]![1] - ring[i]![0] * ring[j]![1]
  return sum / 2
}
