<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import Setting from '../../shared/Setting.vue'
import { useBench } from '../../store/bench.js'

/** How the source of the selected mend is laid on, and what it snaps to when it is dragged. */
const bench = useBench()
const source = computed(() => bench.selectedStep!.source!)
const DEGREE = Math.PI / 180
const turn = computed(() => Math.round((source.value.turn ?? 0) / DEGREE))
const scale = computed(() => Math.round(100 * (source.value.scale ?? 1)))
const SNAPS = [
  { id: 'free', word: 'Free', hint: 'The source stays where you drop it' },
  { id: 'tone', word: 'Tone', hint: 'The source moves to the nearest place of the same tone' },
  { id: 'edge', word: 'Edge', hint: 'The source moves to where edges run on without a break' },
] as const
</script>

<template>
  <section class="source">
    <h3>Source</h3>
    <ElButton :class="{ on: source.mirror }" :aria-pressed="!!source.mirror" data-test="mirror" @click="bench.placeSource({ mirror: !source.mirror })">Mirrored</ElButton>
    <Setting label="Turned" unit="°" :model-value="turn" :min="-180" :max="180" test="turned" @update:model-value="(value) => bench.placeSource({ turn: value * DEGREE })" />
    <Setting label="Scale" unit="%" :model-value="scale" :min="50" :max="200" test="scaled" @update:model-value="(value) => bench.placeSource({ scale: value / 100 })" />
    <div class="snaps" role="radiogroup" aria-label="Snap to">
      <span>Snap</span>
      <ElButton v-for="snap in SNAPS" :key="snap.id" role="radio" :aria-checked="bench.snapTo === snap.id" :class="{ on: bench.snapTo === snap.id }" :title="snap.hint" :data-test="`snap-${snap.id}`" @click="bench.snapTo = snap.id">{{ snap.word }}</ElButton>
    </div>
    <p class="soft">By pixels <span class="key">Alt</span> <span class="key">arrows</span></p>
  </section>
</template>

<style scoped>
.source { display: flex; flex-direction: column; gap: 6px; border-top: 1px solid var(--hairline); padding-top: 8px; }
h3 { margin: 0; font-size: 13px; }
p { margin: 0; }
label span { display: flex; justify-content: space-between; }
label b { font-weight: 400; }
.snaps { display: flex; align-items: center; gap: 4px; }
.snaps span { margin-right: auto; }
.snaps button { border: 1px solid var(--hairline); background: #fff; border-radius: 3px; padding: 2px 7px; cursor: pointer; font-size: 12px; }
.snaps button.on { border-color: var(--ink); box-shadow: inset 0 0 0 1px var(--ink); }
</style>
