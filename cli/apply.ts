import { outputFormatOfName } from '@fennip/codec/formats.js'
import { OutputSchema, type OutputRequest } from '@fennip/core/output/output.js'
import { validateOutput } from '@fennip/core/treatment/generated/validators.js'
import { checkDocument } from '@fennip/core/treatment/validate.js'
import { parse, UsageError } from './parse.js'
import { treated } from './treated.js'
import { writeFinished } from './write-finished.js'

/** `fennip apply`: render a treatment into a file of any format. */
export async function apply(args: string[]): Promise<void> {
  const { lists, positionals } = parse(args, {}, 3, ['set'])
  const [input, treatmentPath, path] = positionals as [string, string, string]
  const format = outputFormatOfName(path)
  const asked = checkDocument<OutputRequest>(validateOutput, { ...settingsOf(lists.set ?? []), format }, 'What is set')
  await writeFinished(await treated(input, treatmentPath), path, asked)
}

/** Values of `--set` as the schema has them. */
function settingsOf(pairs: readonly string[]): Record<string, unknown> {
  return Object.fromEntries(pairs.map((pair) => {
    const at = pair.indexOf('=')
    const [name, value] = [pair.slice(0, at), pair.slice(at + 1)]
    const schema = (OutputSchema.properties as Record<string, { type?: string; anyOf?: { const: unknown }[] }>)[name]
    if (at < 1 || !schema || name === 'format') throw new UsageError(`--set ${pair}: there is no setting of that name; known are ${Object.keys(OutputSchema.properties).filter((known) => known !== 'format').join(', ')}.`)
    if (schema.type === 'boolean') return [name, value === 'true' ? true : value === 'false' ? false : value]
    return [name, schema.type === 'string' || schema.anyOf?.some((choice) => typeof choice.const === 'string') ? value : Number(value)]
  }))
}
