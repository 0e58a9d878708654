import { logLight } from '../raster/log-light.js'
import { gaussianBlur } from '../raster/blur.js'
import { clipRegion, growRegion, type PixelSource } from '../raster/raster.js'
import { solveCholesky } from '../numbers/solve.js'
import type { Transfer } from '../raster/transfer.js'
import { distanceAt, shapeBounds, type Disc, type Shape } from '../shape/shape.js'

/** What is finer than so many pixels is grain, which nobody takes for a shape. */
const SMOOTHED = 3
/** The surroundings that are asked, in radii: what lies nearer may be the edge of the flaw. */
const RING = { from: 1.15, to: 2 } as const
/** Beside other open flaws their soft edges are left out: a found flaw is measured at half its depth. */
const EDGE = { times: 0.6, pixels: 2 } as const
const TERMS = 6

/**
 * How far a mended disc is from the slope and curve that its surroundings go on with, as a share of the light, grain left out:
 * the root of the mean square inside, of what a quadratic through the ring around does not explain.
 *
 * On plain ground that is what is left of a shadow, whatever form it has: rings and edges have no mean of their own.
 *
 * @param picture     With the mend in it.
 * @param disc        That was mended, in pixels of the picture.
 * @param openFlaws   Left out of the ring.
 * @returns 0 where the surroundings are too few to say.
 */
export function unevenness(picture: PixelSource, transfer: Transfer, disc: Disc, openFlaws: readonly Shape[]): number {
  const region = clipRegion(growRegion(shapeBounds(disc), Math.ceil((RING.to - 1) * disc.r + 2 * SMOOTHED)), picture.width, picture.height)
  const smooth = gaussianBlur(logLight(picture.read(region), transfer), SMOOTHED).data
  const reach = RING.to * disc.r
  const near = openFlaws.filter((flaw) => distanceAt(flaw, disc.x, disc.y) < reach + edgeOf(flaw))
  const inside: number[] = []
  const matrix = new Float64Array(TERMS * TERMS)
  const course = new Float64Array(TERMS)
  const terms = new Float64Array(TERMS)
  const placeOf = (i: number) => [region.x + (i % region.width) + 0.5, region.y + Math.floor(i / region.width) + 0.5] as const
  const setTerms = (x: number, y: number) => {
    const [u, v] = [(x - disc.x) / disc.r, (y - disc.y) / disc.r]
    terms.set([1, u, v, u * u, u * v, v * v])
  }
  for (let i = 0; i < smooth.length; i++) {
    const [x, y] = placeOf(i)
    const distance = Math.sqrt((x - disc.x) ** 2 + (y - disc.y) ** 2)
    if (distance < disc.r) inside.push(i)
    else if (distance > RING.from * disc.r && distance < reach && !near.some((flaw) => distanceAt(flaw, x, y) < edgeOf(flaw))) {
      setTerms(x, y)
      for (let a = 0; a < TERMS; a++) {
        course[a]! += terms[a]! * smooth[i]!
        for (let b = 0; b <= a; b++) matrix[a * TERMS + b]! += terms[a]! * terms[b]!
      }
    }
  }
  if (inside.length === 0 || !solveCholesky(matrix, course, TERMS)) return 0
  let sum = 0
  for (const i of inside) {
    setTerms(...placeOf(i))
    let off = smooth[i]!
    for (let a = 0; a < TERMS; a++) off -= terms[a]! * course[a]!
    sum += off * off
  }
  return Math.sqrt(sum / inside.length)
}

function edgeOf(flaw: Shape): number {
  return flaw.type === 'disc' ? EDGE.times * flaw.r + EDGE.pixels : EDGE.pixels
}
