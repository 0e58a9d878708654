import { fileURLToPath } from 'node:url'
import { join } from 'node:path'
import { ProblemError } from '@fennip/core/problem.js'

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
  /** A worker that has not been heard of for so long is taken for dead, and its work is begun again elsewhere. */
  readonly silenceSeconds: number
  readonly logLevel: string
  /** Whether everybody has to sign in: always when the server can be reached from other machines. */
  readonly signIn: boolean
  /** Signs the cookies of sessions; the same on all servers. */
  readonly sessionSecret: string
  /** Lets the first owner be made; drawn by lot and written to the terminal when it is empty. */
  readonly firstCode: string
  /** Which proxies are believed about the address and the encryption of a request, as Express has it. */
  readonly trustProxy: string
  /** Lets a program read the metrics without an account; empty for none. */
  readonly metricsToken: string
}

const root = fileURLToPath(new URL('..', import.meta.url))

/** Folder of everything that Fennip keeps on this machine. */
export const homeFolder = process.env.FENNIP_HOME ?? join(root, '.fennip')

const isLoopback = (host: string) => host === 'localhost' || host === '::1' || host.startsWith('127.')
const LOG_LEVELS = ['fatal', 'error', 'warn', 'info', 'debug', 'trace', 'silent']
/** Characters of a secret that cannot be guessed (128 bits as hexadecimal digits). */
const LEAST_SECRET = 32

/** @throws {ProblemError} naming a setting that cannot be used, and the remedy. */
export function readSettings(environment: NodeJS.ProcessEnv = process.env): Settings {
  const refused = (name: string, detail: string) => new ProblemError('setting-invalid', { title: `The setting ${name} cannot be used`, detail, status: 500 })
  const number = (name: string, otherwise: number, least: number, most: number) => {
    const value = Number(environment[name] ?? otherwise)
    if (!Number.isFinite(value) || value < least || value > most) throw refused(name, `It is "${environment[name]}"; give a number from ${least} to ${most}, or leave it out for ${otherwise}.`)
    return value
  }
  const oneOf = (name: string, otherwise: string, values: readonly string[]) => {
    const value = environment[name] ?? otherwise
    if (!values.includes(value)) throw refused(name, `It is "${value}"; give one of ${values.join(', ')}.`)
    return value
  }
  const host = environment.FENNIP_HOST ?? '127.0.0.1'
  const signIn = oneOf('FENNIP_SIGN_IN', 'network', ['network', 'always']) === 'always' || !isLoopback(host)
  const sessionSecret = environment.FENNIP_SESSION_SECRET ?? ''
  if (signIn && sessionSecret.length < LEAST_SECRET) throw refused('FENNIP_SESSION_SECRET', `Opened to a network, everybody signs in, and cookies are signed with a secret of at least ${LEAST_SECRET} characters. Set it, for instance to the output of: openssl rand -hex 32`)
  return {
    databaseUrl: environment.FENNIP_DATABASE_URL ?? 'postgres://fennip@127.0.0.1:54321/fennip',
    storage: environment.FENNIP_STORAGE ?? join(homeFolder, 'storage'),
    cacheFolder: environment.FENNIP_CACHE ?? join(homeFolder, 'cache'),
    host,
    port: number('FENNIP_PORT', 4170, 1, 65535),
    allowedHosts: (environment.FENNIP_ALLOWED_HOSTS ?? '').split(',').filter(Boolean),
    largestFileBytes: number('FENNIP_LARGEST_FILE', 2 ** 31, 1e5, 1e12),
    largestPixels: number('FENNIP_LARGEST_PIXELS', 300e6, 1e4, 1e10),
    threads: number('FENNIP_THREADS', 2, 1, 256),
    silenceSeconds: number('FENNIP_SILENCE', 10, 2, 600),
    logLevel: oneOf('FENNIP_LOG', 'info', LOG_LEVELS),
    signIn,
    sessionSecret,
    firstCode: environment.FENNIP_FIRST_CODE ?? '',
    trustProxy: environment.FENNIP_TRUST_PROXY ?? 'loopback',
    metricsToken: environment.FENNIP_METRICS_TOKEN ?? '',
  }
}
