import sharp from 'sharp'
import { expectedFalseFinds } from '@fennip/core/find/judging/false-finds.js'
import { findFlaws } from '@fennip/core/find/find.js'
import { rasterSource } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { expose } from '@fennip/demo/photograph.js'
import { animalAndBuildingPhotographs, furtherPhotographs, groundPhotographs, halvesOf, openPhotographs, sightPhotographs, unseenPhotographs, type Photograph } from '../open-photographs.js'
import { demoScenes, FRAME, sceneOf, type ExposedScene } from '../scenes.js'

/**
 * False finds of pictures without flaws by their size, against what core/find/judging/false-finds.ts tells the restorer: on photographs
 * that Fennip learned from what is no flaw, and on others (of lines it learned from all walls and grounds): `npx tsx bench/finding/false-finds.ts [seed]`, more than ten minutes.
 */

const SEED = Number(process.argv[2] ?? 1501)
const CONTROLS = [1, 3, 12, 60]
const LONGER_SIDES = [512, 800] as const

/** A photograph brought down in size; null where it is hardly larger. */
async function smaller({ name, raster }: Photograph, side: number): Promise<Photograph | null> {
  if (Math.max(raster.width, raster.height) < 1.2 * side) return null
  const { data, info } = await sharp(raster.data, { raw: { width: raster.width, height: raster.height, channels: 3 } }).resize({ width: side, height: side, fit: 'inside' }).raw().toBuffer({ resolveWithObject: true })
  return { name, raster: { width: info.width, height: info.height, channels: 3, data: new Uint8Array(data) } }
}
const allSmaller = async (photographs: readonly Photograph[], side: number) => (await Promise.all(photographs.map((photograph) => smaller(photograph, side)))).filter((photograph) => photograph !== null)
const taken = ({ name, raster }: Photograph): ExposedScene => ({ name, light: sceneOf(raster, makeTransfer({ type: 'srgb' }, 8), Infinity), exposure: FRAME })

const learnedFrom = await furtherPhotographs()
const unseen = [...(await openPhotographs()), ...(await unseenPhotographs())]
const animalsAndBuildings = halvesOf(await animalAndBuildingPhotographs())
const wallsAndGrounds = halvesOf(await groundPhotographs())
const sets: readonly (readonly [string, readonly Photograph[]])[] = [
  ...(await Promise.all(LONGER_SIDES.map(async (side) => [`learned from, ${side} px`, await allSmaller(learnedFrom, side)] as const))),
  ['learned from', learnedFrom],
  ['learned from, twice', await furtherPhotographs(2)],
  ...(await Promise.all(LONGER_SIDES.map(async (side) => [`unseen, ${side} px`, await allSmaller(unseen, side)] as const))),
  ['unseen', unseen],
  ['animals, learned from', animalsAndBuildings.learnedFrom],
  ['animals, unseen', animalsAndBuildings.unseen],
  ['sights', await sightPhotographs()],
  ['grounds, learned from', wallsAndGrounds.learnedFrom],
  ['grounds, unseen', wallsAndGrounds.unseen],
]
const scenes = [...sets.map(([name, photographs]) => [name, photographs.map(taken)] as const), ['scenes of the demo', Object.values(await demoScenes())] as const]

console.log('pictures                 megapixels  control  found on average  told on average  within what is told at most')
const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length
for (const [set, pictures] of scenes) {
  const exposed = pictures.map(({ light, exposure }) => ({ picture: expose(light, light, { ...exposure, seed: SEED }).clean, transfer: makeTransfer({ type: 'srgb' }, exposure.depth) }))
  for (const control of CONTROLS) {
    const found = exposed.map(({ picture, transfer }) => findFlaws(rasterSource(picture), transfer, { kinds: ['dust', 'speck', 'line'], falseFinds: control }).filter(({ kind }) => kind !== 'wire').length)
    const told = exposed.map(() => expectedFalseFinds(control))
    const within = found.filter((count, i) => count <= told[i]!.most).length
    console.log(`${`${set} (${pictures.length})`.padEnd(24)} ${mean(exposed.map(({ picture }) => (picture.width * picture.height) / 1e6)).toFixed(2).padStart(10)} ${String(control).padStart(8)} ${mean(found).toFixed(2).padStart(17)} ${mean(told.map((one) => one.mean)).toFixed(2).padStart(16)} ${(within / found.length).toFixed(3).padStart(12)}   ${[...found].sort((a, b) => b - a).slice(0, 12).join(' ')}`)
  }
}
