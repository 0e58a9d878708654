import { mkdir, readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { demoFiles } from './load.js'
import type { DemoSize } from './pictures.js'

/**
 * The files of the demo for tests. Where FENNIP_TEST_PICTURES names a folder, each is made once and kept there: test files
 * of one run share them.
 */
export function testFiles(frame: DemoSize, print: DemoSize): ReturnType<typeof demoFiles> {
  const folder = process.env.FENNIP_TEST_PICTURES
  const files = demoFiles(frame, print)
  if (!folder) return files
  const sizes = [frame, print].map(({ width, height }) => `${width}x${height}`).join('-')
  return files.map((file) => ({
    name: file.name,
    async make() {
      const path = join(folder, `${sizes}-${file.name}`)
      const kept = await readFile(path).catch(() => null)
      if (kept) return new Uint8Array(kept)
      const bytes = await file.make()
      await mkdir(folder, { recursive: true })
      // All of it or nothing: another test file may look at the same time.
      const half = `${path}.${process.pid}`
      await writeFile(half, bytes)
      await rename(half, path)
      return bytes
    },
  }))
}
