import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import yazl from 'yazl'
import type { Metadata } from '@fennip/codec/read.js'
import { toEightBits, type PictureRows } from '@fennip/codec/rows.js'
import { fillFile, type Sink } from '@fennip/codec/sink.js'
import { writePng } from '@fennip/codec/write-png.js'
import type { Output } from '@fennip/core/output/output.js'
import type { Conversion } from '@fennip/core/output/convert-profile.js'
import { makeRaster, type IntegerRaster } from '@fennip/core/raster/raster.js'
import type { Finished } from './finished.js'
import { RENDERED_STAGES, renderRows, wholeRaster, type RenderedStage } from './rendering.js'

const LAYER_NAMES: Readonly<Record<RenderedStage, string>> = { original: 'Original', mend: 'Mended', correct: 'Corrected', rebuild: 'Rebuilt', finish: 'Finished' }
/** Longest side of the thumbnail that the format asks for. */
const THUMBNAIL = 256

/**
 * Write the stages of a treatment as layers of an OpenRaster file (specification 0.0.6: mimetype first and not packed,
 * stack.xml, layers as PNG, the flattened picture and a thumbnail).
 *
 * A layer holds the pixels that its stage changed, opaque, and nothing else, so laid over one another they give the very
 * samples of the result. All are in the frame of the result.
 */
export async function writeLayers(finished: Finished, output: Output, metadata: Metadata, conversion: Conversion | null, sink: Sink, onShare: (share: number) => void): Promise<void> {
  const folder = await mkdtemp(join(tmpdir(), 'fennip-layers-'))
  try {
    const { depth } = output
    const stages = RENDERED_STAGES.filter((stage) => isThere(finished, stage))
    const rowsUpTo = (stage: RenderedStage) => renderRows(finished, { stage, depth, conversion })
    const { width, height } = rowsUpTo('original')
    const zip = new yazl.ZipFile()
    zip.addBuffer(Buffer.from('image/openraster'), 'mimetype', { compress: false })
    const layers: { name: string; path: string }[] = []
    for (const [i, stage] of stages.entries()) {
      const path = `data/${stage}.png`
      const rows = i === 0 ? rowsUpTo(stage) : changedRows(rowsUpTo(stages[i - 1]!), rowsUpTo(stage))
      await fillFile(join(folder, `${stage}.png`), (part) => writePng(told(rows, (share) => onShare((i + share) / (stages.length + 1))), metadata, part))
      zip.addFile(join(folder, `${stage}.png`), path, { compress: false })
      layers.unshift({ name: LAYER_NAMES[stage], path })
    }
    const result = rowsUpTo('finish')
    await fillFile(join(folder, 'merged.png'), (part) => writePng(told(result, (share) => onShare((stages.length + share) / (stages.length + 1))), metadata, part))
    zip.addFile(join(folder, 'merged.png'), 'mergedimage.png', { compress: false })
    zip.addBuffer(await thumbnailOf(finished, conversion), 'Thumbnails/thumbnail.png', { compress: false })
    const stack = layers.map(({ name, path }) => `    <layer name="${name}" src="${path}" x="0" y="0" opacity="1.0" visibility="visible" composite-op="svg:src-over" />`).join('\n')
    const resolution = Math.round(metadata.resolutionPerInch ?? 72)
    zip.addBuffer(Buffer.from(`<?xml version="1.0" encoding="UTF-8"?>\n<image version="0.0.6" w="${width}" h="${height}" xres="${resolution}" yres="${resolution}">\n  <stack>\n${stack}\n  </stack>\n</image>\n`), 'stack.xml')
    zip.end()
    for await (const chunk of zip.outputStream) await sink.write(chunk as Uint8Array)
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

/** Whether a stage has anything that changes pixels. */
function isThere({ treatment }: Finished, stage: RenderedStage): boolean {
  if (stage === 'original') return true
  if (stage === 'mend') return treatment.steps.length > 0
  return (treatment.operations ?? []).some((step) => step.enabled && step.stage === stage)
}

const told = (rows: PictureRows, onShare: (share: number) => void): PictureRows => ({
  ...rows,
  read(y, count) {
    onShare(y / rows.height)
    return rows.read(y, count)
  },
})

/** Rows of what differs from the picture below, opaque, and nothing where it is the same. Transparency of the picture itself stays. */
function changedRows(below: PictureRows, above: PictureRows): PictureRows {
  const hasAlpha = above.channels % 2 === 0
  const channels = hasAlpha ? above.channels : above.channels + 1
  const opaque = above.depth === 8 ? 255 : 65535
  return {
    ...above, channels,
    async read(y, count) {
      const [before, after] = [await below.read(y, count), await above.read(y, count)]
      const result: IntegerRaster = makeRaster(after.width, after.height, channels, above.depth)
      for (let i = 0; i < after.width * after.height; i++) {
        const at = i * after.channels
        let differs = false
        for (let c = 0; c < after.channels; c++) if (after.data[at + c] !== before.data[at + c]) differs = true
        if (!differs) continue
        for (let c = 0; c < after.channels; c++) result.data[i * channels + c] = after.data[at + c]!
        if (!hasAlpha) result.data[i * channels + channels - 1] = opaque
      }
      return result
    },
  }
}

async function thumbnailOf(finished: Finished, conversion: Conversion | null): Promise<Buffer> {
  const { data, width, height, channels } = toEightBits(await wholeRaster(renderRows(finished, { longest: THUMBNAIL, depth: 8, conversion })))
  return sharp(data, { raw: { width, height, channels: channels as 1 | 2 | 3 | 4 } }).png().toBuffer()
}
