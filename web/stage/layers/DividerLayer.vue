<script setup lang="ts">
import type { Region } from '@fennip/core/raster/raster.js'
import { useBench } from '../../store/bench.js'
import { useLook } from '../../store/look.js'
import type { Sight } from '../sight.js'

/** The line between what was and what is, moved by the pointer. */
const props = defineProps<{ sight: Sight; before: string }>()
/** Where it passed over, once it is let go. */
const emit = defineEmits<{ passed: [region: Region] }>()
const bench = useBench()
const look = useLook()
let draggedFrom: number | null = null
let left = 0
function take(event: PointerEvent): void {
  draggedFrom = look.divider
  const target = event.target as HTMLElement
  left = target.closest('.picture-view')!.querySelector('.frame')!.getBoundingClientRect().left
  target.setPointerCapture(event.pointerId)
}
function move(event: PointerEvent): void {
  if (draggedFrom === null) return
  look.divider = Math.max(0, Math.min(bench.opened!.original.width, Math.round((event.clientX - left - props.sight.x) / props.sight.scale)))
}
/** Once more over the whole way, since what was painted while it moved may have come in another order. */
function leave(): void {
  if (draggedFrom === null || look.divider === null) return
  emit('passed', { x: Math.min(draggedFrom, look.divider) - 2, y: 0, width: Math.abs(draggedFrom - look.divider) + 4, height: bench.opened!.original.height })
  draggedFrom = null
}
</script>

<template>
  <div
    v-if="look.divider !== null" class="divider" :style="{ left: `${look.divider * sight.scale + sight.x}px` }" role="separator" aria-label="Original left, result right" data-test="divider"
    @pointerdown="take" @pointermove="move" @pointerup="leave" @pointercancel="leave"
  ><span>{{ before }}</span><span>Result</span></div>
</template>

<style scoped>
.divider { position: absolute; top: 0; bottom: 0; width: 15px; margin-left: -7px; cursor: ew-resize; touch-action: none; background: linear-gradient(90deg, transparent 6px, #fff 6px 7px, var(--ink) 7px 8px, transparent 8px); }
.divider span { position: absolute; bottom: 14px; padding: 2px 7px; background: var(--ink); color: #fff; pointer-events: none; white-space: nowrap; }
.divider span:first-child { right: 8px; }
.divider span:last-child { left: 8px; }
</style>
