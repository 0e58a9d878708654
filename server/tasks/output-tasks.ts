import type { MessagePort } from 'node:worker_threads'
import { readHeader, readPicture } from '@fennip/codec/read.js'
import type { Medium } from '@fennip/core/find/judging/medium.js'
import type { Output } from '@fennip/core/output/output.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { layPatchesOverTile } from '@fennip/core/mend/patches/patch.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'
import { makeChainMemory, type Finished } from '@fennip/delivery/finished.js'
import { previewOutput as preview, type OutputPreview } from '@fennip/delivery/preview.js'
import { renderResult } from '@fennip/delivery/rendered-result.js'
import { makeReports, type ReportForm } from '@fennip/delivery/report/write-report.js'
import type { ReportFile } from '@fennip/delivery/report/report.js'
import { writeOutput } from '@fennip/delivery/write-output.js'
import { openBase } from '../storage/base.js'
import { hashFile, originalKey, outputKey, type Storage } from '../storage/storage.js'
import { patchesOf, storageAt, type Where } from './tasks.js'
import { tellProgress } from './tell-progress.js'

/** What is handed over of one picture. */
export interface Delivery {
  readonly treatment: Treatment
  readonly name: string
  readonly kind: Medium
}
export interface WantedFile { readonly output: Output; readonly file: string }
export interface WrittenFile { readonly bytes: number; readonly width: number; readonly height: number }

/** A picture of the storage with its treatment, read tile by tile. */
async function finishedOf(storage: Storage, { treatment, name, kind }: Delivery): Promise<Finished> {
  const { source, document, transfer, level: levelOf } = await openBase(storage, treatment.original.sha256)
  const patches = await patchesOf(storage, treatment)
  const path = await storage.localFile(originalKey(treatment.original.sha256))
  const header = await readHeader(path, name)
  const alpha = header.hasAlpha ? (await readPicture(path, name)).alpha : null
  return { name, kind, treatment, base: document, header, original: source, patches, alpha, memory: makeChainMemory(),
    readSmaller(region, level, isMended) {
      const pixels = levelOf(level).read(region)
      if (isMended) layPatchesOverTile(pixels, region, level, patches, transfer)
      return pixels
    },
  }
}

/** Write several files of one result; each appears whole or not at all. The result is made once for all. */
export async function writeOutputs({ where, delivery, wanted, port }: { where: Where; delivery: Delivery; wanted: readonly WantedFile[]; port: MessagePort }): Promise<WrittenFile[]> {
  const storage = storageAt(where)
  const tell = tellProgress(port)
  tell(0.02)
  const finished = await finishedOf(storage, delivery)
  tell(0.1)
  const isShared = wanted.filter(({ output }) => output.content !== 'layers').length > 1 && new Chain(finished.base, finished.treatment).isWorthKeeping
  const begin = isShared ? 0.35 : 0.1
  const rendered = isShared ? await renderResult(finished, (share) => tell(0.1 + (begin - 0.1) * share)) : null
  const written: WrittenFile[] = []
  try {
    for (const [i, { output, file }] of wanted.entries()) {
      const share = (part: number) => tell(begin + ((1 - begin) * (i + 0.95 * part)) / wanted.length)
      await storage.fill(outputKey(file), async (sink) => {
        const { width, height } = await writeOutput(finished, output, sink, rendered, share)
        written.push({ bytes: sink.length, width, height })
      })
    }
  } finally {
    rendered?.end()
  }
  port.close()
  return written
}

/** What a file will be, before it is written. */
export async function previewOutput({ where, delivery, output }: { where: Where; delivery: Delivery; output: Output }): Promise<OutputPreview> {
  return preview(await finishedOf(storageAt(where), delivery), output)
}

/** What a report says besides the picture itself. */
export interface ReportFrame { readonly job: string; readonly client: string; readonly files: readonly (Omit<ReportFile, 'sha256'> & { readonly file: string })[] }

/** Write the report of a picture in each of the forms. */
export async function writeReports({ where, delivery, frame, forms, port }: { where: Where; delivery: Delivery; frame: ReportFrame; forms: readonly { form: ReportForm; file: string }[]; port: MessagePort }): Promise<{ bytes: number }[]> {
  const storage = storageAt(where)
  const tell = tellProgress(port)
  const finished = await finishedOf(storage, delivery)
  const files = await Promise.all(frame.files.map(async ({ file, name, bytes }) => ({ name, bytes, sha256: await hashFile(await storage.localFile(outputKey(file))) })))
  const laidOut = await makeReports(finished, forms.map(({ form }) => form), { job: frame.job, client: frame.client, files, onShare: tell })
  const written = await Promise.all(forms.map(async ({ form, file }) => {
    const bytes = laidOut.get(form)!
    await storage.write(outputKey(file), bytes)
    return { bytes: bytes.length }
  }))
  port.close()
  return written
}
