import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import type { TestProject } from 'vitest/node'
import { startServices } from '../scripts/services.js'

/** A Fennip that several test files use one after another, each with a job of its own. */
export interface Host {
  readonly address: string
  readonly home: string
}

declare module 'vitest' {
  export interface ProvidedContext { fennip: Host | null }
}

/** A folder as `npm start` has it: pictures and database lie in one whose name begins with a dot. */
export const newHome = () => join(mkdtempSync(join(tmpdir(), 'fennip-e2e-')), '.fennip')
export const removeHome = (home: string) => rmSync(dirname(home), { recursive: true, force: true })

/** What the guest before has left goes, also where it fell over. */
export async function emptyShelf(address: string): Promise<void> {
  const { jobs } = (await (await fetch(`${address}/api/jobs`)).json()) as { jobs: { id: string }[] }
  for (const { id } of jobs) await fetch(`${address}/api/jobs/${id}`, { method: 'DELETE' })
}

/** Before a run of tests: where it is asked for (`npm test`), one Fennip is started that interface tests are guests of. */
export default async function startHost(project: TestProject): Promise<(() => Promise<void>) | undefined> {
  if (!process.env.FENNIP_TEST_HOST) {
    project.provide('fennip', null)
    return undefined
  }
  const home = newHome()
  const services = await startServices({ home, logLevel: 'silent' })
  project.provide('fennip', { home, address: services.address })
  return async () => {
    await services.remove()
    removeHome(home)
  }
}
