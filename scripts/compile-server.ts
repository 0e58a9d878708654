import { build, type Plugin } from 'esbuild'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
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
  return unlessUnchanged(join(compiledServer, '.stamp'), ['server', 'core', 'codec', 'delivery'], () => build({
    entryPoints: { server: join(root, 'server/main.ts'), worker: join(root, 'server/worker.ts'), tasks: join(root, 'server/tasks/tasks-entry.ts') },
    outdir: compiledServer, outExtension: { '.js': '.mjs' }, bundle: true, splitting: true, format: 'esm', platform: 'node', target: 'node20', packages: 'external', plugins: [workspaces], sourcemap: 'linked', logLevel: 'warning',
  }))
}

/** Before tests that start a server or threads. */
export default compileServer
