import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'vite'

const root = fileURLToPath(new URL('..', import.meta.url))

/** Build the interface unless nothing it is made of has changed. */
export async function buildWeb(): Promise<void> {
  const stamp = join(root, 'web/dist/.stamp')
  const now = fingerprint()
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === now) return
  await build({ root: join(root, 'web'), logLevel: 'warn' })
  writeFileSync(stamp, now)
}

function fingerprint(): string {
  const hash = createHash('sha256').update(readFileSync(join(root, 'package-lock.json')))
  for (const folder of ['web', 'core']) visit(join(root, folder), hash)
  return hash.digest('hex')
}

function visit(folder: string, hash: ReturnType<typeof createHash>): void {
  for (const name of readdirSync(folder).sort()) {
    if (name === 'node_modules' || name === 'dist') continue
    const path = join(folder, name)
    if (statSync(path).isDirectory()) visit(path, hash)
    else hash.update(name).update(readFileSync(path))
  }
}
