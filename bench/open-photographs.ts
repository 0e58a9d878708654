import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import sharp from 'sharp'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import { homeFolder } from '../server/settings.js'

const NAMES = ['chelsea.png', 'coffee.png', 'motorcycle_left.png', 'rocket.jpg', 'brick.png', 'gravel.png', 'grass.png']

/**
 * Photographs with open licences from Debian's package python3-skimage (its copyright file names each): a cat, a cup,
 * a motorcycle, a rocket, brick, gravel, grass. Fetched once into Fennip's own folder.
 */
export async function openPhotographs(): Promise<{ name: string; raster: IntegerRaster }[]> {
  const folder = join(homeFolder, 'open-photographs')
  const data = join(folder, 'usr/lib/python3/dist-packages/skimage/data')
  if (!existsSync(data)) {
    mkdirSync(folder, { recursive: true })
    execFileSync('apt-get', ['download', 'python3-skimage'], { cwd: folder, stdio: 'ignore' })
    const archive = readdirSync(folder).find((name) => name.endsWith('.deb'))!
    execFileSync('dpkg', ['-x', archive, folder], { cwd: folder })
  }
  return Promise.all(
    NAMES.map(async (name) => {
      const { data: bytes, info } = await sharp(join(data, name)).toColourspace('srgb').removeAlpha().raw().toBuffer({ resolveWithObject: true })
      const grey = info.channels === 1
      const pixels = new Uint8Array(info.width * info.height * 3)
      for (let i = 0; i < info.width * info.height; i++) for (let c = 0; c < 3; c++) pixels[3 * i + c] = bytes[i * info.channels + (grey ? 0 : c)]!
      return { name, raster: { width: info.width, height: info.height, channels: 3, data: pixels } }
    }),
  )
}
