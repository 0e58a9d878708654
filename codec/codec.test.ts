import { describe, expect, it } from 'vitest'
import { mkdtemp, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import exifr from 'exifr'
import sharp from 'sharp'
import { ProblemError } from '@fennip/core/problem.js'
import { makeRaster } from '@fennip/core/raster/raster.js'
import { makeRandom } from '@fennip/core/random.js'
import { rationalEntry, readDirectories, shortEntry, TAG, textEntry, writeExif } from './tiff/directory.js'
import { FORMATS, type Format } from './formats.js'
import { readHeader, readPicture } from './read.js'
import { rowsOf } from './rows.js'
import { MemorySink, writeFileWhole } from './sink.js'
import { encodePicture, writePicture } from './write.js'
import { makeMatrixProfile } from './test-profile.js'

const folder = await mkdtemp(join(tmpdir(), 'fennip-codec-'))
let count = 0
async function onDisk(bytes: Uint8Array, extension = 'bin'): Promise<string> {
  const path = join(folder, `${count++}.${extension}`)
  await writeFile(path, bytes)
  return path
}

function noisy(width: number, height: number, channels: 1 | 3, depth: 8 | 16) {
  const raster = makeRaster(width, height, channels, depth)
  const random = makeRandom(4)
  for (let i = 0; i < raster.data.length; i++) raster.data[i] = random.integer() & (depth === 8 ? 255 : 65535)
  return raster
}

const exif = writeExif({
  main: new Map([[TAG.make, textEntry('Orrendale Optical')], [TAG.model, textEntry('OT-2')], [TAG.orientation, shortEntry(1)]]),
  exif: new Map([[0x829d, rationalEntry(16)], [0xa434, textEntry('OT 35 mm')]]),
})
const icc = makeMatrixProfile('Test wide', 2.2)

describe('image file directories (TIFF 6.0, section 2)', () => {
  it('reads back what it wrote, in either byte order', () => {
    const tree = readDirectories(exif)!
    expect(new TextDecoder().decode(tree.main.get(TAG.make)!.bytes)).toBe('Orrendale Optical\0')
    expect(tree.exif!.get(0x829d)!.count).toBe(1)
    // Big-endian by hand: one entry, orientation 6.
    const big = Uint8Array.of(0x4d, 0x4d, 0, 42, 0, 0, 0, 8, 0, 1, 1, 18, 0, 3, 0, 0, 0, 1, 0, 6, 0, 0, 0, 0, 0, 0)
    expect(readDirectories(big)!.main.get(TAG.orientation)!.bytes[0]).toBe(6)
  })
  it('is understood by an independent reader (exifr)', async () => {
    const tags = await exifr.parse(Buffer.from(exif), { reviveValues: false })
    expect(tags.Make).toBe('Orrendale Optical')
    expect(tags.FNumber).toBe(16)
    expect(tags.LensModel).toBe('OT 35 mm')
  })
})

describe('writing and reading back', () => {
  for (const format of ['png', 'tiff'] as const) {
    for (const depth of [8, 16] as const) {
      for (const channels of [1, 3] as const) {
        it(`${format} ${depth} bit, ${channels} channel(s): every sample, profile and resolution`, async () => {
          const pixels = noisy(61, 47, channels, depth)
          const profile = channels === 3 ? icc : null
          const path = await onDisk(await encodePicture(pixels, null, { icc: profile, exif, resolutionPerInch: 600 }, { format, depth, quality: 90 }))
          const back = await readPicture(path, 'back')
          expect(back.pixels.data).toEqual(pixels.data)
          expect(back.header.depth).toBe(depth)
          // sharp is the independent reader of the container.
          const meta = await sharp(path).metadata()
          expect(meta.depth).toBe(depth === 16 ? 'ushort' : 'uchar')
          expect(meta.density).toBe(600)
          if (profile) expect(new Uint8Array(meta.icc!)).toEqual(profile)
          expect(back.header.camera.body).toBe('Orrendale Optical OT-2')
          expect(back.header.camera.aperture).toBe(16)
        })
      }
    }
  }
  for (const format of ['jpeg', 'webp'] as const) {
    it(`${format}: profile and Exif are carried, pixels are near`, async () => {
      const pixels = makeRaster(64, 40, 3, 8)
      for (let i = 0; i < pixels.data.length; i++) pixels.data[i] = 100 + Math.floor(i / 3 / 64)
      const path = await onDisk(await encodePicture(pixels, null, { icc, exif, resolutionPerInch: 300 }, { format, depth: 8, quality: 95 }))
      const meta = await sharp(path).metadata()
      expect(new Uint8Array(meta.icc!)).toEqual(icc)
      expect(meta.exif).toBeDefined()
      if (format === 'jpeg') expect(meta.density).toBe(300)
      const back = await readPicture(path, 'back')
      expect(back.header.camera.aperture).toBe(16)
      let worst = 0
      for (let i = 0; i < pixels.data.length; i++) worst = Math.max(worst, Math.abs(pixels.data[i]! - back.pixels.data[i]!))
      expect(worst).toBeLessThanOrEqual(6)
    })
  }
  for (const format of ['jpeg', 'webp'] as const) {
    for (const channels of [1, 3] as const) {
      it(`${format}, ${channels} channel(s): a large picture goes through a file and gives the same samples`, async () => {
        const [pixels, alpha] = [noisy(83, 57, channels, 16), noisy(83, 57, 1, 16)]
        for (const transparency of [null, alpha]) {
          const written = await Promise.all([Infinity, 1000].map(async (largePixels) => {
            const sink = new MemorySink()
            await writePicture(rowsOf(pixels, transparency), { icc: null, exif, resolutionPerInch: 300 }, { format, depth: 8, quality: 92 }, sink, largePixels)
            return sharp(sink.bytes()).raw().toBuffer()
          }))
          expect(written[1]!.equals(written[0]!)).toBe(true)
        }
      })
    }
  }
  it('keeps transparency and answers for it', async () => {
    const pixels = noisy(20, 10, 3, 16)
    const alpha = noisy(20, 10, 1, 16)
    const path = await onDisk(await encodePicture(pixels, alpha, { icc: null, exif: null, resolutionPerInch: null }, { format: 'tiff', depth: 16, quality: 90 }))
    const back = await readPicture(path, 'back')
    expect(back.alpha!.data).toEqual(alpha.data)
    expect(back.pixels.data).toEqual(pixels.data)
    expect(back.header.notes.join()).toContain('transparency')
  })
})

describe('orientation (Exif 2.32, tag 274)', () => {
  for (let orientation = 1; orientation <= 8; orientation++) {
    it(`turns ${orientation} upright as sharp's own rotation does`, async () => {
      const pixels = noisy(9, 5, 3, 8)
      const path = await onDisk(
        new Uint8Array(await sharp(pixels.data, { raw: { width: 9, height: 5, channels: 3 } }).withMetadata({ orientation }).tiff({ compression: 'none' }).toBuffer()),
      )
      const ours = await readPicture(path, 'turned')
      const theirs = await sharp(path).autoOrient().raw().toBuffer({ resolveWithObject: true })
      expect([ours.header.width, ours.header.height]).toEqual([theirs.info.width, theirs.info.height])
      expect(ours.pixels.data).toEqual(new Uint8Array(theirs.data))
    })
  }
})

describe('bad input gets a clear message', () => {
  const problemOf = async (path: string, name: string) => {
    const error = await readPicture(path, name).catch((e: unknown) => e)
    expect(error).toBeInstanceOf(ProblemError)
    return error as ProblemError
  }
  it('zero bytes', async () => expect((await problemOf(await onDisk(new Uint8Array(0)), 'a.jpg')).type).toBe('file-empty'))
  it('text named .tif', async () => expect((await problemOf(await onDisk(new TextEncoder().encode('Dear archive, please find enclosed'), 'tif'), 'letter.tif')).type).toBe('not-a-picture'))
  it('truncated JPEG', async () => {
    const whole = await encodePicture(noisy(300, 200, 3, 8), null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'jpeg', depth: 8, quality: 90 })
    expect((await problemOf(await onDisk(whole.subarray(0, whole.length >> 1)), 'half.jpg')).type).toBe('file-damaged')
  })
  it('100 000 x 100 000 in the header', async () => {
    const whole = await encodePicture(noisy(8, 8, 3, 8), null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'png', depth: 8, quality: 90 })
    const view = new DataView(whole.buffer, whole.byteOffset)
    view.setUint32(16, 100000)
    view.setUint32(20, 100000)
    const { crc32 } = await import('node:zlib')
    view.setUint32(29, crc32(whole.subarray(12, 29)))
    expect((await problemOf(await onDisk(whole), 'huge.png')).type).toBe('picture-too-large')
  })
  it('over the limit of bytes', async () => {
    const path = await onDisk(new Uint8Array(2000).fill(7))
    await expect(readHeader(path, 'big.tif', { bytes: 1000, pixels: 1e6 })).rejects.toMatchObject({ type: 'file-too-large' })
  })
  it('a disk that is full leaves nothing behind', async () => {
    // /dev/full answers every write with ENOSPC (Linux, full(4)); its folder cannot be renamed into, so write there fails first.
    await expect(writeFileWhole('/proc/fennip', new Uint8Array(4))).rejects.toBeDefined()
  })
})

it('knows every format it offers', () => {
  const formats: readonly Format[] = FORMATS
  expect(formats).toEqual(['jpeg', 'png', 'tiff', 'webp'])
})
