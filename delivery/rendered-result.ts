import { closeSync, openSync, readSync, rmSync, writeSync } from 'node:fs'
import { mkdtemp } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { type Region, type FloatRaster } from '@fennip/core/raster/raster.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { mendedRegion, type Finished } from './finished.js'
import { blockSize, type RenderedResult } from './rendering.js'

/**
 * Make the result once at its full size, with its frame, and keep it as floats in a file, so that several outputs of one
 * picture do not repeat it and memory does not grow with the picture.
 *
 * @returns What reads it, and `end`, which takes the file away.
 */
export async function renderResult(finished: Finished, onShare: (share: number) => void = () => undefined): Promise<RenderedResult & { end(): void }> {
  const chain = new Chain(finished.base, finished.treatment, { memory: finished.memory, below: 'mended' })
  const { channels } = finished.base
  const { width, height } = chain.delivered
  const together = blockSize(chain.reach(0))
  const folder = await mkdtemp(join(tmpdir(), 'fennip-rendered-'))
  const path = join(folder, 'floats')
  const file = openSync(path, 'w+')
  const rowBytes = width * channels * 4
  const end = () => {
    closeSync(file)
    rmSync(folder, { recursive: true, force: true })
  }
  try {
    for (let y = 0; y < height; y += together.rows) {
      onShare(y / height)
      const rows = Math.min(together.rows, height - y)
      const strip = new Float32Array(width * rows * channels)
      for (let x = 0; x < width; x += together.columns) {
        const columns = Math.min(together.columns, width - x)
        const { data } = chain.deliver({ x, y, width: columns, height: rows }, 0, mendedRegion(finished))
        for (let row = 0; row < rows; row++) strip.set(data.subarray(row * columns * channels, (row + 1) * columns * channels), (row * width + x) * channels)
      }
      writeSync(file, new Uint8Array(strip.buffer), 0, strip.byteLength, y * rowBytes)
    }
  } catch (error) {
    end()
    throw error
  }
  const read = ({ x, y, width: columns, height: rows }: Region): FloatRaster => {
    const data = new Float32Array(columns * rows * channels)
    const bytes = new Uint8Array(data.buffer)
    const wanted = columns * channels * 4
    for (let row = 0; row < rows; row++) readSync(file, bytes, row * wanted, wanted, (y + row) * rowBytes + x * channels * 4)
    return { width: columns, height: rows, channels, data }
  }
  return { read, end }
}
