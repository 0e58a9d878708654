import { isBare } from './iptc.js'
import type { Metadata } from './read.js'

/**
 * Put profile, Exif and resolution into an encoded file. Done on the container, so that no library converts pixels to
 * the profile that is only to be named.
 */
export function embedMetadata(bytes: Uint8Array, format: 'jpeg' | 'webp', metadata: Metadata): Uint8Array {
  return format === 'jpeg' ? intoJpeg(bytes, metadata) : intoWebp(bytes, metadata)
}

function concatenate(parts: readonly Uint8Array[]): Uint8Array {
  const result = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0))
  let at = 0
  for (const part of parts) {
    result.set(part, at)
    at += part.length
  }
  return result
}

const text = (value: string) => Uint8Array.from(value, (character) => character.charCodeAt(0))

/** JFIF density; Exif (Exif 2.32, 4.7.2) and XMP (ISO 16684-3) in APP1; profile in APP2 chunks (ICC.1:2022 B.4). */
function intoJpeg(bytes: Uint8Array, { icc, exif, resolutionPerInch, xmp, iptc }: Metadata): Uint8Array {
  const segment = (marker: number, content: Uint8Array) => concatenate([Uint8Array.of(0xff, marker, (content.length + 2) >> 8, (content.length + 2) & 255), content])
  const density = Math.round(resolutionPerInch ?? 72)
  const parts = [
    Uint8Array.of(0xff, 0xd8),
    segment(0xe0, concatenate([text('JFIF\0'), Uint8Array.of(1, 1, 1, density >> 8, density & 255, density >> 8, density & 255, 0, 0)])),
  ]
  if (exif && exif.length < 65000) parts.push(segment(0xe1, concatenate([text('Exif\0\0'), exif])))
  // XMP in APP1 by its own name; what does not fit one segment is left out. IPTC-IIM in APP13, as it came in a JPEG file.
  if (xmp && xmp.length < 65000) parts.push(segment(0xe1, concatenate([text('http://ns.adobe.com/xap/1.0/\0'), xmp])))
  if (iptc && iptc.length < 65000 && !isBare(iptc)) parts.push(segment(0xed, iptc))
  if (icc) {
    const room = 65000
    const count = Math.ceil(icc.length / room)
    for (let i = 0; i < count; i++) parts.push(segment(0xe2, concatenate([text('ICC_PROFILE\0'), Uint8Array.of(i + 1, count), icc.subarray(i * room, (i + 1) * room)])))
  }
  // Skip what the encoder wrote of these segments itself.
  let at = 2
  while (bytes[at] === 0xff && [0xe0, 0xe1, 0xe2].includes(bytes[at + 1]!)) at += 2 + ((bytes[at + 2]! << 8) | bytes[at + 3]!)
  return concatenate([...parts, bytes.subarray(at)])
}

/** The extended form of the container with VP8X, ICCP, EXIF and XMP (WebP container specification). */
function intoWebp(bytes: Uint8Array, { icc, exif, xmp }: Metadata): Uint8Array {
  if (!icc && !exif && !xmp) return bytes
  const chunk = (name: string, content: Uint8Array) => {
    const frame = new Uint8Array(8 + content.length + (content.length % 2))
    frame.set(text(name))
    new DataView(frame.buffer).setUint32(4, content.length, true)
    frame.set(content, 8)
    return frame
  }
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const body: Uint8Array[] = []
  let flags = (icc ? 0x20 : 0) | (exif ? 0x08 : 0) | (xmp ? 0x04 : 0)
  let width = 0
  let height = 0
  for (let at = 12; at + 8 <= bytes.length; ) {
    const name = String.fromCharCode(...bytes.subarray(at, at + 4))
    const size = view.getUint32(at + 4, true)
    if (name === 'VP8X') {
      flags |= bytes[at + 8]! & 0x10
      width = 1 + (bytes[at + 12]! | (bytes[at + 13]! << 8) | (bytes[at + 14]! << 16))
      height = 1 + (bytes[at + 15]! | (bytes[at + 16]! << 8) | (bytes[at + 17]! << 16))
    } else if (name === 'VP8 ' && width === 0) {
      width = view.getUint16(at + 14, true) & 0x3fff
      height = view.getUint16(at + 16, true) & 0x3fff
    } else if (name === 'VP8L' && width === 0) {
      const packed = view.getUint32(at + 9, true)
      width = 1 + (packed & 0x3fff)
      height = 1 + ((packed >>> 14) & 0x3fff)
      if ((packed >>> 28) & 1) flags |= 0x10
    }
    if (!['VP8X', 'ICCP', 'EXIF', 'XMP '].includes(name)) body.push(bytes.subarray(at, at + 8 + size + (size % 2)))
    at += 8 + size + (size % 2)
  }
  const [w, h] = [width - 1, height - 1]
  const extended = Uint8Array.of(flags, 0, 0, 0, w & 255, (w >> 8) & 255, w >> 16, h & 255, (h >> 8) & 255, h >> 16)
  const content = concatenate([text('WEBP'), chunk('VP8X', extended), ...(icc ? [chunk('ICCP', icc)] : []), ...body, ...(exif ? [chunk('EXIF', exif)] : []), ...(xmp ? [chunk('XMP ', xmp)] : [])])
  return chunk('RIFF', content)
}
