import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { ColourLook } from '@fennip/core/find/discs/colour.js'
import { evidenceInTile, type Evidence } from '@fennip/core/find/discs/search-discs.js'
import { searchTiles, tileSurroundings } from '@fennip/core/find/find.js'
import { dustJudge, speckJudge } from '@fennip/core/find/judging/judge.js'
import { logLight } from '@fennip/core/raster/log-light.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { addBackscatter, addDust, addSpecks, copyLight } from '@fennip/demo/damage.js'
import { lightOfRender, type Light } from '@fennip/demo/photograph.js'
import { homeFolder } from '../../server/settings.js'
import { COLLECTIONS } from './collections.js'
import { develop, drawDevelopment } from './develop.js'
import { Dice, harm } from './optical-damage.js'
import { animalAndBuildingPhotographs, furtherPhotographs, groundPhotographs, halvesOf, type Photograph } from '../open-photographs.js'
import { renderOf, sceneOf } from '../scenes.js'

/**
 * Evidence of round flaws, real and not, as the judges of dust and of specks see it:
 *
 *   npx tsx bench/cross/collect-discs.ts dust|speck
 *
 * Both makers of damage, photographs in whole collections, developed in many ways; a third of the pictures are clean. What is
 * collected is kept in the home folder for bench/cross/population.ts.
 */

export type Maker = 'own' | 'optical' | 'none'
/** One place that may be a flaw. */
export interface DiscSample { readonly real: boolean; readonly features: readonly number[] }
/** What was collected of one picture. */
export interface DiscScene {
  readonly collection: string
  readonly maker: Maker
  readonly medium: 'frame' | 'scan'
  readonly megapixels: number
  /** Flaws that can be seen, and how many of them no candidate lies on. */
  readonly flaws: number
  readonly missed: number
  readonly samples: readonly DiscSample[]
}

export const keptDiscs = (look: string) => join(homeFolder, 'evidence', `discs-${look}.json`)

interface Spot { readonly x: number; readonly y: number; readonly r: number }
/** A flaw whose pixels change by less than so many deviations of the noise cannot be seen. */
const LEAST_CONTRAST = 2
const transfer = makeTransfer({ type: 'srgb' }, 8)

async function photographs(): Promise<Map<string, readonly Photograph[]>> {
  return new Map([
    ['further', await furtherPhotographs()],
    ['grounds', halvesOf(await groundPhotographs()).learnedFrom.slice(0, 24)],
    ['animals', halvesOf(await animalAndBuildingPhotographs()).learnedFrom],
    ['skimage A', await COLLECTIONS['skimage A']!()],
    ['sights', (await COLLECTIONS.sights!()).slice(0, 16)],
  ])
}

function makeFlaws(light: Light, maker: Maker, look: 'dust' | 'speck', seed: number): Spot[] {
  const dice = new Dice(seed)
  const extent = (light.width * light.height) / 1e6
  const count = Math.max(4, Math.round(extent * dice.size(6, 60)))
  if (maker === 'none') return []
  if (maker === 'optical') return harm(light, look === 'dust' ? 'dust' : dice.next() < 0.35 ? 'dust' : dice.next() < 0.5 ? 'specks' : 'specks with halo', count, seed, dice.size(0.6, 1.6)).map(({ pixels }) => spotOf(pixels, light.width))
  const small: readonly [number, number] = [1.2, 7]
  if (look === 'dust') return addDust(light, { count, radius: [dice.between(2, 5), dice.between(8, 26)], depth: [0.03, 0.6], seed })
  const which = dice.next()
  return which < 0.3 ? addDust(light, { count, radius: [1.5, 7], depth: [0.06, 0.7], seed }) : which < 0.5 ? addBackscatter(light, { count, radius: [2, 12], seed }) : addSpecks(light, { count, radius: small, seed })
}

function spotOf(pixels: Int32Array, width: number): Spot {
  let [x, y] = [0, 0]
  for (const i of pixels) {
    x += (i % width) + 0.5
    y += Math.floor(i / width) + 0.5
  }
  return { x: x / pixels.length, y: y / pixels.length, r: Math.sqrt(pixels.length / Math.PI) }
}

/** Mean change within a spot over the noise of a pixel there. */
function contrastOf({ x, y, r }: Spot, clean: IntegerRaster, damaged: IntegerRaster): number {
  let [change, count, noise, pairs] = [0, 0, 0, 0]
  for (let py = Math.max(0, Math.floor(y - r)); py <= Math.min(clean.height - 1, y + r); py++) {
    for (let px = Math.max(0, Math.floor(x - r)); px < Math.min(clean.width - 1, x + r); px++) {
      const at = 3 * (py * clean.width + px) + 1
      if (Math.hypot(px + 0.5 - x, py + 0.5 - y) <= Math.max(0.8, 0.8 * r)) {
        change += damaged.data[at]! - clean.data[at]!
        count++
      }
      noise += Math.abs(clean.data[at + 3]! - clean.data[at]!)
      pairs++
    }
  }
  return Math.abs(change) / Math.max(1, count) / Math.max(0.8, noise / Math.max(1, pairs) / 1.128)
}

function collect(look: 'dust' | 'speck', clean: IntegerRaster, damaged: IntegerRaster, spots: readonly Spot[]): Pick<DiscScene, 'flaws' | 'missed' | 'samples'> {
  const judge = look === 'dust' ? dustJudge : speckJudge
  const source = rasterSource(damaged)
  const seen = spots.filter((spot) => contrastOf(spot, clean, damaged) >= LEAST_CONTRAST)
  const hit = new Set<Spot>()
  const samples: DiscSample[] = []
  for (const tile of searchTiles(source.width, source.height)) {
    const around = tileSurroundings(tile, source.width, source.height)
    const pixels = source.read(around)
    const colour = new ColourLook(pixels, transfer)
    const evidence = evidenceInTile(logLight(pixels, transfer), colour, around, tile, look, [{ kind: look, least: -20 }])
    const score = ({ candidate, fit }: Evidence) => judge.score(judge.features(candidate, fit, colour))
    const kept: Evidence[] = []
    for (const one of [...evidence].sort((a, b) => score(b) - score(a))) {
      const [x, y] = [one.fit.x + around.x, one.fit.y + around.y]
      if (kept.some(({ fit }) => Math.hypot(fit.x - one.fit.x, fit.y - one.fit.y) < Math.max(fit.radius, one.fit.radius))) continue
      kept.push(one)
      const near = spots.find((spot) => Math.hypot(spot.x - x, spot.y - y) < Math.max(1.5, 0.7 * Math.max(spot.r, 0.6 * one.fit.radius)))
      if (near) hit.add(near)
      // A flaw that nobody can see is neither.
      if (near && !seen.includes(near)) continue
      samples.push({ real: near !== undefined, features: judge.features(one.candidate, one.fit, colour).map((value) => Number(value.toFixed(4))) })
    }
  }
  return { flaws: seen.length, missed: seen.filter((spot) => !hit.has(spot)).length, samples }
}

const look = process.argv[2] === 'speck' ? 'speck' : 'dust'
if (process.argv[1]?.endsWith('collect-discs.ts')) {
  const scenes: DiscScene[] = []
  const renders = await Promise.all(['shaft', 'station', 'pylon'].map(async (name) => lightOfRender(renderOf(name), { width: 1800, height: 1200, channels: 3, softness: 1.1, detail: 0.12, seed: 12 })))
  const all = new Map([...[...(await photographs())].map(([name, list]): [string, Light[]] => [name, list.map(({ raster }) => sceneOf(raster, transfer, Infinity))]), ['renders', renders] as [string, Light[]]])
  const begun = performance.now()
  for (const [collection, lights] of all) {
    for (const [n, light] of lights.entries()) {
      for (const [v, maker] of (['own', 'optical', 'none'] as const).entries()) {
        const seed = 9001 + 97 * n + 13 * v + collection.length
        const medium = look === 'speck' && (n + v) % 2 === 1 ? 'scan' : 'frame'
        const how = drawDevelopment(seed, medium === 'scan')
        const hurt = copyLight(light)
        const made = makeFlaws(hurt, maker, look, seed)
        const [clean, damaged] = [await develop(light, how, seed), await develop(hurt, how, seed)]
        const scale = clean.width / light.width
        const told = collect(look, clean, damaged, made.map(({ x, y, r }) => ({ x: x * scale, y: y * scale, r: r * scale })))
        scenes.push({ collection, maker, medium, megapixels: (clean.width * clean.height) / 1e6, ...told })
      }
    }
    const own = scenes.filter((scene) => scene.collection === collection)
    console.log(`${collection}: ${own.length} pictures, ${own.reduce((sum, { megapixels }) => sum + megapixels, 0).toFixed(0)} megapixels, ${own.reduce((sum, { samples }) => sum + samples.length, 0)} places, ${own.reduce((sum, { flaws }) => sum + flaws, 0)} flaws of which ${own.reduce((sum, { missed }) => sum + missed, 0)} have none; ${((performance.now() - begun) / 1000).toFixed(0)} s`)
  }
  mkdirSync(join(homeFolder, 'evidence'), { recursive: true })
  writeFileSync(keptDiscs(look), JSON.stringify(scenes))
}
