import { readFileSync } from 'node:fs'
import { ColourLook } from '@fennip/core/find/discs/colour.js'
import { SampleTable } from '@fennip/core/kernels/samples/samples.js'
import { evidenceInTile, type Evidence } from '@fennip/core/find/discs/search-discs.js'
import { searchTiles, tileSurroundings } from '@fennip/core/find/find.js'
import type { DiscKind } from '@fennip/core/find/finds.js'
import { dustJudge, hairJudge, layered, lineAlone, lossJudge, mouldJudge, scratchJudge, speckJudge, stainJudge, type Belief } from '@fennip/core/find/judging/judge.js'
import { logLight } from '@fennip/core/raster/log-light.js'
import { lossCandidates } from '@fennip/core/find/areas/losses.js'
import { stainCandidates } from '@fennip/core/find/areas/stains.js'
import { cellsOfTile } from '@fennip/core/find/areas/cells.js'
import { insideOutline, shapeBounds } from '@fennip/core/shape/shape.js'
import { clipRegion, rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import type { TrueFlaw } from '@fennip/demo/damage.js'
import { addDust, addSpecks, copyLight } from '@fennip/demo/damage.js'
import { addMould } from '@fennip/demo/print-damage.js'
import { expose, lightOfRender, printOf, type Light } from '@fennip/demo/photograph.js'
import { dustyPylon, pylonLight, shaftValve, stationPrint } from '@fennip/demo/pictures.js'
import { evidenceOf, keptEvidence, samplesAlone, type SceneEvidence } from './line-evidence.js'
import { LinePlaces, linesOf } from './line-places.js'
import { lineScenes, seenOtherwise } from './line-truth.js'
import { fitLayered, fitLogistic, type LayerFit } from './fit-judge.js'
import { writeWeights } from './write-weights.js'
import { keptDiscs, type DiscScene } from '../cross/collect-discs.js'
import { animalAndBuildingPhotographs, furtherPhotographs, groundPhotographs, halvesOf } from '../open-photographs.js'
import { changedAt, demoScenes, FRAME, greyOf, paleOf, PAPERS, PRINT, renderOf, sceneOf, stainedPrint, stones, throughJpeg, TONINGS, tornPrint, type TornScan } from '../scenes.js'

/**
 * Fit the weights of core/find/judging/judge.ts on made-up pictures with known damage: `npx tsx bench/learn/calibrate.ts dust|speck|mould|line-alone|scratch|hair|loss|stain`;
 * of scratches and hairs on what bench/learn/line-evidence.ts keeps, of dust also on what bench/cross/collect-discs.ts does.
 * Writes weights into core/find/weights, and prints the two numbers of the confidence and the two
 * of the control for false finds, to be written there by hand. The seeds are not those of bench/mending/acceptance.ts.
 */

const wanted = process.argv[2] ?? 'dust'
const kind: DiscKind = wanted === 'speck' || wanted === 'mould' ? wanted : 'dust'
const by = { dust: dustJudge, speck: speckJudge, mould: mouldJudge }[kind]

/** Seeds whose lines are learned from: with twelve of them, twice as many are found that are none. */
const LINE_SEEDS = [41, 42, 43, 44, 45, 46, 51, 52, 53, 54, 55, 56, 61, 62, 63, 64, 65, 71, 72, 73, 74, 75]
/** What is known of a line by its company is easily learned by heart: jogged, it is not. */
const COMPANY: LayerFit = { units: 32, rounds: 8000, batch: 1024, starts: 4, decay: 2e-5, jog: 0.3 }
/** Layers of the judges: of specks one start of 24 units has a third more false finds than four on photographs not learned from. */
const LAYERS: Record<string, LayerFit> = {
  dust: { units: 16, rounds: 3000, batch: 2048, starts: 3, decay: 3e-4, jog: 0.05 },
  speck: { units: 24, rounds: 5000, batch: 2048, starts: 4 },
  mould: { units: 24, rounds: 5000, batch: 2048, starts: 4 },
  'line-alone': { units: 10 },
  scratch: COMPANY,
  hair: COMPANY,
  loss: { units: 12, rounds: 4000, batch: 2048, starts: 6, jog: 0.03 },
  stain: { units: 12, rounds: 4000, batch: 2048, starts: 3, decay: 1e-3, jog: 0.1 },
}

/** @property as  The judge that decides about it. */
interface Sample { readonly ground: string; readonly as: string; readonly features: readonly number[]; readonly real: boolean; readonly old: number }
const samples: Sample[] = []
/** Searched so far, of each ground. */
const megapixels = new Map<string, number>()

/** How a scene comes: as it is, without colour, or as a print of one colour. */
type Look = 'colour' | 'grey' | 'toned'
const lookOf = (light: Light, look: Look, n: number): Light => (look === 'colour' ? light : look === 'grey' ? greyOf(light) : printOf(light, TONINGS[n % TONINGS.length]!))

/** Specks, or colonies of mould, on photographs: the seed, how many a megapixel, and whether as they are, without colour, or as prints of one colour. */
const VARIANTS: Record<'speck' | 'mould', readonly (readonly [number, number, Look])[]> = {
  speck: [[21, 120, 'colour'], [22, 8, 'colour'], [23, 60, 'grey'], [24, 0, 'colour'], [25, 0, 'grey'], [26, 20, 'toned']],
  mould: [[31, 6, 'colour'], [32, 6, 'grey'], [33, 6, 'toned'], [34, 0, 'colour'], [35, 0, 'grey'], [36, 0, 'toned']],
}

/** A picture, the same with other damage and the same in small have one ground. */
const groundOf = (name: string) => name.replace(/ \d+$/, '').replace(/^small /, '')
const searched = (name: string, { width, height }: { readonly width: number; readonly height: number }) => megapixels.set(groundOf(name), (megapixels.get(groundOf(name)) ?? 0) + (width * height) / 1e6)

function collect(name: string, damaged: IntegerRaster, depth: 8 | 16, flaws: readonly TrueFlaw[]): void {
  const transfer = makeTransfer({ type: 'srgb' }, depth)
  const source = rasterSource(damaged)
  const before = samples.length
  const discs = flaws.filter(({ path }) => !path)
  const lines = new LinePlaces(linesOf(flaws).map(({ path }) => path!), 6)
  for (const tile of searchTiles(source.width, source.height)) {
    const around = tileSurroundings(tile, source.width, source.height)
    const pixels = source.read(around)
    const colour = new ColourLook(pixels, transfer)
    const evidence = evidenceInTile(logLight(pixels, transfer), colour, around, tile, kind === 'dust' ? 'dust' : 'speck', [{ kind, least: -12 }])
    // The strongest of those that lie on one another stands for all, as it does in a search.
    const kept: Evidence[] = []
    const score = ({ candidate, fit }: Evidence) => by.score(by.features(candidate, fit, colour))
    for (const one of [...evidence].sort((a, b) => score(b) - score(a))) {
      const x = one.fit.x + around.x
      const y = one.fit.y + around.y
      if (x < tile.x || y < tile.y || x >= tile.x + tile.width || y >= tile.y + tile.height) continue
      if (kept.some(({ fit }) => Math.hypot(fit.x - one.fit.x, fit.y - one.fit.y) < Math.max(fit.radius, one.fit.radius))) continue
      kept.push(one)
      const near = discs.find((flaw) => Math.hypot(flaw.x - x, flaw.y - y) < Math.max(3, 0.8 * flaw.r))
      // Of a flaw of another kind nobody minds a find, but it says nothing of this one.
      if (near ? near.kind !== kind : lines.near(x, y) >= 0) continue
      samples.push({ ground: groundOf(name), as: wanted, features: by.features(one.candidate, one.fit, colour), real: near !== undefined, old: score(one) })
    }
  }
  searched(name, damaged)
  const fresh = samples.slice(before)
  console.log(`${name}: ${fresh.length} candidates, ${fresh.filter(({ real }) => real).length} of ${flaws.filter((flaw) => flaw.kind === kind).length} flaws among them`)
}

const LINE_JUDGES = { 'line-alone': lineAlone, scratch: scratchJudge, hair: hairJudge } as const

function collectLines(evidence: SceneEvidence): void {
  const ground = groundOf(evidence.name)
  const own = evidence.samples.map(({ as, features, real }) => ({ ground, as, features, real, old: LINE_JUDGES[as].score(features) }))
  for (const sample of own) samples.push(sample)
  searched(evidence.name, evidence)
  console.log(`${evidence.name}: ${own.length} candidates, ${own.filter(({ real }) => real).length} on ${evidence.lines} lines`)
}

interface AreaScene { readonly name: string; readonly print: Light; readonly hurt: Light }

/**
 * What losses are learned from, a seed each. Most scans are of whole prints, and what is taken for a scan may be the frame of a
 * camera: skies between bars, windows and highlights are no losses.
 */
const TORN: readonly (readonly [number, Look, Pick<TornScan, 'age' | 'tears' | 'losses' | 'exposure'>, 'otherwise'?])[] = [
  [61, 'colour', { age: 'new', tears: 0, losses: 0, exposure: 1 }],
  [62, 'grey', { age: 'new', tears: 0, losses: 0, exposure: 1 }],
  [63, 'toned', { age: 'new', tears: 0, losses: 0, exposure: 1 }],
  [64, 'colour', { age: 'faded', tears: 0, losses: 0, exposure: 1 }],
  [65, 'colour', { age: 'faded', tears: 2, losses: 4, exposure: 1 }],
  [66, 'grey', { age: 'faded', tears: 1, losses: 4, exposure: 1 }],
  [67, 'toned', { age: 'new', tears: 1, losses: 3, exposure: 1 }],
  [68, 'colour', { age: 'new', tears: 1, losses: 3, exposure: 1.15 }],
  [69, 'grey', { age: 'new', tears: 2, losses: 3, exposure: 1.25 }],
  [70, 'colour', { age: 'new', tears: 0, losses: 0, exposure: 1.25 }, 'otherwise'],
  [71, 'grey', { age: 'new', tears: 0, losses: 0, exposure: 1 }, 'otherwise'],
  [72, 'grey', { age: 'pale', tears: 1, losses: 4, exposure: 1 }],
  [73, 'colour', { age: 'pale', tears: 1, losses: 4, exposure: 1 }],
  [74, 'colour', { age: 'pale', tears: 0, losses: 0, exposure: 1 }],
]

/** Corners broken off, as radii in shorter sides. */
const CORNERS = [0, 1 / 10, 1 / 6, 1 / 4]
/** How rough bare paper is, of 1. */
const ROUGHNESS = [1, 0.5, 0.15]

/** Prints with losses and tears and without, half of them with things of clean sides put in. */
async function collectLosses(): Promise<void> {
  for (const [i, { name, light, otherwise }] of (await areaScenes()).entries()) {
    for (const [k, [seed, look, scan, how]] of TORN.entries()) {
      const things = (i + k) % 2 === 0 ? 0 : 8
      // What has no colour is scanned in one channel or in three.
      const seen = lookOf(how ? await otherwise() : light, look, i)
      const scanned = look === 'grey' && (i + k) % 3 > 0 ? { ...seen, channels: [0, 1, 2].map(() => seen.channels[0]!) } : seen
      const torn = tornPrint(scanned, 100 * i + seed, { ...scan, things, paper: PAPERS[(i + k) % PAPERS.length]!, roughness: ROUGHNESS[(i + 2 * k) % ROUGHNESS.length]!, corner: scan.losses > 0 ? CORNERS[(i + 3 * k) % CORNERS.length]! : 0 })
      await collectAreas({ name, ...torn }, seed + i, lossCandidates, lossJudge)
    }
  }
}

/** Prints of one colour with stains and without, and pictures in colour, which have none that could be told. */
async function collectStains(): Promise<void> {
  for (const [i, { name, light }] of (await areaScenes()).entries()) {
    for (const [seed, water] of [[65, 1], [66, 1], [67, 0]] as const) await collectAreas({ name, ...stainedPrint(light, 100 * i + seed, water) }, seed + i, stainCandidates, stainJudge)
    // In colour, and in what is left of it.
    for (const [seed, left] of [[68, 1], [69, 0.5], [70, 0.25]] as const) {
      const pale = paleOf(light, left)
      await collectAreas({ name, print: pale, hurt: pale }, seed + i, stainCandidates, stainJudge)
    }
  }
}

/** The renders of the demo, things, places, and every second animal, building, wall and ground. */
async function areaScenes(): Promise<{ readonly name: string; readonly light: Light; readonly otherwise: () => Promise<Light> }[]> {
  const photographs = [...(await furtherPhotographs()), ...halvesOf(await animalAndBuildingPhotographs()).learnedFrom, ...halvesOf(await groundPhotographs()).learnedFrom]
  const lightOf = (raster: IntegerRaster) => sceneOf(raster, makeTransfer({ type: 'srgb' }, 8), Infinity)
  const renders = ['shaft', 'station', 'pylon'].map(async (name) => {
    const light = await lightOfRender(renderOf(name), { width: 2400, height: 1600, channels: 3, softness: 1.1, detail: 0.12, seed: 12 })
    return { name, light, otherwise: async () => light }
  })
  return [...(await Promise.all(renders)), ...photographs.map(({ name, raster }, i) => ({ name, light: lightOf(raster), otherwise: async () => lightOf(await seenOtherwise(raster, i)) }))]
}

/** Regions of a scene that may be flaws of a kind that is told by the whole picture. */
async function collectAreas({ name, print, hurt }: AreaScene, seed: number, candidates: typeof lossCandidates | typeof stainCandidates, judge: Belief): Promise<void> {
  const electrons = [6000, 3000, 1500, 4000][seed % 4]!
  const { damaged: taken } = expose(print, hurt, { electrons, readNoise: 6, grainSize: electrons < 6000 ? 0.9 : 0, depth: 8, seed })
  const damaged = print.channels.length === 3 && seed % 3 === 0 ? await throughJpeg(taken) : taken
  const whole = { x: 0, y: 0, width: print.width, height: print.height }
  const before = samples.length
  for (const { shape, features } of candidates([cellsOfTile(new SampleTable(damaged), whole, whole)], whole)) {
    let area = 0
    let hit = 0
    const box = clipRegion(shapeBounds(shape), print.width, print.height)
    insideOutline(shape, box).forEach((inside, i) => {
      area += inside
      if (inside && changedAt(print, hurt, (box.y + Math.floor(i / box.width)) * print.width + box.x + (i % box.width))) hit++
    })
    samples.push({ ground: groundOf(name), as: wanted, features: [...features], real: hit > 0.5 * area, old: judge.score(features) })
  }
  searched(name, print)
  console.log(`${name} ${seed}: ${samples.length - before} regions, ${samples.slice(before).filter(({ real }) => real).length} real`)
}

if (wanted === 'loss') {
  await collectLosses()
} else if (wanted === 'stain') {
  await collectStains()
} else if (wanted === 'line-alone') {
  for (const seed of [31, 32, 33, 34, 35, 36, 37, 38]) for (const scene of await lineScenes(seed)) collectLines(evidenceOf(scene, samplesAlone))
} else if (wanted === 'scratch' || wanted === 'hair') {
  for (const seed of LINE_SEEDS) for (const scene of keptEvidence(seed)) collectLines(scene)
} else if (kind === 'dust') {
  const light = await pylonLight()
  for (const seed of [1, 2, 11, 12, 13, 14, 15, 16]) {
    const { damaged, flaws } = dustyPylon(light, seed)
    collect(`pylon ${seed}`, damaged, 8, flaws)
  }
  collectKept()
  // A sky alone does not say what walls, water and leaves look like that are no dust; every second picture is clean.
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  const { shaft, station } = await demoScenes()
  const scenes = [shaft, station, ...(await furtherPhotographs()).map(({ name, raster }) => ({ name, light: sceneOf(raster, transfer, Infinity), exposure: FRAME }))]
  for (const seed of [1, 2, 3, 4]) {
    for (const [i, { name, light, exposure }] of scenes.entries()) {
      const hurt = copyLight(light)
      const flaws = (seed + i) % 2 === 0 ? [] : addDust(hurt, { count: Math.max(4, Math.round((light.width * light.height) / 120000)), radius: [5, 24], depth: [0.02, 0.42], seed: seed + 10 * i })
      collect(`${name} ${seed}`, expose(light, hurt, { ...exposure, seed: seed + 10 * i }).damaged, exposure.depth, flaws)
    }
  }
} else {
  if (kind === 'speck') await collectOwnSpecks()
  await collectOnPhotographs(VARIANTS[kind])
}

/** What bench/cross/collect-discs.ts keeps: photographs and renders as cameras and scanners develop them, harmed by both makers of damage. */
function collectKept(): void {
  for (const scene of JSON.parse(readFileSync(keptDiscs('dust'), 'utf8')) as DiscScene[]) {
    for (const { real, features } of scene.samples) samples.push({ ground: scene.collection, as: wanted, features, real, old: by.score(features) })
    megapixels.set(scene.collection, (megapixels.get(scene.collection) ?? 0) + scene.megapixels)
  }
}

/** On scenes of the demo. */
async function collectOwnSpecks(): Promise<void> {
  for (const seed of [21, 22]) {
    const shaft = await shaftValve(undefined, seed)
    collect(`shaft ${seed}`, seed === 22 ? await throughJpeg(shaft.damaged) : shaft.damaged, 8, shaft.flaws)
    const station = await stationPrint(undefined, seed)
    collect(`station ${seed}`, station.damaged, 16, station.flaws)
  }
  const { damaged, flaws } = dustyPylon(await pylonLight(), 21)
  collect('pylon 21', await throughJpeg(damaged), 8, flaws)
  // Specks in a plain sky beside what is busy: without these all that lies near foliage would be taken for it.
  const light = await pylonLight({ width: 3000, height: 2000 })
  for (const seed of [31, 32]) {
    const hurt = copyLight(light)
    const flaws = addSpecks(hurt, { count: 140, radius: [1.2, 7], seed })
    const { damaged } = expose(light, hurt, { electrons: 14000, readNoise: 6, grainSize: 0, depth: 8, seed })
    collect(`pylon with specks ${seed}`, seed === 32 ? await throughJpeg(damaged) : damaged, 8, flaws)
  }
}

/** Photographs have what no render has, and stones are all alike. */
async function collectOnPhotographs(variants: (typeof VARIANTS)[keyof typeof VARIANTS]): Promise<void> {
  const transfer = makeTransfer({ type: 'srgb' }, 8)
  const photographs = [
    ...(await furtherPhotographs()),
    ...(await furtherPhotographs(0.5)).map(({ name, raster }) => ({ name: `small ${name}`, raster })),
    ...halvesOf(await animalAndBuildingPhotographs()).learnedFrom,
    ...halvesOf(await groundPhotographs()).learnedFrom,
  ]
  const grounds = [{ name: 'stones', light: stones(600, 500, 29) }, ...photographs.map(({ name, raster }) => ({ name, light: sceneOf(raster, transfer, Infinity) }))]
  for (const [i, { name, light: coloured }] of grounds.entries()) {
    // A judge that knows pictures with colour only takes the lack of it for what all that is there has lost.
    for (const [seed, density, look] of variants) {
      const light = lookOf(coloured, look, i)
      const exposure = look !== 'colour' && (i + seed) % 2 === 0 ? PRINT : FRAME
      const hurt = copyLight(light)
      const extent = (light.width * light.height) / 1e6
      const flaws = kind === 'mould'
        ? addMould(hurt, { colonies: Math.round(density * extent), spots: 10, radius: [1.5, 8], depth: [0.12, 1.4], seed })
        : addSpecks(hurt, { count: Math.round(density * extent), radius: [1.2, 7], seed })
      const { damaged } = expose(light, hurt, { ...exposure, seed })
      // Half of those with colour as cameras keep them: there it is known at half the resolution, and not well.
      collect(`${name} ${seed}`, look === 'colour' && (i + seed) % 2 === 0 ? await throughJpeg(damaged) : damaged, exposure.depth, flaws)
    }
  }
  // In large, what is out of focus is round and smooth: highlights, the sky through leaves.
  for (const { name, raster } of await furtherPhotographs(2)) {
    if (raster.width <= 1280) continue
    const light = sceneOf(raster, transfer, Infinity)
    collect(`${name} 27`, expose(light, light, { ...FRAME, seed: 27 }).clean, FRAME.depth, [])
  }
}

/** Scenes of the demo. */
const OWN = ['pylon', 'pylon with specks', 'shaft', 'station', 'stones']

type Score = (sample: Sample) => number
/** @property keep  Write the weights where they belong. */
interface Fitted { readonly score: Score; readonly keep: () => void }

function byLayer(name: string, among: readonly Sample[], starts?: number): Fitted {
  const layer = fitLayered(among.map(({ features }) => features), among.map(({ real }) => real), { ...LAYERS[name]!, ...(starts ? { starts } : {}) })
  const judged = layered(layer)
  return { score: ({ features }) => judged(features), keep: () => writeWeights(name, 'calibrate', layer) }
}

/**
 * What a judge learns from. What is no scratch says of hairs too what is none, less the last items, which only scratches are asked:
 * there are few hairs, and much that looks like them.
 */
function learnsFrom(name: string): Sample[] {
  const own = samples.filter(({ as }) => as === name)
  return name === 'hair' ? [...own, ...samples.filter(({ as, real }) => as === 'scratch' && !real).map((sample) => ({ ...sample, features: sample.features.slice(0, own[0]!.features.length) }))] : own
}

/** Fit the judge of that name, and print how well it judges what it has not seen. */
function calibrate(name: string): void {
  const fit = (among: readonly Sample[], starts?: number) => byLayer(name, among, starts)
  const known = learnsFrom(name)
  const fitted = fit(known)
  fitted.keep()
  // What a judge says of pictures that it learned from is too hopeful: the numbers of false finds and of confidence are read
  // off photographs by judges that have seen the other half of them only. Of scenes of the demo there is one of each sort:
  // a judge that has not seen them does not know prints or water at all, so they say nothing here.
  const photographs = [...megapixels.keys()].filter((ground) => !OWN.includes(ground))
  const halfOf = ({ ground }: Sample) => photographs.indexOf(ground) % 2
  const strange = samples.filter(({ as, ground }) => as === name && photographs.includes(ground))
  // From one start each: it is the same law, a little rougher.
  const strangers = [0, 1].map((half) => fit(known.filter((sample) => halfOf(sample) !== half), 1))
  const fairScore: Score = (sample) => strangers[halfOf(sample)]!.score(sample)
  const extent = photographs.reduce((sum, ground) => sum + megapixels.get(ground)!, 0)

  for (const [which, score] of [['as they are', (sample: Sample) => sample.old], ['fitted anew', fitted.score], ['not learned from', fairScore]] as const) {
    const sorted = [...strange].sort((a, b) => score(b) - score(a))
    let wrong = 0
    let right = 0
    const reached = new Map<number, number>()
    for (const sample of sorted) {
      if (sample.real) right++
      else reached.set(++wrong, right)
    }
    const all = strange.filter(({ real }) => real).length
    console.log(`${name} ${which}: flaws found at ${[1, 2, 3, 5, 10].map((rate) => `${rate} false finds in 24 megapixels: ${reached.get(Math.ceil((rate * extent) / 24)) ?? right}`).join(', ')} of ${all}`)
  }
  const [constant, slope] = fitLogistic(strange.map((sample) => [1, fairScore(sample)]), strange.map(({ real }) => real), 0) as [number, number]
  console.log(`even: ${(-constant / slope).toFixed(2)}, slope: ${slope.toFixed(2)}`)
  // A line through the logarithm of the rate of false finds against the score, where searches are made: half a find to ten a
  // frame, every share of that range counting alike.
  const wrong = strange.filter(({ real }) => !real).map(fairScore).sort((a, b) => b - a)
  const points = wrong.map((score, i) => ({ score, rate: Math.log((i + 1) / extent), weight: 1 / (i + 1) })).filter(({ rate }) => rate > Math.log(0.5 / 24) && rate < Math.log(10 / 24))
  const mean = (of: (point: (typeof points)[number]) => number) => points.reduce((sum, point) => sum + point.weight * of(point), 0) / points.reduce((sum, { weight }) => sum + weight, 0)
  const meanScore = mean(({ score }) => score)
  const meanRate = mean(({ rate }) => rate)
  const steepness = -mean(({ score, rate }) => (score - meanScore) * (rate - meanRate)) / mean(({ score }) => (score - meanScore) ** 2)
  console.log(`scoreAtOne: ${(meanScore + meanRate / steepness).toFixed(2)}, steepness: ${steepness.toFixed(2)}`)
}

calibrate(wanted)
