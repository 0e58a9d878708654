import { outputFormatOfName } from '@fennip/codec/formats.js'
import { fillFile } from '@fennip/codec/sink.js'
import { completeOutput, OutputSchema, type OutputRequest } from '@fennip/core/output/output.js'
import { DEEP_OUTPUTS } from '@fennip/core/output/plan-output.js'
import { validateOutput } from '@fennip/core/treatment/generated/validators.js'
import { checkDocument } from '@fennip/core/treatment/validate.js'
import { Chain } from '@fennip/core/render/chain.js'
import { planOf, writeOutput } from '@fennip/delivery/write-output.js'
import { parse, UsageError } from './parse.js'
import { treated } from './treated.js'

/** Quality of lossy formats on the command line, as of every other command. */
const QUALITY = 95

/** `fennip apply`: render a treatment into a file of any format. */
export async function apply(args: string[]): Promise<void> {
  const { lists, positionals } = parse(args, {}, 3, ['set'])
  const [input, treatmentPath, path] = positionals as [string, string, string]
  const format = outputFormatOfName(path)
  const asked = checkDocument<OutputRequest>(validateOutput, { format, quality: QUALITY, ...settingsOf(lists.set ?? []) }, 'What is set')
  const finished = await treated(input, treatmentPath)
  // What was computed has more than 8 bits; without it the samples are those of the picture.
  const depth = DEEP_OUTPUTS.includes(format) && new Chain(finished.base, finished.treatment).changesPixels ? 16 : finished.base.depth
  const output = completeOutput(asked, depth)
  for (const loss of planOf(finished, output).losses) process.stderr.write(`fennip: ${loss}\n`)
  await fillFile(path, async (sink) => void (await writeOutput(finished, output, sink)))
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
