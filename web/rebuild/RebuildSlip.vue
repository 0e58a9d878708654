<script setup lang="ts">
import { ElButton, ElInput, ElRadioButton, ElRadioGroup } from 'element-plus'
import { ref, watch } from 'vue'
import Setting from '../shared/Setting.vue'
import StepSettings from '../steps/StepSettings.vue'
import { useRebuild } from './rebuild.js'
import { useSteps } from '../store/steps.js'

/** The selected group or path, and the pen. */
const list = useSteps()
const rebuild = useRebuild()
const name = ref('')
watch(() => list.selected?.settings.name, (now) => (name.value = String(now ?? '')), { immediate: true })
function takeLast(): void {
  const step = list.selected!
  list.adjust(step.id, { strokes: (step.settings.strokes as unknown[]).slice(0, -1) })
}
</script>

<template>
  <aside class="slip" aria-label="Selected drawing" data-test="rebuild-slip">
    <section v-if="rebuild.tool === 'draw' || rebuild.tool === 'pick'" class="pen">
      <h2>Pen</h2>
      <Setting v-model="rebuild.opacity" label="Opacity" unit="%" :min="1" :max="100" test="pen-opacity" />
      <Setting v-model="rebuild.hardness" label="Hard" unit="%" :min="0" :max="100" test="pen-hardness" />
      <div class="choice"><span>Pressure changes</span>
        <ElRadioGroup v-model="rebuild.pen" size="small" aria-label="Pressure changes"><ElRadioButton value="size">size</ElRadioButton><ElRadioButton value="opacity">opacity</ElRadioButton></ElRadioGroup>
      </div>
    </section>
    <template v-if="list.selected && list.operation">
      <h2>{{ list.operation.title }}</h2>
      <ElInput v-if="list.selected.operation === 'draw'" v-model="name" size="small" maxlength="60" aria-label="Name of the group" data-test="group-name" @change="name && list.adjust(list.selected!.id, { name })" />
      <p v-else class="soft">{{ list.operation.trouble }}.</p>
      <Setting label="Strength" unit="%" :model-value="Math.round(100 * list.selected.strength)" :min="0" :max="100" test="step-strength" @update:model-value="(value) => list.adjustValue(list.selected!.id, 'strength', value)" />
      <StepSettings />
      <ElButton v-if="list.selected.operation === 'draw'" :disabled="(list.selected.settings.strokes as unknown[]).length === 0" data-test="last-stroke" @click="takeLast">Take out the last stroke</ElButton>
      <ElButton data-test="step-remove" @click="list.remove(list.selected.id)">Take out</ElButton>
    </template>
    <template v-else-if="rebuild.tool !== 'draw'">
      <h2>Rebuild</h2>
      <p class="soft">What is lost is hinted at, not painted: below what is noticed. Groups are softened and laid on together, can be switched off at any time, and get the grain of the place.</p>
      <p class="soft">An edge that breaks off is drawn on from how it runs on both sides of the gap.</p>
    </template>
  </aside>
</template>

<style scoped>
.pen { display: flex; flex-direction: column; gap: 8px; border-bottom: 1px solid var(--hairline); padding-bottom: 10px; }
.choice { display: flex; flex-direction: column; gap: 4px; }
.slip :deep(.el-button) { margin-left: 0; }
.slip { overflow-y: auto; }
</style>
