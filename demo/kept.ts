import { mkdir, readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'

/**
 * Bytes that take long to make, for tests: where FENNIP_TEST_PICTURES names a folder they are made once and kept there under
 * their name, so that the test files of one run share them.
 */
export async function kept(name: string, make: () => Promise<Uint8Array>): Promise<Uint8Array> {
  const folder = process.env.FENNIP_TEST_PICTURES
  if (!folder) return make()
  const path = join(folder, name)
  const there = await readFile(path).catch(() => null)
  if (there) return new Uint8Array(there.buffer, there.byteOffset, there.byteLength)
  const bytes = await make()
  await mkdir(folder, { recursive: true })
  // All of it or nothing: another test file may look at the same time.
  const half = `${path}.${process.pid}`
  await writeFile(half, bytes)
  await rename(half, path)
  return bytes
}
