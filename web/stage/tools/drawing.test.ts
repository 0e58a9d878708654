import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Shape } from '@fennip/core/shape/shape.js'
import type { useBench } from '../../store/bench.js'
import { smoothed, useDrawing } from './drawing.js'

const addShape = vi.fn((_shape: Shape) => Promise.resolve())
let bench: { tool: string; strokeWidth: number; addShape: typeof addShape }
let drawing: ReturnType<typeof useDrawing>
const at = (x: number, y: number, pressure: number | null = null) => ({ x, y, pressure })

beforeEach(() => {
  addShape.mockClear()
  bench = { tool: 'stroke', strokeWidth: 10, addShape }
  drawing = useDrawing(bench as unknown as ReturnType<typeof useBench>, () => 0.5)
})

/** Press, move along points, let go. */
async function draw(points: readonly { x: number; y: number; pressure: number | null }[]): Promise<void> {
  drawing.press(points[0]!)
  for (const point of points.slice(1)) drawing.move(point)
  await drawing.release()
}

describe('freehand', () => {
  it('makes a stroke of the set width from where the hand began to where it ended', async () => {
    await draw(Array.from({ length: 30 }, (_value, i) => at(10 + 8 * i, 100 + 20 * Math.sin(i / 6))))
    const [shape] = addShape.mock.calls[0]!
    expect(shape).toMatchObject({ type: 'stroke', width: 10 })
    const { points } = shape as { points: [number, number][] }
    expect(points[0]).toEqual([10, 100])
    expect(Math.hypot(points.at(-1)![0] - 242, points.at(-1)![1] - (100 + 20 * Math.sin(29 / 6)))).toBeLessThan(1)
    expect(drawing.active.value).toBe(false)
  })
  it('makes an outline with the other tool', async () => {
    bench.tool = 'outline'
    await draw(Array.from({ length: 40 }, (_value, i) => at(200 + 60 * Math.cos(i / 6.4), 200 + 60 * Math.sin(i / 6.4))))
    expect(addShape.mock.calls[0]![0].type).toBe('outline')
  })
  it('takes its width from the pressure of a pen: half a press is the set width', async () => {
    for (const pressure of [0.5, 1, 0.1]) await draw(Array.from({ length: 12 }, (_value, i) => at(10 + 20 * i, 50, pressure)))
    expect(addShape.mock.calls.map(([shape]) => (shape as { width: number }).width)).toEqual([10, 16, 5])
  })
  it('with Select or Spot is none of ours', async () => {
    bench.tool = 'select'
    drawing.press(at(1, 1))
    expect(drawing.move(at(50, 50))).toBe(false)
    await drawing.release()
    expect(await drawing.click(at(1, 1))).toBe(false)
    expect(addShape).not.toHaveBeenCalled()
  })
  it('is taken back by a second finger', async () => {
    drawing.press(at(10, 10))
    drawing.move(at(90, 10))
    drawing.giveUp()
    await drawing.release()
    expect(addShape).not.toHaveBeenCalled()
    expect(drawing.preview.value).toBeNull()
  })
})

describe('corner by corner', () => {
  /** A click as the viewer reports it: press, release, click. */
  async function click(x: number, y: number): Promise<void> {
    drawing.press(at(x, y))
    await drawing.release()
    await drawing.click(at(x, y))
  }
  it('a stroke ends with Enter or a second click on its last corner', async () => {
    await click(10, 10)
    await click(110, 10)
    await click(110, 90)
    expect(addShape).not.toHaveBeenCalled()
    await drawing.finish()
    expect(addShape.mock.calls[0]![0]).toEqual({ type: 'stroke', width: 10, points: [[10, 10], [110, 10], [110, 90]] })
    await click(10, 10)
    await click(110, 10)
    await click(112, 11)
    expect(addShape.mock.calls[1]![0]).toEqual({ type: 'stroke', width: 10, points: [[10, 10], [110, 10]] })
  })
  it('an outline ends on its first corner, and never with fewer than three', async () => {
    bench.tool = 'outline'
    await click(10, 10)
    await click(110, 10)
    await drawing.finish()
    expect(addShape).not.toHaveBeenCalled()
    for (const [x, y] of [[10, 10], [110, 10], [110, 90], [12, 12]] as const) await click(x, y)
    expect(addShape.mock.calls[0]![0]).toEqual({ type: 'outline', points: [[10, 10], [110, 10], [110, 90]] })
  })
  it('the last corner is taken back; the next one is shown under the pointer', async () => {
    await click(10, 10)
    await click(110, 10)
    drawing.undoCorner()
    drawing.hover({ x: 60, y: 70 })
    expect(drawing.preview.value).toEqual({ type: 'stroke', width: 10, points: [[10, 10], [60, 70]] })
    drawing.hover(null)
    expect(drawing.preview.value).toEqual({ type: 'stroke', width: 10, points: [[10, 10]] })
  })
})

describe('smoothing', () => {
  it('stays within its tolerance of the hand and leaves out its tremble', () => {
    // A straight line with a tremble of half a pixel of the screen.
    const path = Array.from({ length: 80 }, (_value, i): [number, number] => [4 * i, 100 + (i % 2 === 0 ? 0.5 : -0.5)])
    const points = smoothed(path, 1)
    expect(points[0]).toEqual([0, 100.5])
    for (const [, y] of points) expect(Math.abs(y - 100)).toBeLessThan(1.7)
    let turning = 0
    for (let i = 2; i < points.length; i++) turning += Math.abs(points[i]![1] - 2 * points[i - 1]![1] + points[i - 2]![1])
    expect(turning / points.length).toBeLessThan(0.3)
  })
})
