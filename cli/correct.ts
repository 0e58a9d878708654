import { basename } from 'node:path'
import { formatOfName } from '@fennip/codec/formats.js'
import { readPicture } from '@fennip/codec/read.js'
import { checkSettings } from '@fennip/core/pipeline/check-settings.js'
import { makeOperationStep } from '@fennip/core/pipeline/make-step.js'
import { allOperations, operationOf } from '@fennip/core/pipeline/registry.js'
import { describeSettings } from '@fennip/core/operations/settings.js'
import { ProblemError } from '@fennip/core/problem.js'
import { rasterLevels } from '@fennip/core/raster/pyramid.js'
import { depthOf, maximumOf } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { Chain, contextOf } from '@fennip/core/pipeline/chain.js'
import { packMask } from '@fennip/core/shape/zone/zone-cover.js'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import type { Area } from '@fennip/core/treatment/schema.js'
import { finishedPicture } from '@fennip/delivery/finished.js'
import { valueOf } from './finish.js'
import { sha256Of } from './hash.js'
import { parse, UsageError } from './parse.js'
import { writeFinished } from './write-finished.js'

/** `fennip correct`: one correction of one file, through a zone. What is not set is proposed from the picture. */
export async function correct(args: string[]): Promise<void> {
  const { values, lists, positionals } = parse(args, { operation: { type: 'string' }, zone: { type: 'string' }, strength: { type: 'string' }, treatment: { type: 'string' } }, 2, ['set'])
  const [input, output] = positionals as [string, string]
  if (!values.operation) throw new UsageError(`Say what is to be done with --operation: ${allOperations().filter(({ stage }) => stage === 'correct').map(({ name }) => name).join(', ')}.`)
  const operation = operationOf(values.operation)
  const strength = values.strength === undefined ? 1 : Number(values.strength)
  if (!(strength >= 0 && strength <= 1)) throw new UsageError(`The strength is a number from 0 to 1, not ${values.strength}.`)
  formatOfName(output)
  const settings: Record<string, unknown> = {}
  for (const text of lists.set ?? []) {
    const at = text.indexOf('=')
    if (at < 1) throw new UsageError(`--set takes KEY=VALUE, not ${text}.`)
    const name = text.slice(0, at)
    if (!describeSettings(operation).some((setting) => setting.name === name)) throw new UsageError(`${operation.name} has no setting ${name}; see: fennip operations ${operation.name}.`)
    settings[name] = valueOf(operation, name, text.slice(at + 1))
  }
  const picture = await readPicture(input, basename(input))
  const { header, pixels } = picture
  const base = { width: header.width, height: header.height, channels: header.channels, profile: header.profile }
  const areas = values.zone ? [await zoneOf(values.zone, header)] : []
  const levels = rasterLevels(pixels, makeTransfer(header.profile.curve, header.depth))
  const survey = new Chain(base, { areas }).survey(areas[0]?.id, levels.read)
  const step = { ...makeOperationStep('s1', operation.name, settings, survey, contextOf(base), { zone: areas[0]?.id, propose: true }), strength }
  checkSettings(operation, step.settings, '--set')
  const treatment = { ...emptyTreatment({ sha256: await sha256Of(input), width: header.width, height: header.height, channels: header.channels, depth: header.depth }), areas, operations: [step] }
  await writeFinished(finishedPicture(picture, basename(input), treatment), output, {}, values.treatment)
}

/** A grey picture of the size of the input as a zone. */
async function zoneOf(file: string, { width, height }: { width: number; height: number }): Promise<Area> {
  const { pixels } = await readPicture(file, basename(file))
  if (pixels.width !== width || pixels.height !== height) throw new ProblemError('zone-size', { title: 'The zone does not fit', detail: `${file} has ${pixels.width} x ${pixels.height} pixels, the picture ${width} x ${height}. A zone is a grey picture of the size of the input.`, status: 422 })
  const { channels, data } = pixels
  const scale = 255 / maximumOf(depthOf(pixels))
  const grey = new Uint8Array(width * height)
  for (let i = 0; i < grey.length; i++) {
    let sum = 0
    for (let c = 0; c < channels; c++) sum += data[i * channels + c]!
    grey[i] = Math.round((scale * sum) / channels)
  }
  return { id: 'zone', name: basename(file).slice(0, 80), role: 'zone', softEdgePx: 0, parts: [{ mode: 'add', mask: packMask(width, height, grey) }] }
}
