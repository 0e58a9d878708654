<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { useBench } from '../../store/bench.js'
import { useShaping, type Shaping } from '../../store/bench/shaping.js'

/** What can be done to the shape of the selected flaw after it was made. */
const bench = useBench()
const shaping = useShaping()
const ways = computed(() => {
  const type = bench.selected?.shape.type
  const list: { id: Shaping; word: string; hint: string }[] = [
    { id: 'add', word: 'Add', hint: 'Draw round what belongs to the flaw too' },
    { id: 'take', word: 'Take away', hint: 'Draw round what does not belong to the flaw' },
  ]
  if (type === 'stroke') list.push({ id: 'split', word: 'Split', hint: 'Click the stroke where it is to be cut in two' })
  if (type === 'disc') list.push({ id: 'draw-out', word: 'Draw out', hint: 'Draw from the spot along the flaw: it becomes a stroke' })
  return list
})
const hint = computed(() => ways.value.find((way) => way.id === shaping.mode)?.hint)
</script>

<template>
  <section class="shape">
    <h3>Shape</h3>
    <div>
      <ElButton v-for="way in ways" :key="way.id" :class="{ on: shaping.mode === way.id }" :aria-pressed="shaping.mode === way.id" :disabled="bench.busy" :title="way.hint" :data-test="`shape-${way.id}`" @click="shaping.begin(way.id)">{{ way.word }}</ElButton>
      <ElButton :disabled="bench.busy" title="Wider by a tenth" data-test="shape-wider" @click="shaping.widen(1.1)">Wider</ElButton>
      <ElButton :disabled="bench.busy" title="Narrower by a tenth" data-test="shape-narrower" @click="shaping.widen(1 / 1.1)">Narrower</ElButton>
    </div>
    <div v-if="bench.selectedStep && bench.steps.length > 1" class="order">
      <ElButton :disabled="bench.busy" title="Made after all other mends, so that it lies on them" data-test="order-top" @click="bench.reorder('top')">Lay on top</ElButton>
      <ElButton :disabled="bench.busy" title="Made before all other mends, so that they lie on it" data-test="order-bottom" @click="bench.reorder('bottom')">Lay under</ElButton>
    </div>
    <p v-if="hint" class="soft">{{ hint }}.</p>
  </section>
</template>

<style scoped>
.shape { border-top: 1px solid var(--hairline); padding-top: 8px; }
h3 { margin: 0 0 4px; font-size: 13px; }
div { display: flex; flex-wrap: wrap; gap: 4px; }
.order { margin-top: 4px; }
p { margin: 4px 0 0; }
button { border: 1px solid var(--hairline); background: #fff; border-radius: 3px; padding: 2px 7px; cursor: pointer; font-size: 12px; }
button.on { border-color: var(--ink); box-shadow: inset 0 0 0 1px var(--ink); }
button:disabled { opacity: 0.6; }
</style>
