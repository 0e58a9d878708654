import { findCandidates, makeOctaves } from '@fennip/core/find/discs/candidates.js'
import { GLANCE_MARGIN, LARGEST_RADIUS } from '@fennip/core/find/discs/search-discs.js'
import { searchTiles, tileSurroundings } from '@fennip/core/find/find.js'
import { firstLook } from '@fennip/core/find/discs/first-look.js'
import { FIRST_EFFORT, fitDisc } from '@fennip/core/find/discs/fit-disc.js'
import { ColourLook } from '@fennip/core/find/discs/colour.js'
import { judge, layered, leastScore, speckJudge } from '@fennip/core/find/judging/judge.js'
import { logLight } from '@fennip/core/raster/log-light.js'
import { crop } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { addSpecks, copyLight } from '@fennip/demo/damage.js'
import { expose } from '@fennip/demo/photograph.js'
import { fitLayered } from './fit-judge.js'
import { writeWeights } from './write-weights.js'
import { furtherPhotographs } from '../open-photographs.js'
import { demoScenes, FRAME, greyOf, sceneOf } from '../scenes.js'

/**
 * Fit the weights of core/find/first-look.ts: which candidates the full fit of a disc would accept, on the demo's scenes
 * and photographs with specks: `npx tsx bench/learn/calibrate-look.ts`. Writes weights and prints what the least score costs and
 * spares, to be written there by hand. Of weights for two judges those are kept that spare more fits at the same loss.
 */

/** What a search with an everyday control accepts. */
const LEAST = leastScore(speckJudge, 5 / 24)
/** Candidates whose quick fit lies so far below are not fitted in full. */
const HOPELESS = LEAST - GLANCE_MARGIN.speck
const PER_MEGAPIXEL = 30
const SEED = 31

const transfer = makeTransfer({ type: 'srgb' }, 8)
const scenes = Object.values(await demoScenes())
for (const { name, raster } of await furtherPhotographs()) scenes.push({ name, light: sceneOf(raster, transfer, Infinity), exposure: FRAME })
const rows: number[][] = []
const accepted: boolean[] = []
for (const [i, { name, light: coloured, exposure }] of scenes.entries()) {
  const light = i % 3 === 0 ? greyOf(coloured) : coloured
  const hurt = copyLight(light)
  addSpecks(hurt, { count: Math.round((PER_MEGAPIXEL * light.width * light.height) / 1e6), radius: [1.2, 7], seed: SEED })
  const { damaged } = expose(light, hurt, { ...exposure, seed: SEED })
  const curve = makeTransfer({ type: 'srgb' }, exposure.depth)
  for (const tile of searchTiles(damaged.width, damaged.height)) {
    const pixels = crop(damaged, tileSurroundings(tile, damaged.width, damaged.height))
    const octaves = makeOctaves(logLight(pixels, curve), LARGEST_RADIUS.speck)
    for (const candidate of findCandidates(octaves)) {
      const scoreOf = (fit: ReturnType<typeof fitDisc>) => (fit ? judge(speckJudge, speckJudge.features(candidate, fit, new ColourLook(pixels, curve))).score : -Infinity)
      rows.push([...firstLook(octaves, candidate)])
      accepted.push(scoreOf(fitDisc(octaves, candidate, FIRST_EFFORT)) >= HOPELESS && scoreOf(fitDisc(octaves, candidate)) >= LEAST)
    }
  }
  console.log(`${name}: ${rows.length} candidates so far, ${accepted.filter(Boolean).length} accepted`)
}
const layer = fitLayered(rows, accepted, { units: 6, rounds: 2000 })
writeWeights('first-look', 'calibrate-look', layer)
const score = layered(layer)
const scores = rows.map((row) => score(row))
const good = scores.filter((_score, i) => accepted[i]).sort((a, b) => a - b)
for (const share of [0.002, 0.005, 0.01, 0.02]) {
  const least = good[Math.floor(share * good.length)]!
  console.log(`least score ${least.toFixed(2)} loses ${share} of what would be accepted, ${scores.filter((value) => value >= least).length} of ${scores.length} pass`)
}
