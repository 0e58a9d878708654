import { computed, ref, shallowRef } from 'vue'
import { mendShape } from '@fennip/core/mend/mend-shape.js'
import { sourceShape } from '@fennip/core/shape/donor.js'
import { distanceAt, moveShape, roundedShape, shapeCentre, type Shape } from '@fennip/core/shape/shape.js'
import type { Source } from '@fennip/core/treatment/schema.js'
import type { useBench } from '../../store/bench.js'
import type { Sight } from '../sight.js'

/** What is being dragged, as it would be when let go. */
export interface DragPreview {
  readonly kind: 'move' | 'resize' | 'source'
  readonly shape: Shape
  readonly source: Source | null
}

/**
 * Dragging of the selected mark: its middle moves it, its edge resizes it, its source moves the source. Anything else
 * that is dragged moves the picture.
 */
export function useMarkDrag(bench: ReturnType<typeof useBench>) {
  const preview = shallowRef<DragPreview | null>(null)
  const from = ref<{ x: number; y: number } | null>(null)
  const moved = ref(false)
  let endedAt = 0
  let start: DragPreview | null = null

  const selectedShape = (): Shape | null => {
    const flaw = bench.selected
    return flaw ? (bench.selectedStep?.shape ?? mendShape(flaw)) : null
  }

  /** @returns Whether something of the mark was taken hold of. */
  function press(point: { x: number; y: number }, sight: Sight): boolean {
    start = null
    moved.value = false
    const shape = selectedShape()
    if (!shape || bench.marks === 'none') return false
    const { x, y, r } = shapeCentre(shape)
    const at = { x: (point.x - sight.x) / sight.scale, y: (point.y - sight.y) / sight.scale }
    const slack = 7 / sight.scale
    const source = bench.selectedStep?.source ?? null
    const distance = Math.hypot(at.x - x, at.y - y)
    const onHandle = shape.type === 'disc' && Math.hypot(at.x - x - r, at.y - y) < slack && distance > 0.5 * r
    // A small mark is all middle but for its handle: it could not be moved otherwise.
    const inMiddle = shape.type === 'disc' ? distance < Math.max(0.7 * r, Math.min(slack, 2 * r)) : distanceAt(shape, at.x, at.y) < slack / 2
    if (onHandle) start = { kind: 'resize', shape, source }
    else if (inMiddle) start = { kind: 'move', shape, source }
    // A source close by lies on the edge's slack when the picture is small: inside it, it is what was meant.
    else if (source && distanceAt(shape, at.x, at.y) > 0 && distanceAt(sourceShape(shape, source), at.x, at.y) < 0) start = { kind: 'source', shape, source }
    else if (shape.type === 'disc' && Math.abs(distance - r) < slack) start = { kind: 'resize', shape, source }
    else if (shape.type === 'disc' && distance < r) start = { kind: 'move', shape, source }
    else if (source && distanceAt(sourceShape(shape, source), at.x, at.y) < slack) start = { kind: 'source', shape, source }
    if (start) from.value = at
    return start !== null
  }

  /** @returns Whether the drag is ours, so that the picture stays. */
  function move(point: { x: number; y: number }, sight: Sight): boolean {
    if (!start || !from.value) return false
    moved.value = true
    const at = { x: (point.x - sight.x) / sight.scale, y: (point.y - sight.y) / sight.scale }
    const dx = at.x - from.value.x
    const dy = at.y - from.value.y
    if (start.kind === 'move') preview.value = { ...start, shape: moveShape(start.shape, dx, dy) }
    else if (start.kind === 'source') {
      const source = { ...start.source!, dx: start.source!.dx + dx, dy: start.source!.dy + dy }
      preview.value = { ...start, source }
      bench.trySource(source.dx, source.dy)
    }
    else if (start.shape.type === 'disc') preview.value = { ...start, shape: { ...start.shape, r: Math.max(1, Math.hypot(at.x - start.shape.x, at.y - start.shape.y)) } }
    return true
  }

  async function release(): Promise<void> {
    const done = preview.value
    const began = start
    start = null
    from.value = null
    if (!done || !began || !moved.value) {
      preview.value = null
      return
    }
    endedAt = performance.now()
    if (done.kind === 'source') await bench.moveSource(done.source!.dx, done.source!.dy)
    else await bench.reshape(roundedShape(done.shape), done.kind === 'move' ? 'Move a mend' : 'Resize a mend')
    preview.value = null
  }

  /** A second finger landed: it was not meant. */
  function giveUp(): void {
    if (preview.value?.kind === 'source') void bench.dropDraft()
    start = null
    preview.value = null
  }

  return { preview, active: computed(() => preview.value !== null), holds: () => start !== null, press, move, release, giveUp, justEnded: () => performance.now() - endedAt < 200 }
}
