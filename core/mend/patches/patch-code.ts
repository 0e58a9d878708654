import { ProblemError } from '../../problem.js'
import { makeRaster, type Depth, type Region } from '../../raster/raster.js'
import type { Patch, PatchLevel } from './patch.js'

/** The part of a patch file that is text. */
interface PatchHead {
  readonly key: string
  readonly region: Region
  readonly channels: number
  readonly depth: Depth
  readonly levels: readonly Region[]
}

/**
 * A patch as bytes: length of the head (4 bytes, little-endian), the head as JSON, the pixels, one byte a pixel for
 * what was touched, then the changes of the smaller levels as 32 bit floats.
 */
export function packPatch(patch: Patch): Uint8Array {
  const { key, region, pixels, touched } = patch
  const depth: Depth = pixels.data instanceof Uint8Array ? 8 : 16
  const head: PatchHead = { key, region, channels: pixels.channels, depth, levels: patch.levels.map((level) => level.region) }
  const text = new TextEncoder().encode(JSON.stringify(head))
  const parts = [text, bytesOf(pixels.data), touched, ...patch.levels.map((level) => bytesOf(level.change))]
  const result = new Uint8Array(4 + parts.reduce((sum, part) => sum + part.length, 0))
  new DataView(result.buffer).setUint32(0, text.length, true)
  let at = 4
  for (const part of parts) {
    result.set(part, at)
    at += part.length
  }
  return result
}

/** Undo `packPatch`. @throws {ProblemError} when the bytes are not a whole patch. */
export function unpackPatch(packed: Uint8Array): Patch {
  // Node hands out its own kind of bytes, whose slices are no copies.
  const bytes = new Uint8Array(packed.buffer, packed.byteOffset, packed.byteLength)
  try {
    const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true)
    const head = JSON.parse(new TextDecoder().decode(bytes.subarray(4, 4 + length))) as PatchHead
    let at = 4 + length
    const take = (size: number): Uint8Array => {
      if (at + size > bytes.length) throw new RangeError('cut off')
      // A copy, so that wider samples are aligned.
      const part = bytes.slice(at, at + size)
      at += size
      return part
    }
    const { region, channels, depth } = head
    const pixels = makeRaster(region.width, region.height, channels, depth)
    const raw = take(pixels.data.byteLength)
    pixels.data.set(depth === 8 ? raw : new Uint16Array(raw.buffer))
    const touched = take(region.width * region.height)
    const levels = head.levels.map((small): PatchLevel => ({ region: small, change: new Float32Array(take(4 * small.width * small.height * channels).buffer) }))
    return { key: head.key, region, pixels, touched, levels }
  } catch {
    throw new ProblemError('patch-damaged', { title: 'A stored mend is damaged', detail: 'A stored mend cannot be read; it is computed anew.', status: 500 })
  }
}

function bytesOf(samples: Uint8Array | Uint16Array | Float32Array): Uint8Array {
  return new Uint8Array(samples.buffer, samples.byteOffset, samples.byteLength)
}
