import type { FileHandle } from 'node:fs/promises'

/** Segments that are gone through before the frame header; more than any camera writes. */
const MOST_SEGMENTS = 4000

/**
 * Bits of a sample as the frame header of a JPEG file says, without its pixels.
 *
 * ISO/IEC 10918-1 B.2.2: SOF0 to SOF15, but for DHT, JPG and DAC, carry the precision as their first byte.
 *
 * @returns Null when no frame header is found.
 */
export async function jpegPrecision(file: FileHandle): Promise<number | null> {
  const head = new Uint8Array(5)
  for (let at = 2, n = 0; n < MOST_SEGMENTS; n++) {
    const { bytesRead } = await file.read(head, 0, 5, at)
    if (bytesRead < 5 || head[0] !== 0xff) return null
    const marker = head[1]!
    if (marker === 0xff) {
      at++
      continue
    }
    if (marker >= 0xc0 && marker <= 0xcf && marker !== 0xc4 && marker !== 0xc8 && marker !== 0xcc) return head[4]!
    if (marker === 0xda || marker === 0xd9) return null
    at += 2 + ((head[2]! << 8) | head[3]!)
  }
  return null
}
