import { spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { buildWeb } from './build-web.js'

/** `npm test`: type check, lint, unit tests, and tests of the whole against real server, database and browser. */

const root = fileURLToPath(new URL('..', import.meta.url))
const folder = join(root, '.fennip/test-results')
rmSync(folder, { recursive: true, force: true })
mkdirSync(folder, { recursive: true })

let passed = 0
let failed = 0

function check(name: string, command: string, args: string[]): void {
  console.log(`\n${name}`)
  const { status } = spawnSync(command, args, { cwd: root, stdio: 'inherit' })
  if (status === 0) passed++
  else {
    failed++
    console.log(`${name}: failed`)
  }
}

function suite(name: string, args: string[]): void {
  console.log(`\n${name}`)
  const file = join(folder, `${name.replaceAll(' ', '-')}.json`)
  spawnSync('npx', ['vitest', 'run', '--reporter=default', '--reporter=json', `--outputFile.json=${file}`, ...args], { cwd: root, stdio: 'inherit' })
  try {
    const result = JSON.parse(readFileSync(file, 'utf8')) as { numPassedTests: number; numFailedTests: number; numFailedTestSuites: number; success: boolean }
    passed += result.numPassedTests
    failed += result.numFailedTests
    if (!result.success && result.numFailedTests === 0) failed += Math.max(1, result.numFailedTestSuites)
  } catch {
    failed++
    console.log(`${name}: did not run to its end`)
  }
}

check('Generate', 'npx', ['tsx', 'scripts/generate.ts'])
check('Type check', 'npx', ['vue-tsc', '--noEmit', '-p', 'tsconfig.json'])
check('Lint', 'npx', ['eslint', '.', '--max-warnings', '0'])
suite('Unit tests', ['core', 'codec', 'cli', 'demo', 'web', 'bench/'])
await buildWeb()
// One after another: each starts a database, a server and a worker of its own.
suite('Tests of the whole', ['server', 'e2e', 'scripts', '--no-file-parallelism'])

console.log(`\n${passed} passed, ${failed} failed`)
process.exit(failed > 0 ? 1 : 0)
