import { fileURLToPath } from 'node:url'
import { join } from 'node:path'

/** Everything that can be set, in one place; each from the environment, with a default for one machine. */
export interface Settings {
  readonly databaseUrl: string
  /** Path of a folder, or the address of an object store. */
  readonly storage: string
  /** Folder for copies of what lies in an object store. */
  readonly cacheFolder: string
  readonly host: string
  readonly port: number
  /** Hosts that requests may name besides the address itself. */
  readonly allowedHosts: readonly string[]
  readonly largestFileBytes: number
  readonly largestPixels: number
  /** Threads for heavy computation in one process. */
  readonly threads: number
  readonly logLevel: string
}

const root = fileURLToPath(new URL('..', import.meta.url))

/** Folder of everything that Fennip keeps on this machine. */
export const homeFolder = process.env.FENNIP_HOME ?? join(root, '.fennip')

export function readSettings(environment: NodeJS.ProcessEnv = process.env): Settings {
  return {
    databaseUrl: environment.FENNIP_DATABASE_URL ?? 'postgres://fennip@127.0.0.1:54321/fennip',
    storage: environment.FENNIP_STORAGE ?? join(homeFolder, 'storage'),
    cacheFolder: environment.FENNIP_CACHE ?? join(homeFolder, 'cache'),
    host: environment.FENNIP_HOST ?? '127.0.0.1',
    port: Number(environment.FENNIP_PORT ?? 4170),
    allowedHosts: (environment.FENNIP_ALLOWED_HOSTS ?? '').split(',').filter(Boolean),
    largestFileBytes: Number(environment.FENNIP_LARGEST_FILE ?? 2 ** 31),
    largestPixels: Number(environment.FENNIP_LARGEST_PIXELS ?? 300e6),
    threads: Number(environment.FENNIP_THREADS ?? 2),
    logLevel: environment.FENNIP_LOG ?? 'info',
  }
}
