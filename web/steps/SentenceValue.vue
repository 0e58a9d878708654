<script setup lang="ts">
import { ElButton, ElInputNumber, ElOption, ElPopover, ElSelect, ElSlider } from 'element-plus'
import { computed, ref } from 'vue'
import { operationOf } from '@fennip/core/pipeline/registry.js'
import { describeSettings } from '@fennip/core/operations/settings.js'
import type { OperationStep } from '@fennip/core/treatment/schema.js'
import { useSteps } from '../store/steps.js'

/** A value in a sentence: a click changes it in place. What comes `after` it, a comma or a full stop, stays on its line. */
const props = defineProps<{ step: OperationStep; name: string; text: string; after?: string }>()
const list = useSteps()
const shown = ref(false)
const setting = computed(() => (props.name === 'strength' ? { title: 'Strength', unit: '%', type: 'number' as const, minimum: 0, maximum: 100, step: 5, choices: [], default: 100, help: 'How far it is laid on.' } : describeSettings(operationOf(props.step.operation)).find(({ name }) => name === props.name)!))
const isNumber = computed(() => setting.value.type === 'number' || setting.value.type === 'integer')
const value = computed(() => list.valueOf(props.step, props.name))
const set = (next: number | number[] | undefined) => next !== undefined && list.adjustValue(props.step.id, props.name, Number(next))
function open(): void {
  list.selectedId = props.step.id
  list.tried = props.name
}
</script>

<template>
  <span class="unbroken">
  <ElPopover v-if="isNumber || setting.choices.length > 0" v-model:visible="shown" trigger="click" placement="bottom" :width="220" :show-arrow="false">
    <template #reference><ElButton link class="value" :data-test="`value-${name}`" @click="open">{{ text }}</ElButton></template>
    <template v-if="isNumber">
      <label>{{ setting.title }} <span class="soft">{{ setting.unit }}</span>
        <ElInputNumber :model-value="value" :min="setting.minimum" :max="setting.maximum" :step="setting.step" size="small" :aria-label="setting.title" :data-test="`type-${name}`" @change="set" />
      </label>
      <ElSlider :model-value="value" :min="setting.minimum" :max="setting.maximum" :step="setting.step" :show-tooltip="false" :aria-label="setting.title" @update:model-value="set" />
    </template>
    <label v-else>{{ setting.title }}
      <ElSelect :model-value="String(step.settings[name] ?? setting.default)" size="small" :aria-label="setting.title" :teleported="false" :data-test="`type-${name}`" @change="(choice: string) => list.adjust(step.id, { [name]: choice })"><ElOption v-for="choice in setting.choices" :key="choice" :value="choice" :label="choice" /></ElSelect>
    </label>
    <p class="soft">{{ setting.help }}</p>
  </ElPopover>
  <ElButton v-else link class="value" @click="open">{{ text }}</ElButton>{{ after }}</span>
</template>

<style scoped>
label { display: flex; justify-content: space-between; align-items: center; gap: 8px; }
label :deep(.el-select) { width: 110px; }
p { margin: 0; font-size: 12px; }
</style>
