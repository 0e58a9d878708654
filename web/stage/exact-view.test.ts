import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { useExactView } from './exact-view.js'

beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('window', globalThis)
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})
const rest = () => vi.advanceTimersByTimeAsync(600)

describe('the exact picture', () => {
  it('is made when nothing has moved for half a second, and not before', async () => {
    const refine = vi.fn(() => Promise.resolve(true))
    const view = useExactView(() => true, refine)
    view.moved()
    expect(view.isExact.value).toBe(false)
    await vi.advanceTimersByTimeAsync(400)
    view.moved()
    await vi.advanceTimersByTimeAsync(400)
    expect(refine).not.toHaveBeenCalled()
    await vi.advanceTimersByTimeAsync(200)
    expect(refine).toHaveBeenCalledTimes(1)
    expect(view.isExact.value).toBe(true)
  })
  it('is not made where what is shown is exact already', async () => {
    const refine = vi.fn(() => Promise.resolve(true))
    const view = useExactView(() => false, refine)
    view.moved()
    expect(view.isExact.value).toBe(true)
    await rest()
    expect(refine).not.toHaveBeenCalled()
  })
  it('is begun again when it was interrupted, by an answer or by an abort', async () => {
    const answers = [() => Promise.resolve(false), () => Promise.reject(Object.assign(new Error('x'), { name: 'AbortError' })), () => Promise.resolve(true)]
    let asked = 0
    const view = useExactView(() => true, () => answers[asked++]!())
    view.moved()
    await rest()
    expect(view.isExact.value).toBe(false)
    await rest()
    expect(view.isExact.value).toBe(false)
    await rest()
    expect([asked, view.isExact.value]).toEqual([3, true])
  })
  it('that cannot be made is not asked for again and again', async () => {
    const refine = vi.fn(() => Promise.reject(new Error('no server')))
    const view = useExactView(() => true, refine)
    view.moved()
    for (let i = 0; i < 5; i++) await rest()
    expect(refine).toHaveBeenCalledTimes(1)
    expect(view.isExact.value).toBe(false)
  })
  it('is not made any more when the view is left', async () => {
    const refine = vi.fn(() => Promise.resolve(true))
    const view = useExactView(() => true, refine)
    view.moved()
    view.stop()
    await rest()
    expect(refine).not.toHaveBeenCalled()
  })
})
