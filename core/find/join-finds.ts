import { PlaceIndex, squareAround } from '../shape/place-index.js'
import { distanceAt, shapeBounds, type Disc, type Stroke } from '../shape/shape.js'
import { isStain } from './areas/stains.js'
import type { Find, ScoredDisc, TileFinds } from './finds.js'
import type { LineFind } from './line-judging/line-kinds.js'

/**
 * Put finds together that were made side by side, heaviest first.
 *
 * Two round finds are the same flaw when the centre of the lighter lies within the heavier; one on a line is part of it, and one
 * that fills a stain is the stain.
 */
export function joinFinds(tiles: readonly Pick<TileFinds, 'discs'>[], lines: readonly LineFind[], whole: readonly Find[]): (Find | ScoredDisc)[] {
  const discs = oncePerPlace(tiles.flatMap((tile) => tile.discs))
  const along = discIndex(lines.flatMap(({ shape }) => closely(shape).map(([x, y]): Disc => ({ type: 'disc', x, y, r: 0.5 * shape.width + 1 }))))
  const free = discs.filter(({ shape }) => !along.near(squareAround(shape.x, shape.y, 0)).some((other) => distanceOf(shape, other) < other.r))
  const losses = whole.filter(({ kind }) => kind === 'loss')
  const stains = whole.filter(({ kind }) => kind === 'stain')
  // What lies in a loss is a piece of it, and what fills a stain is the stain.
  const lone = free.filter(({ shape }) => !stains.some((stain) => isStain(shape, stain.shape)))
  const apart = [...lone, ...lines].filter(({ shape }) => !losses.some((loss) => distanceAt(loss.shape, ...middleOf(shape)) < 0))
  return [...apart, ...whole].sort((a, b) => b.weight - a.weight)
}

const middleOf = (shape: Disc | Stroke): [number, number] => (shape.type === 'disc' ? [shape.x, shape.y] : shape.points[shape.points.length >> 1]!)

function oncePerPlace(finds: readonly ScoredDisc[]): ScoredDisc[] {
  // What is only looked at to tell the population stands behind what is found.
  const sorted = [...finds].sort((a, b) => Number(b.accepted) - Number(a.accepted) || b.confidence * b.weight - a.confidence * a.weight || a.shape.y - b.shape.y || a.shape.x - b.shape.x)
  const byPlace = discIndex(sorted.map(({ shape }) => shape))
  const stays = new Uint8Array(sorted.length)
  return sorted.filter(({ shape }, index) => {
    const isAgain = byPlace.placesNear(shapeBounds(shape)).some((earlier) => stays[earlier] === 1 && distanceOf(shape, sorted[earlier]!.shape) < Math.max(sorted[earlier]!.shape.r, shape.r))
    stays[index] = isAgain ? 0 : 1
    return !isAgain
  })
}

const discIndex = (discs: readonly Disc[]) => new PlaceIndex(discs, (disc) => [shapeBounds(disc)])

const distanceOf = (a: { x: number; y: number }, b: { x: number; y: number }) => Math.sqrt((a.x - b.x) ** 2 + (a.y - b.y) ** 2)

/** Points of a stroke not further apart than it is wide. */
function closely({ points, width }: Stroke): (readonly [number, number])[] {
  return points.flatMap(([x, y], k) => {
    const [nx, ny] = points[k + 1] ?? [x, y]
    const steps = Math.max(1, Math.ceil(distanceOf({ x, y }, { x: nx, y: ny }) / Math.max(1, width)))
    return Array.from({ length: steps }, (_value, t) => [x + ((nx - x) * t) / steps, y + ((ny - y) * t) / steps] as const)
  })
}
