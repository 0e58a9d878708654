import { createRequire } from 'node:module'

const { version } = createRequire(import.meta.url)('../package.json') as { version: string }
/** Name and version, as they stand in files that are written. */
export const PROGRAM = `Fennip ${version}`
