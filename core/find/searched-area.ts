import { ProblemError } from '../problem.js'
import { areaCoverage } from '../shape/zone/area.js'
import type { Area, Treatment } from '../treatment/schema.js'

/** Where a search looks: only in an area, or everywhere but in it; by the areas' ids. */
export interface SearchedArea {
  readonly within?: string
  readonly without?: string
}

/**
 * Whether a place of a picture is searched.
 *
 * @throws {ProblemError} when an area is not in the treatment.
 */
export function searchedArea(treatment: Pick<Treatment, 'areas'>, { within, without }: SearchedArea): (x: number, y: number) => boolean {
  const areaOf = (id: string): Area => {
    const area = treatment.areas?.find((candidate) => candidate.id === id)
    if (!area) throw new ProblemError('area-unknown', { title: 'The zone is not there', detail: `No zone or guard ${id} is in the treatment any more. Choose another one and search again.`, status: 409 })
    return area
  }
  const covers = (area: Area, x: number, y: number) => (areaCoverage([area], { x: Math.floor(x), y: Math.floor(y), width: 1, height: 1 })?.data[0] ?? 0) >= 0.5
  const inside = within === undefined ? null : areaOf(within)
  const outside = without === undefined ? null : areaOf(without)
  return (x, y) => (!inside || covers(inside, x, y)) && (!outside || !covers(outside, x, y))
}

/** So many places along each side tell how much of a picture is searched. */
const PLACES = 40

/**
 * How much of a picture is searched, told by places spread over it.
 *
 * @returns A share, 0..1.
 * @throws {ProblemError} when an area is not in the treatment.
 */
export function shareSearched(treatment: Pick<Treatment, 'areas'>, where: SearchedArea, { width, height }: { readonly width: number; readonly height: number }): number {
  const isSearched = searchedArea(treatment, where)
  let searched = 0
  for (let row = 0; row < PLACES; row++) for (let column = 0; column < PLACES; column++) if (isSearched(((column + 0.5) * width) / PLACES, ((row + 0.5) * height) / PLACES)) searched++
  return searched / PLACES ** 2
}
