<script setup lang="ts">
import { ElSwitch } from 'element-plus'
import { storeToRefs } from 'pinia'
import { computed } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'
import { operationOf } from '@fennip/core/pipeline/registry.js'
import { sentenceOf } from '@fennip/core/operations/settings.js'
import type { OperationStep } from '@fennip/core/treatment/schema.js'
import { keyHandler } from '../help/use-keys.js'
import { useSteps } from '../store/steps.js'
import SentenceValue from './SentenceValue.vue'

/** The steps of the stage as sentences, in the order in which they are made; what a stage adds to a sentence comes in slots. */
const list = useSteps()
const own = computed({
  get: () => list.own,
  set: (rows: OperationStep[]) => void list.reorder(rows.map(({ id }) => id)),
})
const slots = defineSlots<{ more?(given: { step: OperationStep }): unknown; under?(given: { step: OperationStep }): unknown }>()
/** Values with the punctuation that comes after them, and the words between. */
function partsOf(step: OperationStep): { readonly text: string; readonly setting?: string; readonly after?: string }[] {
  const parts = sentenceOf(operationOf(step.operation), step.settings)
  const textAfter = (i: number) => (parts[i + 1]?.text ?? (slots.more ? ',' : ''))
  const mark = (text: string) => /^[,.;:)]*/.exec(text)![0]
  return parts.flatMap((part, i) => {
    if ('setting' in part) return [{ ...part, after: mark(textAfter(i)) }]
    const follows = i > 0 && 'setting' in parts[i - 1]!
    return [{ text: (follows ? part.text.slice(mark(part.text).length) : part.text) + (i === parts.length - 1 && slots.more ? ',' : '') }]
  })
}
const { selected } = storeToRefs(list)
function stepBy(by: 1 | -1): void {
  const ids = own.value.map(({ id }) => id)
  const next = ids[ids.indexOf(list.selectedId!) + by]
  if (!next) return
  list.selectedId = next
  document.getElementById(`step-${next}`)?.focus()
}
/** A row that has the focus is the selected one. */
const answer = keyHandler(['steps'], {
  'step-next': () => stepBy(1),
  'step-back': () => stepBy(-1),
  'step-down': () => void list.move(selected.value!.id, 1),
  'step-up': () => void list.move(selected.value!.id, -1),
  'step-switch': () => void list.toggle(selected.value!),
  'step-remove': () => void list.remove(selected.value!.id),
}, () => !!selected.value)
function onKey(event: KeyboardEvent): void {
  if (answer(event)) event.stopPropagation()
}
</script>

<template>
  <VueDraggable v-model="own" handle=".grip" :animation="120" class="steps" role="list">
    <div
      v-for="step in own" :id="`step-${step.id}`" :key="step.id" class="step" role="listitem" tabindex="0" :class="{ on: step.id === list.selectedId, off: !step.enabled }" data-test="step" :data-operation="step.operation"
      @click="list.selectedId = step.id" @focus="list.selectedId = step.id" @keydown.self="onKey"
    >
      <ElSwitch :model-value="step.enabled" size="small" :aria-label="step.enabled ? 'Switch off' : 'Switch on'" data-test="step-switch" @click.stop @change="list.toggle(step)" />
      <div>
        <p><template v-for="(part, i) in partsOf(step)" :key="i"><SentenceValue v-if="part.setting" :step="step" :name="part.setting" :text="part.text" :after="part.after" /><template v-else>{{ part.text }}</template></template><slot name="more" :step="step" /></p>
        <small v-if="step.note" class="soft">{{ step.note }}</small>
        <slot name="under" :step="step" />
      </div>
      <span class="grip" title="Drag to another place; Alt and arrows by key" aria-hidden="true">⠿</span>
    </div>
  </VueDraggable>
</template>

<style scoped>
.steps { overflow-y: auto; flex: none; max-height: 62%; }
.step { display: grid; grid-template-columns: 34px minmax(0, 1fr) 14px; gap: 6px; padding: 9px 8px 9px 12px; border-bottom: 1px solid var(--hairline); align-items: start; cursor: pointer; }
.step.on { background: #fff; box-shadow: inset 0 0 0 1px var(--ink); }
.step.off p { color: var(--soft-ink); }
.step p { margin: 1px 0 0; }
.step :deep(small) { display: block; }
.step :deep(.el-switch) { height: 20px; }
.grip { color: #9a9a9a; cursor: grab; }
</style>
