import { openPhotographs, sightPhotographs, unseenPhotographs, type Photograph } from '../open-photographs.js'

/**
 * Collections that neither the finder nor the choice of mends has learned from, kept apart whole: what is tuned while
 * looking at one of them is measured on the others.
 */
export const COLLECTIONS: Readonly<Record<string, () => Promise<Photograph[]>>> = {
  /** Debian's python3-skimage, the seven that the project has always been checked on. */
  'skimage A': openPhotographs,
  /** The others of the same package, and of python3-sklearn. */
  'skimage B': unseenPhotographs,
  /** Sights by day and by night, of gcompris-qt-data. */
  sights: sightPhotographs,
}
