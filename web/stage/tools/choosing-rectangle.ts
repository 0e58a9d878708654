import { shallowRef } from 'vue'
import type { Region } from '@fennip/core/raster/raster.js'
import type { useBench } from '../../store/bench.js'
import type { useGroup } from '../../store/bench/group.js'

/** A rectangle drawn with Shift held, with the select tool: what lies in it joins the group. */
export function useChoosingRectangle(bench: ReturnType<typeof useBench>, group: ReturnType<typeof useGroup>) {
  const box = shallowRef<Region | null>(null)
  let from: { x: number; y: number } | null = null
  let endedAt = 0

  /** @returns Whether a rectangle is begun. */
  function press(event: Event | undefined, at: { x: number; y: number }): boolean {
    from = bench.tool === 'select' && event instanceof MouseEvent && event.shiftKey ? at : null
    return from !== null
  }

  /** @returns Whether the movement is ours, so that the picture stays. */
  function move(at: { x: number; y: number }): boolean {
    if (!from) return false
    box.value = { x: Math.min(from.x, at.x), y: Math.min(from.y, at.y), width: Math.abs(at.x - from.x), height: Math.abs(at.y - from.y) }
    return true
  }

  function release(): void {
    if (box.value) {
      group.addWithin(box.value)
      endedAt = performance.now()
    }
    giveUp()
  }

  function giveUp(): void {
    from = null
    box.value = null
  }

  return { box, press, move, release, giveUp, active: () => from !== null || performance.now() - endedAt < 200 }
}
