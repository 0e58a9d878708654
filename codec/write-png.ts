import { once } from 'node:events'
import { crc32, createDeflate, deflateSync } from 'node:zlib'
import type { Metadata } from './read.js'
import type { PictureRows } from './rows.js'
import type { Sink } from './sink.js'

/** Rows that are filtered and deflated together. */
const ROWS_AT_ONCE = 64
/** Bytes of one IDAT chunk, so that a reader may decode piece by piece. */
const CHUNK_BYTES = 2 ** 18

/**
 * Write a PNG some rows at a time, so that memory does not grow with the picture.
 *
 * PNG 3rd edition: chunks (5), IHDR 11.2.1, iCCP 11.3.2.3, pHYs 11.3.4.3, eXIf 11.3.4.4, filters 9 with the heuristic of
 * section 12.7 (least sum of absolute differences). No package writes PNG of 16 bits row by row.
 */
export async function writePng(rows: PictureRows, { icc, exif, resolutionPerInch, xmp }: Metadata, sink: Sink): Promise<void> {
  const { width, height, channels, depth } = rows
  await sink.write(Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a))
  const header = new Uint8Array(13)
  const view = new DataView(header.buffer)
  view.setUint32(0, width)
  view.setUint32(4, height)
  header[8] = depth
  header[9] = [0, 0, 4, 2, 6][channels]!
  await sink.write(pngChunk('IHDR', header))
  if (icc) await sink.write(pngChunk('iCCP', Uint8Array.from([...latin('profile'), 0, 0, ...deflateSync(icc)])))
  if (resolutionPerInch) {
    const content = new Uint8Array(9)
    const perMetre = Math.round(resolutionPerInch / 0.0254)
    new DataView(content.buffer).setUint32(0, perMetre)
    new DataView(content.buffer).setUint32(4, perMetre)
    content[8] = 1
    await sink.write(pngChunk('pHYs', content))
  }
  if (exif) await sink.write(pngChunk('eXIf', exif))
  // PNG 3rd edition 11.3.3.4: keyword, no compression, no language, then the text.
  if (xmp) await sink.write(pngChunk('iTXt', Uint8Array.from([...latin(XMP_KEYWORD), 0, 0, 0, 0, 0, ...xmp])))

  const packer = createDeflate({ level: 6, chunkSize: CHUNK_BYTES })
  const writing = (async () => {
    for await (const part of packer) await sink.write(pngChunk('IDAT', part as Uint8Array))
  })()
  const filters = new RowFilters(width * channels * (depth / 8), channels * (depth / 8))
  for (let y = 0; y < height; y += ROWS_AT_ONCE) {
    const count = Math.min(ROWS_AT_ONCE, height - y)
    const filtered = filters.filter(bigEndian((await rows.read(y, count)).data), count)
    // What cannot be written ends the deflating, and with it the waiting.
    if (!packer.write(filtered)) await Promise.race([once(packer, 'drain'), writing])
  }
  packer.end()
  await writing
  await sink.write(pngChunk('IEND', new Uint8Array(0)))
}

/** Keyword of an XMP packet in a PNG file (ISO 16684-3 as PNG 3rd edition names it). */
const XMP_KEYWORD = 'XML:com.adobe.xmp'

const latin = (text: string) => Uint8Array.from(text, (character) => character.charCodeAt(0))

export function pngChunk(name: string, content: Uint8Array): Uint8Array {
  const chunk = new Uint8Array(content.length + 12)
  const view = new DataView(chunk.buffer)
  view.setUint32(0, content.length)
  chunk.set(latin(name), 4)
  chunk.set(content, 8)
  view.setUint32(8 + content.length, crc32(chunk.subarray(4, 8 + content.length)))
  return chunk
}

function bigEndian(data: Uint8Array | Uint16Array): Uint8Array {
  if (data instanceof Uint8Array) return data
  // Made from an array of bytes, a buffer is a copy.
  return Buffer.from(new Uint8Array(data.buffer, data.byteOffset, data.byteLength)).swap16()
}

/** Filters of rows, each chosen by its least sum of absolute differences; Paeth is left out, which costs most and gains least on photographs. */
class RowFilters {
  private before: Uint8Array
  private readonly tries: Uint8Array[]

  constructor(private readonly rowBytes: number, private readonly pixelBytes: number) {
    this.before = new Uint8Array(rowBytes)
    this.tries = Array.from({ length: 3 }, () => new Uint8Array(rowBytes))
  }

  filter(bytes: Uint8Array, rows: number): Uint8Array {
    const { rowBytes, pixelBytes, tries } = this
    const result = new Uint8Array(rows * (rowBytes + 1))
    const [left, up, mean] = tries as [Uint8Array, Uint8Array, Uint8Array]
    for (let y = 0; y < rows; y++) {
      const row = bytes.subarray(y * rowBytes, (y + 1) * rowBytes)
      const { before } = this
      let [ofLeft, ofUp, ofMean] = [0, 0, 0]
      for (let i = 0; i < rowBytes; i++) {
        const a = i >= pixelBytes ? row[i - pixelBytes]! : 0
        const b = before[i]!
        const value = row[i]!
        const d1 = (value - a) & 255
        const d2 = (value - b) & 255
        const d3 = (value - ((a + b) >> 1)) & 255
        left[i] = d1
        up[i] = d2
        mean[i] = d3
        ofLeft += d1 < 128 ? d1 : 256 - d1
        ofUp += d2 < 128 ? d2 : 256 - d2
        ofMean += d3 < 128 ? d3 : 256 - d3
      }
      const best = ofLeft <= ofUp && ofLeft <= ofMean ? 1 : ofUp <= ofMean ? 2 : 3
      result[y * (rowBytes + 1)] = best
      result.set(tries[best - 1]!, y * (rowBytes + 1) + 1)
      this.before = row
    }
    this.before = this.before.slice()
    return result
  }
}
