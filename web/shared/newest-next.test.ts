import { expect, it } from 'vitest'
import { newestNext } from './newest-next.js'

it('does one at a time, and the newest once more', async () => {
  let state = 0
  let inFlight = 0
  const seen: number[] = []
  const ask = newestNext(async () => {
    expect(++inFlight).toBe(1)
    const now = state
    await new Promise((resolve) => setTimeout(resolve, 5))
    seen.push(now)
    inFlight--
  }, () => undefined)
  const first = ask()
  for (state = 1; state < 6; state++) void ask()
  await first
  expect(seen).toEqual([0, 6])
})

it('goes on after a failure', async () => {
  const failures: unknown[] = []
  let calls = 0
  const ask = newestNext(async () => {
    if (++calls === 1) throw new Error('gone')
  }, (error) => failures.push(error))
  await ask()
  await ask()
  expect([calls, failures.length]).toEqual([2, 1])
})
