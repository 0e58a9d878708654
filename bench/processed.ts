import { distanceAt } from '@fennip/core/shape/shape.js'
import { claimsOf, halvesOfAll, PROCESSED_KINDS, processedScene, takenScenes, type ProcessedClaim } from './processed-scenes.js'
import { demoScenes } from './scenes.js'
import { calibrationError } from './truth.js'

/**
 * How well smudges, flat patches and moire are found in three renders and in photographs that nothing of them was fitted on, as
 * frames and as prints with fresh noise, false ones in the same pictures whole, how far confidence is from the truth at two rates of them; and what is taken
 * for one in photographs with their own noise and compression, in which a flat patch may be one:
 * `npx tsx bench/processed.ts [flat|smudge|moire] [seed]`.
 * What a place held of texture is still rougher than noise when it was smoothed over, and cannot be told this way.
 */

const KIND = PROCESSED_KINDS.find((kind) => kind === process.argv[2]) ?? 'smudge'
const SEED = Number(process.argv[3] ?? 91)

const photographs = (await halvesOfAll()).others
const scenes = [...Object.values(await demoScenes()), ...takenScenes(photographs)]
const claims: { many: ProcessedClaim[]; few: ProcessedClaim[] } = { many: [], few: [] }
const all = { places: 0, found: 0, wrong: 0, whole: 0, megapixels: 0 }
for (const [i, scene] of scenes.entries()) {
  const { clean, damaged, places } = await processedScene(KIND, scene, SEED + i)
  const onDamaged = claimsOf(KIND, damaged, scene.exposure.depth, places)
  const onWhole = claimsOf(KIND, clean, scene.exposure.depth, [])
  const found = places.filter(({ x, y }) => onDamaged.some(({ shape }) => distanceAt(shape, x, y) < 0)).length
  const wrong = onDamaged.filter(({ real }) => !real).length
  if (found < places.length || wrong + onWhole.length > 0) console.log(`${scene.name.padEnd(20)} ${found} of ${places.length} found, ${wrong} false; ${onWhole.length} false in the whole picture`)
  claims.many.push(...onDamaged)
  claims.few.push(...(i % 4 === 0 ? onDamaged : []), ...onWhole)
  all.places += places.length
  all.found += found
  all.wrong += wrong
  all.whole += onWhole.length
  all.megapixels += (clean.width * clean.height) / 1e6
}
console.log(`together: ${all.found} of ${all.places} found, ${all.wrong} false; ${all.whole} false in ${all.megapixels.toFixed(1)} megapixels whole`)
for (const [rate, list] of Object.entries(claims)) console.log(`${rate} flaws: ${list.length} finds, expected calibration error ${calibrationError(list).toFixed(3)}`)

let [own, ownMegapixels] = [0, 0]
for (const { raster } of photographs) {
  own += claimsOf(KIND, raster, 8, []).length
  ownMegapixels += (raster.width * raster.height) / 1e6
}
console.log(`${own} in ${ownMegapixels.toFixed(1)} megapixels of photographs as they are`)
