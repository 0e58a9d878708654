import { basename } from 'node:path'
import { readTreatment } from '@fennip/core/treatment/validate.js'
import { finishedFile, type Finished } from '@fennip/delivery/finished.js'
import { sha256Of } from './hash.js'
import { readJson } from './read-json.js'

/** A picture with a treatment from a document; one that was made on another file is said, and goes on where it fits. */
export async function treated(input: string, treatmentPath: string): Promise<Finished> {
  const treatment = readTreatment(await readJson(treatmentPath), basename(treatmentPath))
  const finished = await finishedFile(input, basename(input), treatment)
  if ((await sha256Of(input)) !== treatment.original.sha256) process.stderr.write(`fennip: ${basename(input)} is not the very file the treatment was made on; it is applied all the same.\n`)
  return finished
}
