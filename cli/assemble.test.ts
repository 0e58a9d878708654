import { beforeAll, describe, expect, it } from 'vitest'
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import sharp from 'sharp'

/** `fennip join` and `fennip merge`, their files read back by another library. */

const folder = mkdtempSync(join(tmpdir(), 'fennip-assemble-'))
const at = (name: string) => join(folder, name)
const fennip = (...args: string[]) => spawnSync(process.execPath, [fileURLToPath(new URL('./bin/fennip.js', import.meta.url)), ...args], { encoding: 'utf8' })
const tone = (x: number, y: number) => 110 + 30 * Math.sin(x / 9 + y / 31) + 26 * Math.sin(y / 13 - x / 41) + 18 * Math.sin((x + y) / 5.3)
const save = (name: string, width: number, height: number, value: (x: number, y: number) => number) => {
  const data = Uint8Array.from({ length: width * height }, (_, i) => Math.max(0, Math.min(255, Math.round(value(i % width, Math.floor(i / width))))))
  return sharp(data, { raw: { width, height, channels: 1 } }).png().toFile(at(name))
}
const encode = (light: number) => 255 * (light <= 0.0031308 ? 12.92 * light : 1.055 * Math.min(1, light) ** (1 / 2.4) - 0.055)
const light = (x: number, y: number) => (x > 150 && y < 90 ? 1.7 : 0.25) * (1 + 0.3 * Math.sin(x / 6 + y / 17) + 0.2 * Math.sin(y / 4.7 - x / 19))

beforeAll(async () => {
  // The lower piece lies 40 pixels further down than it belongs.
  const tear = (x: number) => 110 + 12 * Math.sin(x / 19) + 7 * Math.sin(x / 7.3)
  await save('scan.png', 380, 330, (x, y) => {
    const [px, upper, lower] = [x - 40, y - 40, y - 80]
    if (px < 0 || px >= 300) return 20
    if (upper >= 0 && upper < tear(px)) return tone(px, upper)
    return lower >= tear(px) && lower < 210 ? tone(px, lower) : 20
  })
  await save('upper.png', 380, 260, (x, y) => (x >= 40 && x < 340 && y >= 40 && y - 40 < tear(x - 40) ? tone(x - 40, y - 40) : 20))
  await save('lower.png', 380, 300, (x, y) => (x >= 40 && x < 340 && y - 80 >= tear(x - 40) && y - 80 < 210 ? tone(x - 40, y - 80) : 20))
  await save('one-piece.png', 380, 330, (x, y) => (x > 40 && x < 340 && y > 40 && y < 290 ? tone(x, y) : 20))
  for (const [name, gain, shift] of [['dark.png', 0.25, 3], ['middle.png', 1, 0], ['light.png', 4, -2]] as const) await save(name, 260, 200, (x, y) => encode(gain * light(x - shift, y)))
  await save('small.png', 130, 100, () => 90)
})

describe('fennip join', () => {
  it('puts the pieces of a scan together and says how well they fit', async () => {
    const { status, stderr } = fennip('join', at('scan.png'), at('joined.tif'), '--report', at('joined.json'))
    expect(status, stderr).toBe(0)
    expect(stderr).toMatch(/piece 2 turned -?0\.\d+ degrees, moved .* fits to/)
    const { pieces, gaps } = JSON.parse(readFileSync(at('joined.json'), 'utf8')) as { pieces: { placement: { turnDegrees: number; dx: number; dy: number } }[]; gaps: unknown[] }
    expect(pieces).toHaveLength(2)
    // One of both has come 40 pixels nearer.
    expect(Math.abs(Math.abs(pieces[1]!.placement.dy) - 40)).toBeLessThan(2.5)
    expect(Math.abs(pieces[1]!.placement.dx)).toBeLessThan(2)
    expect(gaps.length).toBeGreaterThan(0)
    const meta = await sharp(at('joined.tif')).metadata()
    expect(Math.abs(meta.height - 210)).toBeLessThan(6)
    expect(Math.abs(meta.width - 300)).toBeLessThan(6)
  })
  it('takes the pieces from several scans', async () => {
    const { status, stderr } = fennip('join', at('upper.png'), at('lower.png'), at('both.tif'))
    expect(status, stderr).toBe(0)
    const meta = await sharp(at('both.tif')).metadata()
    expect(Math.abs(meta.height - 210)).toBeLessThan(8)
    expect(Math.abs(meta.width - 300)).toBeLessThan(8)
  })
  it('says why where there is nothing to join, and leaves no file', () => {
    const { status, stderr } = fennip('join', at('one-piece.png'), at('none.tif'))
    expect(status).toBe(1)
    expect(stderr).toContain('one piece')
    expect(() => readFileSync(at('none.tif'))).toThrow()
    expect(fennip('join', at('scan.png')).status).toBe(2)
  })
})

describe('fennip merge', () => {
  it('writes 16 bits that keep what the reference has clipped', async () => {
    const { status, stderr } = fennip('merge', at('dark.png'), at('middle.png'), at('light.png'), '--reference', '2', at('merged.tif'))
    expect(status, stderr).toBe(0)
    expect(stderr).toContain('reference 2')
    const meta = await sharp(at('merged.tif')).metadata()
    expect([meta.width, meta.height, meta.depth]).toEqual([260, 200, 'ushort'])
    const bytes = await sharp(at('merged.tif')).toColourspace('grey16').raw({ depth: 'ushort' }).toBuffer()
    const values = new Uint16Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 2)
    const window = Array.from({ length: 60 * 60 }, (_, i) => values[(20 + Math.floor(i / 60)) * 260 + 175 + (i % 60)]!)
    expect(window.filter((value) => value >= 65000).length / window.length).toBeLessThan(0.02)
    expect(Math.max(...window) - Math.min(...window)).toBeGreaterThan(2500)
  })
  it('refuses exposures of different sizes and a reference that is not among them', () => {
    const other = fennip('merge', at('dark.png'), at('small.png'), at('x.tif'))
    expect([other.status, other.stderr]).toEqual([1, expect.stringContaining('130 x 100')])
    expect(fennip('merge', at('dark.png'), at('middle.png'), '--reference', '5', at('x.tif')).status).toBe(2)
    expect(fennip('merge', at('dark.png'), at('x.tif')).status).toBe(2)
  })
})
