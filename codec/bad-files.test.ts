import { describe, expect, it } from 'vitest'
import { mkdtemp, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import { ProblemError } from '@fennip/core/problem.js'
import { makeRandom } from '@fennip/core/random.js'
import { readDirectories } from './tiff/directory.js'
import { checkWhole, DAMAGED_NOTE, readPicture } from './read.js'
import { makeTiff, testPage, testSamples, type Tags } from './tiff/test-tiff.js'

const folder = await mkdtemp(join(tmpdir(), 'fennip-bad-'))
let count = 0
async function read(bytes: Uint8Array, name = 'scan.tif') {
  const path = join(folder, `${count++}.bin`)
  await writeFile(path, bytes)
  const picture = await readPicture(path, name)
  await checkWhole(path, name)
  return picture
}
async function problemOf(bytes: Uint8Array, name = 'scan.tif'): Promise<ProblemError> {
  const error = await read(bytes, name).then(() => null, (thrown: unknown) => thrown)
  expect(error, 'it was taken in').toBeInstanceOf(ProblemError)
  expect((error as ProblemError).detail).toContain(name)
  return error as ProblemError
}
const set = (tag: number, ...values: number[]): Tags => ({ [tag]: { type: 4, values } })

describe('a TIFF that cannot be decoded whole is refused', () => {
  for (const [method, word] of [[50000, 'ZSTD'], [34925, 'LZMA'], [34712, 'JPEG 2000'], [34887, 'LERC'], [6, 'old-style JPEG']] as const) {
    it(`compressed by ${word}: by name, with what to do`, async () => {
      const problem = await problemOf(makeTiff([testPage(40, 30, { tags: { 259: { type: 3, values: [method] } } })]))
      expect(problem.type).toBe('compression-unknown')
      expect(problem.detail).toContain(word)
      expect(problem.detail).toContain('LZW or deflate')
    })
  }
  for (const deflated of [true, false]) {
    it(`strips outside the file, of no bytes, or missing (${deflated ? 'deflated' : 'uncompressed'})`, async () => {
      for (const tags of [set(273, 99_999_999, 8, 8, 8), set(279, 0, 0, 0, 0), set(273, 8), set(279, 4_000_000_000, 9, 9, 9)]) {
        expect((await problemOf(makeTiff([testPage(40, 32, { rows: 8, deflated, tags })]))).type).toBe('file-damaged')
      }
    })
  }
  it('a deflated one with any byte of its picture flipped, 60 of 60', async () => {
    const whole = makeTiff([testPage(200, 150, { deflated: true, rows: 16 })])
    await expect(read(whole)).resolves.toBeDefined()
    const pictureBytes = testPage(200, 150, { deflated: true, rows: 16 }).strips.reduce((sum, strip) => sum + strip.length, 0)
    const random = makeRandom(5)
    for (let k = 0; k < 60; k++) {
      const bytes = whole.slice()
      const at = 8 + Math.floor(random.uniform() * pictureBytes)
      bytes[at]! ^= 1 << Math.floor(random.uniform() * 8)
      expect((await problemOf(bytes)).type).toBe('file-damaged')
    }
  })
  it('garbage in place of a deflated or LZW stream', async () => {
    for (const method of [8, 5]) {
      const page = testPage(60, 40, { tags: { 259: { type: 3, values: [method] } } })
      const random = makeRandom(3)
      const garbage = Uint8Array.from({ length: 2000 }, () => random.integer() & 255)
      expect((await problemOf(makeTiff([{ ...page, strips: [garbage] }]))).type).toBe('file-damaged')
    }
  })
  it('one that claims far more than it holds, before it costs memory', async () => {
    const before = process.memoryUsage().rss
    const page = testPage(40, 30, { deflated: true, tags: { ...set(256, 17000), ...set(257, 17000), ...set(278, 17000) } })
    expect((await problemOf(makeTiff([page]))).type).toBe('file-damaged')
    expect(process.memoryUsage().rss - before).toBeLessThan(100e6)
  })
  it('a PNG that claims far more than it holds', async () => {
    const small = await sharp({ create: { width: 8, height: 8, channels: 3, background: '#888' } }).png().toBuffer()
    const { crc32 } = await import('node:zlib')
    const view = new DataView(small.buffer, small.byteOffset)
    view.setUint32(16, 16000)
    view.setUint32(20, 16000)
    view.setUint32(29, crc32(small.subarray(12, 29)))
    expect((await problemOf(small, 'wide.png')).type).toBe('file-damaged')
  })
})

describe('what is only unsupported is not called damaged', () => {
  for (const bits of [10, 12, 14]) {
    it(`${bits} bits a sample`, async () => {
      const problem = await problemOf(makeTiff([testPage(40, 30, { bits: 16, tags: { 258: { type: 3, values: [bits, bits, bits] } } })]))
      expect(problem.type).toBe('depth-unknown')
      expect(problem.detail).toContain(`${bits} bits`)
    })
  }
  it('CIELab', async () => expect((await problemOf(makeTiff([testPage(40, 30, { tags: { 262: { type: 3, values: [8] } } })]))).detail).toContain('CIELab'))
  it('tiles of one colour each', async () => {
    const tags = { ...set(322, 16), ...set(323, 16), 284: { type: 3 as const, values: [2] } }
    expect((await problemOf(makeTiff([testPage(16, 16, { tags })]))).type).toBe('layout-unknown')
  })
  it('JPEG of 12 bits (frame header by ISO/IEC 10918-1 B.2.2)', async () => {
    const jpeg = await sharp({ create: { width: 16, height: 16, channels: 3, background: '#888' } }).jpeg().toBuffer()
    const at = jpeg.findIndex((byte, i) => byte === 0xff && (jpeg[i + 1] === 0xc0 || jpeg[i + 1] === 0xc2))
    jpeg[at + 4] = 12
    const problem = await problemOf(jpeg, 'medical.jpg')
    expect(problem.type).toBe('depth-unknown')
    expect(problem.detail).toContain('12 bits')
  })
  it('raw samples of a camera behind a thumbnail (TIFF/EP)', async () => {
    const raw = testPage(80, 60, { samples: 1, bits: 16, tags: { 262: { type: 3, values: [32803] } } })
    const thumbnail = testPage(16, 12, { tags: { 254: { type: 4, values: [1] } } })
    const problem = await problemOf(makeTiff([{ ...thumbnail, children: [raw] }]), 'frame.tif')
    expect(problem.type).toBe('raw-file')
    expect(problem.detail).toContain('Develop it')
  })
})

describe('legitimate TIFF files are read', () => {
  for (const bits of [8, 16] as const) {
    for (const samples of [1, 3] as const) {
      it(`BigTIFF of ${bits} bits and ${samples} channel(s): every sample`, async () => {
        const picture = await read(makeTiff([testPage(50, 40, { bits, samples })], true))
        const { data } = picture.pixels
        expect(new Uint8Array(data.buffer, data.byteOffset, data.byteLength)).toEqual(testSamples(50, 40, samples, bits))
      })
    }
  }
  it('with 60 MB of private tags', async () => {
    const picture = await read(makeTiff([testPage(50, 40, { tags: { 65000: { type: 7, bytes: new Uint8Array(60e6) } } })]))
    expect(picture.pixels).toMatchObject({ width: 50, height: 40 })
    expect(picture.header.metadata.exif?.length ?? 0).toBeLessThan(1000)
  })
  it('whose first page is a reduced preview: the full one is meant, and a note says so', async () => {
    const preview = testPage(16, 12, { tags: { 254: { type: 4, values: [1] } } })
    for (const file of [makeTiff([preview, testPage(64, 48)]), makeTiff([{ ...preview, children: [testPage(64, 48)] }])]) {
      const picture = await read(file)
      expect(picture.pixels).toMatchObject({ width: 64, height: 48 })
      expect(new Uint8Array(picture.pixels.data)).toEqual(testSamples(64, 48, 3, 8))
      expect(picture.header.notes.join(' ')).toContain('preview')
    }
  })
})

describe('damaged JPEG data', () => {
  it('are taken in with a warning, and whole ones without', async () => {
    const random = makeRandom(2)
    const samples = Buffer.from(Uint8Array.from({ length: 900 * 600 * 3 }, (_value, i) => ((i >> 3) + (random.integer() & 31)) & 255))
    const jpeg = await sharp(samples, { raw: { width: 900, height: 600, channels: 3 } }).jpeg().toBuffer()
    expect((await read(jpeg, 'whole.jpg')).header.notes).not.toContain(DAMAGED_NOTE)
    // Three hundred bytes are gone, as after a bad copy.
    const damaged = Buffer.concat([jpeg.subarray(0, jpeg.length >> 1), jpeg.subarray((jpeg.length >> 1) + 300)])
    expect((await read(damaged, 'hurt.jpg')).header.notes).toContain(DAMAGED_NOTE)
  })
})

describe('Exif that multiplies itself', () => {
  it('is read within its bounds: entries that lie over one another cost neither time nor memory', () => {
    // 30 000 entries that all point to the same 300 kB.
    const entries = 30000
    const bytes = new Uint8Array(8 + 2 + 12 * entries + 4)
    const view = new DataView(bytes.buffer)
    bytes.set([0x49, 0x49, 42, 0, 8, 0, 0, 0])
    view.setUint16(8, entries, true)
    for (let i = 0; i < entries; i++) {
      const at = 10 + 12 * i
      view.setUint16(at, i + 1000, true)
      view.setUint16(at + 2, 7, true)
      view.setUint32(at + 4, 300000, true)
      view.setUint32(at + 8, 8, true)
    }
    const began = performance.now()
    const tree = readDirectories(bytes)!
    const kept = [...tree.main.values()].reduce((sum, entry) => sum + entry.bytes.length, 0)
    expect(kept).toBeLessThanOrEqual(16 * 2 ** 20)
    // Copying without bounds took 9 GB and 27 s.
    expect(performance.now() - began).toBeLessThan(2000)
  })
})
