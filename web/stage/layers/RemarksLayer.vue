<script setup lang="ts">
import { useRemarks } from '../../hand-over/remarks.js'
import type { Sight } from '../sight.js'

/** Numbered pins of remarks over the picture. */
defineProps<{ sight: Sight }>()
const remarks = useRemarks()
</script>

<template>
  <svg class="remarks-layer" aria-hidden="true">
    <g v-for="(remark, i) in remarks.list" :key="remark.id" :transform="`translate(${remark.x * sight.scale + sight.x} ${remark.y * sight.scale + sight.y})`" :class="{ on: remark.id === remarks.selectedId }" data-test="remark-pin">
      <circle r="10" /><text dy="4">{{ i + 1 }}</text>
    </g>
    <circle v-if="remarks.place" class="new" :cx="remarks.place.x * sight.scale + sight.x" :cy="remarks.place.y * sight.scale + sight.y" r="10" />
  </svg>
</template>

<style scoped>
.remarks-layer { position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none; }
circle { fill: #fff; stroke: var(--ink); stroke-width: 1.5; }
.on circle { fill: var(--ink); }
text { text-anchor: middle; font-size: 12px; fill: var(--ink); }
.on text { fill: #fff; }
.new { fill: none; stroke: #fff; stroke-width: 2; stroke-dasharray: 3 2; }
</style>
