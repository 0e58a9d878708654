<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from 'element-plus'
import { computed } from 'vue'
import { describeSettings } from '@fennip/core/operations/settings.js'
import Setting from '../shared/Setting.vue'
import { useSteps } from '../store/steps.js'

/** The settings of the selected step, made from the schema of its operation. */
const list = useSteps()
const settings = computed(() => (list.operation ? describeSettings(list.operation) : []))
</script>

<template>
  <template v-for="setting in settings" :key="`${list.selected!.id}-${setting.name}`">
    <Setting
      v-if="setting.type === 'number' || setting.type === 'integer'" :label="setting.title" :unit="setting.unit" :model-value="Number(list.selected!.settings[setting.name])" :min="setting.minimum" :max="setting.maximum" :step="setting.step" :test="`set-${setting.name}`" :title="setting.help"
      @update:model-value="(value) => list.adjust(list.selected!.id, { [setting.name]: value })"
    />
    <div v-else-if="setting.choices.length > 0" class="choice" :title="setting.help">
      <span>{{ setting.title }}</span>
      <ElRadioGroup :model-value="String(list.selected!.settings[setting.name] ?? setting.default)" size="small" :aria-label="setting.title" :data-test="`set-${setting.name}`" @change="(value) => list.adjust(list.selected!.id, { [setting.name]: value })">
        <ElRadioButton v-for="choice in setting.choices" :key="choice" :value="choice">{{ choice }}</ElRadioButton>
      </ElRadioGroup>
    </div>
  </template>
</template>

<style scoped>
.choice { display: flex; flex-direction: column; gap: 4px; }
.choice :deep(.el-radio-button__inner) { padding: 4px 8px; }
</style>
