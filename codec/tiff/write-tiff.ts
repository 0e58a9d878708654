import { promisify } from 'node:util'
import { deflate } from 'node:zlib'
import { bytesEntry, longEntry, longsEntry, rationalEntry, readDirectories, shortEntry, shortsEntry, TAG, writeDirectories, type Directory } from './directory.js'
import { bareDataSets } from '../iptc.js'
import type { Metadata } from '../read.js'
import type { PictureRows } from '../rows.js'
import type { Sink } from '../sink.js'

const compress = promisify(deflate)

/** Bytes of samples in one strip; TIFF 6.0 (section 3) recommends 8 kB, from a time of less memory. */
const STRIP_BYTES = 2 * 2 ** 20
/** Strips that wait to be deflated: as many as are made at once, so that no thread is idle while more are made. */
const STRIPS_TOGETHER = 12

/**
 * Write a TIFF of deflated strips, a few strips in memory at a time, so that memory does not grow with the picture.
 *
 * TIFF 6.0, baseline sections 3 to 6, horizontal differencing (section 14), ExtraSamples 2 (unassociated alpha,
 * section 18); deflate as TIFF Technical Note 2. No package writes TIFF strip by strip.
 *
 * @param isPlain  Neither deflated nor differenced: what is read again at once.
 */
export async function writeTiff(rows: PictureRows, { icc, exif, resolutionPerInch, xmp, iptc }: Metadata, sink: Sink, isPlain = false): Promise<void> {
  const { width, height, channels, depth } = rows
  const rowsPerStrip = Math.max(1, Math.min(height, Math.floor(STRIP_BYTES / (width * channels * (depth / 8)))))
  await sink.write(Uint8Array.of(0x49, 0x49, 42, 0, 0, 0, 0, 0))
  const offsets: number[] = []
  const counts: number[] = []
  // Deflating goes on in other threads beside the making of what follows.
  const packing: Promise<Uint8Array>[] = []
  const finish = async () => {
    const packed = await packing.shift()!
    offsets.push(sink.length)
    counts.push(packed.length)
    await sink.write(packed)
  }
  for (let y = 0; y < height; y += rowsPerStrip) {
    const part = await rows.read(y, Math.min(rowsPerStrip, height - y))
    packing.push(isPlain ? Promise.resolve(new Uint8Array(part.data.buffer, part.data.byteOffset, part.data.byteLength)) : compress(differences(part)))
    if (packing.length >= STRIPS_TOGETHER) await finish()
  }
  while (packing.length > 0) await finish()
  const hasAlpha = channels === 2 || channels === 4
  const carried = exif ? readDirectories(exif) : null
  const main: Directory = new Map([
    ...(carried?.main ?? []),
    [TAG.width, longEntry(width)], [TAG.height, longEntry(height)],
    [258, shortsEntry(Array.from({ length: channels }, () => depth))], [259, shortEntry(isPlain ? 1 : 8)], [262, shortEntry(channels <= 2 ? 1 : 2)],
    [273, longsEntry(offsets)], [TAG.orientation, shortEntry(1)], [TAG.samplesPerPixel, shortEntry(channels)], [278, longEntry(rowsPerStrip)], [279, longsEntry(counts)],
    [284, shortEntry(1)], [317, shortEntry(isPlain ? 1 : 2)], ...(hasAlpha ? [[338, shortEntry(2)] as const] : []), [339, shortsEntry(Array.from({ length: channels }, () => 1))],
    ...(icc ? [[TAG.icc, bytesEntry(icc)] as const] : []),
    ...(xmp ? [[TAG.xmp, { ...bytesEntry(xmp), type: 1 }] as const] : []),
    ...(iptc ? [[TAG.iptc, bytesEntry(bareDataSets(iptc))] as const] : []),
    ...(resolutionPerInch ? [[TAG.xResolution, perInch(resolutionPerInch)] as const, [TAG.yResolution, perInch(resolutionPerInch)] as const, [TAG.resolutionUnit, shortEntry(2)] as const] : []),
  ])
  const { bytes, directoryAt } = writeDirectories({ main, ...(carried?.exif ? { exif: carried.exif } : {}), ...(carried?.gps ? { gps: carried.gps } : {}) }, sink.length)
  await sink.write(bytes)
  await sink.rewrite(4, new Uint8Array(Uint32Array.of(directoryAt).buffer))
}

const perInch = (resolution: number) => rationalEntry(Math.round(resolution * 1000), 1000)

/** Every sample less its left neighbour, as little-endian bytes. */
function differences({ width, height, channels, data }: { width: number; height: number; channels: number; data: Uint8Array | Uint16Array }): Uint8Array {
  const result = data.slice()
  const row = width * channels
  for (let y = 0; y < height; y++) {
    for (let i = (y + 1) * row - 1; i >= y * row + channels; i--) result[i] = data[i]! - data[i - channels]!
  }
  return new Uint8Array(result.buffer, result.byteOffset, result.byteLength)
}
