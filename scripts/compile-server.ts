import { build, type Plugin } from 'esbuild'
import { mkdirSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { root, unlessUnchanged } from './fingerprint.js'

/** Where server, worker and their threads lie when they are compiled. */
export const compiledServer = join(root, '.fennip/compiled')

/** Files of the workspaces by their package names; a file knows the place of its source, where its templates lie. */
const workspaces: Plugin = {
  name: 'workspaces',
  setup({ onResolve, onLoad }) {
    onResolve({ filter: /^@fennip\// }, ({ path }) => ({ path: join(root, path.replace('@fennip/', '').replace(/\.js$/, '.ts')).replace(/(generated\/validators)\.ts$/, '$1.js') }))
    onLoad({ filter: /\.ts$/ }, ({ path }) => ({ contents: readFileSync(path, 'utf8').replaceAll('import.meta.url', JSON.stringify(pathToFileURL(path).href)), loader: 'ts' }))
  },
}

/**
 * Compile server, worker and the tasks of their threads: read as TypeScript, every process and every thread would take
 * seconds to begin. Packages are left where they are. Nothing is done where nothing has changed.
 */
export function compileServer(): Promise<void> {
  return unlessUnchanged(join(compiledServer, '.stamp'), ['server', 'core', 'codec', 'delivery'], async () => {
    const { metafile } = await build({
      entryPoints: { server: join(root, 'server/main.ts'), worker: join(root, 'server/worker.ts'), tasks: join(root, 'server/tasks/tasks-entry.ts') },
      outdir: compiledServer, outExtension: { '.js': '.mjs' }, bundle: true, splitting: true, format: 'esm', platform: 'node', target: 'node20', packages: 'external', plugins: [workspaces], sourcemap: 'linked', logLevel: 'warning', metafile: true, absWorkingDir: root,
    })
    // Parts are named by their content: those of earlier times would stay for ever.
    const made = new Set(Object.keys(metafile.outputs).map((path) => basename(path)))
    for (const name of readdirSync(compiledServer)) if (!made.has(name)) rmSync(join(compiledServer, name))
  })
}

/** Compile the command line into one file: whole or not at all, since another may be started meanwhile. */
export async function compileCommandLine(path: string): Promise<void> {
  const { outputFiles } = await build({ entryPoints: [join(root, 'cli/main.ts')], bundle: true, write: false, format: 'esm', platform: 'node', target: 'node20', packages: 'external', plugins: [workspaces], logLevel: 'warning' })
  mkdirSync(dirname(path), { recursive: true })
  writeFileSync(`${path}.${process.pid}`, outputFiles[0]!.contents)
  renameSync(`${path}.${process.pid}`, path)
}

/** Before tests that start a server or threads. */
export default compileServer
