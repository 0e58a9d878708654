<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus'
import { ref, watch } from 'vue'
import type { Remark } from '@fennip/core/treatment/schema.js'
import { useRemarks } from './remarks.js'

/** A remark with its answer; both are saved when their field is left. */
const props = defineProps<{ remark: Remark; number: number }>()
const remarks = useRemarks()
const text = ref('')
const answer = ref('')
watch(() => props.remark, (now) => {
  text.value = now.text
  answer.value = now.answer ?? ''
}, { immediate: true })
</script>

<template>
  <div class="remark" :class="{ on: remark.id === remarks.selectedId }" data-test="remark" @click="remarks.selectedId = remark.id">
    <b>{{ number }}</b>
    <div>
      <ElInput v-model="text" type="textarea" :autosize="{ minRows: 1, maxRows: 4 }" size="small" maxlength="600" :aria-label="`Remark ${number}`" @change="remarks.set(remark, { text })" />
      <ElInput v-model="answer" size="small" maxlength="600" placeholder="Answer" :aria-label="`Answer to remark ${number}`" data-test="remark-answer" @change="remarks.set(remark, { answer })" />
    </div>
    <ElButton link @click.stop="remarks.remove(remark.id)">Take out</ElButton>
  </div>
</template>

<style scoped>
.remark { display: grid; grid-template-columns: 18px minmax(0, 1fr) auto; gap: 10px; padding: 6px 0; border-bottom: 1px solid var(--hairline); align-items: start; }
.remark > div { display: grid; grid-template-columns: 1fr 1fr; gap: 8px; }
.remark.on > b { text-decoration: underline; }
</style>
