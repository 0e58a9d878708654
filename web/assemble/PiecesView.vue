<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useAssemble } from './assemble.js'

/** The pieces as they are put together: dragged to move, turned at the handle of the selected one. */
const assemble = useAssemble()
const frame = ref<HTMLElement>()
const { width, height } = useElementSize(frame)
/** Pieces that are shown apart lie so much further from the middle. */
const APART = 0.06

const middles = computed(() => (assemble.fitted?.pieces ?? []).map(({ box }, i) => {
  const placement = assemble.shown === 'as scanned' ? { turnDegrees: 0, dx: 0, dy: 0 } : assemble.placements[i]!
  return { x: box.x + box.width / 2 + placement.dx, y: box.y + box.height / 2 + placement.dy, turn: placement.turnDegrees, box }
}))
/** Bounds of all pieces on the plane of the scan, generously. */
const bounds = computed(() => {
  const reach = middles.value.map(({ x, y, box }) => ({ left: x - box.width / 2, right: x + box.width / 2, top: y - box.height / 2, bottom: y + box.height / 2 }))
  const [left, top] = [Math.min(...reach.map((one) => one.left)), Math.min(...reach.map((one) => one.top))]
  return { left, top, width: Math.max(...reach.map((one) => one.right)) - left, height: Math.max(...reach.map((one) => one.bottom)) - top }
})
const scale = computed(() => Math.min(width.value / (1.14 * bounds.value.width), height.value / (1.14 * bounds.value.height)) || 1)
const shown = computed(() => middles.value.map(({ x, y, turn, box }) => {
  const [cx, cy] = [bounds.value.left + bounds.value.width / 2, bounds.value.top + bounds.value.height / 2]
  const spread = assemble.shown === 'apart' ? 1 + 2 * APART : 1
  return { left: width.value / 2 + (x - cx) * spread * scale.value, top: height.value / 2 + (y - cy) * spread * scale.value, width: box.width * scale.value, height: box.height * scale.value, turn }
}))

let drag: { piece: number; x: number; y: number; start: { turnDegrees: number; dx: number; dy: number }; isTurn: boolean } | null = null
function press(event: PointerEvent, piece: number, isTurn: boolean): void {
  assemble.selected = piece
  if (piece === 0 || assemble.shown === 'as scanned') return
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  drag = { piece, x: event.clientX, y: event.clientY, start: assemble.placements[piece]!, isTurn }
}
function move(event: PointerEvent): void {
  if (!drag) return
  const { start } = drag
  if (drag.isTurn) {
    const box = frame.value!.getBoundingClientRect()
    const { left, top } = shown.value[drag.piece]!
    const angle = (x: number, y: number) => (Math.atan2(y - box.top - top, x - box.left - left) * 180) / Math.PI
    assemble.place(drag.piece, { ...start, turnDegrees: start.turnDegrees + angle(event.clientX, event.clientY) - angle(drag.x, drag.y) })
  } else assemble.place(drag.piece, { ...start, dx: start.dx + (event.clientX - drag.x) / scale.value, dy: start.dy + (event.clientY - drag.y) / scale.value })
}
</script>

<template>
  <div ref="frame" class="pieces" tabindex="0" data-keys data-home role="group" aria-label="Pieces" data-test="pieces">
    <div
      v-for="(piece, i) in assemble.fitted?.pieces ?? []" :key="i" class="piece" :class="{ on: i === assemble.selected, still: i === 0 }" data-test="piece"
      :style="{ left: `${shown[i]!.left}px`, top: `${shown[i]!.top}px`, width: `${shown[i]!.width}px`, height: `${shown[i]!.height}px`, transform: `translate(-50%, -50%) rotate(${shown[i]!.turn}deg)` }"
      @pointerdown="press($event, i, false)" @pointermove="move" @pointerup="drag = null" @pointercancel="drag = null"
    >
      <img :src="piece.picture" :alt="`Piece ${i + 1}`" draggable="false" />
      <i v-if="i === assemble.selected && i > 0 && assemble.shown !== 'as scanned'" class="turn" title="Drag to turn" data-test="turn-piece" @pointerdown.stop="press($event, i, true)" @pointermove.stop="move" @pointerup.stop="drag = null" />
    </div>
  </div>
</template>

<style scoped>
.pieces { position: relative; overflow: hidden; background: var(--surround); height: 100%; }
.pieces:focus-visible { outline: 1px solid var(--ink); outline-offset: -1px; }
.piece { position: absolute; cursor: move; touch-action: none; }
.piece.still { cursor: default; }
.piece img { width: 100%; height: 100%; display: block; }
.piece.on img { filter: drop-shadow(0 0 1.5px var(--ink)); }
.turn { position: absolute; right: -8px; top: -8px; width: 16px; height: 16px; border-radius: 50%; background: #fff; border: 2px solid var(--ink); cursor: grab; }
</style>
