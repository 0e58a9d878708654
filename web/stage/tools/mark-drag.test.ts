import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Flaw, Step } from '@fennip/core/treatment/schema.js'
import type { useBench } from '../../store/bench.js'
import { useMarkDrag } from './mark-drag.js'

const sight = { scale: 0.5, x: 100, y: 40, width: 900, height: 600 }
/** Picture pixels as a point on the screen. */
const screen = (x: number, y: number) => ({ x: x * sight.scale + sight.x, y: y * sight.scale + sight.y })
const shape = { type: 'disc', x: 400, y: 300, r: 60 } as const

const moveSource = vi.fn(() => Promise.resolve())
const reshape = vi.fn(() => Promise.resolve())
const trySource = vi.fn()
const dropDraft = vi.fn(() => Promise.resolve())
let bench: { selected: Partial<Flaw> | null; selectedStep: Partial<Step> | null; marks: string; moveSource: typeof moveSource; reshape: typeof reshape; trySource: typeof trySource; dropDraft: typeof dropDraft }
let drag: ReturnType<typeof useMarkDrag>

beforeEach(() => {
  moveSource.mockClear()
  reshape.mockClear()
  bench = { selected: { id: 'f', shape, kind: 'other', origin: 'hand' }, selectedStep: { shape, source: { dx: 200, dy: 0 } }, marks: 'all', moveSource, reshape, trySource, dropDraft }
  drag = useMarkDrag(bench as unknown as ReturnType<typeof useBench>)
})

describe('dragging a mark', () => {
  it('by its middle moves it, and says so only when let go', async () => {
    drag.press(screen(410, 300), sight)
    expect(drag.move(screen(450, 330), sight)).toBe(true)
    expect(drag.preview.value).toMatchObject({ kind: 'move', shape: { x: 440, y: 330, r: 60 } })
    expect(reshape).not.toHaveBeenCalled()
    await drag.release()
    expect(reshape).toHaveBeenCalledWith({ type: 'disc', x: 440, y: 330, r: 60 }, 'Move a mend')
    expect(drag.preview.value).toBeNull()
    expect(drag.justEnded()).toBe(true)
  })
  it('by its handle or its edge resizes it', async () => {
    for (const grip of [screen(460, 300), screen(400, 360)]) {
      drag.press(grip, sight)
      drag.move(screen(400, 380), sight)
      await drag.release()
    }
    expect(reshape.mock.calls).toEqual([[{ type: 'disc', x: 400, y: 300, r: 80 }, 'Resize a mend'], [{ type: 'disc', x: 400, y: 300, r: 80 }, 'Resize a mend']])
  })
  it('by its source moves the source, in picture pixels', async () => {
    drag.press(screen(600, 310), sight)
    drag.move(screen(590, 350), sight)
    // Shown in place before it is set down.
    expect(trySource).toHaveBeenLastCalledWith(190, 40)
    await drag.release()
    expect(moveSource).toHaveBeenCalledWith(190, 40)
    expect(dropDraft).not.toHaveBeenCalled()
  })
  it('by a source close to the mark moves the source, not the edge', async () => {
    const small = { type: 'disc', x: 400, y: 300, r: 10 } as const
    bench.selected = { id: 'f', shape: small, kind: 'other', origin: 'hand' }
    bench.selectedStep = { shape: small, source: { dx: 0, dy: 22 } }
    drag.press(screen(400, 322), sight)
    drag.move(screen(400, 330), sight)
    await drag.release()
    expect(reshape).not.toHaveBeenCalled()
    expect(moveSource).toHaveBeenCalledWith(0, 30)
  })
  it('beside all of these leaves the picture to be moved', () => {
    drag.press(screen(800, 500), sight)
    expect(drag.move(screen(820, 500), sight)).toBe(false)
  })
  it('does nothing while marks are hidden, with nothing selected, or when it did not move', async () => {
    bench.marks = 'none'
    drag.press(screen(400, 300), sight)
    expect(drag.move(screen(430, 300), sight)).toBe(false)
    bench.marks = 'all'
    bench.selected = null
    drag.press(screen(400, 300), sight)
    expect(drag.move(screen(430, 300), sight)).toBe(false)
    bench.selected = { shape, kind: 'other', origin: 'hand' }
    drag.press(screen(400, 300), sight)
    await drag.release()
    expect(reshape).not.toHaveBeenCalled()
  })
  it('is taken back by a second finger', async () => {
    drag.press(screen(400, 300), sight)
    drag.move(screen(450, 300), sight)
    drag.giveUp()
    await drag.release()
    expect(reshape).not.toHaveBeenCalled()
    expect(drag.preview.value).toBeNull()
  })
  it('never makes a disc smaller than a pixel', async () => {
    drag.press(screen(460, 300), sight)
    drag.move(screen(400, 300), sight)
    await drag.release()
    expect(reshape).toHaveBeenCalledWith({ type: 'disc', x: 400, y: 300, r: 1 }, 'Resize a mend')
  })
})
