import { distanceAt } from '@fennip/core/shape/shape.js'
import { findsOf, halvesOfAll, PROCESSED_KINDS, processedScene, takenScenes, truthOf, type ProcessedScene } from './processed-scenes.js'
import { demoScenes } from '../scenes.js'
import { calibrationError, type Claim } from '../truth.js'

/**
 * How well smudges, flat patches and moire are found in three renders and in photographs that nothing of them was fitted on, as
 * frames and as prints with fresh noise; how many false ones in the same pictures whole; how far confidence is from the truth at
 * two rates of them; and what is taken for one in photographs with their own noise and compression, in which a flat patch may be
 * one: `npx tsx bench/finding/processed.ts [flat|smudge|moire] [seeds]`, about five minutes.
 * What a place held of texture is still rougher than noise when it was smoothed over, and cannot be told this way.
 */

const KIND = PROCESSED_KINDS.find((kind) => kind === process.argv[2]) ?? 'smudge'
const SEEDS = process.argv.length > 3 ? process.argv.slice(3).map(Number) : [91, 92, 1191, 1192]

function claimsOf(finds: ReturnType<typeof findsOf>, raster: ProcessedScene['clean'], scene: ProcessedScene): Claim[] {
  const isReal = truthOf({ kind: KIND, raster }, scene)
  return finds.map(({ shape, confidence }) => ({ confidence, real: isReal(shape) }))
}

const photographs = (await halvesOfAll()).others
const scenes = [...Object.values(await demoScenes()), ...takenScenes(photographs)]
const claims: { many: Claim[]; few: Claim[] } = { many: [], few: [] }
const all = { places: 0, found: 0, wrong: 0, whole: 0, megapixels: 0 }
for (const seed of SEEDS) {
  for (const [i, scene] of scenes.entries()) {
    const processed = await processedScene(KIND, scene, seed + i)
    const { places, clean, damaged } = processed
    const onDamaged = findsOf({ kind: KIND, raster: damaged, depth: scene.exposure.depth })
    const claimed = claimsOf(onDamaged, damaged, processed)
    const onWhole = claimsOf(findsOf({ kind: KIND, raster: clean, depth: scene.exposure.depth }), clean, { ...processed, places: [] })
    const found = places.filter(({ x, y }) => onDamaged.some(({ shape }) => distanceAt(shape, x, y) < 0)).length
    const [wrong, wrongInWhole] = [claimed, onWhole].map((list) => list.filter(({ real }) => !real).length) as [number, number]
    if (found < places.length || wrong + wrongInWhole > 0) console.log(`${scene.name.padEnd(20)} ${found} of ${places.length} found, ${wrong} false; ${wrongInWhole} false in the whole picture`)
    claims.many.push(...claimed)
    claims.few.push(...(i % 4 === 0 ? claimed : []), ...onWhole)
    all.places += places.length
    all.found += found
    all.wrong += wrong
    all.whole += wrongInWhole
    all.megapixels += (clean.width * clean.height) / 1e6
  }
}
console.log(`together: ${all.found} of ${all.places} found, ${all.wrong} false; ${all.whole} false in ${all.megapixels.toFixed(1)} megapixels whole`)
for (const [rate, list] of Object.entries(claims)) console.log(`${rate} flaws: ${list.length} finds, expected calibration error ${calibrationError(list).toFixed(3)}`)

let [own, ownMegapixels] = [0, 0]
for (const { raster } of photographs) {
  own += findsOf({ kind: KIND, raster, depth: 8 }).length
  ownMegapixels += (raster.width * raster.height) / 1e6
}
console.log(`${own} in ${ownMegapixels.toFixed(1)} megapixels of photographs as they are`)
