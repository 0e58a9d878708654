import { beforeAll, describe, expect, it } from 'vitest'
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import sharp from 'sharp'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import { makeRandom } from '@fennip/core/random.js'
import { sha256Of } from './hash.js'

const folder = mkdtempSync(join(tmpdir(), 'fennip-cli-'))
const at = (name: string) => join(folder, name)
const fennip = (...args: string[]) => spawnSync(process.execPath, [fileURLToPath(new URL('./bin/fennip.js', import.meta.url)), ...args], { encoding: 'utf8' })
const WIDTH = 300
const HEIGHT = 240

beforeAll(async () => {
  const random = makeRandom(3)
  const data = new Uint16Array(WIDTH * HEIGHT * 3)
  for (let i = 0; i < WIDTH * HEIGHT; i++) {
    const d = Math.hypot((i % WIDTH) + 0.5 - 140, Math.floor(i / WIDTH) + 0.5 - 110)
    const shade = 1 - 0.12 * Math.max(0, Math.min(1, (22 - d) / 9))
    for (let c = 0; c < 3; c++) data[3 * i + c] = Math.round((38000 + 3000 * c + 800 * (random.uniform() + random.uniform() + random.uniform() - 1.5)) * shade)
  }
  await sharp(data, { raw: { width: WIDTH, height: HEIGHT, channels: 3 } }).toColourspace('rgb16').tiff({ compression: 'none' }).toFile(at('in.tif'))
  const mask = new Uint8Array(WIDTH * HEIGHT)
  for (let i = 0; i < mask.length; i++) if (Math.hypot((i % WIDTH) + 0.5 - 140, Math.floor(i / WIDTH) + 0.5 - 110) < 26) mask[i] = 255
  await sharp(mask, { raw: { width: WIDTH, height: HEIGHT, channels: 1 } }).png().toFile(at('mask.png'))
})

async function samples(path: string): Promise<Uint16Array> {
  const bytes = await sharp(path, { ignoreIcc: true }).pipelineColourspace('rgb16').toColourspace('rgb16').raw({ depth: 'ushort' }).toBuffer()
  return new Uint16Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 2)
}

describe('fennip find', () => {
  it('writes the finds in the agreed form', () => {
    expect(fennip('find', at('in.tif'), '--kinds', 'dust', '--json', at('finds.json')).status).toBe(0)
    const document = JSON.parse(readFileSync(at('finds.json'), 'utf8')) as { width: number; height: number; flaws: { kind: string; shape: { type: string; x: number; y: number; r: number }; contrast: number; confidence: number }[] }
    expect(document).toMatchObject({ width: WIDTH, height: HEIGHT })
    expect(document.flaws).toHaveLength(1)
    const [flaw] = document.flaws
    expect(flaw!.kind).toBe('dust')
    expect(Math.hypot(flaw!.shape.x - 140, flaw!.shape.y - 110)).toBeLessThan(3)
    expect(flaw!.confidence).toBeGreaterThan(0.5)
  })
})

describe('fennip find, of lines and flat patches', () => {
  it('writes a scratch as a stroke and a patch without grain as an outline', async () => {
    const random = makeRandom(8)
    const [width, height] = [600, 420]
    const data = new Uint8Array(width * height)
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const flat = x >= 350 && x < 500 && y >= 240 && y < 360
        const scratch = Math.max(0, Math.min(1, 1.3 - Math.abs(y - 80 - 0.12 * x))) * (x > 60 && x < 520 ? 1 : 0)
        data[y * width + x] = Math.round(110 + 90 * scratch + (flat ? 0 : 7) * (random.uniform() + random.uniform() + random.uniform() - 1.5))
      }
    }
    await sharp(data, { raw: { width, height, channels: 1 } }).toColourspace('b-w').png().toFile(at('print.png'))
    const run = fennip('find', at('print.png'), '--kinds', 'line,flat', '--json', at('print.json'))
    expect(run.stderr).toBe('')
    const { flaws } = JSON.parse(readFileSync(at('print.json'), 'utf8')) as { flaws: { kind: string; shape: { type: string; points: [number, number][] } }[] }
    const scratch = flaws.find(({ kind }) => kind === 'scratch' || kind === 'fold')!
    expect(scratch.shape.type).toBe('stroke')
    for (const [x, y] of scratch.shape.points) expect(Math.abs(y - 80 - 0.12 * x)).toBeLessThan(3)
    const flat = flaws.find(({ kind }) => kind === 'flat')!
    expect(flat.shape.type).toBe('outline')
    for (const [x, y] of flat.shape.points) expect(x > 320 && x < 530 && y > 210 && y < 390).toBe(true)
  })
  it('says which kinds there are', () => {
    const wrong = fennip('find', at('in.tif'), '--kinds', 'dust,stars', '--json', at('none.json'))
    expect(wrong.status).toBe(2)
    expect(wrong.stderr).toContain('dust, speck, mould, line, loss, stain, flat, moire')
  })
})

describe('fennip mend', () => {
  for (const [name, more] of [['by finds', ['--flaws', 'finds.json']], ['by a mask', ['--mask', 'mask.png']], ['by itself', []]] as const) {
    it(`mends ${name}, keeps 16 bits, and changes nothing else`, async () => {
      const out = at(`out-${name.replaceAll(' ', '-')}.tif`)
      const result = fennip('mend', at('in.tif'), out, ...more.map((word, i) => (i === 1 ? at(word) : word)), '--report', at('report.json'))
      expect(result.stderr).toBe('')
      expect(result.status).toBe(0)
      expect((await sharp(out).metadata()).depth).toBe('ushort')
      const [before, after] = await Promise.all([samples(at('in.tif')), samples(out)])
      let inside = 0
      let outside = 0
      let middle = 0
      for (let i = 0; i < WIDTH * HEIGHT; i++) {
        const d = Math.hypot((i % WIDTH) + 0.5 - 140, Math.floor(i / WIDTH) + 0.5 - 110)
        if (d < 12) middle += after[3 * i + 1]!
        if (before[3 * i + 1] !== after[3 * i + 1]) {
          if (d < 60) inside++
          else outside++
        }
      }
      expect(inside).toBeGreaterThan(300)
      expect(outside).toBe(0)
      expect(Math.abs(middle / (Math.PI * 144) / 41000 - 1)).toBeLessThan(0.02)
      const report = JSON.parse(readFileSync(at('report.json'), 'utf8')) as { steps: { reason: string }[] }
      expect(report.steps[0]!.reason.length).toBeGreaterThan(5)
    })
  }
  it('says what a format cannot keep and goes on', () => {
    const result = fennip('mend', at('in.tif'), at('out.jpg'), '--flaws', at('finds.json'))
    expect(result.status).toBe(0)
    expect(result.stderr).toContain('8 bits')
  })
})

describe('fennip apply', () => {
  it('renders a stored treatment; a step of an earlier draft by the version of today', async () => {
    const treatment = {
      ...emptyTreatment({ sha256: await sha256Of(at('in.tif')), width: WIDTH, height: HEIGHT, channels: 3, depth: 16 }),
      flaws: [{ id: 'f1', kind: 'other', shape: { type: 'disc', x: 140, y: 110, r: 26 }, state: 'settled', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }],
      steps: [{ id: 'm1', stage: 'mend', flaw: 'f1', method: 'clone', methodVersion: 1, shape: { type: 'disc', x: 140, y: 110, r: 26 }, softEdgePx: 8, strength: 1, seed: 0, source: { dx: 80, dy: 0 }, chosenBy: 'hand', reason: '' }],
    }
    writeFileSync(at('treatment.json'), JSON.stringify(treatment))
    expect(fennip('apply', at('in.tif'), at('treatment.json'), at('applied.tif'))).toMatchObject({ status: 0, stderr: '' })
    const [before, after] = await Promise.all([samples(at('in.tif')), samples(at('applied.tif'))])
    const index = (x: number, y: number) => 3 * (y * WIDTH + x)
    expect(after[index(140, 110)]).toBe(before[index(220, 110)])
    // By hand: at a distance d beyond the outline t^2 (3 - 2t) is laid on, t = 0.5 - d / 8.
    const d = Math.hypot(167.5 - 140, 110.5 - 110) - 26
    const t = 0.5 - d / 8
    const share = t * t * (3 - 2 * t)
    const old = before[index(167, 110)]!
    expect(Math.abs(after[index(167, 110)]! - (old + (before[index(247, 110)]! - old) * share))).toBeLessThanOrEqual(1)
  })
})

describe('wrong use and bad input', () => {
  it('exit 2 with the usage, exit 1 with one line why', () => {
    expect(fennip().status).toBe(2)
    expect(fennip('find', at('in.tif')).status).toBe(2)
    expect(fennip('mend', at('in.tif'), at('x.tif'), '--method', 'magic').status).toBe(2)
    expect(fennip('find', at('in.tif'), '--kinds', 'moths', '--json', at('x.json')).stderr).toContain('moths')
    const missing = fennip('find', at('nowhere.jpg'), '--json', at('x.json'))
    expect(missing.status).toBe(1)
    expect(missing.stderr.trim().split('\n')).toHaveLength(1)
    writeFileSync(at('letter.tif'), 'Dear archive')
    expect(fennip('mend', at('letter.tif'), at('x.tif'))).toMatchObject({ status: 1 })
    writeFileSync(at('broken.json'), '{')
    expect(fennip('apply', at('in.tif'), at('broken.json'), at('x.tif')).stderr).toContain('broken.json')
    expect(fennip('mend', at('in.tif'), at('x.bmp')).stderr).toContain('.bmp')
  })
})
