<script setup lang="ts">
import { ElInputNumber, ElSlider } from 'element-plus'
import { ref, watch } from 'vue'

/** One number with its unit: a field to type it and a slider to try it. */
const props = withDefaults(defineProps<{ label: string; modelValue: number; min: number; max: number; unit?: string; step?: number; test?: string; disabled?: boolean }>(), { unit: '', step: 1, test: undefined, disabled: false })
const emit = defineEmits<{
  /** While the slider moves, and when a number is typed. */
  'update:modelValue': [value: number]
  /** When the slider is let go, and when a number is typed. */
  change: [value: number]
}>()
const shown = ref(props.modelValue)
watch(() => props.modelValue, (value) => (shown.value = value))
const digits = (String(props.step).split('.')[1] ?? '').length

function move(value: number): void {
  shown.value = value
  emit('update:modelValue', value)
}
function type(value: number | undefined): void {
  if (value === undefined || value === props.modelValue) return
  move(value)
  emit('change', value)
}
</script>

<template>
  <div class="setting">
    <div class="line">
      <span class="name">{{ label }}</span>
      <ElInputNumber :model-value="shown" :min="min" :max="max" :step="step" :precision="digits" :controls="false" :disabled="disabled" size="small" :aria-label="`${label}${unit ? ` in ${unit === '%' ? 'percent' : unit}` : ''}`" :data-test="test ? `${test}-number` : undefined" @change="type" />
      <span class="unit">{{ unit }}</span>
    </div>
    <ElSlider :model-value="shown" :min="min" :max="max" :step="step" :show-tooltip="false" :disabled="disabled" :aria-label="label" :data-test="test" @update:model-value="(value) => move(Number(value))" @change="(value) => emit('change', Number(value))" />
  </div>
</template>

<style scoped>
.line { display: flex; align-items: center; gap: 4px; }
.name { flex: 1; min-width: 0; }
.unit { min-width: 14px; color: var(--soft-ink); }
.line :deep(.el-input-number) { width: 52px; }
.line :deep(.el-input__wrapper) { padding: 0 6px; }
.line :deep(.el-input__inner) { text-align: right; font-variant-numeric: tabular-nums; }
.setting :deep(.el-slider) { --el-slider-height: 2px; --el-slider-main-bg-color: #5e5e5e; height: 20px; padding: 0 7px; box-sizing: border-box; }
.setting :deep(.el-slider__button) { border-radius: 2px; border-color: var(--ink); background: var(--ink); width: 7px; height: 13px; margin-bottom: 3px; }
</style>
