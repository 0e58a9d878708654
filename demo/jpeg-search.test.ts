import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { findFlaws } from '@fennip/core/find/find.js'
import { rasterSource, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { dustyPylon, pylonLight } from './pictures.js'

/** As cameras keep a picture: colour at half the resolution, in blocks. */
async function throughJpeg({ width, height, channels, data }: IntegerRaster): Promise<IntegerRaster> {
  const file = await sharp(data, { raw: { width, height, channels: channels as 1 | 3 } }).jpeg({ quality: 96 }).toBuffer()
  return { width, height, channels, data: new Uint8Array(await sharp(file).raw().toBuffer()) }
}

describe('a search of a frame that was kept as JPEG', () => {
  it('takes its coarse colour for no dirt, and finds the dust', { timeout: 60_000 }, async () => {
    const { damaged, flaws } = dustyPylon(await pylonLight({ width: 3000, height: 2000 }), 7)
    const finds = findFlaws(rasterSource(await throughJpeg(damaged)), makeTransfer({ type: 'srgb' }, 8), { kinds: ['dust', 'speck'], falseFinds: 4 })
    const real = finds.filter(({ shape }) => shape.type === 'disc' && flaws.some((flaw) => Math.hypot(flaw.x - shape.x, flaw.y - shape.y) < Math.max(3, 0.8 * flaw.r)))
    // One is promised in six megapixels; more than three have a chance of one in fifty (Poisson).
    expect(finds.length - real.length).toBeLessThanOrEqual(3)
    expect(real.length).toBeGreaterThan(0.4 * flaws.length)
  })
})
