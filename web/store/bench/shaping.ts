import { defineStore } from 'pinia'
import { ref, watch } from 'vue'
import { addToShape, joinStrokes, splitStroke, strokeFromSpot, takeFromShape, widenShape } from '@fennip/core/shape/edit-shape.js'
import type { Shape } from '@fennip/core/shape/shape.js'
import type { Flaw, Operation, Step } from '@fennip/core/treatment/schema.js'
import { plain } from '../../shared/plain.js'
import { useBench } from '../bench.js'
import { identifier } from '../identifier.js'

/** What is about to be done to the shape of the selected flaw. */
export type Shaping = 'add' | 'take' | 'split' | 'draw-out'

/** Shapes changed after they were made; mends are made anew, each change is one gesture. */
export const useShaping = defineStore('shaping', () => {
  const bench = useBench()
  const mode = ref<Shaping | null>(null)

  function begin(next: Shaping): void {
    const again = bench.tool === 'shape' && mode.value === next
    mode.value = again ? null : next
    bench.tool = again ? 'select' : 'shape'
  }

  /** A shape was drawn for the selected flaw. */
  async function drawn(shape: Shape): Promise<void> {
    const flaw = bench.selected
    const doing = mode.value
    bench.tool = 'select'
    if (!flaw) return
    if (doing === 'add') await replace(flaw, addToShape(flaw.shape, shape), 'Add to a shape')
    else if (doing === 'take') await replace(flaw, takeFromShape(flaw.shape, shape), 'Take away from a shape')
    else if (doing === 'draw-out' && flaw.shape.type === 'disc' && shape.type === 'stroke') await replace(flaw, [strokeFromSpot(flaw.shape, shape.points)], 'Draw a spot out')
  }

  /** A click while a stroke is to be split. */
  async function click(at: { x: number; y: number }): Promise<void> {
    const flaw = bench.selected
    bench.tool = 'select'
    if (flaw?.shape.type !== 'stroke') return
    const parts = splitStroke(flaw.shape, at.x, at.y)
    if (parts) await replace(flaw, parts, 'Split a stroke')
    else bench.problem = 'The stroke is not split so near to its end. Click further along it.'
  }

  /** The other stroke of a group of two. */
  function partner(): Flaw | null {
    const others = bench.flaws.filter((flaw) => bench.group.has(flaw.id))
    return others.length === 2 && others.every((flaw) => flaw.shape.type === 'stroke') ? others[1]! : null
  }

  async function join(): Promise<void> {
    const second = partner()
    const first = bench.flaws.find((flaw) => bench.group.has(flaw.id))
    if (!second || first?.shape.type !== 'stroke' || second.shape.type !== 'stroke') return
    await replace(first, [joinStrokes(first.shape, second.shape)], 'Join two strokes', [second])
    bench.group = new Set()
    bench.selectedId = first.id
  }

  async function widen(by: number): Promise<void> {
    const flaw = bench.selected
    if (flaw) await replace(flaw, [widenShape(flaw.shape, by)], by > 1 ? 'Widen a shape' : 'Narrow a shape')
  }

  /** Put shapes in place of a flaw: the first is the flaw itself, others are flaws of their own. */
  async function replace(flaw: Flaw, shapes: readonly Shape[], label: string, gone: readonly Flaw[] = []): Promise<void> {
    await bench.keepDraft()
    const old = bench.stepOf.get(flaw.id)
    const removed = [...gone, ...(shapes.length === 0 ? [flaw] : [])]
    const removedSteps = removed.flatMap((one) => bench.stepOf.get(one.id) ?? [])
    bench.busy = true
    try {
      const flaws = shapes.map((shape, i): Flaw => ({ ...flaw, shape, id: i === 0 ? flaw.id : identifier('h'), origin: 'hand', state: old ? 'mended' : flaw.state }))
      const steps: Step[] = []
      if (old) {
        const keep = old.method === 'lift' ? {} : { method: old.method }
        for (const one of flaws) steps.push(await bench.thePool().mender.choose(plain(one), plain(bench.openShapes(flaw.id, one.shape)), { id: one.id === flaw.id ? old.id : bench.freshMendId(), strength: old.strength, ...keep }))
      }
      const operations: Operation[] = []
      if (removedSteps.length > 0) operations.push({ type: 'remove', list: 'steps', ids: removedSteps.map(({ id }) => id) })
      if (removed.length > 0) operations.push({ type: 'remove', list: 'flaws', ids: removed.map(({ id }) => id) })
      if (flaws.length > 0) operations.push({ type: 'put', list: 'flaws', items: flaws })
      if (steps.length > 0) operations.push({ type: 'put', list: 'steps', items: steps })
      await bench.change(label, operations, bench.extentOf([old, ...removedSteps, ...steps]))
    } catch (error) {
      bench.report(error)
    } finally {
      bench.busy = false
    }
  }

  watch(() => bench.tool, (tool) => {
    if (tool !== 'shape') mode.value = null
  })

  return { mode, begin, drawn, click, join, partner, widen }
})
