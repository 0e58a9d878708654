<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { refDebounced } from '@vueuse/core'
import { computed } from 'vue'
import { valueText } from '@fennip/core/operations/settings.js'
import Crop from '../shared/Crop.vue'
import { plain } from '../shared/plain.js'
import { useSteps } from '../store/steps.js'

/** The framed place at five values of one setting, side by side: a click takes one, as a darkroom's strip does. */
const list = useSteps()
const SIDE = 84
/** How far the outer values lie from the one that is set, as a share of the whole range. */
const REACH = 0.08

const values = computed(() => {
  const setting = list.triedSetting
  if (!setting || !list.selected) return []
  const now = list.valueOf(list.selected, setting.name)
  if (setting.name === 'strength') return [0, 25, 50, 75, 100]
  // Five values round the one that is set, all of them in the range: at its ends the strip lies to one side.
  const [least, most] = [setting.minimum, setting.maximum]
  const apart = Math.max(setting.step, Math.round(((most - least) * REACH) / 2 / setting.step) * setting.step)
  const first = Math.max(least, Math.min(most - 4 * apart, now - 2 * apart))
  return [0, 1, 2, 3, 4].map((k) => Number((Math.round((first + k * apart) / setting.step) * setting.step).toFixed(6)))
})
/** The one that is set, or nearest to it. */
const taken = computed(() => {
  if (!list.triedSetting || !list.selected) return -1
  const now = list.valueOf(list.selected, list.triedSetting.name)
  return values.value.reduce((best, value, i) => (Math.abs(value - now) < Math.abs(values.value[best]! - now) ? i : best), 0)
})
const strips = computed(() => list.variants(values.value).map((operations, i) => ({ value: values.value[i]!, name: list.triedSetting!.title, text: valueText(list.triedSetting!, values.value[i]), view: { lens: 'plain' as const, strength: 0, show: 'result' as const, operations: plain(operations) } })))
/** The picture follows the hand first: the strip is made anew when it rests for a moment. */
const resting = refDebounced(strips, 150)
/** 1:1 in pixels of the screen. */
const region = computed(() => ({ x: Math.round(list.frame.x - SIDE / 2), y: Math.round(list.frame.y - SIDE / 2), width: SIDE, height: SIDE }))
const take = (value: number) => list.selected && list.triedSetting && list.adjustValue(list.selected.id, list.triedSetting.name, value)
</script>

<template>
  <div v-if="list.triedSetting" class="strip" data-test="test-strip">
    <div class="title"><b>Test strip</b><span class="soft">of</span>
      <ElSelect :model-value="list.triedSetting.name" size="small" aria-label="Setting to try" data-test="tried" @change="(name: string) => (list.tried = name)"><ElOption v-for="setting in list.triable" :key="setting.name" :value="setting.name" :label="setting.title.toLowerCase()" /></ElSelect>
      <span class="soft">click in the picture for another place</span>
    </div>
    <div class="row">
      <ElButton v-for="(strip, i) in resting" :key="i" text :class="{ on: i === taken }" :aria-label="`${strip.name} ${strip.text}`" data-test="strip-value" @click="take(strip.value)">
        <Crop :region="region" :view="strip.view" :width="SIDE" :height="SIDE" /><span>{{ strip.text }}{{ i === taken ? ', taken' : '' }}</span>
      </ElButton>
    </div>
  </div>
</template>

<style scoped>
.strip { flex: 2 1 420px; min-width: 0; }
.title { display: flex; gap: 6px; align-items: center; height: 26px; white-space: nowrap; overflow: hidden; }
.title :deep(.el-select) { width: 118px; }
.row { display: flex; gap: 5px; overflow: hidden; }
.row .el-button { height: auto; margin: 0; padding: 0; border: 2px solid transparent; border-radius: 0; color: inherit; text-align: left; font-size: 12px; line-height: inherit; }
.row .el-button.on { border-color: var(--ink); }
.row .el-button:hover { border-color: var(--soft-ink); background: none; }
.row .el-button :deep(span) { display: block; white-space: nowrap; }
</style>
