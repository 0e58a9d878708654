import { spawn } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join, relative } from 'node:path'
import { fileURLToPath } from 'node:url'
import { buildWeb } from './build-web.js'

/** `npm test`: type check, lint, unit tests, and tests of the whole against real server, database and browser. */

const root = fileURLToPath(new URL('..', import.meta.url))
const folder = join(root, '.fennip/test-results')
rmSync(folder, { recursive: true, force: true })
mkdirSync(folder, { recursive: true })
/** Demo pictures that test files share; made anew for every run. */
process.env.FENNIP_TEST_PICTURES = join(root, '.fennip/test-pictures')
rmSync(process.env.FENNIP_TEST_PICTURES, { recursive: true, force: true })

let passed = 0
let failed = 0
/** What failed, for the end of the output: a long log is often cut, and its end is what is kept. */
const failures: string[] = []

/** What of a test's message says why: its first lines. */
const MESSAGE_LINES = 12

interface SuiteResult {
  numPassedTests: number
  numFailedTests: number
  numFailedTestSuites: number
  success: boolean
  testResults: { name: string; status: string; message: string; assertionResults: { status: string; fullName: string; failureMessages: string[] }[] }[]
}

function firstLines(message: string): string {
  return message.split('\n').slice(0, MESSAGE_LINES).map((line) => `    ${line}`).join('\n')
}

/** Run a command, and print what it said when it has ended: of two side by side, one after the other. */
function run(name: string, command: string, args: string[]): Promise<boolean> {
  return new Promise((resolve) => {
    const said: Buffer[] = []
    const child = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] })
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk: Buffer) => said.push(chunk))
    child.on('error', (error) => said.push(Buffer.from(`${error.message}\n`)))
    child.on('close', (status) => {
      process.stdout.write(`\n${name}\n`)
      process.stdout.write(Buffer.concat(said))
      resolve(status === 0)
    })
  })
}

async function check(name: string, command: string, args: string[]): Promise<void> {
  if (await run(name, command, args)) passed++
  else {
    failed++
    failures.push(`${name}: see above`)
  }
}

async function suite(name: string, args: string[]): Promise<void> {
  const file = join(folder, `${name.replaceAll(' ', '-')}.json`)
  await run(name, 'npx', ['vitest', 'run', '--reporter=default', '--reporter=json', `--outputFile.json=${file}`, ...args])
  try {
    const result = JSON.parse(readFileSync(file, 'utf8')) as SuiteResult
    passed += result.numPassedTests
    failed += result.numFailedTests
    if (!result.success && result.numFailedTests === 0) failed += Math.max(1, result.numFailedTestSuites)
    for (const each of result.testResults.filter((one) => one.status === 'failed')) {
      failures.push(`${name}: ${relative(root, each.name)}`)
      if (each.message) failures.push(firstLines(each.message))
      for (const test of each.assertionResults.filter((one) => one.status === 'failed')) {
        failures.push(`  ${test.fullName}`, ...test.failureMessages.map(firstLines))
      }
    }
  } catch {
    failed++
    failures.push(`${name}: did not run to its end, see above`)
  }
}

await check('Generate', 'npx', ['tsx', 'scripts/generate.ts'])
await Promise.all([
  check('Type check', 'npx', ['vue-tsc', '--noEmit', '-p', 'tsconfig.json']),
  check('Lint', 'npx', ['eslint', '.', '--max-warnings', '0']),
])
// The test from a clean clone waits most of its time, for packages and for the network: it goes beside the unit tests.
const CLEAN_CLONE = 'e2e/job/start'
await Promise.all([
  // What one file has compiled and warmed up serves the next: these keep nothing from one another.
  suite('Unit tests', ['core', 'codec', 'delivery', 'cli', 'demo', 'web', 'bench/', '--no-isolate']),
  suite('From a clean clone', [CLEAN_CLONE]),
])
await buildWeb()
// Two lanes that take about as long. In each the interface tests are guests of one Fennip, but those that kill its parts;
// every test of the server starts its own.
process.env.FENNIP_TEST_HOST = 'yes'
const BESIDE_THE_SERVER = ['e2e/job/access', 'e2e/areas/areas', 'e2e/prints', 'e2e/processed', 'e2e/rebuild', 'e2e/job/trouble']
await Promise.all([
  suite('Tests of the server, and of the interface in part', ['server', 'scripts', ...BESIDE_THE_SERVER, '--no-file-parallelism']),
  suite('Tests of the interface', ['e2e', ...[...BESIDE_THE_SERVER, CLEAN_CLONE].flatMap((file) => ['--exclude', `**/${file}*`]), '--no-file-parallelism']),
])

if (failures.length > 0) console.log(`\nFailed\n\n${failures.join('\n')}`)
console.log(`\n${passed} passed, ${failed} failed`)
process.exit(failed > 0 ? 1 : 0)
