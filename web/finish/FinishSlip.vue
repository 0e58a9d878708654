<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed } from 'vue'
import { describeSettings } from '@fennip/core/operations/settings.js'
import Setting from '../shared/Setting.vue'
import { useBench } from '../store/bench.js'
import { useFinish } from '../store/finish.js'
import { useTones } from './tones.js'

/** The settings of the selected step, made from the schema of its operation. */
const bench = useBench()
const finish = useFinish()
const tones = useTones()
const settings = computed(() => (finish.operation ? describeSettings(finish.operation).filter(({ type }) => type === 'number' || type === 'integer') : []))
const zones = computed(() => bench.areas.filter(({ role }) => role === 'zone'))
const hasStrength = computed(() => finish.operation && finish.operation.form !== 'geometry')
const percent = (share: number) => `${(100 * share).toFixed(1)} %`
async function strengthen(value: number): Promise<void> {
  if (finish.selected) await finish.change(finish.selected.id, { strength: value / 100 }, 'Set the strength')
}
</script>

<template>
  <aside class="slip" aria-label="Selected step" data-test="finish-slip">
    <template v-if="finish.selected && finish.operation">
      <h2>{{ finish.operation.title }}</h2>
      <p class="soft">{{ finish.operation.trouble }}.</p>
      <Setting
        v-for="setting in settings" :key="`${finish.selected.id}-${setting.name}`" :label="setting.title" :unit="setting.unit" :model-value="Number(finish.selected.settings[setting.name])" :min="setting.minimum" :max="setting.maximum" :step="setting.step" :test="`set-${setting.name}`"
        @update:model-value="(value) => finish.adjust(finish.selected!.id, { [setting.name]: value })"
      />
      <p v-if="finish.operation.name === 'curve'" class="soft">Drag the points of the curve in the chart of tones; a click on the curve adds one. By key: Tab to a point, arrows move it, Del takes it out.</p>
      <p v-if="finish.operation.name === 'perspective'" class="soft">Take Corners above the picture and click the four corners of the print.</p>
      <template v-if="finish.operation.name === 'black-and-white'">
        <div class="pair"><span>Clipped, dark</span><b data-test="clipped-dark">{{ percent(tones.clipped[0]) }}</b></div>
        <div class="pair"><span>Clipped, light</span><b data-test="clipped-light">{{ percent(tones.clipped[1]) }}</b></div>
        <p class="soft">Hatched in the picture while you move.</p>
      </template>
      <template v-if="hasStrength">
        <Setting label="Strength" unit="%" :model-value="Math.round(100 * finish.selected.strength)" :min="5" :max="100" test="finish-strength" @change="strengthen" />
        <label v-if="zones.length > 0">Only in
          <ElSelect :model-value="finish.selected.zone ?? ''" size="small" aria-label="Zone" data-test="finish-zone" @change="(zone: string) => finish.change(finish.selected!.id, { zone: zone === '' ? undefined : zone }, 'Set the zone')">
            <ElOption value="" label="the whole picture" /><ElOption v-for="zone in zones" :key="zone.id" :value="zone.id" :label="zone.name" />
          </ElSelect>
        </label>
      </template>
      <ElButton data-test="finish-remove" @click="finish.remove(finish.selected.id)">Take out</ElButton>
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
