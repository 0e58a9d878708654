import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = fileURLToPath(new URL('..', import.meta.url))

/** Make something anew unless nothing that it is made of has changed since. */
export async function unlessUnchanged(stamp: string, folders: readonly string[], make: () => Promise<unknown>): Promise<void> {
  const hash = createHash('sha256').update(readFileSync(join(root, 'package-lock.json')))
  for (const folder of folders) visit(join(root, folder), hash)
  const now = hash.digest('hex')
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === now) return
  await make()
  mkdirSync(dirname(stamp), { recursive: true })
  writeFileSync(stamp, now)
}

function visit(folder: string, hash: ReturnType<typeof createHash>): void {
  for (const name of readdirSync(folder).sort()) {
    if (name === 'node_modules' || name === 'dist' || name.endsWith('.test.ts')) continue
    const path = join(folder, name)
    if (statSync(path).isDirectory()) visit(path, hash)
    else hash.update(name).update(readFileSync(path))
  }
}
