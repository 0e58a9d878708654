import { readFileSync } from 'node:fs'
import { dustJudge, layered } from '@fennip/core/find/judging/judge.js'
import { fitLayered } from '../learn/fit-judge.js'
import { keptDiscs, type DiscScene, type Maker } from './collect-discs.js'

/**
 * What judges of dust that have seen one half of the collections, and one or both makers of damage, say of the other half:
 * `node --import tsx bench/cross/learned-apart.ts`, on the evidence that bench/cross/collect-discs.ts keeps. Each is held to one
 * false find in a clean picture; flaws without a candidate count as not found.
 */

const HALVES = [['further', 'grounds', 'renders'], ['animals', 'skimage A', 'sights']] as const
const MAKERS: readonly (readonly Maker[])[] = [['own'], ['optical'], ['own', 'optical']]
type Score = (features: readonly number[]) => number

const scenes = JSON.parse(readFileSync(keptDiscs('dust'), 'utf8')) as DiscScene[]
const among = (collections: readonly string[], makers: readonly Maker[]) => scenes.filter(({ collection, maker }) => collections.includes(collection) && makers.includes(maker))

function tell(name: string, collections: readonly string[], score: Score): void {
  const clean = among(collections, ['none'])
  const wrong = clean.flatMap(({ samples }) => samples.map(({ features }) => score(features))).sort((a, b) => b - a)
  const least = wrong[Math.min(wrong.length - 1, clean.length)]!
  const told = (['own', 'optical'] as const).map((maker) => {
    const damaged = among(collections, [maker])
    const flaws = damaged.reduce((sum, scene) => sum + scene.flaws, 0)
    const finds = damaged.flatMap(({ samples }) => samples).filter(({ features }) => score(features) > least)
    const right = finds.filter(({ real }) => real).length
    return `${maker}: recall ${(right / flaws).toFixed(2)}, precision ${(right / Math.max(1, finds.length)).toFixed(2)}, F1 ${((2 * right) / (flaws + finds.length)).toFixed(2)}`
  })
  console.log(`${name.padEnd(16)} ${collections.join(', ').padEnd(28)} ${told.join('; ')}`)
}

for (const [k, asked] of HALVES.entries()) {
  tell('the one that ships (learned from both halves)', asked, dustJudge.score)
  for (const makers of MAKERS) {
    const samples = among(HALVES[1 - k]!, ['none', ...makers]).flatMap((scene) => scene.samples)
    const judge = layered(fitLayered(samples.map(({ features }) => features), samples.map(({ real }) => real), { units: 5, starts: 2, batch: 2048, decay: 1e-3, jog: 0.1, rounds: 500 }))
    tell(makers.join(' and '), asked, judge)
  }
}
