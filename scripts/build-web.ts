import { join } from 'node:path'
import { build } from 'vite'
import { root, unlessUnchanged } from './fingerprint.js'

/** Build the interface unless nothing it is made of has changed. */
export function buildWeb(): Promise<void> {
  return unlessUnchanged(join(root, 'web/dist/.stamp'), ['web', 'core'], () => build({ root: join(root, 'web'), logLevel: 'warn' }))
}
