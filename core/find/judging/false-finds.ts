import { exp, ln, pow } from '../../numbers/exact-math.js'

/** Megapixels of a picture that has as many false finds as the judges' rates say. */
const REFERENCE_MEGAPIXELS = 24

/**
 * A small picture has more false finds for its size than the rates say: it shows as many things as a large one, only denser. So
 * they grow with this power of the size: by sets of photographs without flaws it lies between .4 and .8.
 */
const GROWTH = 0.5
/** How alike pictures are: what looks like a flaw comes in crowds, and most pictures have none of it. The larger this is, the nearer to chance. */
const ALIKE = 0.5
/** Of so many pictures out of a hundred it is told how many they have at most. */
const SHARE = 0.95

/** What the control for false finds says of a search. */
export interface FalseFinds {
  /** On average over pictures. */
  readonly mean: number
  /** 95 of 100 such pictures have no more. */
  readonly most: number
}

/**
 * False finds a megapixel, by the rates of the judges together, that leave so many in a picture of a size.
 *
 * @param control  Mean number of false finds in the whole picture, above 0.
 */
export function rateInPicture(control: number, { width, height }: { readonly width: number; readonly height: number }): number {
  return (control / REFERENCE_MEGAPIXELS) * pow(Math.max(1e-6, (width * height) / 1e6 / REFERENCE_MEGAPIXELS), -GROWTH)
}

/**
 * How many false finds a search has, and how many at most.
 *
 * A negative binomial over pictures: chance within a picture, and a rate that differs between them (Greenwood and Yule 1920,
 * from memory). Its two numbers are round ones that photographs without flaws bear out (bench/finding/false-finds.ts).
 *
 * @param control  Mean number of false finds in the whole picture, above 0.
 * @param share    Of the picture that is searched, 0..1.
 */
export function expectedFalseFinds(control: number, share = 1): FalseFinds {
  const mean = share * control
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
