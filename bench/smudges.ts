import { findFlaws } from '@fennip/core/find/find.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { distanceAt } from '@fennip/core/shape/shape.js'
import { wipeOut, type Wiped } from '@fennip/demo/damage.js'
import { expose } from '@fennip/demo/photograph.js'
import { furtherPhotographs, openPhotographs } from './open-photographs.js'
import { demoScenes, FRAME, sceneOf, type ExposedScene } from './scenes.js'

/**
 * How well smudges are found: discs of 8 to 18 px radius in which every pixel is the mean of 7 x 7, as an earlier tool
 * leaves them, in three renders and seven open photographs with fresh noise; and false ones in the same pictures whole
 * and in photographs with their own noise and compression: `npx tsx bench/smudges.ts [seed]`. What a place held of texture is
 * still rougher than noise when it was smoothed so, and cannot be told this way.
 */

const SEED = Number(process.argv[2] ?? 91)
function look(raster: IntegerRaster, depth: 8 | 16, places: readonly Wiped[]): { found: number; wrong: number } {
  const finds = findFlaws(rasterSource(raster), makeTransfer({ type: 'srgb' }, depth), { kinds: ['flat'], falseFinds: 3 }).filter(({ kind }) => kind === 'smudge')
  const hits = (place: Wiped) => finds.some(({ shape }) => distanceAt(shape, place.x, place.y) < 0)
  const wrong = finds.filter(({ shape }) => !places.some(({ x, y, r }) => distanceAt(shape, x, y) < r))
  return { found: places.filter(hits).length, wrong: wrong.length }
}

const photographs = await openPhotographs()
const scenes = [...Object.values(await demoScenes()), ...photographs.map(({ name, raster }): ExposedScene => ({ name, light: sceneOf(raster, makeTransfer({ type: 'srgb' }, 8)), exposure: FRAME }))]
const all = { places: 0, found: 0, wrong: 0, whole: 0, own: 0, megapixels: 0, ownMegapixels: 0 }
for (const { name, light, exposure } of scenes) {
  const { clean } = expose(light, light, { ...exposure, seed: SEED })
  const whole = look(clean, exposure.depth, []).wrong
  const places = wipeOut(clean, { count: Math.max(6, Math.round((clean.width * clean.height) / 1e5)), radius: [8, 18], seed: SEED })
  const { found, wrong } = look(clean, exposure.depth, places)
  console.log(`${name.padEnd(20)} ${found} of ${places.length} found, ${wrong} false; ${whole} false in the whole picture`)
  all.places += places.length
  all.found += found
  all.wrong += wrong
  all.whole += whole
  all.megapixels += (light.width * light.height) / 1e6
}
for (const { raster } of [...photographs, ...(await furtherPhotographs())]) {
  all.own += look(raster, 8, []).wrong
  all.ownMegapixels += (raster.width * raster.height) / 1e6
}
console.log(`together: ${all.found} of ${all.places} found, ${all.wrong} false; ${all.whole} false in ${all.megapixels.toFixed(1)} megapixels whole, ${all.own} in ${all.ownMegapixels.toFixed(1)} megapixels of photographs as they are`)
