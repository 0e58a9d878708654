import { fitLogistic } from './fit-judge.js'
import { claimsOf, halvesOfAll, PROCESSED_KINDS, processedScene, takenScenes } from './processed-scenes.js'

/**
 * Fit the two numbers of the confidence of smudges, flat patches and moire on photographs, as prints every third, with places that
 * were processed and whole: `npx tsx bench/calibrate-processed.ts [flat|smudge|moire]`, about ten minutes. Prints them, to be written by hand where
 * each kind is found, and by tenths what of them is real.
 */

const SEEDS = [300, 405]
const wanted = PROCESSED_KINDS.filter((kind) => (process.argv[2] ?? kind) === kind)
const scenes = takenScenes((await halvesOfAll()).fittedOn)
for (const kind of wanted) {
  const claims = []
  for (const seed of SEEDS) {
    for (const [i, scene] of scenes.entries()) {
      const { clean, damaged, places } = await processedScene(kind, scene, seed + i)
      claims.push(...claimsOf(kind, damaged, scene.exposure.depth, places), ...claimsOf(kind, clean, scene.exposure.depth, []))
    }
  }
  const real = claims.map((claim) => claim.real)
  const [constant, slope] = fitLogistic(claims.map(({ weight }) => [1, weight]), real, 0) as [number, number]
  console.log(`${kind}: ${claims.length} finds, ${real.filter(Boolean).length} real; even: ${(-constant / slope).toFixed(2)}, slope: ${slope.toFixed(3)}`)
  const sorted = [...claims].sort((a, b) => a.weight - b.weight)
  for (let tenth = 0; tenth < 10; tenth++) {
    const part = sorted.slice(Math.floor((tenth * sorted.length) / 10), Math.floor(((tenth + 1) * sorted.length) / 10))
    console.log(`  weight ${part[0]?.weight.toFixed(1)} to ${part.at(-1)?.weight.toFixed(1)}: ${part.filter((claim) => claim.real).length} of ${part.length} real`)
  }
}
