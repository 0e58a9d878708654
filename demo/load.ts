import { rationalEntry, textEntry, TAG, writeExif, shortEntry } from '@fennip/codec/tiff/directory.js'
import { encodePicture } from '@fennip/codec/write.js'
import { FRAME, PRINT, dustyPylon, fadedPrint, pylonLight, shaftValve, stainedPrint, stationPrint, tornPrint, type DemoSize } from './pictures.js'
import { AREA_FRAME, denseDive, hazyValley, nightStation, rainyWindow, ringStain, seatCover } from './areas.js'
import { DUSK, duskFrame, duskLight } from './bracket.js'
import { curtainPrint } from './curtain.js'
import { tornInTwo } from './pieces.js'
import type { Light, Photograph } from './photograph.js'
import { dustOfSensor, seriesFrame, SERIES_FRAMES, SERIES_ROOM } from './series.js'

export const DEMO_TITLE = 'Orrendale jubilee book'

/** What the invented camera of the demo writes into its files. */
function cameraExif(aperture: number, taken: string, body = 'OT-2', time: readonly [number, number] = [1, 125]): Uint8Array {
  return writeExif({
    main: new Map([
      [TAG.make, textEntry('Orrendale Optical')],
      [TAG.model, textEntry(body)],
      [TAG.orientation, shortEntry(1)],
      [TAG.dateTime, textEntry(taken)],
    ]),
    exif: new Map([
      [0x829d, rationalEntry(Math.round(aperture * 10), 10)],
      [0x829a, rationalEntry(...time)],
      [0x8827, shortEntry(200)],
      [0x9003, textEntry(taken)],
      [0xa434, textEntry('OT 35 mm')],
    ]),
  })
}

interface DemoFile {
  readonly name: string
  make(): Promise<Uint8Array>
}

/** The files of the demo job, at full size or smaller for tests. */
export function demoFiles(frame: DemoSize = FRAME, print: DemoSize = PRINT): DemoFile[] {
  let light: ReturnType<typeof pylonLight> | undefined
  const pylon = () => (light ??= pylonLight(frame))
  const metadata = (exif: Uint8Array | null, resolutionPerInch: number | null) => ({ icc: null, exif, resolutionPerInch })
  const deep = (picture: Photograph, exif: Uint8Array | null, resolution: number | null) => encodePicture(picture.damaged, null, metadata(exif, resolution), { format: 'tiff', depth: 16, quality: 95 })
  const camera = (picture: Photograph, exif: Uint8Array) => encodePicture(picture.damaged, null, metadata(exif, 300), { format: 'jpeg', depth: 8, quality: 96 })
  return [
    { name: 'pylon-7-west.jpg', make: async () => camera(dustyPylon(await pylon(), 7), cameraExif(16, '2026:05:11 09:14:02')) },
    { name: 'pylon-7-west.tif', make: async () => deep(dustyPylon(await pylon(), 7, 16), cameraExif(16, '2026:05:11 09:14:02'), 300) },
    { name: 'shaft-valve-3.jpg', make: async () => camera(await shaftValve(frame), cameraExif(8, '2026:06:02 15:40:31')) },
    { name: 'lower-station.tif', make: async () => deep(await stationPrint(print), null, 600) },
    { name: 'torn-print.tif', make: async () => deep(await tornPrint({ width: print.width / 2, height: print.height / 2 }), null, 300) },
    { name: 'torn-in-two.tif', make: async () => deep(await tornInTwo({ width: print.width / 2, height: print.height / 2 }), null, 300) },
    { name: 'stained-print.tif', make: async () => deep(await stainedPrint({ width: print.width / 2, height: print.height / 2 }), null, 300) },
    { name: 'faded-print.tif', make: async () => deep(await fadedPrint({ width: print.width / 2, height: print.height / 2 }), null, 300) },
    { name: 'saloon-curtain.tif', make: async () => deep(await curtainPrint({ width: print.width / 2, height: print.height / 2 }), null, 300) },
    ...areasOf(frame, print, camera, deep),
    ...duskOf(frame, camera),
    ...seriesOf(frame),
  ]
}

/** A bracket of three at dusk, by hand. */
function duskOf(frame: DemoSize, camera: (picture: Photograph, exif: Uint8Array) => Promise<Uint8Array>): DemoFile[] {
  const size = { width: Math.round((frame.width * AREA_FRAME.width) / FRAME.width), height: Math.round((frame.height * AREA_FRAME.height) / FRAME.height) }
  let light: ReturnType<typeof duskLight> | undefined
  return DUSK.map((taken, i) => ({ name: taken.name, make: async () => camera(duskFrame(await (light ??= duskLight(size)), taken, 90 + i), cameraExif(5.6, `2026:10:30 18:02:1${i}`, 'OT-2', taken.time)) }))
}

/** Pictures whose trouble covers an area. */
function areasOf(frame: DemoSize, print: DemoSize, camera: (picture: Photograph, exif: Uint8Array) => Promise<Uint8Array>, deep: (picture: Photograph, exif: null, resolution: number) => Promise<Uint8Array>): DemoFile[] {
  const size = { width: Math.round((frame.width * AREA_FRAME.width) / FRAME.width), height: Math.round((frame.height * AREA_FRAME.height) / FRAME.height) }
  return [
    { name: 'cabin-window-rain.jpg', make: async () => camera(await rainyWindow(size), cameraExif(4, '2026:09:14 16:20:10')) },
    { name: 'valley-haze.jpg', make: async () => camera(await hazyValley(size), cameraExif(11, '2026:07:02 07:12:44')) },
    { name: 'seat-cover.jpg', make: async () => camera(seatCover(size), cameraExif(8, '2026:06:18 11:03:27')) },
    { name: 'upper-station-night.jpg', make: async () => camera(await nightStation({ width: Math.round(size.width * 0.8), height: Math.round(size.height * 0.8) }), cameraExif(2, '2026:10:30 21:48:05')) },
    { name: 'shaft-dense.jpg', make: async () => camera(await denseDive(size), cameraExif(8, '2026:06:02 15:52:18')) },
    { name: 'ring-stain.tif', make: async () => deep(await ringStain({ width: print.width / 2, height: print.height / 2 }), null, 300) },
  ]
}

/** Frames of another body of the camera, half as large: the same dust at several apertures over changing scenes. */
function seriesOf(frame: DemoSize): DemoFile[] {
  const [width, height] = [Math.round(frame.width / 2), Math.round(frame.height / 2)]
  let room: Promise<Light> | undefined
  const dust = dustOfSensor(width, height, SERIES_GRAINS, SERIES_SEED)
  return SERIES_FRAMES.slice(0, SERIES_LENGTH).map((taken, i) => ({
    name: `${taken.name}.jpg`,
    make: async () => {
      room ??= pylonLight({ width: Math.round(width * SERIES_ROOM), height: Math.round(height * SERIES_ROOM) })
      const { damaged } = seriesFrame(await room, dust, taken, SERIES_SEED + i)
      return encodePicture(damaged, null, { icc: null, exif: cameraExif(taken.aperture, taken.taken, 'OT-1'), resolutionPerInch: 300 }, { format: 'jpeg', depth: 8, quality: 96 })
    },
  }))
}
const SERIES_LENGTH = 6
const SERIES_GRAINS = 48
const SERIES_SEED = 40

/** Load the demo job into a running server, unless it is there. */
export async function loadDemo(address: string, say: (line: string) => void, files = demoFiles()): Promise<string> {
  const { jobs } = (await (await fetch(`${address}/api/jobs`)).json()) as { jobs: { id: string; title: string; pictures: number }[] }
  let job = jobs.find((candidate) => candidate.title === DEMO_TITLE)
  if (job && job.pictures >= files.length) return job.id
  if (!job) {
    const made = await fetch(`${address}/api/jobs`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ title: DEMO_TITLE, client: 'Orrendale Tramway Society', notes: 'Camera frames, a dive in the counterweight shaft, and prints from the archive.' }) })
    job = { id: ((await made.json()) as { id: string }).id, title: DEMO_TITLE, pictures: 0 }
  }
  const there = ((await (await fetch(`${address}/api/jobs/${job.id}`)).json()) as { list: { name: string }[] }).list.map((picture) => picture.name)
  const arrivals: Promise<unknown>[] = []
  for (const file of files) {
    if (there.includes(file.name)) continue
    say(`Making the demo picture ${file.name}`)
    const sent = await upload(address, job.id, file.name, await file.make())
    arrivals.push(arrival(address, sent))
  }
  await Promise.all(arrivals)
  return job.id
}

/** What has become of an uploaded file: a picture, or a problem in words. */
export interface Arrived {
  readonly status: number
  readonly picture: string | null
  readonly problem: { readonly type: string; readonly title: string; readonly detail: string; readonly status: number } | null
}

/** Wait until an upload is taken in or refused. */
export async function arrival(address: string, response: Response): Promise<Arrived> {
  const text = await response.text()
  if (!response.ok) return { status: response.status, picture: null, problem: text.startsWith('{') ? (JSON.parse(text) as Arrived['problem']) : null }
  const { state, problem } = await runEnded(address, response.headers.get('x-run')!)
  return state === 'done' ? { status: 200, picture: response.headers.get('x-picture'), problem: null } : { status: problem?.status ?? 500, picture: null, problem }
}

/** A run that has come to its end, as the server tells it. */
export interface EndedRun {
  readonly id: string
  readonly state: 'done' | 'failed' | 'cancelled'
  readonly problem: Arrived['problem']
  readonly result: Readonly<Record<string, unknown>>
}

/** Wait until a run has ended, well or not. @throws when there is no such run. */
export async function runEnded(address: string, run: string): Promise<EndedRun> {
  for (;;) {
    const answer = await fetch(`${address}/api/runs/${run}`).catch(() => null)
    // A server that is away for a moment comes back.
    if (answer && answer.status < 500 && !answer.ok) throw new Error(`The run ${run} is not told of: ${answer.status} ${await answer.text()}`)
    const now = answer?.ok ? ((await answer.json()) as EndedRun) : null
    if (now && ['done', 'failed', 'cancelled'].includes(now.state)) return now
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
}

/** Upload by the tus protocol in one piece. */
export async function upload(address: string, job: string, name: string, bytes: Uint8Array): Promise<Response> {
  const encode = (text: string) => Buffer.from(text).toString('base64')
  const begun = await fetch(`${address}/api/uploads`, {
    method: 'POST',
    headers: { 'tus-resumable': '1.0.0', 'upload-length': String(bytes.length), 'upload-metadata': `filename ${encode(name)},job ${encode(job)}` },
  })
  if (!begun.ok) return begun
  const place = new URL(begun.headers.get('location')!, address)
  return fetch(place, { method: 'PATCH', headers: { 'tus-resumable': '1.0.0', 'upload-offset': '0', 'content-type': 'application/offset+octet-stream' }, body: bytes as BodyInit })
}
