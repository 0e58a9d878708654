<script setup lang="ts">
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElSwitch } from 'element-plus'
import { computed } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'
import { operationOf } from '@fennip/core/operations/registry.js'
import { sentenceOf } from '@fennip/core/operations/settings.js'
import type { OperationStep } from '@fennip/core/treatment/schema.js'
import { useFinish } from '../store/finish.js'
import SentenceValue from './SentenceValue.vue'

/** The steps of the finish as sentences, in the order in which they are made. */
const finish = useFinish()
const own = computed({
  get: () => finish.steps.filter(({ stage }) => stage === 'finish'),
  set: (list: OperationStep[]) => void finish.reorder(list.map(({ id }) => id)),
})
const partsOf = (step: OperationStep) => sentenceOf(operationOf(step.operation), step.settings)
function onKey(event: KeyboardEvent, step: OperationStep): void {
  const ids = own.value.map(({ id }) => id)
  const at = ids.indexOf(step.id)
  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    const by = event.key === 'ArrowDown' ? 1 : -1
    if (event.altKey) void finish.move(step.id, by)
    else if (ids[at + by]) {
      finish.selectedId = ids[at + by]!
      document.getElementById(`finish-${ids[at + by]}`)?.focus()
    }
  } else if (event.key === ' ') void finish.toggle(step)
  else if (event.key === 'Delete') void finish.remove(step.id)
  else return
  event.preventDefault()
  event.stopPropagation()
}
</script>

<template>
  <section class="finish-list" aria-label="Steps of the finish">
    <header><b>Finish</b> <span class="soft">in this order</span></header>
    <VueDraggable v-model="own" handle=".grip" :animation="120" class="steps" role="list">
      <div
        v-for="step in own" :id="`finish-${step.id}`" :key="step.id" class="step" role="listitem" tabindex="0" :class="{ on: step.id === finish.selectedId, off: !step.enabled }" data-test="finish-step" :data-operation="step.operation"
        @click="finish.selectedId = step.id" @focus="finish.selectedId = step.id" @keydown.self="onKey($event, step)"
      >
        <ElSwitch :model-value="step.enabled" size="small" :aria-label="step.enabled ? 'Switch off' : 'Switch on'" data-test="finish-switch" @click.stop @change="finish.toggle(step)" />
        <div>
          <p><template v-for="(part, i) in partsOf(step)" :key="i"><SentenceValue v-if="'setting' in part" :step="step" :name="part.setting" :text="part.text" /><template v-else>{{ part.text }}</template></template></p>
          <small v-if="step.note" class="soft">{{ step.note }}</small>
          <small v-if="step.operation === 'print-size' && finish.verdict" :class="finish.verdict.verdict === 'too large' ? 'shows' : 'soft'">
            {{ finish.verdict.verdict === 'as scanned' ? `as scanned at ${Math.round(finish.verdict.scanned)} per inch; at most ${finish.verdict.mostCm} cm before it softens` : finish.verdict.verdict === 'softens' ? 'a little larger than it was scanned for' : `softens: at most ${finish.verdict.mostCm} cm` }}
          </small>
        </div>
        <span class="grip" title="Drag to another place; Alt and arrows by key" aria-hidden="true">⠿</span>
      </div>
    </VueDraggable>
    <p v-if="own.length === 0" class="none soft">Nothing is done to the tones yet. Let Fennip propose what it measures, or say what is wrong.</p>
    <footer>
      <ElButton type="primary" :loading="finish.busy" data-test="propose-all" @click="finish.proposeAll">Propose all</ElButton>
      <ElDropdown trigger="click" placement="top-start" :max-height="420" @command="(name: string) => finish.add(name)">
        <ElButton data-test="what-is-wrong">What is wrong?</ElButton>
        <template #dropdown>
          <ElDropdownMenu>
            <ElDropdownItem v-for="operation in finish.offered" :key="operation.name" :command="operation.name" :data-test="`offer-${operation.name}`"><span class="offer"><span>{{ operation.trouble }}</span><small>{{ operation.title }}</small></span></ElDropdownItem>
          </ElDropdownMenu>
        </template>
      </ElDropdown>
    </footer>
  </section>
</template>

<style scoped>
.finish-list { display: flex; flex-direction: column; min-height: 0; background: var(--sheet); border-right: 1px solid var(--hairline); }
header { padding: 12px; font-size: 14px; border-bottom: 1px solid var(--hairline); }
.steps { overflow-y: auto; }
.step { display: grid; grid-template-columns: 34px minmax(0, 1fr) 14px; gap: 6px; padding: 9px 8px 9px 12px; border-bottom: 1px solid var(--hairline); align-items: start; cursor: pointer; }
.step.on { background: #fff; box-shadow: inset 0 0 0 1px var(--ink); }
.step.off p { color: var(--soft-ink); }
.step p { margin: 1px 0 0; }
.step small { display: block; }
.step :deep(.el-switch) { height: 20px; }
.grip { color: #9a9a9a; cursor: grab; }
.none { padding: 12px; margin: 0; }
footer { display: flex; flex-wrap: wrap; gap: 8px; padding: 12px; margin-top: auto; border-top: 1px solid var(--hairline); }
.offer { display: grid; line-height: 1.35; padding: 3px 0; }
.offer small { color: var(--soft-ink); }
</style>
