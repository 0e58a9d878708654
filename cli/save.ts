import type { formatOfName } from '@fennip/codec/formats.js'
import type { DecodedPicture } from '@fennip/codec/read.js'
import { rowsOf } from '@fennip/codec/rows.js'
import { fillFile } from '@fennip/codec/sink.js'
import { writePicture } from '@fennip/codec/write.js'
import { formatLosses } from '@fennip/core/output/plan-output.js'

/** Write a picture at its own depth; what the format cannot hold is said. */
export async function save(path: string, picture: DecodedPicture, format: ReturnType<typeof formatOfName>): Promise<void> {
  const options = { format, depth: picture.header.depth, quality: 95 }
  for (const loss of formatLosses({ depth: picture.header.depth, hasAlpha: picture.alpha !== null }, options)) process.stderr.write(`fennip: ${loss}\n`)
  await fillFile(path, (sink) => writePicture(rowsOf(picture.pixels, picture.alpha), picture.header.metadata, options, sink))
}
