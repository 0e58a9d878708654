import type { Counts } from '@fennip/core/check/triage.js'
import { completeOutput } from '@fennip/core/output/output.js'
import { contactSheetPdf, type SheetPicture } from '@fennip/delivery/report/contact-sheet.js'
import { currentTreatment } from '../history.js'
import { readJob } from '../pictures.js'
import { outputKey } from '../storage/storage.js'
import type { RunFile } from './export-work.js'
import type { Run } from './runs.js'
import { goOn, type Progress, type WorkTools } from './tools.js'

/** Write the pictures of a job, as they are now, small on pages of a PDF. */
export async function writeContactSheet({ database, storage, threads }: WorkTools, run: Run, progress: Progress): Promise<{ files: RunFile[] }> {
  const { title, client, list } = await readJob(database, run.job!)
  const shown = list.filter(({ setAside }) => !setAside)
  const pictures: SheetPicture[] = []
  for (const [i, { id, name, kind, original, counts, searched }] of shown.entries()) {
    goOn(progress, i / Math.max(1, shown.length))
    const { treatment } = await currentTreatment(database, id)
    const { picture, width, height } = await threads.previewOutput({ treatment, name, kind }, completeOutput({ format: 'jpeg', longestPx: 480 }, original.depth))
    pictures.push({ name, jpeg: Buffer.from(picture.split(',')[1]!, 'base64'), width, height, words: wordsOf(counts, searched) })
  }
  const bytes = await contactSheetPdf({ title, client }, pictures)
  const file = `${run.id}.pdf`
  await storage.write(outputKey(file), bytes)
  return { files: [{ file, name: `${title.replaceAll(/[^\p{L}\p{N} _-]+/gu, '-')} contact sheet.pdf`, bytes: bytes.length }] }
}

/** What stands below a picture. */
function wordsOf({ open = 0, mended = 0, settled = 0, left = 0 }: Partial<Counts>, searched: boolean): string {
  const flaws = open + mended + settled + left
  if (flaws === 0) return searched ? 'no flaws' : 'not searched'
  return `${flaws} ${flaws === 1 ? 'flaw' : 'flaws'}, ${mended + settled} mended${open > 0 ? `, ${open} open` : ''}${left > 0 ? `, ${left} left` : ''}`
}
