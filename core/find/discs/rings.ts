import { forgottenWithKernels } from '../../kernels/module.js'
import { RingLook } from '../../kernels/finding/rings.js'
import type { Plane } from '../../raster/raster.js'
import { LEAK } from '../judging/judge.js'
import FIRST_LOOK from '../weights/first-look.json' with { type: 'json' }

/** Unit vectors of the directions in which a disc is looked at from its middle, a sixteenth of a turn apart. */
const QUARTER = [[1, 0], [0.9238795325, 0.3826834324], [0.7071067812, 0.7071067812], [0.3826834324, 0.9238795325]] as const
const ALL = [...QUARTER, ...QUARTER.map(([x, y]) => [-y, x] as const), ...QUARTER.map(([x, y]) => [-x, -y] as const), ...QUARTER.map(([x, y]) => [y, -x] as const)]

/** How far out the rings lie, in radii of the disc and pixels more: two within, one on its edge, five around. */
const RINGS = [[0.35, 0], [0.75, 0], [1, 0.6], [1.25, 1.2], [1.6, 1.6], [2.1, 2], [2.8, 3], [3.8, 4]] as const
/** So many numbers are told of the rings of a disc. */
export const RING_FEATURES = 4 * RINGS.length + 2

/** So many numbers that are known of a disc otherwise come before these. */
const AHEAD = 4

let look: RingLook | undefined
forgottenWithKernels(() => (look = undefined))
/**
 * The look at rings that all in a thread share. The ground that a disc lies on is what the fifth and the sixth show; what
 * leads outward is looked for from its edge to there and on.
 */
export const ringLook = () => (look ??= new RingLook({ rings: RINGS, turns: ALL, ground: 4, spoke: [3, 6], ahead: AHEAD }, { ...FIRST_LOOK, leak: LEAK }))

/**
 * What lies on rings in and around a disc, in multiples of the disc's own difference from its ground: of each ring the
 * mean, the logarithm of the deviation, the least and the most; and of all directions the most that is left all the way
 * outward, and on average. A disc that lies on the picture is even, and nothing leads out of it or goes on around.
 *
 * @param plane      Log light.
 * @param x          Of its middle, in pixels of the plane; so are y and r.
 * @param amplitude  Of the disc, not 0.
 * @returns          `RING_FEATURES` numbers.
 */
export function ringsOfDisc(plane: Plane, x: number, y: number, r: number, amplitude: number): number[] {
  return [...ringLook().disc(plane, x, y, r, amplitude, NOTHING).subarray(AHEAD)]
}

const NOTHING = new Array<number>(AHEAD).fill(0)
