import { join } from 'node:path'
import { compiledServer, compileServer } from './compile-server.js'

/** `npm run worker`: one more worker, on this machine or another. */
await compileServer()
await import(join(compiledServer, 'worker.mjs'))
