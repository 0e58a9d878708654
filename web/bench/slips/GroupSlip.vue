<script setup lang="ts">
import { ElButton, ElProgress } from 'element-plus'
import { computed, ref } from 'vue'
import Setting from '../../shared/Setting.vue'
import { useBench } from '../../store/bench.js'
import { useGroup } from '../../store/bench/group.js'
import { useShaping } from '../../store/bench/shaping.js'

/** What is done to all flaws of the group at once. */
const bench = useBench()
const group = useGroup()
const shaping = useShaping()
const strength = ref(100)
const softEdge = ref(4)
const done = computed(() => (group.progress ? Math.round((100 * group.progress.done) / Math.max(1, group.progress.all)) : 0))
const METHODS = [
  { id: undefined, word: 'Gentlest that works' },
  { id: 'lift', word: 'Lift' },
  { id: 'heal', word: 'Heal' },
  { id: 'fill', word: 'Fill' },
  { id: 'clone', word: 'Clone' },
] as const
</script>

<template>
  <aside class="slip" aria-label="Group" data-test="group">
    <h2>{{ group.flaws.length }} flaws</h2>
    <p class="soft">{{ group.steps.length }} of them have a mend. What you do here is one step for all.</p>
    <div v-if="group.progress" class="progress">
      <span>{{ group.progress.done }} of {{ group.progress.all }}</span>
      <ElProgress :percentage="done" :stroke-width="5" :show-text="false" />
      <ElButton link data-test="group-cancel" @click="group.cancel">Cancel</ElButton>
    </div>
    <template v-else>
      <div class="methods">
        <ElButton v-for="method in METHODS" :key="method.word" :data-test="`group-${method.id ?? 'mend'}`" @click="group.mend(method.id)">{{ method.word }}</ElButton>
      </div>
      <Setting v-model="strength" label="Strength" unit="%" :min="0" :max="100" test="group-strength" :disabled="group.steps.length === 0" @change="group.adjust({ strength: strength / 100 }, 'Set the strength')" />
      <Setting v-model="softEdge" label="Soft edge" unit="px" :min="0" :max="60" test="group-soft-edge" :disabled="group.steps.length === 0" @change="group.adjust({ softEdgePx: softEdge }, 'Set the soft edge')" />
      <ElButton type="primary" data-test="group-settle" :disabled="group.steps.length === 0" @click="group.settle">Settle all</ElButton>
      <ElButton data-test="group-leave" @click="group.leave">{{ group.steps.length > 0 ? 'Take mends out and leave all' : 'Leave all as they are' }}</ElButton>
      <ElButton data-test="group-reset" :disabled="group.steps.length === 0" @click="group.reset">Reset: take their mends out</ElButton>
      <ElButton v-if="shaping.partner()" data-test="join" :disabled="bench.busy" @click="shaping.join">Join the two strokes</ElButton>
      <ElButton data-test="group-clear" @click="group.clear">Back to one flaw <span class="key">Esc</span></ElButton>
    </template>
  </aside>
</template>

<style scoped>
.methods { border: 1px solid var(--hairline); border-radius: 3px; overflow: hidden; background: #fff; flex: none; }
.methods button { display: block; width: 100%; text-align: left; padding: 6px 9px; border: 0; border-bottom: 1px solid var(--hairline); background: none; cursor: pointer; }
.methods button:last-child { border-bottom: 0; }
.methods button:hover { background: var(--ground); }
.progress { display: grid; gap: 6px; }
</style>
