import { spawn, type ChildProcess } from 'node:child_process'
import { rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { join } from 'node:path'
import { compiledServer, compileServer } from './compile-server.js'
import { root } from './fingerprint.js'
import { freePort, startCluster, type Cluster } from './postgres.js'

/** Database, server and worker, each begun again when it dies. */
export interface Services {
  readonly address: string
  readonly environment: NodeJS.ProcessEnv
  /** Kill a part without warning; it comes back by itself, the database after so many milliseconds. For tests. */
  kill(part: 'server' | 'worker' | 'database', awayMilliseconds?: number): Promise<void>
  stop(): Promise<void>
  /** Stop, and take away all that was kept: the home folder and the database. For tests and measurements. */
  remove(): Promise<void>
}

export interface ServiceOptions {
  readonly home: string
  readonly port?: number
  readonly logLevel?: string
  readonly environment?: Record<string, string>
}

/** Start everything and wait until it answers. */
export async function startServices(options: ServiceOptions): Promise<Services> {
  await compileServer()
  const ownDatabase = !process.env.FENNIP_DATABASE_URL
  let cluster: Cluster | null = ownDatabase ? await startCluster(options.home) : null
  const port = await usablePort(options.port)
  const environment: NodeJS.ProcessEnv = {
    ...process.env,
    // Large blocks are given back to the system when they are freed (mallopt(3)): after a large picture little is held.
    MALLOC_MMAP_THRESHOLD_: '262144', MALLOC_TRIM_THRESHOLD_: '1048576', MALLOC_ARENA_MAX: '2',
    FENNIP_PORT: String(port),
    FENNIP_STORAGE: process.env.FENNIP_STORAGE ?? join(options.home, 'storage'),
    FENNIP_CACHE: process.env.FENNIP_CACHE ?? join(options.home, 'cache'),
    FENNIP_LOG: options.logLevel ?? process.env.FENNIP_LOG ?? 'warn',
    ...options.environment,
  }
  if (cluster) environment.FENNIP_DATABASE_URL = cluster.url
  const host = environment.FENNIP_HOST ?? '127.0.0.1'
  // Open on all addresses of the machine, it is reached by loopback here.
  const address = `http://${['0.0.0.0', '::'].includes(host) ? '127.0.0.1' : host}:${port}`
  const quiet = options.logLevel === 'silent'
  let stopping = false
  /** How long the database stays away after it was killed for a test, in milliseconds. */
  let away = 0
  const again = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds))
  /** The database is begun again when it dies, at the same address, which the other parts know. */
  async function keepRunning(running: Cluster): Promise<void> {
    await running.ended
    if (stopping) return
    await again(away)
    away = 0
    for (;;) {
      if (stopping) return
      const next = await startCluster(options.home, running.port).catch((error: unknown) => {
        if (!quiet) console.error(`The database cannot be started again: ${error instanceof Error ? error.message : String(error)}`)
        return null
      })
      if (next) {
        cluster = next
        void keepRunning(next)
        return
      }
      await again(1000)
    }
  }
  if (cluster) void keepRunning(cluster)
  const children = new Map<string, ChildProcess>()
  const begin = (part: 'server' | 'worker') => {
    const child = spawn(process.execPath, ['--enable-source-maps', join(compiledServer, `${part}.mjs`)], { cwd: root, env: environment, stdio: ['ignore', quiet ? 'ignore' : 'inherit', quiet ? 'ignore' : 'inherit'], detached: true })
    children.set(part, child)
    child.once('exit', () => {
      if (stopping) return
      setTimeout(() => {
        if (!stopping) begin(part)
      }, 500)
    })
  }
  begin('server')
  begin('worker')
  const services: Services = {
    address,
    environment,
    async kill(part, awayMilliseconds = 0) {
      if (part !== 'database') {
        children.get(part)?.kill('SIGKILL')
        return
      }
      if (!cluster) throw new Error('The database is not Fennip\'s own')
      const old = cluster
      away = awayMilliseconds
      old.kill()
      while (cluster === old && !stopping) await again(20)
    },
    async stop() {
      stopping = true
      await Promise.all([...children.values()].map((child) => ended(child)))
      await cluster?.stop()
    },
    async remove() {
      await services.stop()
      for (const folder of [options.home, ...(cluster ? [cluster.folder] : [])]) rmSync(folder, { recursive: true, force: true })
    },
  }
  // What does not come up leaves nothing running behind.
  await answers(address, 60).catch(async (error: unknown) => {
    await services.stop()
    throw error
  })
  return services
}

async function ended(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return
  const gone = new Promise<void>((resolve) => child.once('exit', () => resolve()))
  child.kill('SIGTERM')
  const late = setTimeout(() => child.kill('SIGKILL'), 5000)
  await gone
  clearTimeout(late)
}

async function usablePort(wanted: number | undefined): Promise<number> {
  if (wanted === undefined) return freePort()
  const free = await new Promise<boolean>((resolve) => {
    const server = createServer()
    server.once('error', () => resolve(false))
    server.listen(wanted, '127.0.0.1', () => server.close(() => resolve(true)))
  })
  return free ? wanted : freePort()
}

export async function answers(address: string, seconds: number): Promise<void> {
  const until = Date.now() + seconds * 1000
  while (Date.now() < until) {
    const response = await fetch(`${address}/api/health`).catch(() => null)
    if (response?.ok) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  throw new Error(`Nothing answers at ${address}`)
}
