import { basename } from 'node:path'
import { formatOfName } from '@fennip/codec/formats.js'
import { readPicture } from '@fennip/codec/read.js'
import { proposeFinish } from '@fennip/core/finish/propose.js'
import { checkSettings } from '@fennip/core/pipeline/check-settings.js'
import { makeOperationStep } from '@fennip/core/pipeline/make-step.js'
import type { Operation, Settings } from '@fennip/core/operations/operation.js'
import { allOperations, operationOf, orderOf, placeOf } from '@fennip/core/pipeline/registry.js'
import { describeSettings } from '@fennip/core/operations/settings.js'
import { ProblemError } from '@fennip/core/problem.js'
import { rasterLevels } from '@fennip/core/raster/pyramid.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { Chain, contextOf } from '@fennip/core/pipeline/chain.js'
import { toFloat } from '@fennip/core/render/samples.js'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import type { OperationStep } from '@fennip/core/treatment/schema.js'
import { finishedPicture } from '@fennip/delivery/finished.js'
import { sha256Of } from './hash.js'
import { parse, UsageError } from './parse.js'
import { writeFinished } from './write-finished.js'

/** `fennip finish`: tone, sharpness and frame of one file. */
export async function finish(args: string[]): Promise<void> {
  const { values, lists, positionals } = parse(args, { treatment: { type: 'string' } }, 2, ['set'])
  const [input, output] = positionals as [string, string]
  // A name that cannot be written is told before the work begins.
  formatOfName(output)
  const picture = await readPicture(input, basename(input))
  const { header, pixels } = picture
  const base = { width: header.width, height: header.height, channels: header.channels, profile: header.profile }
  const context = contextOf(base)
  const levels = rasterLevels(pixels, makeTransfer(header.profile.curve, header.depth))
  const survey = new Chain(base, {}).survey(undefined, levels.read)
  const steps: OperationStep[] = []
  const add = (name: string, settings: Settings, note?: string) => {
    const step = makeOperationStep(`s${steps.length + 1}`, name, settings, survey, context, { note })
    checkSettings(operationOf(name), step.settings, '--set')
    const at = steps.findIndex(({ operation }) => operation === name)
    if (at >= 0) steps[at] = { ...step, id: steps[at]!.id }
    else steps.splice(placeOf(name, steps), 0, step)
  }
  const wishes = (lists.set ?? []).map((text) => {
    const at = text.indexOf('=')
    if (at < 1) throw new UsageError(`--set takes KEY=VALUE, not ${text}.`)
    return [text.slice(0, at), text.slice(at + 1)] as const
  })
  if (wishes.some(([key, value]) => key === 'auto' && value === 'true')) {
    for (const { operation, settings, reason } of proposeFinish(toFloat(levels.small(400_000)), context)) add(operation, settings, reason)
  }
  const own = new Map<string, Record<string, unknown>>()
  for (const [key, value] of wishes) if (key !== 'auto') for (const [name, settings] of settingsOf(key, value)) own.set(name, { ...own.get(name), ...settings })
  for (const name of [...own.keys()].sort((a, b) => orderOf(a) - orderOf(b))) add(name, own.get(name)!)
  const treatment = { ...emptyTreatment({ sha256: await sha256Of(input), width: header.width, height: header.height, channels: header.channels, depth: header.depth }), operations: steps }
  await writeFinished(finishedPicture(picture, basename(input), treatment), output, {}, values.treatment)
}

const numbersOf = (key: string, value: string, count: number): number[] => {
  const numbers = value.split(/[,x]/).map(Number)
  if (numbers.length !== count || numbers.some((number) => !Number.isFinite(number))) throw new UsageError(`${key} takes ${count} number${count === 1 ? '' : 's'}, not ${value}.`)
  return numbers
}

/** Short names of the command line; any other key is a setting of an operation, as NAME.SETTING or by its name alone where it is unique. */
function settingsOf(key: string, value: string): [string, Record<string, unknown>][] {
  switch (key) {
    case 'black': return [['black-and-white', { blackDensity: numbersOf(key, value, 1)[0] }]]
    case 'white': return [['black-and-white', { whiteDensity: numbersOf(key, value, 1)[0] }]]
    case 'curve': return [['curve', { points: value.split(',').map((point) => { const [x, y] = point.split(':').map(Number); return [x, y] }) }]]
    case 'neutral': { const [x, y] = numbersOf(key, value, 2); return [['neutral', { x, y }]] }
    case 'colour': if (value !== 'off') throw new UsageError('colour can only be off.'); return [['colour-out', {}]]
    case 'sharpen': return [['sharpen', { amount: numbersOf(key, value, 1)[0] }]]
    case 'turnDegrees': return [['turn', { degrees: numbersOf(key, value, 1)[0] }]]
    case 'crop': { const [x, y, w, h] = numbersOf(key, value, 4); return [['crop', { x, y, width: w, height: h }]] }
    case 'size': return [['size', { longestSidePx: numbersOf(key, value, 1)[0] }]]
    case 'corners': { const numbers = numbersOf(key, value, 8); return [['perspective', { corners: [0, 2, 4, 6].map((i) => [numbers[i], numbers[i + 1]]) }]] }
  }
  const [name, setting] = key.includes('.') ? key.split('.') as [string, string] : [undefined, key]
  const found = allOperations().filter((operation) => (name === undefined || operation.name === name) && describeSettings(operation).some((one) => one.name === setting))
  if (found.length === 0) throw new UsageError(`There is no setting ${key}; see: fennip operations.`)
  if (found.length > 1) throw new UsageError(`${key} is a setting of ${found.map((operation) => operation.name).join(' and ')}; write ${found[0]!.name}.${key}.`)
  return [[found[0]!.name, { [setting]: valueOf(found[0]!, setting, value) }]]
}

export function valueOf(operation: Operation, name: string, value: string): unknown {
  const { type } = describeSettings(operation).find((setting) => setting.name === name)!
  if (type === 'number' || type === 'integer') return Number(value)
  if (type === 'boolean') return value === 'true'
  return type === 'points' ? JSON.parse(value) : value
}

/** `fennip operations`: what there is, with settings, ranges and defaults, from the schemas. */
export function operations(args: string[]): void {
  const { positionals } = parse(args, {}, [0, 1])
  const [name] = positionals
  const list = name ? [operationOf(name)] : allOperations()
  for (const operation of list) {
    process.stdout.write(`${operation.name}  (${operation.stage}, ${operation.form}, version ${operation.version})\n  ${operation.trouble}\n`)
    for (const setting of describeSettings(operation)) {
      const range = setting.type === 'number' || setting.type === 'integer' ? `${setting.minimum} to ${setting.maximum}${setting.unit ? ` ${setting.unit}` : ''}` : setting.type === 'choice' ? setting.choices.join('|') : setting.type
      process.stdout.write(`  --set ${setting.name}=   ${range}, default ${JSON.stringify(setting.default)}   ${setting.help}\n`)
    }
  }
  if (list.length === 0) throw new ProblemError('operation-unknown', { title: 'There is no such operation', detail: `${name} is not known.`, status: 404 })
}
