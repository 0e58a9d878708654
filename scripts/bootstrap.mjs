// Installs what is missing before anything else can run: plain Node, no packages.
import { execFileSync, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

const root = fileURLToPath(new URL('..', import.meta.url))
const forTests = ['pretest', 'prebench'].includes(process.env.npm_lifecycle_event ?? '')

const hasPostgres = () => existsSync('/usr/lib/postgresql') && readdirSync('/usr/lib/postgresql').some((version) => existsSync(`/usr/lib/postgresql/${version}/bin/postgres`))
const needed = []
if (!hasPostgres()) needed.push('postgresql')
// Readers that share no code with Fennip: metadata of written files, pages of reports.
for (const [program, debianPackage] of [['chromium', 'chromium'], ['exiv2', 'exiv2'], ['pdftoppm', 'poppler-utils']]) {
  if (forTests && !existsSync(`/usr/bin/${program}`)) needed.push(debianPackage)
}

if (needed.length > 0) {
  console.log(`Installing ${needed.join(' and ')} from Debian's packages`)
  const asRoot = process.getuid?.() === 0 ? [] : ['sudo', '-n']
  const apt = (...args) => {
    const [command, ...rest] = [...asRoot, 'apt-get', ...args]
    return spawnSync(command, rest, { stdio: ['ignore', 'ignore', 'inherit'], env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } }).status === 0
  }
  // The distribution would start a cluster of its own; Fennip keeps its own.
  if (!apt('update', '-q') || !apt('install', '-y', '-q', '--no-install-recommends', ...needed)) {
    console.error(`Could not install ${needed.join(' and ')}. Install with: sudo apt-get install ${needed.join(' ')}`)
    process.exit(1)
  }
}

const lock = createHash('sha256').update(readFileSync(`${root}package-lock.json`)).digest('hex')
const stamp = `${root}node_modules/.fennip-lock`
if (!existsSync(stamp) || readFileSync(stamp, 'utf8') !== lock) {
  console.log('Installing packages from npm')
  execFileSync('npm', ['ci', '--no-audit', '--no-fund'], { cwd: root, stdio: ['ignore', 'ignore', 'inherit'] })
  writeFileSync(stamp, lock)
}
