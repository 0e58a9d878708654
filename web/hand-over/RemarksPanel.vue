<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus'
import { nextTick, ref, watch } from 'vue'
import { useRemarks } from './remarks.js'
import RemarkRow from './RemarkRow.vue'

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
    <RemarkRow v-for="(remark, i) in remarks.list" :key="remark.id" :remark="remark" :number="i + 1" />
  </section>
</template>

<style scoped>
.remarks { padding: 10px 14px; overflow-y: auto; background: var(--sheet); border-top: 1px solid var(--hairline); height: 176px; box-sizing: border-box; }
.new { display: flex; flex-direction: column; gap: 6px; margin-bottom: 8px; }
p { margin: 0; }
</style>
