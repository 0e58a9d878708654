import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { lineEvidence } from '@fennip/core/find/line-judging/judge-lines.js'
import { amongOthers } from '@fennip/core/find/line-judging/among-others.js'
import { lineFeatures } from '@fennip/core/find/lines/line-features.js'
import { LinesAround } from '@fennip/core/find/line-judging/lines-around.js'
import type { LinePiece } from '@fennip/core/find/lines/lines.js'
import { homeFolder } from '../../server/settings.js'
import { LinePlaces, linesOf, shareOn } from './line-places.js'
import { allLines, lineScenes, type LineScene } from './line-truth.js'

/** What the judges of lines learn from, kept in Fennip's own folder: to trace all lines of a seed takes minutes.
 * It holds as long as lines are traced and measured as they were; after that it has to be kept anew. */

/** One line of a scene, with what its judge goes by. */
export interface LineSample {
  readonly as: 'line-alone' | 'scratch' | 'hair'
  readonly features: readonly number[]
  readonly real: boolean
}

export interface SceneEvidence {
  readonly name: string
  readonly width: number
  readonly height: number
  /** True lines of the scene. */
  readonly lines: number
  readonly samples: readonly LineSample[]
}

const folder = join(homeFolder, 'line-evidence')
const fileOf = (seed: number) => join(folder, `${seed}.jsonl`)

/** Find the lines of all scenes of a seed, and keep what their judges go by. */
export async function keepEvidence(seed: number): Promise<void> {
  const rows = (await lineScenes(seed)).map((scene) => JSON.stringify(evidenceOf(scene, samplesAmong), (_key, value: unknown) => (typeof value === 'number' ? Math.round(1e4 * value) / 1e4 : value)))
  mkdirSync(folder, { recursive: true })
  writeFileSync(fileOf(seed), rows.join('\n'))
}

/** What was kept of a seed. */
export function keptEvidence(seed: number): SceneEvidence[] {
  if (!existsSync(fileOf(seed))) throw new Error(`The lines of seed ${seed} are not known yet: npx tsx bench/learn/line-evidence.ts ${seed}`)
  return readFileSync(fileOf(seed), 'utf8').split('\n').map((row) => JSON.parse(row) as SceneEvidence)
}

type Judged = Pick<LineSample, 'as' | 'features'> & { readonly line: LinePiece }
const samplesAmong = (all: readonly LinePiece[]): Judged[] => lineEvidence(all)
/** The same of lines that are looked at by themselves, hopeless ones too. */
export const samplesAlone = (all: readonly LinePiece[]): Judged[] => amongOthers(all, new LinesAround(all)).map((line) => ({ line, as: 'line-alone', features: lineFeatures(line) }))

/** The larger pieces of true lines, and what lies on none; thin dark things of a frame may be wires, which nobody calls false. */
export function evidenceOf({ name, frame, picture, depth, flaws }: LineScene, judged: (all: readonly LinePiece[]) => Judged[]): SceneEvidence {
  const truth = linesOf(flaws)
  const places = new LinePlaces(truth.map(({ path }) => path!), 4)
  const longest = new Map<number, number>()
  const all = allLines(picture, depth)
  const shares = new Map(all.map((line) => {
    const share = shareOn(line.points, places)
    const on = share > 0.5 ? places.near(...line.points[line.points.length >> 1]!) : -1
    if (on >= 0) longest.set(on, Math.max(longest.get(on) ?? 0, line.length))
    return [line.points, { share, on }]
  }))
  const samples = judged(all).flatMap(({ line, as, features }): LineSample[] => {
    const { share, on } = shares.get(line.points)!
    const real = share > 0.5
    const unclear = real ? line.length < 0.3 * (longest.get(on) ?? 0) : share > 0.15 || (frame && line.length > 250)
    return unclear ? [] : [{ as, features, real }]
  })
  return { name, width: picture.width, height: picture.height, lines: truth.length, samples }
}

/** `npx tsx bench/learn/line-evidence.ts <seed>...`: some two minutes each; several can be found side by side. */
if (import.meta.filename === process.argv[1]) {
  for (const seed of process.argv.slice(2).map(Number)) {
    await keepEvidence(seed)
    console.log(`lines of seed ${seed} kept in ${fileOf(seed)}`)
  }
}
