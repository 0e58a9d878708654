import { ProblemError } from '@fennip/core/problem.js'
import type { FindOptions } from '@fennip/core/find/finds.js'
import { changesOfMarks, expectedShadow, flawOfMark, placeFrame, type PlacedMark } from '@fennip/core/series/apply-chart.js'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import { chartOfFrame, draftChart, expectedPlaces, finishChart, type DustyFrame, type FrameSpot } from '@fennip/core/series/learn-chart.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import { applyEdit } from '@fennip/core/treatment/edit.js'
import type { Operation } from '@fennip/core/treatment/schema.js'
import { appendEdit, currentTreatment } from '../history.js'
import { readPictureSummary } from '../pictures.js'
import { keepChart, readSensor } from '../sensors.js'
import type { Run } from './runs.js'
import { Cancelled, goOn, type Progress, type WorkTools } from './tools.js'

/** Work on many frames of one sensor. */

/** A chart may follow faint and doubtful spots: what is in one frame alone falls away by itself. */
const SPOTS: FindOptions = { kinds: ['dust'], falseFinds: 200 }

/** Learn the chart of a sensor from its frames. */
export async function learnChart(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { sensor, pictures } = run.parameters as { sensor: string; pictures: string[] }
  const { name } = await readSensor(tools.database, sensor)
  const frames: (DustyFrame & { sha256: string })[] = []
  for (const [i, picture] of pictures.entries()) frames.push(await dustyFrame(tools, picture, within(progress, i / pictures.length / 1.25, (i + 1) / pictures.length / 1.25)))
  const draft = draftChart(frames)
  const measures = []
  for (const [i, frame] of frames.entries()) {
    goOn(progress, 0.8 + (0.2 * i) / frames.length)
    measures.push(await tools.threads.measurePlaces(frame.sha256, expectedPlaces(draft, i, frame)))
  }
  const chart = finishChart(name, frames, draft, measures)
  await keepChart(tools.database, sensor, chart)
  return { marks: chart.marks.length, frames: frames.length }
}

/** Place a sensor's chart in a frame and mend what it shows there. */
export async function applyChart(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { sensor } = run.parameters as { sensor: string }
  const { chart, name } = await readSensor(tools.database, sensor)
  if (!chart) throw new ProblemError('no-chart', { title: 'There is no chart yet', detail: `Nothing has been learned of ${name}. Learn a chart from three frames or more, or take one in.`, status: 409 })
  return placeAndMend(tools, run.picture, chart, `Chart of ${name}`, progress)
}

/** Carry the mends of one frame to another of the same sensor. */
export async function carryMends(tools: WorkTools, run: Run, progress: Progress): Promise<Record<string, unknown>> {
  const { from, flaws } = run.parameters as { from: string; flaws?: string[] }
  const [picture, { treatment }] = [await readPictureSummary(tools.database, from), await currentTreatment(tools.database, from)]
  const mended = new Set(treatment.steps.map((step) => step.flaw))
  const wanted = treatment.flaws.filter((flaw) => mended.has(flaw.id) && (!flaws || flaws.includes(flaw.id)) && flaw.kind !== 'wire')
  if (wanted.length === 0) throw new ProblemError('nothing-to-carry', { title: 'There is nothing to carry over', detail: `${picture.name} has no mends. Mend something in it first.`, status: 409 })
  const places = wanted.map(({ shape, origin }) => {
    const { x, y, r } = shapeCentre(shape)
    // What is drawn by hand lies round the flaw with room to spare.
    return { type: 'disc' as const, x, y, r: origin === 'hand' ? 0.7 * r : r, slack: origin === 'hand' ? 0.4 * r : 1 }
  })
  const measures = await tools.threads.measurePlaces(picture.original.sha256, places)
  const marks = wanted.flatMap(({ id }, i) => (measures[i] && measures[i].depth > 0 ? [{ id: id.slice(0, 30), measure: measures[i] }] : []))
  const chart = chartOfFrame(picture.name, { name: picture.name, ...apertureAndDate(picture), width: picture.original.width, height: picture.original.height }, marks)
  return placeAndMend(tools, run.picture, chart, `Mends of ${picture.name}`, progress)
}

async function placeAndMend(tools: WorkTools, picture: string, chart: SensorChart, what: string, progress: Progress): Promise<Record<string, unknown>> {
  const { database, threads } = tools
  const frame = await dustyFrame(tools, picture, within(progress, 0, 0.4))
  const placement = placeFrame(chart, frame)
  const placed = await threads.placeChart(frame.sha256, chart, frame.aperture, placement)
  goOn(progress, 0.5)
  const { treatment, revision } = await currentTreatment(database, picture)
  const { put, remove } = changesOfMarks(treatment, placed)
  const count = (state: PlacedMark['state']) => placed.filter((mark) => mark.state === state).length
  const told = { placed: put.length, clear: count('clear'), faint: count('faint'), absent: count('absent'), matches: placement.matches, scale: placement.scale, turn: placement.turn }
  if (put.length === 0) return { ...told, mended: 0 }
  const flaws: Operation[] = [...(remove.length > 0 ? [{ type: 'remove' as const, list: 'flaws' as const, ids: remove }] : []), { type: 'put', list: 'flaws', items: put }]
  const expected = Object.fromEntries(placed.map((mark) => [flawOfMark(mark.mark), expectedShadow(mark)]))
  let stopped = false
  const steps = await threads.mendOpenFlaws(applyEdit(treatment, flaws).treatment, { only: put.map(({ id }) => id), expected }, (share) => {
    if (!progress(0.5 + 0.5 * share)) stopped = true
    return !stopped
  })
  if (stopped) throw new Cancelled()
  const mended: Operation[] = steps.length > 0 ? [{ type: 'put', list: 'steps', items: steps }, { type: 'setState', ids: steps.map((step) => step.flaw), state: 'mended' }] : []
  await appendEdit(database, picture, revision, `${what}: ${put.length} marks`, [...flaws, ...mended])
  return { ...told, mended: steps.length }
}

async function dustyFrame({ database, threads }: WorkTools, id: string, progress: Progress): Promise<DustyFrame & { sha256: string }> {
  const picture = await readPictureSummary(database, id)
  const { sha256, width, height } = picture.original
  const spots = (await threads.search({ sha256, width, height }, SPOTS, (share) => goOn(progress, share))).map(({ shape, weight }): FrameSpot => ({ ...shapeCentre(shape), weight }))
  return { name: picture.name, ...apertureAndDate(picture), width, height, sha256, spots }
}

const apertureAndDate = ({ about }: { about: { camera: { aperture?: number; taken?: string } } }) => ({ aperture: about.camera.aperture ?? null, taken: about.camera.taken ?? null })

const within = (progress: Progress, from: number, to: number): Progress => (share) => progress(from + (to - from) * share)
