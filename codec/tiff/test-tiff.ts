import { deflateSync } from 'node:zlib'

/** A maker of TIFF files for tests: any tags, any pages, classic or BigTIFF, right or wrong on purpose. */

export type Tags = Record<number, { type: 3 | 4 | 16; values: number[] } | { type: 1 | 2 | 7; bytes: Uint8Array }>

export interface TestPage {
  readonly tags: Tags
  /** Strips; their offsets and byte counts are written unless the tags say others. */
  readonly strips: readonly Uint8Array[]
  readonly children?: readonly TestPage[]
}

const UNIT = { 1: 1, 2: 1, 7: 1, 3: 2, 4: 4, 16: 8 } as const

/** Write a little-endian TIFF (version 42) or BigTIFF (version 43). */
export function makeTiff(pages: readonly TestPage[], big = false): Uint8Array {
  const parts: Uint8Array[] = []
  let length = 0
  const add = (bytes: Uint8Array): number => {
    const at = length
    parts.push(bytes)
    length += bytes.length
    return at
  }
  const head = new Uint8Array(big ? 16 : 8)
  add(head)
  const headView = new DataView(head.buffer)
  headView.setUint16(0, 0x4949)
  headView.setUint16(2, big ? 43 : 42, true)
  if (big) headView.setUint16(4, 8, true)
  const [countBytes, entryBytes, inlineBytes] = big ? [8, 20, 8] : [2, 12, 4]
  let pointer = { view: headView, at: big ? 8 : 4 }
  const setPlace = ({ view, at }: typeof pointer, value: number) => (big ? view.setBigUint64(at, BigInt(value), true) : view.setUint32(at, value, true))

  function writeDirectory({ tags, strips, children = [] }: TestPage): { at: number; next: typeof pointer } {
    const offsets = strips.map((strip) => add(strip))
    const childPlaces = children.map((child) => writeDirectory(child).at)
    const all = {
      273: { type: 4, values: offsets }, 279: { type: 4, values: strips.map((strip) => strip.length) },
      ...(childPlaces.length > 0 ? { 330: { type: 4, values: childPlaces } } : {}), ...tags,
    } as Tags
    const entries = Object.entries(all).map(([tag, value]) => ({ tag: Number(tag), value })).sort((a, b) => a.tag - b.tag)
    const encoded = entries.map(({ tag, value }) => {
      if ('bytes' in value) return { tag, type: value.type, count: value.bytes.length, bytes: value.bytes }
      const bytes = new Uint8Array(value.values.length * UNIT[value.type])
      const view = new DataView(bytes.buffer)
      value.values.forEach((number, i) => (value.type === 3 ? view.setUint16(2 * i, number, true) : value.type === 4 ? view.setUint32(4 * i, number, true) : view.setBigUint64(8 * i, BigInt(number), true)))
      return { tag, type: value.type, count: value.values.length, bytes }
    })
    const placed = encoded.map((entry) => ({ ...entry, place: entry.bytes.length > inlineBytes ? add(entry.bytes) : null }))
    const directory = new Uint8Array(countBytes + entryBytes * placed.length + inlineBytes)
    const view = new DataView(directory.buffer)
    if (big) view.setBigUint64(0, BigInt(placed.length), true)
    else view.setUint16(0, placed.length, true)
    placed.forEach(({ tag, type, count, bytes, place }, i) => {
      const at = countBytes + entryBytes * i
      view.setUint16(at, tag, true)
      view.setUint16(at + 2, type, true)
      if (big) view.setBigUint64(at + 4, BigInt(count), true)
      else view.setUint32(at + 4, count, true)
      if (place === null) directory.set(bytes, at + (big ? 12 : 8))
      else setPlace({ view, at: at + (big ? 12 : 8) }, place)
    })
    return { at: add(directory), next: { view, at: countBytes + entryBytes * placed.length } }
  }

  for (const page of pages) {
    const { at, next } = writeDirectory(page)
    setPlace(pointer, at)
    pointer = next
  }
  const result = new Uint8Array(length)
  let at = 0
  for (const part of parts) {
    result.set(part, at)
    at += part.length
  }
  return result
}

/** Samples of a page that is no single colour, so that a black result is told from a right one. */
export function testSamples(width: number, height: number, samples: number, bits: 8 | 16): Uint8Array {
  const bytes = new Uint8Array(width * height * samples * (bits / 8))
  for (let i = 0; i < bytes.length; i++) bytes[i] = 40 + ((i * 7) % 180)
  return bytes
}

/** A page of 8 or 16 bits, grey or RGB, uncompressed or deflated, in strips of `rows` rows. */
export function testPage(width: number, height: number, options: { bits?: 8 | 16; samples?: 1 | 3; deflated?: boolean; rows?: number; tags?: Tags } = {}): TestPage {
  const { bits = 8, samples = 3, deflated = false, rows = height, tags = {} } = options
  const all = testSamples(width, height, samples, bits)
  const rowBytes = width * samples * (bits / 8)
  const strips: Uint8Array[] = []
  for (let row = 0; row < height; row += rows) {
    const strip = all.subarray(row * rowBytes, Math.min(height, row + rows) * rowBytes)
    strips.push(deflated ? new Uint8Array(deflateSync(strip)) : strip)
  }
  return {
    strips,
    tags: {
      256: { type: 4, values: [width] }, 257: { type: 4, values: [height] }, 258: { type: 3, values: Array.from({ length: samples }, () => bits) },
      259: { type: 3, values: [deflated ? 8 : 1] }, 262: { type: 3, values: [samples === 1 ? 1 : 2] }, 277: { type: 3, values: [samples] }, 278: { type: 4, values: [rows] }, ...tags,
    },
  }
}
