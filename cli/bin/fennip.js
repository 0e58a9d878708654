#!/usr/bin/env node
import { existsSync, readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'

// The parts are TypeScript, and reading them takes seconds: they are compiled when one has changed since the last time.
const root = fileURLToPath(new URL('../../', import.meta.url))
const compiled = join(root, '.fennip/compiled-cli/fennip.mjs')

const newestIn = (folder) =>
  Math.max(0, ...readdirSync(folder, { withFileTypes: true }).filter(({ name }) => name !== 'node_modules').map((entry) => {
    const path = join(folder, entry.name)
    return entry.isDirectory() ? newestIn(path) : statSync(path).mtimeMs
  }))

const newest = Math.max(...['core', 'codec', 'delivery', 'cli'].map((folder) => newestIn(join(root, folder))), statSync(join(root, 'package-lock.json')).mtimeMs)
if (!existsSync(compiled) || statSync(compiled).mtimeMs <= newest) {
  const { register } = await import('tsx/esm/api')
  register()
  const { compileCommandLine } = await import('../../scripts/compile-server.ts')
  await compileCommandLine(compiled)
}
// Who reads no further, as `head` does, ends it without a complaint.
process.stdout.on('error', (error) => {
  if (error.code !== 'EPIPE') throw error
  process.exit(0)
})
const { main } = await import(pathToFileURL(compiled).href)
process.exitCode = await main(process.argv.slice(2))
