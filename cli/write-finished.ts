import { outputFormatOfName } from '@fennip/codec/formats.js'
import { fillFile, writeFileWhole } from '@fennip/codec/sink.js'
import { completeOutput, type OutputRequest } from '@fennip/core/output/output.js'
import { DEEP_OUTPUTS } from '@fennip/core/output/plan-output.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import type { Finished } from '@fennip/delivery/finished.js'
import { planOf, writeOutput } from '@fennip/delivery/write-output.js'

/** Quality of lossy formats on the command line. */
const QUALITY = 95

/**
 * Write what a treatment makes of a picture, and say what the file does not hold.
 *
 * @param asked         What of the file is said; the rest follows from its name and the picture.
 * @param treatmentFile Where the treatment is written too, if it is asked for.
 */
export async function writeFinished(finished: Finished, path: string, asked: Partial<OutputRequest> = {}, treatmentFile?: string): Promise<void> {
  const format = outputFormatOfName(path)
  // What was computed has more than 8 bits; without it the samples are those of the picture.
  const depth = DEEP_OUTPUTS.includes(format) && new Chain(finished.base, finished.treatment).changesPixels ? 16 : finished.base.depth
  const output = completeOutput({ quality: QUALITY, ...asked, format }, depth)
  for (const loss of planOf(finished, output).losses) process.stderr.write(`fennip: ${loss}\n`)
  await fillFile(path, async (sink) => void (await writeOutput(finished, output, sink)))
  if (treatmentFile) await writeFileWhole(treatmentFile, new TextEncoder().encode(`${JSON.stringify(finished.treatment, null, 1)}\n`))
}
