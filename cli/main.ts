import { basename } from 'node:path'
import { formatOfName } from '@fennip/codec/formats.js'
import { readPicture, type DecodedPicture } from '@fennip/codec/read.js'
import { writeFileWhole } from '@fennip/codec/sink.js'
import { whatShows } from '@fennip/core/check/telltales.js'
import { DEFAULT_FALSE_FINDS, findFlaws } from '@fennip/core/find/find.js'
import { flawsOfFinds } from '@fennip/core/find/found-flaws.js'
import { tellMedium, type Medium } from '@fennip/core/find/judging/medium.js'
import { usualKinds } from '@fennip/core/find/search-kinds.js'
import { ProblemError } from '@fennip/core/problem.js'
import { depthOf, rasterSource } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { mendableRaster } from '@fennip/core/mend/patches/patch.js'
import { outlinesOfMask } from '@fennip/core/shape/from-mask.js'
import { mendAll } from '@fennip/core/mend/picture/mend-all.js'
import { FLAW_KINDS, SEARCH_KINDS, type Flaw, type FindsDocument, type SearchKind } from '@fennip/core/treatment/schema.js'
import { readFinds } from '@fennip/core/treatment/validate.js'
import { apply } from './apply.js'
import { correct } from './correct.js'
import { finish, operations } from './finish.js'
import { join } from './join.js'
import { merge } from './merge.js'
import { parse, UsageError } from './parse.js'
import { readJson } from './read-json.js'
import { report } from './report.js'
import { save } from './save.js'

const USAGE = `fennip finds and mends flaws in photographs.

  fennip find IN [--kinds dust,speck,mould,line,loss,stain,flat,moire] [--medium frame|scan] [--rate N] --json OUT.json
  fennip mend IN OUT [--mask MASK.png | --flaws F.json | --kinds dust,speck] [--method auto|lift|heal|fill] [--report R.json]
  fennip apply IN TREATMENT.json OUT [--set KEY=VALUE]...
  fennip report IN TREATMENT.json OUT.pdf|OUT.html
  fennip correct IN OUT --operation NAME [--zone ZONE.png] [--strength 0..1] [--set KEY=VALUE]... [--treatment T.json]
  fennip finish IN OUT [--set KEY=VALUE]... [--treatment T.json]
  fennip merge IN1 IN2 [IN3 ...] [--reference N] OUT
  fennip join SCAN [SCAN ...] OUT [--report R.json]
  fennip operations [NAME]

  --rate N   mean number of false finds in the picture to look at (${DEFAULT_FALSE_FINDS})
  --set      of apply: content=pair|layers, depth, quality, longestPx, widthCm, perInch, sharpen, profile=srgb|display-p3,
             personal=false, layout=split, caption; OUT ends in .tif, .png, .jpg, .webp, .avif or .ora (layers)
             of finish: auto=true, black=DENSITY, white=DENSITY, curve=x:y,x:y, neutral=x,y, colour=off, sharpen=PERCENT,
             turnDegrees=D, crop=x,y,width,height, size=LONGEST, corners=x,y,x,y,x,y,x,y, or any setting that
             fennip operations lists
  --kinds    what is searched for; unasked what the medium can have: dust and specks in a frame, lines, losses, mould and
             stains besides on a scan
  --medium   told from the camera, the resolution of the file and its colours when not said
  --mask     a picture of the size of IN, white where damaged
`

/** Run the command line. @returns The exit code: 0 done, 1 bad input, 2 wrong use. */
export async function main(args: string[]): Promise<number> {
  try {
    const [command, ...rest] = args
    if (command === 'find') await find(rest)
    else if (command === 'mend') await mend(rest)
    else if (command === 'apply') await apply(rest)
    else if (command === 'report') await report(rest)
    else if (command === 'correct') await correct(rest)
    else if (command === 'finish') await finish(rest)
    else if (command === 'merge') await merge(rest)
    else if (command === 'join') await join(rest)
    else if (command === 'operations') operations(rest)
    else if (command === '--help' || command === 'help') process.stdout.write(USAGE)
    else throw new UsageError(command ? `There is no command ${command}.` : 'Say what to do.')
    return 0
  } catch (error) {
    if (error instanceof UsageError) {
      process.stderr.write(`${error.message}\n\n${USAGE}`)
      return 2
    }
    const line = error instanceof ProblemError ? error.detail : error instanceof Error ? error.message : String(error)
    process.stderr.write(`fennip: ${line.split('\n')[0]}\n`)
    return 1
  }
}

/** What a picture is searched for: as asked, else what its medium can have. */
function searchOf({ kinds, told }: Asked, { header, pixels }: DecodedPicture): { kinds: SearchKind[]; medium: Medium } {
  const medium = told ?? tellMedium({ camera: header.camera, resolutionPerInch: header.metadata.resolutionPerInch, pixels })
  return { medium, kinds: kinds ?? usualKinds({ kind: medium, aperture: header.camera.aperture ?? null }) }
}

interface Asked { readonly kinds: SearchKind[] | null; readonly told: Medium | null }

/** What is asked for, before the picture is read: a wrong word is told at once. */
function askedOf({ kinds, medium }: Record<string, string | undefined>): Asked {
  if (medium !== undefined && medium !== 'frame' && medium !== 'scan') throw new UsageError(`There is no medium ${medium}; it is frame or scan.`)
  return { kinds: kinds ? kindsOf(kinds) : null, told: medium ?? null }
}

function kindsOf(text: string): SearchKind[] {
  return text.split(',').map((kind) => {
    if (!(SEARCH_KINDS as readonly string[]).includes(kind)) throw new UsageError(`There is no kind ${kind}; kinds are ${SEARCH_KINDS.join(', ')}.`)
    return kind as SearchKind
  })
}

function transferOf(picture: DecodedPicture) {
  return makeTransfer(picture.header.profile.curve, picture.header.depth)
}

async function find(args: string[]): Promise<void> {
  const { values, positionals } = parse(args, { kinds: { type: 'string' }, medium: { type: 'string' }, rate: { type: 'string' }, json: { type: 'string' } }, 1)
  if (!values.json) throw new UsageError('Say where to write the finds with --json.')
  const rate = values.rate === undefined ? DEFAULT_FALSE_FINDS : Number(values.rate)
  if (!(rate > 0)) throw new UsageError('The rate of false finds must be a number above 0.')
  const asked = askedOf(values)
  const picture = await readPicture(positionals[0]!, basename(positionals[0]!))
  const finds = findFlaws(rasterSource(picture.pixels), transferOf(picture), { ...searchOf(asked, picture), falseFinds: rate })
  const document: FindsDocument = { width: picture.header.width, height: picture.header.height, flaws: finds.map(({ kind, shape, contrast, weight, confidence }) => ({ kind, shape, contrast, weight, confidence })) }
  await writeFileWhole(values.json, new TextEncoder().encode(`${JSON.stringify(document, null, 1)}\n`))
}

async function mend(args: string[]): Promise<void> {
  const { values, positionals } = parse(
    args,
    { mask: { type: 'string' }, flaws: { type: 'string' }, kinds: { type: 'string' }, medium: { type: 'string' }, method: { type: 'string' }, report: { type: 'string' } },
    2,
  )
  const [input, output] = positionals as [string, string]
  if ([values.mask, values.flaws, values.kinds].filter(Boolean).length > 1) throw new UsageError('Give one of --mask, --flaws and --kinds.')
  const method = values.method ?? 'auto'
  if (!['auto', 'lift', 'heal', 'fill'].includes(method)) throw new UsageError(`There is no method ${method}; methods are auto, lift, heal and fill.`)
  const format = formatOfName(output)
  const asked = askedOf(values)
  const picture = await readPicture(input, basename(input))
  const transfer = transferOf(picture)
  const flaws = values.mask
    ? await flawsOfMask(values.mask, picture)
    : values.flaws
      ? await flawsOfFile(values.flaws, picture)
      : flawsOfFinds(findFlaws(rasterSource(picture.pixels), transfer, { ...searchOf(asked, picture), falseFinds: DEFAULT_FALSE_FINDS }), (number) => `f${number}`)
  const started = performance.now()
  const steps = mendAll(mendableRaster(picture.pixels), transfer, flaws, { id: (flaw) => `m-${flaw.id}`, ...(method === 'auto' ? {} : { method: method as 'lift' | 'heal' | 'fill' }) })
  await save(output, picture, format)
  if (values.report) {
    const report = {
      picture: basename(input),
      width: picture.header.width,
      height: picture.header.height,
      milliseconds: Math.round(performance.now() - started),
      flaws,
      steps,
      shows: steps.filter((step) => whatShows(step.telltales).length > 0).map((step) => step.id),
    }
    await writeFileWhole(values.report, new TextEncoder().encode(`${JSON.stringify(report, null, 1)}\n`))
  }
}

async function flawsOfMask(path: string, picture: DecodedPicture): Promise<Flaw[]> {
  const mask = await readPicture(path, basename(path))
  const { width, height, channels, data } = mask.pixels
  if (width !== picture.header.width || height !== picture.header.height) {
    throw new ProblemError('mask-size', { title: 'The mask does not fit', detail: `The mask has ${width} x ${height} pixels and the picture ${picture.header.width} x ${picture.header.height}. Give a mask of the picture's size.`, status: 422 })
  }
  const half = depthOf(mask.pixels) === 16 ? 32768 : 128
  const damaged = new Uint8Array(width * height)
  for (let i = 0; i < damaged.length; i++) damaged[i] = data[i * channels]! >= half ? 1 : 0
  return outlinesOfMask(damaged, width, height).map((shape, i) => ({ id: `f${i + 1}`, kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }))
}

/** Other programs may name kinds that Fennip does not know. */
const kindOf = (kind: string): Flaw['kind'] => FLAW_KINDS.find((known) => known === kind) ?? 'other'

async function flawsOfFile(path: string, picture: DecodedPicture): Promise<Flaw[]> {
  const document = readFinds(await readJson(path), basename(path))
  if (document.width !== picture.header.width || document.height !== picture.header.height) {
    throw new ProblemError('flaws-size', { title: 'The flaws do not fit', detail: `${basename(path)} was made for ${document.width} x ${document.height} pixels; the picture has ${picture.header.width} x ${picture.header.height}.`, status: 422 })
  }
  return document.flaws.map((flaw, i) => ({
    id: `f${i + 1}`,
    kind: kindOf(flaw.kind),
    shape: flaw.shape,
    state: 'open',
    contrast: flaw.contrast ?? 0,
    weight: flaw.weight ?? 0,
    confidence: flaw.confidence ?? 1,
    origin: kindOf(flaw.kind) === 'other' ? 'hand' : 'found',
  }))
}

