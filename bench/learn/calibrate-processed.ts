import { fitLogistic } from './fit-judge.js'
import { candidatesOf, halvesOfAll, PROCESSED_KINDS, processedScene, takenScenes, truthOf } from '../finding/processed-scenes.js'

/**
 * Fit what smudges, flat patches and moire are judged by on photographs, as prints every third, with places that were processed
 * and whole: `npx tsx bench/learn/calibrate-processed.ts [flat|smudge|moire]`, about ten minutes a kind. Prints the weights, to be
 * written by hand in core/find/judging/judge.ts, and by tenths of what they say what is real.
 */

const SEEDS = [300, 405, 512, 617]
/**
 * How often what is found in a whole picture counts, since most pictures are whole: with patches and moire, of which there are one
 * or two in a picture, confidence would hold only where every other is not. And how strongly weights are drawn to 0: of false
 * patches there are a handful.
 */
const FITS = { flat: { whole: 2, ridge: 2 }, smudge: { whole: 1, ridge: 0 }, moire: { whole: 2, ridge: 0 } } as const
/** @property times  How often it counts. */
interface Sample { readonly features: readonly number[]; readonly real: boolean; readonly times: number }
const wanted = PROCESSED_KINDS.filter((kind) => (process.argv[2] ?? kind) === kind)
const scenes = takenScenes((await halvesOfAll()).fittedOn)
for (const kind of wanted) {
  const samples: Sample[] = []
  for (const seed of SEEDS) {
    for (const [i, scene] of scenes.entries()) {
      const processed = await processedScene(kind, scene, seed + i)
      for (const [raster, places, times] of [[processed.damaged, processed.places, 1], [processed.clean, [], FITS[kind].whole]] as const) {
        const searched = { kind, raster, depth: scene.exposure.depth }
        const isReal = truthOf(searched, { places, grainy: processed.grainy })
        for (const { shape, features } of candidatesOf(searched)) samples.push({ features, real: isReal(shape), times })
      }
    }
  }
  const counted = samples.flatMap((sample) => Array.from({ length: sample.times }, () => sample))
  const weights = fitLogistic(counted.map(({ features }) => features), counted.map(({ real }) => real), FITS[kind].ridge)
  console.log(`${kind}: ${samples.length} finds, ${samples.filter(({ real }) => real).length} real; weights: ${weights.map((weight) => weight.toFixed(3)).join(', ')}`)
  const said = samples.map(({ features, real }) => ({ score: features.reduce((sum, value, k) => sum + value * weights[k]!, 0), real })).sort((a, b) => a.score - b.score)
  for (let tenth = 0; tenth < 10; tenth++) {
    const part = said.slice(Math.floor((tenth * said.length) / 10), Math.floor(((tenth + 1) * said.length) / 10))
    console.log(`  score ${part[0]?.score.toFixed(1)} to ${part.at(-1)?.score.toFixed(1)}: ${part.filter(({ real }) => real).length} of ${part.length} real`)
  }
}
