<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus'
import { nextTick, ref, watch } from 'vue'
import { useRemarks } from '../store/remarks.js'

/** Remarks on places of the picture: written, answered, part of the report. */
const remarks = useRemarks()
const draft = ref('')
const field = ref<InstanceType<typeof ElInput>>()
watch(() => remarks.place, async (place) => {
  draft.value = ''
  if (!place) return
  await nextTick()
  field.value?.focus()
})
function pin(): void {
  void remarks.pin(draft.value)
  draft.value = ''
}
</script>

<template>
  <section class="remarks" aria-label="Remarks">
    <p v-if="remarks.list.length === 0 && !remarks.place" class="soft">Click in the picture where something is to be said. Remarks stand in the report with their number.</p>
    <div v-if="remarks.place" class="new">
      <ElInput ref="field" v-model="draft" type="textarea" :rows="2" maxlength="600" placeholder="What is to be said here?" aria-label="New remark" data-test="remark-text" @keydown.ctrl.enter="pin" />
      <div><ElButton type="primary" size="small" :disabled="draft.trim() === ''" data-test="remark-pin-it" @click="pin">Pin it</ElButton> <ElButton size="small" @click="remarks.place = null">Not here</ElButton></div>
    </div>
    <div v-for="(remark, i) in remarks.list" :key="remark.id" class="remark" :class="{ on: remark.id === remarks.selectedId }" data-test="remark" @click="remarks.selectedId = remark.id">
      <b>{{ i + 1 }}</b>
      <div>
        <ElInput :model-value="remark.text" size="small" maxlength="600" :aria-label="`Remark ${i + 1}`" @change="(text: string) => remarks.set(remark, { text })" />
        <ElInput :model-value="remark.answer ?? ''" size="small" maxlength="600" placeholder="Answer" :aria-label="`Answer to remark ${i + 1}`" data-test="remark-answer" @change="(answer: string) => remarks.set(remark, { answer })" />
      </div>
      <ElButton link @click.stop="remarks.remove(remark.id)">Take out</ElButton>
    </div>
  </section>
</template>

<style scoped>
.remarks { padding: 10px 14px; overflow-y: auto; background: var(--sheet); border-top: 1px solid var(--hairline); height: 176px; box-sizing: border-box; }
.new { display: flex; flex-direction: column; gap: 6px; margin-bottom: 8px; }
.remark { display: grid; grid-template-columns: 18px minmax(0, 1fr) auto; gap: 10px; padding: 6px 0; border-bottom: 1px solid var(--hairline); align-items: start; }
.remark > div { display: grid; grid-template-columns: 1fr 1fr; gap: 8px; }
.remark.on > b { text-decoration: underline; }
p { margin: 0; }
</style>
