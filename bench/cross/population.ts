import { readFileSync } from 'node:fs'
import type { ScoredDisc } from '@fennip/core/find/finds.js'
import { confidenceOf, dustJudge, leastScore, speckJudge } from '@fennip/core/find/judging/judge.js'
import { findsOfPopulation, LEAST_TELLING } from '@fennip/core/find/judging/population.js'
import { keptDiscs, type DiscScene } from './collect-discs.js'

/**
 * What it brings that a picture says of its own finds, on the evidence that bench/cross/collect-discs.ts keeps: a fixed score
 * against the population, by maker of damage, and on clean pictures: `npx tsx bench/cross/population.ts`.
 */

/** False finds a megapixel at a control of 3, of two kinds that are searched for. */
const RATE = 3 / 24 / 2
interface Claim { readonly confidence: number; readonly real: boolean }

/** Mean distance of confidence from the truth over five bins. */
function off(claims: readonly Claim[]): number {
  let sum = 0
  for (let bin = 0; bin < 5; bin++) {
    const here = claims.filter(({ confidence }) => Math.min(4, Math.floor(5 * confidence)) === bin)
    sum += Math.abs(here.reduce((all, { confidence, real }) => all + confidence - (real ? 1 : 0), 0))
  }
  return sum / Math.max(1, claims.length)
}

for (const look of ['dust', 'speck'] as const) {
  const judge = look === 'dust' ? dustJudge : speckJudge
  const least = leastScore(judge, RATE)
  const scenes = JSON.parse(readFileSync(keptDiscs(look), 'utf8')) as DiscScene[]
  for (const way of ['a fixed score', 'the population'] as const) {
    const claims: Claim[] = []
    const told: string[] = []
    for (const maker of ['own', 'optical', 'none'] as const) {
      let [flaws, finds, right, most] = [0, 0, 0, 0]
      for (const scene of scenes.filter((one) => one.maker === maker)) {
        // Of each place its number stands where its position would.
        const places = scene.samples.map(({ features }, i): ScoredDisc => {
          const score = judge.score(features)
          return { kind: look, by: look, score, accepted: score >= least, shape: { type: 'disc', x: i, y: 0, r: 1 }, contrast: 0, weight: 0, confidence: confidenceOf(judge, score), unrest: 1 }
        })
        const found = way === 'a fixed score' ? places.filter(({ accepted }) => accepted) : findsOfPopulation(places.filter(({ score }) => score >= LEAST_TELLING), scene.megapixels)
        const own = found.map(({ confidence, shape }): Claim => ({ confidence, real: scene.samples[(shape as { x: number }).x]!.real }))
        claims.push(...own)
        flaws += scene.flaws
        finds += own.length
        right += own.filter(({ real }) => real).length
        most = Math.max(most, own.length)
      }
      told.push(maker === 'none' ? `clean: ${finds} false, at most ${most} in one` : `${maker}: recall ${(right / flaws).toFixed(2)}, precision ${(right / Math.max(1, finds)).toFixed(2)}, F1 ${((2 * right) / (flaws + finds)).toFixed(2)}`)
    }
    console.log(`${look}, ${way}: ${told.join('; ')}; confidence off by ${off(claims).toFixed(3)}`)
  }
}
