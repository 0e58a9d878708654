import { exp, ln, pow } from '../numbers/exact-math.js'

/** Megapixels of the picture that the control for false finds speaks of. */
export const REFERENCE_MEGAPIXELS = 24

/**
 * A small picture has more false finds for its size: it shows as many things as a large one, only denser. So they grow with this
 * power of the size: by sets of photographs without flaws it lies between .4 and .8.
 */
const GROWTH = 0.5
/** How alike pictures are: what looks like a flaw comes in crowds, and most pictures have none of it. The larger this is, the nearer to chance. */
const ALIKE = 0.5
/** Of so many pictures out of a hundred it is told how many they have at most. */
const SHARE = 0.95

/** What the control for false finds says of one picture. */
export interface FalseFinds {
  /** On average over pictures of its size. */
  readonly mean: number
  /** 95 of 100 such pictures have no more. */
  readonly most: number
}

/**
 * How many false finds a picture has by what one is willing to look at, and how many at most.
 *
 * A negative binomial over pictures: chance within a picture, and a rate that differs between them (Greenwood and Yule 1920,
 * from memory). Its two numbers are round ones that photographs without flaws bear out (bench/finding/false-finds.ts) at a control of 3; at
 * 60, those that nothing was learned from have a fifth to two thirds of what is told, at 1 up to twice as many.
 *
 * @param control  Mean number of false finds in a picture of 24 megapixels, above 0.
 * @param share    Of the picture that is searched, 0..1.
 */
export function expectedFalseFinds(control: number, { width, height }: { readonly width: number; readonly height: number }, share = 1): FalseFinds {
  const mean = share * control * pow((width * height) / 1e6 / REFERENCE_MEGAPIXELS, GROWTH)
  return { mean, most: mostOf(mean, ALIKE) }
}

/**
 * Least number that a negative binomial reaches in 95 of 100 cases.
 *
 * @param alike  Its other number, above 0: the variance is mean + mean^2 / alike.
 */
export function mostOf(mean: number, alike: number): number {
  const share = mean / (mean + alike)
  let chance = exp(alike * ln(1 - share))
  let sum = chance
  let most = 0
  while (sum < SHARE) {
    chance *= (share * (most + alike)) / (most + 1)
    sum += chance
    most++
  }
  return most
}
