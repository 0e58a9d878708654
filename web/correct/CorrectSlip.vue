<script setup lang="ts">
import { ElButton, ElInput, ElSwitch } from 'element-plus'
import { computed, ref, watch } from 'vue'
import Setting from '../shared/Setting.vue'
import StepSettings from '../steps/StepSettings.vue'
import { useSteps } from '../store/steps.js'
import { useZones } from '../store/zones.js'

/** The selected correction, and the zone that is worked on. */
const list = useSteps()
const zones = useZones()
const softEdge = ref(0)
const moved = ref(0)
watch(() => [zones.current?.softEdgePx, zones.current?.movedPx, zones.current?.id], () => {
  softEdge.value = zones.current?.softEdgePx ?? 0
  moved.value = zones.current?.movedPx ?? 0
}, { immediate: true })
const lastRange = computed(() => {
  const part = zones.current?.parts.at(-1)
  return part && 'range' in part ? part : null
})
const name = ref('')
watch(() => zones.current?.name, (now) => (name.value = now ?? ''), { immediate: true })
</script>

<template>
  <aside class="slip" aria-label="Selected correction" data-test="correct-slip">
    <template v-if="list.selected && list.operation && !zones.chosen">
      <h2>{{ list.operation.title }}</h2>
      <p class="soft">{{ list.operation.trouble }}.{{ list.selected.zone === undefined && !list.operation.byHand ? ' It changes the whole picture: paint to keep it to a zone.' : '' }}</p>
      <Setting label="Strength" unit="%" :model-value="Math.round(100 * list.selected.strength)" :min="0" :max="100" test="step-strength" @update:model-value="(value) => list.adjustValue(list.selected!.id, 'strength', value)" />
      <StepSettings />
      <ElButton data-test="step-remove" @click="list.remove(list.selected.id)">Take out</ElButton>
    </template>
    <template v-else-if="!zones.current || zones.tool === 'mend'">
      <h2>Correct</h2>
      <p class="soft">What covers an area is corrected through a zone, with a strength, and only there. Say what is wrong: Fennip measures the zone and what is around it and sets the rest.</p>
      <p class="soft">The strip under the picture shows one place at five values of the correction that is selected: a click takes one.</p>
    </template>
    <section v-if="zones.current && zones.tool !== 'mend'" class="zone-settings">
      <h2>Zone</h2>
      <ElInput v-model="name" size="small" maxlength="80" aria-label="Name of the zone" data-test="zone-name" @change="zones.rename(name)" />
      <template v-if="lastRange">
        <Setting v-if="lastRange.range.type === 'colour'" label="Colours within" :model-value="lastRange.range.within" :min="1" :max="80" test="range-within" @change="(within) => lastRange && lastRange.range.type === 'colour' && zones.setRange({ ...lastRange, range: { ...lastRange.range, within } })" />
        <template v-else>
          <Setting label="Tones from" unit="L*" :model-value="lastRange.range.from" :min="0" :max="100" test="range-from" @change="(from) => lastRange && lastRange.range.type === 'tone' && zones.setRange({ ...lastRange, range: { ...lastRange.range, from } })" />
          <Setting label="up to" unit="L*" :model-value="lastRange.range.to" :min="0" :max="100" test="range-to" @change="(to) => lastRange && lastRange.range.type === 'tone' && zones.setRange({ ...lastRange, range: { ...lastRange.range, to } })" />
        </template>
      </template>
      <Setting v-model="softEdge" label="Soft edge" unit="px" :min="0" :max="200" test="zone-soft" @change="(softEdgePx) => zones.set({ softEdgePx }, 'Soften')" />
      <Setting v-model="moved" label="Moved out" unit="px" :min="-60" :max="60" test="zone-moved" @change="(movedPx) => zones.set({ movedPx }, movedPx < 0 ? 'Move in' : 'Move out')" />
      <label class="line">Inverted <ElSwitch :model-value="zones.current.inverted ?? false" size="small" aria-label="Inverted" data-test="zone-invert" @change="zones.set({ inverted: !zones.current!.inverted }, 'Invert')" /></label>
      <template v-if="zones.tool === 'in' || zones.tool === 'out'">
        <Setting v-model="zones.hardness" label="Brush, hard" unit="%" :min="0" :max="100" test="brush-hardness" />
        <Setting v-model="zones.brushStrength" label="Brush, strength" unit="%" :min="5" :max="100" test="brush-strength" />
      </template>
      <ElButton data-test="zone-remove" @click="zones.remove">Take out the zone</ElButton>
    </section>
  </aside>
</template>

<style scoped>
.zone-settings { display: flex; flex-direction: column; gap: 8px; border-top: 1px solid var(--hairline); padding-top: 10px; }
.line { display: flex; justify-content: space-between; align-items: center; }
.slip :deep(.el-button) { margin-left: 0; }
</style>
