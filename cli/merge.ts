import { basename } from 'node:path'
import { formatOfName } from '@fennip/codec/formats.js'
import { readPicture } from '@fennip/codec/read.js'
import { mergeExposures } from '@fennip/core/assemble/bracket/merge.js'
import { ProblemError } from '@fennip/core/problem.js'
import { parse, UsageError } from './parse.js'
import { save } from './save.js'

/** `fennip merge`: exposures of one scene, aligned and merged to 16 bits, moving things from one of them. */
export async function merge(args: string[]): Promise<void> {
  const { values, positionals } = parse(args, { reference: { type: 'string' } }, [3, 10])
  const [output, inputs] = [positionals.at(-1)!, positionals.slice(0, -1)]
  const format = formatOfName(output)
  const asked = values.reference === undefined ? undefined : Number(values.reference)
  if (asked !== undefined && !(Number.isInteger(asked) && asked >= 1 && asked <= inputs.length)) throw new UsageError(`--reference is the number of one of the ${inputs.length} pictures, beginning with 1, not ${values.reference}.`)
  const pictures = []
  for (const input of inputs) pictures.push(await readPicture(input, basename(input)))
  const [first] = pictures
  for (const [i, { header }] of pictures.entries()) {
    if (header.width !== first!.header.width || header.height !== first!.header.height || header.channels !== first!.header.channels) throw new ProblemError('other-size', { title: 'The exposures differ in size', detail: `${basename(inputs[i]!)} is ${header.width} x ${header.height} with ${header.channels} channels, ${basename(inputs[0]!)} ${first!.header.width} x ${first!.header.height} with ${first!.header.channels}. Exposures of a bracket have one size.`, status: 422 })
  }
  const { raster, reference, ratios, moving } = mergeExposures(pictures.map(({ header, pixels }) => ({ pixels, light: header.camera.light })), first!.header.profile.curve, asked === undefined ? undefined : asked - 1)
  process.stderr.write(`fennip: reference ${reference + 1}; light ${ratios.map((ratio) => ratio.toFixed(2)).join(', ')}; ${moving.length} moving ${moving.length === 1 ? 'thing' : 'things'}\n`)
  const base = pictures[reference]!
  await save(output, { ...base, header: { ...base.header, depth: 16 }, pixels: raster, alpha: null }, format)
}
