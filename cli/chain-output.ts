import type { DecodedPicture } from '@fennip/codec/read.js'
import { DEEP_FORMATS, formatOfName } from '@fennip/codec/formats.js'
import { rowsOf } from '@fennip/codec/rows.js'
import { fillFile, writeFileWhole } from '@fennip/codec/sink.js'
import { lossesOf, writePicture } from '@fennip/codec/write.js'
import { crop } from '@fennip/core/raster/raster.js'
import type { Chain } from '@fennip/core/render/chain.js'
import { rounded } from '@fennip/core/render/samples.js'
import type { Treatment } from '@fennip/core/treatment/schema.js'

/**
 * Write what a chain makes of a picture, and the treatment where it is asked for.
 *
 * @param perInch  Resolution to write; that of the picture without.
 */
export async function writeChain(picture: DecodedPicture, chain: Chain, output: string, treatment: Treatment, treatmentFile: string | undefined, perInch?: number): Promise<void> {
  const { header, pixels } = picture
  const format = formatOfName(output)
  const deep = DEEP_FORMATS.includes(format) ? 16 : 8
  const options = { format, depth: chain.isEmpty ? header.depth : (Math.max(header.depth, chain.changesPixels ? deep : header.depth) as 8 | 16), quality: 95 }
  for (const loss of lossesOf(pixels, picture.alpha !== null, options)) process.stderr.write(`fennip: ${loss}\n`)
  const region = { x: 0, y: 0, width: chain.delivered.width, height: chain.delivered.height }
  const result = chain.isEmpty ? pixels : rounded(chain.deliver(region, 0, (part) => crop(pixels, part)), options.depth)
  const alpha = picture.alpha && (chain.isEmpty ? picture.alpha : rounded(chain.deliverPlane(region, (part) => crop(picture.alpha!, part)), options.depth))
  await fillFile(output, (sink) => writePicture(rowsOf(result, alpha), { ...header.metadata, resolutionPerInch: perInch ?? header.metadata.resolutionPerInch }, options, sink))
  if (treatmentFile) await writeFileWhole(treatmentFile, new TextEncoder().encode(`${JSON.stringify(treatment, null, 1)}\n`))
}
