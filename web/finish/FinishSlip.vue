<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import Setting from '../shared/Setting.vue'
import { useBench } from '../store/bench.js'
import StepSettings from '../steps/StepSettings.vue'
import { useSteps } from '../store/steps.js'
import { useTones } from './tones.js'

/** The settings of the selected step, made from the schema of its operation. */
const bench = useBench()
const list = useSteps()
const tones = useTones()
const zones = computed(() => bench.areas.filter(({ role }) => role === 'zone'))
const hasStrength = computed(() => list.operation && list.operation.form !== 'geometry')
const percent = (share: number) => `${(100 * share).toFixed(1)} %`
async function strengthen(value: number): Promise<void> {
  if (list.selected) await list.change(list.selected.id, { strength: value / 100 }, 'Set the strength')
}
</script>

<template>
  <aside class="slip" aria-label="Selected step" data-test="finish-slip">
    <template v-if="list.selected && list.operation">
      <h2>{{ list.operation.title }}</h2>
      <p class="soft">{{ list.operation.trouble }}.</p>
      <StepSettings />
      <p v-if="list.operation.name === 'curve'" class="soft">Drag the points of the curve in the chart of tones; a click on the curve adds one. By key: Tab to a point, arrows move it, Del takes it out.</p>
      <p v-if="list.operation.name === 'perspective'" class="soft">Take Corners above the picture and click the four corners of the print.</p>
      <template v-if="list.operation.name === 'black-and-white'">
        <div class="pair"><span>Clipped, dark</span><b data-test="clipped-dark">{{ percent(tones.clipped[0]) }}</b></div>
        <div class="pair"><span>Clipped, light</span><b data-test="clipped-light">{{ percent(tones.clipped[1]) }}</b></div>
        <p class="soft">Hatched in the picture while you move.</p>
      </template>
      <template v-if="hasStrength">
        <Setting label="Strength" unit="%" :model-value="Math.round(100 * list.selected.strength)" :min="5" :max="100" test="finish-strength" @change="strengthen" />
        <label v-if="zones.length > 0">Only in
          <ElSelect :model-value="list.selected.zone ?? ''" :empty-values="[null, undefined]" size="small" aria-label="Zone" data-test="finish-zone" @change="(zone: string) => list.change(list.selected!.id, { zone: zone === '' ? undefined : zone }, 'Set the zone')">
            <ElOption value="" label="the whole picture" /><ElOption v-for="zone in zones" :key="zone.id" :value="zone.id" :label="zone.name" />
          </ElSelect>
        </label>
      </template>
      <ElButton data-test="finish-remove" @click="list.remove(list.selected.id)">Take out</ElButton>
      <p class="soft">Tone set here is seen in every stage and changes no mend.</p>
    </template>
    <template v-else>
      <h2>Finish</h2>
      <p class="soft">Tone, sharpness and frame. Each step reads as a sentence; its underlined values can be changed in place. Select one to see its settings and a test strip.</p>
      <p class="soft">The frame is drawn over the picture, so that marks and zones never move; Framed shows the picture as it is delivered.</p>
    </template>
  </aside>
</template>

<style scoped>
.pair { display: flex; justify-content: space-between; }
.pair b { font-weight: 400; }
.slip :deep(.el-button) { margin-left: 0; }
</style>
