import { beforeEach, describe, expect, it, vi } from 'vitest'
import { reactive, ref } from 'vue'
import { usePen } from './pen.js'

/** What a canvas was told, with the transform that stood then. */
interface Told { what: string; values: number[]; scaled: boolean }
let told: Told[]
function canvas(): HTMLCanvasElement {
  let scaled = false
  const kept: boolean[] = []
  const note = (what: string) => (...values: number[]) => void told.push({ what, values, scaled })
  const context = {
    save: () => kept.push(scaled), restore: () => (scaled = kept.pop()!), setTransform: () => (scaled = true), resetTransform: () => (scaled = false),
    clearRect: note('clear'), beginPath: () => undefined, moveTo: note('from'), lineTo: note('to'), stroke: note('stroke'), strokeStyle: '', lineCap: '', lineWidth: 0, filter: '',
  }
  return { width: 800, height: 600, clientWidth: 800, clientHeight: 600, style: {}, getContext: () => context } as unknown as HTMLCanvasElement
}

const sight = ref({ scale: 0.5, x: 20, y: 10, width: 800, height: 600 })
let rebuild: { tool: string; draws: boolean; sizePx: number; opacity: number; hardness: number; pen: string; toneOnScreen: string; group: null; drawn: ReturnType<typeof vi.fn> }
let pen: ReturnType<typeof usePen>
beforeEach(() => {
  told = []
  vi.stubGlobal('devicePixelRatio', 1)
  vi.stubGlobal('requestAnimationFrame', (act: () => void) => act())
  rebuild = reactive({ tool: 'draw', draws: true, sizePx: 12, opacity: 20, hardness: 50, pen: 'size', toneOnScreen: 'rgb(1, 2, 3)', group: null, drawn: vi.fn(() => Promise.resolve()) })
  pen = usePen(ref(canvas()), sight, rebuild as never)
})
const at = (x: number, y: number, pressure: number | null = null) => ({ x, y, pressure })

describe('the pen', () => {
  it('paints each piece as it is drawn, and hands on the whole stroke with its pressure', async () => {
    pen.press(at(10, 10, 0.4), false)
    pen.move(at(30, 10, 0.6))
    pen.move(at(50, 20, 0.8))
    expect(told.filter(({ what }) => what === 'stroke')).toHaveLength(3)
    await pen.release()
    expect(rebuild.drawn).toHaveBeenCalledWith([[10, 10, 0.4], [30, 10, 0.6], [50, 20, 0.8]])
  })
  it('leaves out what a hand that rests adds: points nearer than a pixel and a half of the screen', async () => {
    pen.press(at(10, 10), false)
    pen.move(at(11, 10))
    pen.move(at(12, 10))
    pen.move(at(13.2, 10))
    await pen.release()
    expect(rebuild.drawn).toHaveBeenCalledWith([[10, 10], [13.2, 10]])
  })
  it('draws straight on from the last stroke, to where the pointer is in the end', async () => {
    pen.press(at(10, 10), false)
    pen.move(at(60, 10))
    await pen.release()
    pen.press(at(80, 40), true)
    pen.move(at(90, 50))
    pen.move(at(100, 70))
    await pen.release()
    expect(rebuild.drawn).toHaveBeenLastCalledWith([[60, 10], [100, 70]])
  })
  it('wipes the whole canvas, wherever the picture lies under it, once the picture shows the stroke', async () => {
    pen.press(at(10, 10), false)
    pen.move(at(900, 700))
    pen.painted()
    expect(told.some(({ what }) => what === 'clear')).toBe(false)
    await pen.release()
    pen.painted()
    expect(told.filter(({ what }) => what === 'clear')).toEqual([{ what: 'clear', values: [0, 0, 800, 600], scaled: false }])
  })
  it('draws nothing with a tool that does not, and gives up what a second finger ended', async () => {
    rebuild.draws = false
    pen.press(at(10, 10), false)
    expect(pen.move(at(40, 40))).toBe(false)
    rebuild.draws = true
    pen.press(at(10, 10), false)
    pen.giveUp()
    await pen.release()
    expect(rebuild.drawn).not.toHaveBeenCalled()
  })
})
