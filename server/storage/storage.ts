import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { access, copyFile, mkdir, open, readFile, rename, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { diskProblem, writeFileWhole } from '@fennip/codec/write.js'

/** Where files are kept: originals, tiles and patches by content, outputs by name. */
export interface Storage {
  readonly folder: string
  originalPath(sha256: string): string
  tilePath(sha256: string, level: number, column: number, row: number): string
  patchPath(key: string): string
  outputPath(name: string): string
  uploadsFolder(): string
}

export function folderStorage(folder: string): Storage {
  return {
    folder,
    originalPath: (sha256) => join(folder, 'originals', sha256.slice(0, 2), sha256),
    tilePath: (sha256, level, column, row) => join(folder, 'tiles', sha256, String(level), `${column}-${row}.gz`),
    patchPath: (key) => join(folder, 'patches', key.slice(0, 2), `${key}.gz`),
    outputPath: (name) => join(folder, 'outputs', name),
    uploadsFolder: () => join(folder, 'uploads'),
  }
}

export async function prepareStorage(storage: Storage): Promise<void> {
  for (const name of ['originals', 'tiles', 'patches', 'outputs', 'uploads']) await mkdir(join(storage.folder, name), { recursive: true })
}

export async function exists(path: string): Promise<boolean> {
  return access(path).then(() => true, () => false)
}

/** Keep a file's content under its hash: copied beside, flushed to the disk, then renamed, so never half of it. */
export async function keepOriginal(storage: Storage, from: string): Promise<string> {
  const sha256 = await hashFile(from)
  const to = storage.originalPath(sha256)
  if (await exists(to)) return sha256
  const beside = `${to}.${process.pid}.part`
  try {
    await mkdir(join(to, '..'), { recursive: true })
    await copyFile(from, beside)
    const file = await open(beside, 'r+')
    await file.sync()
    await file.close()
    await rename(beside, to)
    await syncFolder(join(to, '..'))
  } catch (error) {
    await rm(beside, { force: true })
    throw diskProblem(error, 'the original')
  }
  return sha256
}

/** A rename is on the disk only when its folder is. */
async function syncFolder(path: string): Promise<void> {
  const folder = await open(path, 'r')
  await folder.sync().finally(() => folder.close())
}

export async function hashFile(path: string): Promise<string> {
  const hash = createHash('sha256')
  await pipeline(createReadStream(path), hash)
  return hash.digest('hex')
}

export async function keepFile(path: string, bytes: Uint8Array): Promise<void> {
  await mkdir(join(path, '..'), { recursive: true })
  await writeFileWhole(path, bytes)
}

export async function readIfThere(path: string): Promise<Uint8Array | null> {
  return readFile(path).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return null
    throw error
  })
}
