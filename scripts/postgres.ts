import { execFile, spawn } from 'node:child_process'
import { createHash } from 'node:crypto'
import { chmodSync, chownSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, renameSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { join } from 'node:path'
import { promisify } from 'node:util'
import pg from 'pg'

const run = promisify(execFile)

/** A PostgreSQL cluster of Fennip's own, on loopback. */
export interface Cluster {
  readonly url: string
  readonly port: number
  readonly folder: string
  stop(): Promise<void>
  /** Kill without warning, for tests. */
  kill(): void
  /** Settled when it has ended, by whatever. */
  readonly ended: Promise<void>
}

function programs(): string {
  const base = '/usr/lib/postgresql'
  const version = readdirSync(base).filter((name) => existsSync(join(base, name, 'bin/postgres'))).sort((a, b) => Number(b) - Number(a))[0]
  if (!version) throw new Error('PostgreSQL is not installed. Run npm start, which installs it.')
  return join(base, version, 'bin')
}

/**
 * PostgreSQL refuses to run as root. Then it runs as Debian's user for it, in a folder that user can reach: a clone
 * may lie where it cannot go.
 */
const asRoot = process.getuid?.() === 0

function clusterFolder(home: string): string {
  if (!asRoot) return join(home, 'postgres')
  return join('/var/lib/fennip', createHash('sha256').update(home).digest('hex').slice(0, 12))
}

function command(program: string, args: string[]): [string, string[]] {
  return asRoot ? ['runuser', ['-u', 'postgres', '--', program, ...args]] : [program, args]
}

/** Start the cluster of a home folder, making it first when it is not there. */
export async function startCluster(home: string, wantedPort?: number): Promise<Cluster> {
  const bin = programs()
  const folder = clusterFolder(home)
  const data = join(folder, 'data')
  mkdirSync(folder, { recursive: true })
  if (asRoot) {
    const { uid, gid } = await idsOf('postgres')
    chmodSync('/var/lib/fennip', 0o755)
    chownSync(folder, uid, gid)
  }
  const marker = join(home, 'database-folder')
  if (existsSync(data) && asRoot && !existsSync(marker)) {
    // The home folder was removed, and its pictures with it: what the database says of them is kept, but not used.
    const aside = `${data}-set-aside-${Date.now()}`
    await endStale(data)
    renameSync(data, aside)
    console.log(`The database of an earlier ${home} was set aside as ${aside}`)
  }
  if (!existsSync(join(data, 'PG_VERSION'))) {
    // A cluster whose making was cut off is made anew: nothing can be in it.
    if (existsSync(data)) rmSync(data, { recursive: true })
    const [program, args] = command(join(bin, 'initdb'), ['-D', data, '-U', 'fennip', '-A', 'trust', '-E', 'UTF8', '--locale=C.UTF-8', '--no-instructions'])
    await run(program, args, { cwd: '/' })
  }
  mkdirSync(home, { recursive: true })
  writeFileSync(marker, `${folder}\n`)
  await endStale(data)
  const port = wantedPort ?? (await freePort())
  const [program, args] = command(join(bin, 'postgres'), ['-D', data, '-p', String(port), '-c', 'listen_addresses=127.0.0.1', '-c', `unix_socket_directories=${folder}`, '-c', 'max_connections=60', '-c', 'log_min_messages=fatal'])
  const child = spawn(program, args, { cwd: '/', stdio: ['ignore', 'ignore', 'pipe'], detached: true })
  let complaints = ''
  child.stderr.on('data', (chunk: Buffer) => {
    complaints = (complaints + chunk.toString()).slice(-2000)
  })
  const admin = `postgres://fennip@127.0.0.1:${port}/postgres`
  await waitFor(admin, () => child.exitCode !== null, () => complaints)
  await makeDatabase(admin)
  const pidOf = () => Number(readFileSync(join(data, 'postmaster.pid'), 'utf8').split('\n')[0])
  const pid = pidOf()
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()))
  return {
    url: `postgres://fennip@127.0.0.1:${port}/fennip`,
    port,
    folder,
    ended,
    async stop() {
      if (child.exitCode !== null) return
      process.kill(pid, 'SIGINT')
      await ended
    },
    kill() {
      process.kill(pid, 'SIGKILL')
    },
  }
}

/** The cluster of a home folder as it runs, or begun for as long as it is needed. */
export async function reachCluster(home: string): Promise<{ url: string; leave(): Promise<void> }> {
  const file = join(clusterFolder(home), 'data', 'postmaster.pid')
  // The fourth line of the lock file is the port (PostgreSQL, miscadmin.h: LOCK_FILE_LINE_PORT).
  const port = existsSync(file) ? Number(readFileSync(file, 'utf8').split('\n')[3]) : 0
  const url = `postgres://fennip@127.0.0.1:${port}/fennip`
  const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: 1000 })
  client.on('error', () => undefined)
  const isRunning = port > 0 && (await client.connect().then(() => true, () => false))
  await client.end().catch(() => undefined)
  if (isRunning) return { url, leave: () => Promise.resolve() }
  const cluster = await startCluster(home)
  return { url: cluster.url, leave: () => cluster.stop() }
}

async function idsOf(user: string): Promise<{ uid: number; gid: number }> {
  const [uid, gid] = await Promise.all(['-u', '-g'].map(async (flag) => Number((await run('id', [flag, user])).stdout)))
  return { uid: uid!, gid: gid! }
}

/** End a server that an earlier start left behind, and take away the lock of one that was killed. */
async function endStale(data: string): Promise<void> {
  const file = join(data, 'postmaster.pid')
  if (!existsSync(file)) return
  const pid = Number(readFileSync(file, 'utf8').split('\n')[0])
  const alive = () => {
    try {
      return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(data)
    } catch {
      return false
    }
  }
  if (alive()) {
    process.kill(pid, 'SIGINT')
    for (let i = 0; i < 50 && alive(); i++) await new Promise((resolve) => setTimeout(resolve, 100))
    if (alive()) process.kill(pid, 'SIGKILL')
  }
  // Backends of a killed server hold on to its memory for a moment.
  for (let i = 0; i < 50 && (await backendsOf(data)); i++) await new Promise((resolve) => setTimeout(resolve, 100))
  rmSync(file, { force: true })
}

async function backendsOf(data: string): Promise<boolean> {
  try {
    const { uid } = statSync(data)
    for (const entry of readdirSync('/proc')) {
      if (!/^\d+$/.test(entry)) continue
      try {
        if (statSync(`/proc/${entry}`).uid === uid && readFileSync(`/proc/${entry}/environ`, 'utf8').includes(data)) return true
      } catch {
        continue
      }
    }
  } catch {
    return false
  }
  return false
}

export function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const server = createServer()
    server.on('error', reject)
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number }
      server.close(() => resolve(port))
    })
  })
}

async function waitFor(url: string, ended: () => boolean, complaints: () => string): Promise<void> {
  for (let i = 0; i < 300; i++) {
    if (ended()) throw new Error(`PostgreSQL ended at once: ${complaints()}`)
    const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: 1000 })
    client.on('error', () => undefined)
    try {
      await client.connect()
      await client.end()
      return
    } catch {
      await client.end().catch(() => undefined)
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
  }
  throw new Error(`PostgreSQL does not answer: ${complaints()}`)
}

async function makeDatabase(url: string): Promise<void> {
  const client = new pg.Client({ connectionString: url })
  await client.connect()
  const { rowCount } = await client.query("select 1 from pg_database where datname = 'fennip'")
  if (rowCount === 0) await client.query('create database fennip')
  await client.end()
}
