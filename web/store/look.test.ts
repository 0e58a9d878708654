import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick, reactive } from 'vue'

const bench = reactive({ opened: null as null | { id: string }, selectedId: null as string | null, stepOf: new Map<string, { id: string }>() })
vi.mock('./bench.js', () => ({ useBench: () => bench }))
const { useLook } = await import('./look.js')

beforeEach(() => {
  setActivePinia(createPinia())
  Object.assign(bench, { opened: { id: 'p' }, selectedId: null, stepOf: new Map([['f1', { id: 'm1' }]]) })
})

describe('what the result is compared with', () => {
  it('is the original', () => {
    bench.selectedId = 'f1'
    expect(useLook().before).toEqual({ show: 'original' })
  })
  it('is the result without the selected mend, where that is asked for and there is one', () => {
    const look = useLook()
    look.compareScope = 'mend'
    expect(look.before).toEqual({ show: 'original' })
    bench.selectedId = 'f1'
    expect(look.before).toEqual({ show: 'result', without: 'm1' })
    bench.selectedId = 'f2'
    expect(look.before).toEqual({ show: 'original' })
  })
})

describe('another picture', () => {
  it('is first seen as it is, with the lens set as it was left', async () => {
    const look = useLook()
    Object.assign(look, { lens: 'relief', lensStrength: 0.8, divider: 300, beside: true, compareScope: 'mend' })
    bench.opened = { id: 'q' }
    await nextTick()
    expect(look).toMatchObject({ lens: 'plain', divider: null, beside: false, compareScope: 'all' })
    // The strength of a lens stays, each its own.
    look.lens = 'relief'
    expect(look.lensStrength).toBe(0.8)
    look.lens = 'grain'
    expect(look.lensStrength).not.toBe(0.8)
  })
  it('is not what a change of the same one makes of it', async () => {
    const look = useLook()
    look.lens = 'negative'
    bench.opened = { id: 'p' }
    await nextTick()
    expect(look.lens).toBe('negative')
  })
})
