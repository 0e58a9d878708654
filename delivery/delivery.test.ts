import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import yauzl from 'yauzl'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { rationalEntry, shortEntry, TAG, textEntry, writeExif } from '@fennip/codec/tiff/directory.js'
import { MemorySink } from '@fennip/codec/sink.js'
import { encodePicture } from '@fennip/codec/write.js'
import { completeOutput, type OutputRequest } from '@fennip/core/output/output.js'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import type { Flaw, OperationStep, Step, Treatment } from '@fennip/core/treatment/schema.js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import { finishedFile, type Finished } from './finished.js'
import { previewOutput } from './preview.js'
import { renderResult } from './rendered-result.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { renderRows, wholeRaster } from './rendering.js'
import { measureChanges } from './report/changes.js'
import { makeReports } from './report/write-report.js'
import { writeOutput } from './write-output.js'

/** A small picture with every kind of step, written as it would be handed over and read back by readers of others. */

const WIDTH = 240
const HEIGHT = 160
const folder = mkdtempSync(join(tmpdir(), 'fennip-delivery-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

/** A slope with a fine pattern: no two places are alike. */
function photograph(channels: 1 | 3, deep: boolean): IntegerRaster {
  const most = deep ? 65535 : 255
  const data = deep ? new Uint16Array(WIDTH * HEIGHT * channels) : new Uint8Array(WIDTH * HEIGHT * channels)
  for (let y = 0; y < HEIGHT; y++) for (let x = 0; x < WIDTH; x++) for (let c = 0; c < channels; c++) data[(y * WIDTH + x) * channels + c] = Math.round(most * (0.25 + (0.4 * x) / WIDTH + 0.1 * Math.sin(0.21 * x * (c + 1) + 0.33 * y) + 0.05 * ((x * 7 + y * 13) % 5) / 5))
  return { width: WIDTH, height: HEIGHT, channels, data }
}

const step = (id: string, stage: OperationStep['stage'], operation: string, settings: Record<string, unknown>, more: Partial<OperationStep> = {}): OperationStep => ({ id, stage, operation, version: 1, settings, strength: 1, enabled: true, ...more })
const disc = (x: number, y: number, r: number) => ({ type: 'disc', x, y, r }) as const
const flaw = (id: string, kind: Flaw['kind'], x: number, y: number, state: Flaw['state']): Flaw => ({ id, kind, shape: disc(x, y, 6), state, contrast: 5, weight: 40, confidence: 1, origin: 'found' })
const heal = (id: string, of: string, x: number, y: number): Step => ({ id, stage: 'mend', flaw: of, method: 'heal', methodVersion: 2, shape: disc(x, y, 8), softEdgePx: 3, strength: 1, seed: 1, source: { dx: 40, dy: 10 }, chosenBy: 'fennip', reason: 'for the test' })

async function finished(channels: 1 | 3 = 3, deep = true, change: (treatment: Treatment) => Treatment = (treatment) => treatment, icc: Uint8Array | null = null): Promise<Finished> {
  const exif = writeExif({ main: new Map([[TAG.make, textEntry('Orrendale Optical')], [TAG.artist, textEntry('the society')], [TAG.orientation, shortEntry(1)]]), exif: new Map([[0xa431, textEntry('serial 4711')], [0x829d, rationalEntry(56, 10)]]), gps: new Map([[1, textEntry('N')]]) })
  const path = join(folder, `picture-${channels}-${deep}-${icc ? 'icc' : 'none'}.tif`)
  writeFileSync(path, await encodePicture(photograph(channels, deep), null, { icc, exif, resolutionPerInch: 300 }, { format: 'tiff', depth: deep ? 16 : 8, quality: 90 }))
  const treatment: Treatment = {
    ...emptyTreatment({ sha256: 'a'.repeat(64), width: WIDTH, height: HEIGHT, channels, depth: deep ? 16 : 8 }),
    flaws: [flaw('f1', 'dust', 60, 50, 'settled'), flaw('f2', 'speck', 150, 90, 'mended'), flaw('f3', 'stain', 30, 130, 'left')],
    steps: [heal('m1', 'f1', 60, 50), heal('m2', 'f2', 150, 90)],
    operations: [
      step('o1', 'correct', 'lighten', { tenths: 1 }, { enabled: false }),
      step('o2', 'rebuild', 'draw', { name: 'cable', softPx: 0, grain: 0, strokes: [{ points: [[100, 20], [160, 30]], widthPx: 6, opacity: 90, hardness: 100, tone: Array.from({ length: channels }, () => 0.1), pen: 'opacity' }] }),
      step('o3', 'finish', 'curve', { points: [[0, 0], [0.5, 0.6], [1, 1]] }),
      step('o4', 'finish', 'crop', { x: 10, y: 10, width: 200, height: 140 }),
    ],
    remarks: [{ id: 'r1', x: 120, y: 40, text: 'One <b>cable</b> or two?', answer: 'Two.' }],
  }
  treatment.operations = treatment.operations!.filter(({ operation }) => operation !== 'lighten')
  return finishedFile(path, 'picture.tif', change(treatment))
}

async function written(of: Finished, asked: OutputRequest, rendered = null as Awaited<ReturnType<typeof renderResult>> | null): Promise<{ bytes: Buffer; path: string }> {
  const sink = new MemorySink()
  await writeOutput(of, completeOutput(asked, of.base.depth), sink, rendered, undefined, new Date('2026-11-30T10:00:00Z'))
  const path = join(folder, `out-${Math.random().toString(36).slice(2)}.${asked.format}`)
  const bytes = Buffer.from(sink.bytes())
  writeFileSync(path, bytes)
  return { bytes, path }
}

/** Decoded by the picture library, which shares nothing with our writers of TIFF and PNG. */
async function decoded(bytes: Buffer, deep: boolean): Promise<{ data: ArrayLike<number>; width: number; height: number; channels: number }> {
  const { data, info } = await sharp(bytes, { ignoreIcc: true } as never).pipelineColourspace(deep ? 'rgb16' : 'srgb').toColourspace(deep ? 'rgb16' : 'srgb').raw({ depth: deep ? 'ushort' : 'uchar' }).toBuffer({ resolveWithObject: true })
  return { data: deep ? new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2) : data, width: info.width, height: info.height, channels: info.channels }
}

describe('a file of the result', () => {
  let of: Finished
  let result: IntegerRaster
  beforeAll(async () => {
    of = await finished()
    result = await wholeRaster(renderRows(of, { depth: 16 }))
  })

  for (const format of ['tiff', 'png'] as const) {
    it(`in ${format} holds the very samples`, async () => {
      const read = await decoded((await written(of, { format, depth: 16 })).bytes, true)
      expect([read.width, read.height]).toEqual([200, 140])
      expect(Buffer.from(Uint16Array.from(read.data).buffer).equals(Buffer.from(Uint16Array.from(result.data).buffer))).toBe(true)
    })
  }
  for (const [format, most] of [['jpeg', 3.5], ['webp', 3.5], ['avif', 3.5]] as const) {
    it(`in ${format} is nearly the result`, async () => {
      const { bytes } = await written(of, { format, quality: 95 })
      expect((await sharp(bytes).metadata()).format).toBe(format === 'avif' ? 'heif' : format)
      const read = await decoded(bytes, false)
      let sum = 0
      for (let i = 0; i < result.data.length; i++) sum += Math.abs(read.data[i]! - result.data[i]! / 257)
      expect(sum / result.data.length).toBeLessThan(most)
    })
  }
  it('made smaller agrees with a general-purpose library', async () => {
    const read = await decoded((await written(of, { format: 'tiff', depth: 16, longestPx: 100 })).bytes, true)
    expect([read.width, read.height]).toEqual([100, 70])
    const other = await sharp(Uint16Array.from(result.data), { raw: { width: 200, height: 140, channels: 3 } }).pipelineColourspace('rgb16').resize(100, 70, { kernel: 'lanczos3' }).toColourspace('rgb16').raw({ depth: 'ushort' }).toBuffer()
    const theirs = new Uint16Array(other.buffer, other.byteOffset, other.byteLength / 2)
    let sum = 0
    for (let i = 0; i < theirs.length; i++) sum += Math.abs(theirs[i]! - read.data[i]!) / 65535
    expect(theirs.length).toBe(read.data.length)
    expect(sum / theirs.length).toBeLessThan(0.004)
  })
  it('is the same from what was rendered once for several files', async () => {
    const rendered = await renderResult(of)
    const samples = async (asked: OutputRequest, from: typeof rendered | null) => Array.from((await decoded((await written(of, asked, from)).bytes, true)).data)
    const whole = { format: 'png', depth: 16 } as const
    expect(await samples(whole, rendered)).toEqual(await samples(whole, null))
    const smaller = { ...whole, longestPx: 90, sharpen: 60 }
    expect(await samples(smaller, rendered)).toEqual(await samples(smaller, null))
    rendered.end()
  })
  it('is the same from what was rendered once where the picture is turned, and only what costs is kept', async () => {
    const withStep = (operation: string, settings: Record<string, unknown>) => ({ ...of, treatment: { ...of.treatment, operations: [{ id: 'g', stage: 'finish' as const, operation, version: 1, settings, strength: 1, enabled: true }] } })
    const turned = withStep('turn', { degrees: 3.3 })
    const rendered = await renderResult(turned)
    for (const asked of [{ format: 'png', depth: 16 }, { format: 'png', depth: 16, longestPx: 90 }] as const) {
      const [once, anew] = [await decoded((await written(turned, asked, rendered)).bytes, true), await decoded((await written(turned, asked)).bytes, true)]
      expect(Array.from(once.data)).toEqual(Array.from(anew.data))
    }
    rendered.end()
    expect(new Chain(turned.base, turned.treatment).isWorthKeeping).toBe(true)
    const cut = withStep('crop', { x: 10, y: 10, width: 80, height: 60 })
    expect(new Chain(cut.base, cut.treatment).isWorthKeeping).toBe(false)
  })
  it('sharpened for its size has stronger edges', async () => {
    const [plain, sharp2] = [await decoded((await written(of, { format: 'png', depth: 16 })).bytes, true), await decoded((await written(of, { format: 'png', depth: 16, sharpen: 100 })).bytes, true)]
    const strength = ({ data }: { data: ArrayLike<number> }) => Array.from({ length: 139 * 199 }, (_, i) => Math.abs(data[3 * i]! - data[3 * i + 3]!)).reduce((sum, value) => sum + value, 0)
    expect(strength(sharp2)).toBeGreaterThan(1.1 * strength(plain))
  })
  it('converted to sRGB agrees with the colour management of the picture library', async () => {
    const p3 = new Uint8Array((await sharp(await sharp({ create: { width: 1, height: 1, channels: 3, background: '#888' } }).withIccProfile('p3').png().toBuffer()).metadata()).icc!)
    const wide = await finished(3, true, ({ flaws, operations: _none, ...rest }) => ({ ...rest, flaws, steps: [] }), p3)
    const ours = await decoded((await written(wide, { format: 'png', depth: 8, profile: 'srgb' })).bytes, false)
    const kept = (await written(wide, { format: 'png', depth: 8 })).bytes
    // Without ignoring the profile the library converts to sRGB by itself.
    const theirs = await sharp(kept).raw().toBuffer()
    let worst = 0
    for (let i = 0; i < theirs.length; i++) worst = Math.max(worst, Math.abs(theirs[i]! - ours.data[i]!))
    expect(theirs.length).toBe(ours.data.length)
    expect(worst).toBeLessThanOrEqual(2)
  })
  it('before it is written, its size is told and its bytes are about right', async () => {
    for (const asked of [{ format: 'tiff', depth: 16 }, { format: 'jpeg', quality: 80 }, { format: 'png', depth: 8, longestPx: 120 }] as const) {
      const preview = await previewOutput(of, completeOutput(asked, 16))
      const { bytes } = await written(of, asked)
      const { width, height } = await sharp(bytes).metadata()
      expect([preview.width, preview.height]).toEqual([width, height])
      expect(preview.bytes / bytes.length).toBeGreaterThan(0.5)
      expect(preview.bytes / bytes.length).toBeLessThan(1.6)
      expect((await sharp(Buffer.from(preview.picture.split(',')[1]!, 'base64')).metadata()).format).toBe('jpeg')
    }
  })
  it('that a format cannot hold is refused by name', async () => {
    await expect(written(of, { format: 'jpeg', content: 'layers' })).rejects.toMatchObject({ type: 'size-refused' })
  })
})

describe('what a file says of itself', () => {
  /** exiv2 of Debian reads it: another program altogether. */
  const told = (path: string) => execFileSync('exiv2', ['-pa', '-g', 'Software', '-g', 'GPS', '-g', 'BodySerial', '-g', 'Artist', '-g', 'CreatorTool', '-g', 'DigitalSourceType', '-g', 'rbUnit', '-g', 'Iptc4xmpExt:Name', '-g', 'PixelXDimension', path], { encoding: 'utf8' })

  for (const format of ['jpeg', 'tiff', 'png', 'webp'] as const) {
    it(`in ${format} names program, kind of source and altered places, and keeps or leaves out what is personal`, async () => {
      const of = await finished()
      const kept = told((await written(of, { format })).path)
      expect(kept).toMatch(/Exif\.Image\.Software .*Fennip/)
      expect(kept).toMatch(/Xmp\.xmp\.CreatorTool .*Fennip/)
      expect(kept).toContain('http://cv.iptc.org/newscodes/digitalsourcetype/humanEdits')
      expect(kept.match(/rbUnit.*relative/g)).toHaveLength(2)
      expect(kept).toContain('dust mended')
      expect(kept).toContain('serial 4711')
      expect(kept).toContain('GPSLatitudeRef')
      expect(kept).toMatch(/PixelXDimension .*200/)
      const left = told((await written(of, { format, personal: false })).path)
      expect(left).not.toContain('serial 4711')
      expect(left).not.toContain('GPS')
      expect(left).toContain('the society')
    })
  }
  it('in AVIF carries the same Exif and XMP', async () => {
    const { exif, xmp } = await sharp((await written(await finished(), { format: 'avif' })).bytes).metadata()
    expect(exif!.includes('Fennip')).toBe(true)
    expect(xmp!.toString()).toContain('humanEdits')
  })
  it('an untouched scan is still a print', async () => {
    const of = await finished(3, true, ({ operations: _none, ...rest }) => ({ ...rest, flaws: [], steps: [] }))
    expect(told((await written({ ...of, kind: 'scan' }, { format: 'tiff' })).path)).toContain('digitalsourcetype/print')
  })
})

describe('layers', () => {
  async function unzipped(path: string): Promise<{ names: string[]; stored: boolean; files: Map<string, Buffer> }> {
    const zip = await yauzl.openPromise(path, { lazyEntries: true })
    const files = new Map<string, Buffer>()
    const names: string[] = []
    let stored = false
    for await (const entry of zip.eachEntry()) {
      const parts: Buffer[] = []
      for await (const part of await zip.openReadStreamPromise(entry)) parts.push(part as Buffer)
      if (names.length === 0) stored = entry.compressionMethod === 0
      names.push(entry.fileName)
      files.set(entry.fileName, Buffer.concat(parts))
    }
    return { names, stored, files }
  }

  for (const [channels, deep] of [[3, true], [1, false]] as const) {
    it(`of a picture of ${channels} channels and ${deep ? 16 : 8} bits laid over one another are the result`, async () => {
      const of = await finished(channels, deep)
      const depth = 16
      const { names, stored, files } = await unzipped((await written(of, { format: 'ora', depth })).path)
      // OpenRaster 0.0.6: the type comes first and is not packed.
      expect(names[0]).toBe('mimetype')
      expect(stored).toBe(true)
      expect(files.get('mimetype')!.toString()).toBe('image/openraster')
      const stack = files.get('stack.xml')!.toString()
      const layers = [...stack.matchAll(/src="([^"]+)"/g)].map(([, path]) => path!)
      expect(layers).toEqual(['data/finish.png', 'data/rebuild.png', 'data/mend.png', 'data/original.png'])
      const flat = await decoded(files.get('mergedimage.png')!, true)
      const result = Uint16Array.from((await decoded(files.get(layers.at(-1)!)!, true)).data)
      for (const path of [...layers].reverse().slice(1)) {
        const layer = await decoded(files.get(path)!, true)
        expect(layer.channels).toBe(4)
        for (let i = 0; i < layer.width * layer.height; i++) if (layer.data[4 * i + 3] === 65535) for (let c = 0; c < 3; c++) result[3 * i + c] = layer.data[4 * i + c]!
      }
      expect(Buffer.from(result.buffer).equals(Buffer.from(Uint16Array.from(flat.data).buffer))).toBe(true)
      const delivered = await wholeRaster(renderRows(of, { depth }))
      for (let i = 0; i < delivered.width * delivered.height; i += 97) expect(flat.data[3 * i]).toBe(delivered.data[channels * i])
      expect((await sharp(files.get('Thumbnails/thumbnail.png')!).metadata()).width).toBeLessThanOrEqual(256)
    })
  }
})

describe('a pair', () => {
  it('shows before and after beside one another, with a line of text under them', async () => {
    const of = await finished()
    const page = await decoded((await written(of, { format: 'png', content: 'pair', layout: 'row', caption: 'Before and after', longestPx: 460 })).bytes, false)
    expect(Math.max(page.width, page.height)).toBeLessThanOrEqual(460)
    const at = (x: number, y: number) => page.data[(y * page.width + x) * page.channels]!
    const gap = [...Array(page.width).keys()].find((x) => at(x, Math.floor(page.height / 3)) < 250)!
    // Both halves have pixels, the sheet around them is white, and something is written in the strip at the foot.
    expect(at(0, 0)).toBe(255)
    const middle = Math.floor(page.width / 2)
    expect(at(middle - 2 * gap, 30)).toBeLessThan(250)
    expect(at(middle + 2 * gap, 30)).toBeLessThan(250)
    let ink = 0
    for (let y = page.height - 22; y < page.height - 2; y++) for (let x = gap; x < page.width - gap; x++) if (at(x, y) < 128) ink++
    expect(ink).toBeGreaterThan(20)
  })
  it('of a turned picture the earlier half is turned and made smaller in one go, and lies where the result does', async () => {
    const of = await finished(3, true, (treatment) => ({ ...treatment, steps: [], operations: [step('t', 'finish', 'turn', { degrees: 7 })] }))
    const options = { longest: 96, depth: 16 } as const
    // With nothing but a frame, original and result are one picture; the result is made at its full size first.
    const [before, after] = [await wholeRaster(renderRows(of, { ...options, stage: 'original' })), await wholeRaster(renderRows(of, options))]
    expect([before.width, before.height]).toEqual([after.width, after.height])
    let [squares, shifted, count] = [0, 0, 0]
    for (let y = 16; y < before.height - 16; y++) for (let i = (y * before.width + 20) * 3; i < (y * before.width + before.width - 20) * 3; i++) {
      squares += ((before.data[i]! - after.data[i]!) / 65535) ** 2
      shifted += ((before.data[i]! - after.data[i + 3]!) / 65535) ** 2
      count++
    }
    expect(10 * Math.log10(count / squares)).toBeGreaterThan(38)
    expect(10 * Math.log10(count / shifted)).toBeLessThan(34)
  })
  it('half and half is the original on the left and the result on the right', async () => {
    const of = await finished()
    const page = await decoded((await written(of, { format: 'png', content: 'pair', layout: 'split' })).bytes, false)
    const [before, after] = [await wholeRaster(renderRows(of, { stage: 'original', depth: 8 })), await wholeRaster(renderRows(of, { depth: 8 }))]
    const gap = (page.width - before.width) / 2
    for (const x of [3, 40, 80]) expect(page.data[((70 + gap) * page.width + x + gap) * page.channels]).toBe(before.data[(70 * before.width + x) * 3])
    for (const x of [120, 160, 195]) expect(page.data[((70 + gap) * page.width + x + gap) * page.channels]).toBe(after.data[(70 * after.width + x) * 3])
  })
})

describe('the report', () => {
  it('counts the pixels that each kind of step changed', async () => {
    const of = await finished()
    const { shares } = measureChanges(of)
    // Told from the picture itself: what differs from the original before the rebuilding, and what that adds.
    const [original, mended, rebuilt] = [await wholeRaster(renderRows({ ...of, treatment: { ...of.treatment, operations: [] } }, { stage: 'original', depth: 16 })), await wholeRaster(renderRows({ ...of, treatment: { ...of.treatment, operations: [] } }, { stage: 'mend', depth: 16 })), await wholeRaster(renderRows({ ...of, treatment: { ...of.treatment, operations: of.treatment.operations!.filter(({ stage }) => stage === 'rebuild') } }, { depth: 16 }))]
    const differ = (a: IntegerRaster, b: IntegerRaster, by: number) => Array.from({ length: WIDTH * HEIGHT }, (_, i) => [0, 1, 2].some((c) => Math.abs(a.data[3 * i + c]! - b.data[3 * i + c]!) > by)).filter(Boolean).length / (WIDTH * HEIGHT)
    expect(shares.replaced).toBeCloseTo(differ(original, mended, 0), 6)
    expect(shares.rebuilt).toBeCloseTo(differ(mended, rebuilt, 256), 3)
    expect(shares.lifted).toBe(0)
    expect(shares.corrected).toBe(0)
  })

  it('as PDF has its text, typefaces inside, and pages that are not empty', async () => {
    const reports = await makeReports(await finished(), ['pdf', 'html'], { job: 'Orrendale jubilee book', client: 'the society', now: new Date('2026-11-30T10:00:00Z') })
    const path = join(folder, 'report.pdf')
    writeFileSync(path, reports.get('pdf')!)
    // Poppler of Debian reads it.
    const text = execFileSync('pdftotext', ['-layout', path, '-'], { encoding: 'utf8' })
    for (const words of ['picture.tif', 'Orrendale jubilee book, for the society', '30 November 2026', 'Before and after', 'Where the picture was changed', '3 flaws were found or marked; 2 were mended, 1 left on purpose', 'cable: 1 strokes', 'One <b>cable</b> or two?', 'Answer: Two.', 'Stain at 30, 130: left on purpose', 'a'.repeat(40)]) expect(text).toContain(words)
    const fonts = execFileSync('pdffonts', [path], { encoding: 'utf8' }).split('\n').slice(2).filter(Boolean)
    expect(fonts.length).toBeGreaterThan(0)
    for (const font of fonts) expect(font).toMatch(/HankenGrotesk.* yes +yes/)
    execFileSync('pdftoppm', ['-r', '40', '-png', path, join(folder, 'page')])
    const pages = execFileSync('pdfinfo', [path], { encoding: 'utf8' }).match(/Pages: +(\d+)/)![1]!
    expect(Number(pages)).toBeGreaterThanOrEqual(2)
    for (let i = 1; i <= Number(pages); i++) {
      const { channels } = await sharp(join(folder, `page-${i}.png`)).stats()
      expect(channels[0]!.stdev).toBeGreaterThan(4)
    }
    const html = Buffer.from(reports.get('html')!).toString()
    expect(html).toContain('One &lt;b&gt;cable&lt;/b&gt; or two?')
    expect(html).not.toContain('<script')
    expect(html).not.toMatch(/(src|href)="?https?:/)
  })

  it('speaks of a finish only where there is one', async () => {
    const of = await finished()
    const html = async (operations: typeof of.treatment.operations) => Buffer.from((await makeReports({ ...of, treatment: { ...of.treatment, operations } }, ['html'])).get('html')!).toString()
    const all = of.treatment.operations ?? []
    expect(all.some(({ stage, enabled }) => stage === 'finish' && enabled)).toBe(true)
    expect(await html(all)).toContain('but for the finish')
    expect(await html(all.map((step) => (step.stage === 'finish' ? { ...step, enabled: false } : step)))).not.toContain('but for the finish')
  })

  it('gives the hash by which a lossless file of the result can be checked', async () => {
    const of = await finished()
    const { bytes } = await written(of, { format: 'png', depth: 16 })
    const html = Buffer.from((await makeReports(of, ['html'])).get('html')!).toString()
    const { data } = await decoded(bytes, true)
    const hash = Buffer.from(await crypto.subtle.digest('SHA-256', Uint16Array.from(data).buffer)).toString('hex')
    expect(html).toContain(hash)
  })
})

it('a treatment of another picture is refused', async () => {
  const path = join(folder, 'picture-3-true-none.tif')
  expect(readFileSync(path).length).toBeGreaterThan(0)
  await expect(finishedFile(path, 'picture.tif', emptyTreatment({ sha256: 'a'.repeat(64), width: 10, height: 10, channels: 3, depth: 16 }))).rejects.toMatchObject({ type: 'wrong-original' })
})
