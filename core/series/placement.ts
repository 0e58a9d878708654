import { PlaceIndex } from '../shape/place-index.js'

/** How the sensor of a chart lies in a frame. */
export interface Placement {
  /** Quarter turns clockwise from the chart to the frame. */
  readonly turn: number
  /** Size of the frame over that of the chart, times the radial scale of its lens. */
  readonly scale: number
}

export interface Size {
  readonly width: number
  readonly height: number
}

interface Spot {
  readonly x: number
  readonly y: number
  readonly r: number
  /** How strongly it is seen. */
  readonly weight: number
}

/**
 * The exit pupil of a lens moves shadows outward or inward by at most this share of their distance from the middle:
 * common practice; 1 % is 36 px in the corner of 24 megapixels.
 */
const MOST_SHIFT = 0.01
const SHIFT_STEP = 0.0005
/** How far a shadow may lie from where it is expected, in pixels and in radii. */
const SLACK_PX = 2.5
const SLACK_RADII = 0.5
/** One strong shadow is not to outvote many. */
const MOST_WEIGHT = 60

/** Where a place of the chart lies in a frame. */
export function placeIn(place: { readonly x: number; readonly y: number }, chart: Size, frame: Size, { turn, scale }: Placement): { x: number; y: number } {
  let dx = (place.x - chart.width / 2) * scale
  let dy = (place.y - chart.height / 2) * scale
  for (let k = 0; k < turn; k++) [dx, dy] = [-dy, dx]
  return { x: frame.width / 2 + dx, y: frame.height / 2 + dy }
}

/** Where a place of a frame lies on the chart. */
export function placeOnChart(place: { readonly x: number; readonly y: number }, chart: Size, frame: Size, { turn, scale }: Placement): { x: number; y: number } {
  let dx = place.x - frame.width / 2
  let dy = place.y - frame.height / 2
  for (let k = 0; k < turn; k++) [dx, dy] = [dy, -dx]
  return { x: chart.width / 2 + dx / scale, y: chart.height / 2 + dy / scale }
}

/**
 * Find how a frame lies on the chart: its turn and one radial scale, by what is seen in both.
 *
 * @param marks  Spots on the chart.
 * @param seen   Dark spots of the frame, true ones and others.
 * @returns The placement and how many spots it explains. With no spots in common the plain one is returned with 0.
 */
export function findPlacement(marks: readonly Spot[], chart: Size, seen: readonly Spot[], frame: Size): Placement & { matches: number } {
  const lying = (size: Size) => size.width >= size.height
  const turns = lying(chart) === lying(frame) ? [0, 2] : [1, 3]
  const size = Math.max(frame.width, frame.height) / Math.max(chart.width, chart.height)
  let best: Placement & { matches: number; votes: number } = { turn: turns[0]!, scale: size, matches: 0, votes: 0 }
  const spots = spotIndex(seen)
  for (const turn of turns) {
    for (let shift = -MOST_SHIFT; shift <= MOST_SHIFT + 1e-9; shift += SHIFT_STEP) {
      const placement = { turn, scale: size * (1 + shift) }
      const pairs = pairsOf(marks, chart, spots, frame, placement)
      // Of scales that explain the same, the least shift is the likeliest.
      const votes = pairs.reduce((sum, { mark, spot }) => sum + Math.min(MOST_WEIGHT, Math.min(mark.weight, spot.weight)), 0) * (1 - 2 * Math.abs(shift))
      if (votes > best.votes) best = { ...placement, matches: pairs.length, votes }
    }
  }
  if (best.matches < 2) return { turn: best.turn, scale: size, matches: best.matches }
  // The scale that the pairs agree on: least squares over their distances from the middle.
  let product = 0
  let squares = 0
  for (const { mark, spot } of pairsOf(marks, chart, spots, frame, best)) {
    const back = placeOnChart(spot, chart, frame, { turn: best.turn, scale: 1 })
    const [mx, my] = [mark.x - chart.width / 2, mark.y - chart.height / 2]
    product += mx * (back.x - chart.width / 2) + my * (back.y - chart.height / 2)
    squares += mx * mx + my * my
  }
  return { turn: best.turn, scale: squares > 0 ? product / squares : best.scale, matches: best.matches }
}

/** Marks with the spot that is seen where each is expected. */
export function pairsOf<M extends Spot, S extends Spot>(marks: readonly M[], chart: Size, seen: PlaceIndex<S>, frame: Size, placement: Placement): { mark: M; spot: S }[] {
  const taken = new Set<S>()
  const pairs: { mark: M; spot: S }[] = []
  for (const mark of marks) {
    const { x, y } = placeIn(mark, chart, frame, placement)
    const spot = seen.nearest(x, y, Math.min(FURTHEST_PX, SLACK_PX + SLACK_RADII * mark.r * placement.scale))
    if (!spot || taken.has(spot)) continue
    taken.add(spot)
    pairs.push({ mark, spot })
  }
  return pairs
}

/** A spot is looked for no further than so many pixels from where it is expected. */
const FURTHEST_PX = 128

/** Spots by place. */
export function spotIndex<S extends Spot>(spots: readonly S[]): PlaceIndex<S> {
  return new PlaceIndex(spots, ({ x, y }) => [{ x, y, width: 0, height: 0 }])
}
