import { createHash } from 'node:crypto'
import sharp from 'sharp'
import { whatShows } from '@fennip/core/check/telltales.js'
import { describeSettings, sentenceOf, valueText } from '@fennip/core/operations/settings.js'
import { operationOf } from '@fennip/core/pipeline/registry.js'
import { conversionBetween } from '@fennip/core/output/convert-profile.js'
import { srgbProfile } from '@fennip/core/colour/profile.js'
import type { IntegerRaster, Region } from '@fennip/core/raster/raster.js'
import { MUCH_DRAWN } from '@fennip/core/rebuild/drawn-share.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { rounded } from '@fennip/core/render/samples.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import { FLAW_KINDS, type Flaw, type Remark } from '@fennip/core/treatment/schema.js'
import { KIND_WORDS, METHOD_WORDS, STAGE_WORDS, TELLTALE_SHORT } from '@fennip/core/treatment/words.js'
import { mendedRegion, type Finished } from '../finished.js'
import { PROGRAM } from '../program.js'
import { deliveredSize, renderRows, wholeRaster } from '../rendering.js'
import { CHANGE_KINDS, largestChanges, measureChanges, type ChangeKind } from './changes.js'
import { CHANGE_LOOK, drawMap, drawSwatch } from './map.js'

/** A picture of the report as an encoded file. */
export interface ReportPicture { readonly bytes: Buffer; readonly type: 'image/jpeg' | 'image/png'; readonly width: number; readonly height: number }

/** A file that was written with the report. */
export interface ReportFile { readonly name: string; readonly sha256: string; readonly bytes: number }

/** All that a report says, before it is laid out. */
export interface Report {
  readonly title: string
  readonly job: string
  readonly client: string
  readonly made: string
  readonly program: string
  readonly summary: readonly string[]
  readonly before: ReportPicture
  readonly after: ReportPicture
  readonly map: ReportPicture
  readonly shares: readonly { readonly kind: ChangeKind; readonly word: string; readonly percent: string; readonly swatch: ReportPicture }[]
  readonly kinds: readonly { readonly word: string; readonly found: number; readonly mended: number; readonly left: number; readonly open: number }[]
  readonly methods: readonly { readonly word: string; readonly count: number }[]
  readonly steps: readonly { readonly stage: string; readonly sentence: string; readonly note: string; readonly settings: string }[]
  readonly largest: readonly { readonly title: string; readonly before: ReportPicture; readonly after: ReportPicture }[]
  readonly shows: readonly string[]
  readonly left: readonly string[]
  readonly remarks: readonly { readonly number: number; readonly place: string; readonly text: string; readonly answer: string }[]
  readonly facts: readonly { readonly label: string; readonly value: string }[]
}

export interface ReportOptions {
  readonly job?: string | undefined
  readonly client?: string | undefined
  readonly files?: readonly ReportFile[]
  readonly now?: Date
  onShare?(share: number): void
}

/** Longest side of the overviews, and size of what is shown of a change at 1:1. */
const [OVERVIEW, CLOSE] = [1400, { width: 360, height: 270 }]
const LARGEST = 5
/** Single places that are listed before only numbers are given. */
const LISTED = 12

/** Look at a finished picture and gather what its report says. */
export async function gatherReport(finished: Finished, { job = '', client = '', files = [], now = new Date(), onShare = () => undefined }: ReportOptions = {}): Promise<Report> {
  const { treatment, base, name } = finished
  const opaque = { ...finished, alpha: null }
  const changes = measureChanges(finished, (share) => onShare(0.5 * share))
  const conversion = conversionBetween(base.profile, srgbProfile(false), base.channels)
  const longest = Math.min(OVERVIEW, Math.max(deliveredSize(finished).width, deliveredSize(finished).height))
  const overview = { longest, depth: 8, conversion } as const
  const before = await wholeRaster(renderRows(opaque, { ...overview, stage: 'original' }))
  const after = await wholeRaster(renderRows(opaque, overview))
  onShare(0.65)
  const remarks = numbered(treatment.remarks ?? [])
  const hash = await sampleHash(opaque, (share) => onShare(0.65 + 0.3 * share))
  return {
    title: name, job, client, made: dateWords(now), program: PROGRAM,
    summary: summaryOf(finished, changes.shares),
    before: await photograph(before), after: await photograph(after),
    map: await drawing(drawMap(finished, changes, await greyOf(after))),
    shares: await Promise.all([...CHANGE_KINDS].reverse().filter((kind) => changes.shares[kind] > 0).map(async (kind) => ({ kind, word: CHANGE_LOOK[kind].word, percent: percentWords(changes.shares[kind]), swatch: await drawing(drawSwatch(kind)) }))),
    kinds: kindsOf(treatment.flaws),
    methods: (['lift', 'heal', 'clone', 'fill'] as const).map((method) => ({ word: METHOD_WORDS[method], count: treatment.steps.filter((step) => step.method === method).length })).filter(({ count }) => count > 0),
    steps: stepsOf(finished),
    largest: await Promise.all(largestChanges(changes, base, LARGEST, CLOSE).map(async (place) => ({ title: `At ${place.x + Math.round(place.width / 2)}, ${place.y + Math.round(place.height / 2)}`, ...(await closeUp(finished, place)) }))),
    shows: showsOf(finished), left: leftOf(treatment.flaws),
    remarks, facts: factsOf(finished, hash, files),
  }
}

const photograph = async (raster: IntegerRaster): Promise<ReportPicture> => ({ bytes: await image(raster).jpeg({ quality: 88, chromaSubsampling: '4:4:4' }).toBuffer(), type: 'image/jpeg', width: raster.width, height: raster.height })
const drawing = async (raster: IntegerRaster): Promise<ReportPicture> => ({ bytes: await image(raster).png({ compressionLevel: 9 }).toBuffer(), type: 'image/png', width: raster.width, height: raster.height })
const image = ({ data, width, height, channels }: IntegerRaster) => sharp(data, { raw: { width, height, channels: channels as 1 | 3 } })

async function greyOf(raster: IntegerRaster): Promise<IntegerRaster> {
  const { data, info } = await image(raster).greyscale().raw().toBuffer({ resolveWithObject: true })
  return { width: info.width, height: info.height, channels: info.channels, data: new Uint8Array(data) }
}

/** A place at 1:1 in the pixels of the base: as it came, and before the finish, so that only what was changed there differs. */
async function closeUp(finished: Finished, region: Region): Promise<{ before: ReportPicture; after: ReportPicture }> {
  const { base, treatment } = finished
  const conversion = conversionBetween(base.profile, srgbProfile(false), base.channels)
  const shown = (operations: typeof treatment.operations, read: (part: Region) => IntegerRaster) => {
    const pixels = new Chain(base, { areas: treatment.areas, operations }).read(region, 0, read)
    conversion?.(pixels)
    return drawing(rounded(pixels, 8))
  }
  return { before: await shown([], (part) => finished.original.read(part)), after: await shown((treatment.operations ?? []).filter(({ stage }) => stage !== 'finish'), mendedRegion(finished)) }
}

/** SHA-256 over the samples of the result, row by row, little-endian: the same for every lossless file of it. */
async function sampleHash(finished: Finished, onShare: (share: number) => void): Promise<string> {
  const hash = createHash('sha256')
  const isDeep = new Chain(finished.base, finished.treatment).changesPixels || finished.base.depth === 16
  const rows = renderRows(finished, { depth: isDeep ? 16 : 8 }, null, onShare)
  for (let y = 0; y < rows.height; y += 256) {
    const { data } = await rows.read(y, Math.min(256, rows.height - y))
    hash.update(new Uint8Array(data.buffer, data.byteOffset, data.byteLength))
  }
  return hash.digest('hex')
}

function summaryOf({ treatment }: Finished, shares: Readonly<Record<ChangeKind, number>>): string[] {
  const { flaws, steps, operations } = treatment
  const open = flaws.filter(({ state }) => state === 'open').length
  const left = flaws.filter(({ state }) => state === 'left').length
  const sentences = [`${flaws.length} ${flaws.length === 1 ? 'flaw was' : 'flaws were'} found or marked; ${steps.length} ${steps.length === 1 ? 'was' : 'were'} mended${left > 0 ? `, ${left} left on purpose` : ''}${open > 0 ? `, ${open} ${open === 1 ? 'is' : 'are'} still open` : ''}.`]
  const parts = ([['lifted', 'given back'], ['replaced', 'replaced'], ['corrected', 'corrected'], ['rebuilt', 'drawn or brought from elsewhere']] as const).filter(([kind]) => shares[kind] > 0)
  const isFinished = (operations ?? []).some(({ stage, enabled }) => stage === 'finish' && enabled)
  const finish = isFinished ? ', but for the finish of the whole picture' : ''
  sentences.push(parts.length === 0 ? `No pixel was changed${finish}.` : `Of the picture ${parts.map(([kind, word]) => `${percentWords(shares[kind])} was ${word}`).join(', ')}. Everything else is as it came${finish}.`)
  if (shares.rebuilt > MUCH_DRAWN) sentences.push(`More than ${100 * MUCH_DRAWN} % of the picture is drawn: those parts show what may have been there, not what was photographed.`)
  return sentences
}

/** A share in words that do not pretend. */
export function percentWords(share: number): string {
  if (share === 0) return '0 %'
  if (share < 0.0001) return 'under 0.01 %'
  return `${(100 * share).toFixed(share < 0.01 ? 2 : 1)} %`
}

function kindsOf(flaws: readonly Flaw[]): Report['kinds'] {
  return FLAW_KINDS.map((kind) => {
    const of = flaws.filter((flaw) => flaw.kind === kind)
    const count = (...states: Flaw['state'][]) => of.filter(({ state }) => states.includes(state)).length
    return { word: KIND_WORDS[kind], found: of.length, mended: count('mended', 'settled'), left: count('left'), open: count('open') }
  }).filter(({ found }) => found > 0)
}

function stepsOf({ treatment }: Finished): Report['steps'] {
  const names = new Map((treatment.areas ?? []).map(({ id, name }) => [id, name]))
  return (treatment.operations ?? []).filter(({ enabled }) => enabled).sort((a, b) => Object.keys(STAGE_WORDS).indexOf(a.stage) - Object.keys(STAGE_WORDS).indexOf(b.stage)).map((step) => {
    const operation = operationOf(step.operation)
    const where = step.zone === undefined ? '' : ` in ${names.get(step.zone) ?? step.zone}`
    const strength = step.strength === 1 ? '' : `, at ${Math.round(100 * step.strength)} %`
    return {
      stage: STAGE_WORDS[step.stage], note: step.note ?? '',
      sentence: `${sentenceOf(operation, step.settings).map(({ text }) => text).join('')}${where}${strength}`,
      settings: describeSettings(operation).filter(({ name, type }) => type !== 'points' && step.settings[name] !== undefined).map((setting) => `${setting.title} ${valueText(setting, step.settings[setting.name])}`).join(', '),
    }
  })
}

const placeOf = (flaw: Flaw) => {
  const { x, y } = shapeCentre(flaw.shape)
  return `${KIND_WORDS[flaw.kind]} at ${Math.round(x)}, ${Math.round(y)}`
}

function listed(lines: readonly string[], more: (count: number) => string): string[] {
  return lines.length <= LISTED ? [...lines] : [...lines.slice(0, LISTED), more(lines.length - LISTED)]
}

function showsOf({ treatment }: Finished): string[] {
  const flaws = new Map(treatment.flaws.map((flaw) => [flaw.id, flaw]))
  const lines = treatment.steps.flatMap((step) => {
    const signs = whatShows(step.telltales)
    const flaw = flaws.get(step.flaw)
    return signs.length > 0 && flaw ? [`${placeOf(flaw)}: ${signs.map((sign) => TELLTALE_SHORT[sign]).join(', ')}${flaw.state === 'settled' ? ' (looked at and accepted)' : ''}`] : []
  })
  return listed(lines, (count) => `and ${count} more`)
}

function leftOf(flaws: readonly Flaw[]): string[] {
  return listed([...flaws.filter(({ state }) => state === 'left').map((flaw) => `${placeOf(flaw)}: left on purpose`), ...flaws.filter(({ state }) => state === 'open').map((flaw) => `${placeOf(flaw)}: still open`)], (count) => `and ${count} more`)
}

const numbered = (remarks: readonly Remark[]): Report['remarks'] => remarks.map(({ x, y, text, answer }, i) => ({ number: i + 1, place: `${Math.round(x)}, ${Math.round(y)}`, text, answer: answer ?? '' }))

function factsOf({ treatment, base, header }: Finished, hash: string, files: readonly ReportFile[]): Report['facts'] {
  const { original } = treatment
  return [
    { label: 'Original', value: `${header.format.toUpperCase()}, ${original.width} × ${original.height} pixels, ${original.depth} bits a sample, ${original.channels === 1 ? 'grey' : 'colour'}` },
    { label: 'Profile', value: `${base.profile.name}${base.profile.assumed ? ', assumed' : ''}` },
    ...(header.camera.body ? [{ label: 'Camera', value: [header.camera.body, header.camera.lens, header.camera.taken].filter(Boolean).join(', ') }] : []),
    { label: 'SHA-256 of the original', value: original.sha256 },
    { label: 'SHA-256 of the result’s samples', value: hash },
    ...files.map(({ name, sha256, bytes }) => ({ label: `SHA-256 of ${name} (${(bytes / 1e6).toFixed(1)} MB)`, value: sha256 })),
    { label: 'Made with', value: PROGRAM },
  ]
}

const dateWords = (date: Date) => date.toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' })
