<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed, ref } from 'vue'
import { api } from '../shared/api.js'
import { useBench } from '../store/bench.js'
import { counted } from '../shared/words.js'

/** The treatment as a document: kept, and opened again, on its original or on another scan of the same print. */
const bench = useBench()
const chooser = ref<HTMLInputElement>()
const carried = computed(() => bench.runs.filter(({ kind, state }) => kind === 'rescan' && state === 'done').sort((a, b) => (a.createdAt < b.createdAt ? 1 : -1))[0]?.result as { moved: number; unfit: string[]; turnDegrees: number; scale: number } | undefined)
const words = computed(() => {
  if (!carried.value) return ''
  const { moved, unfit, turnDegrees, scale } = carried.value
  const { length } = unfit
  return `This scan lies turned by ${turnDegrees.toFixed(1)}° and ${(100 * scale).toFixed(1)} % as large: ${moved} mends were carried over${length > 0 ? `, ${counted(length, 'does', 'do')} not fit and ${length === 1 ? 'is' : 'are'} open` : ', all fit'}.`
})

async function open(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file || !bench.opened) return
  let document: unknown
  try {
    document = JSON.parse(await file.text())
  } catch {
    bench.problem = `${file.name} is no treatment: it is not JSON. Choose a document that was kept from this page.`
    return
  }
  try {
    await bench.settled()
    await api.openTreatment(bench.opened.id, bench.revision, document)
  } catch (error) {
    bench.report(error)
  }
}
</script>

<template>
  <div class="document">
    <a :href="`/api/pictures/${bench.opened!.id}/treatment`" download>Keep the treatment as a document</a>
    <ElButton link data-test="open-treatment" title="On the file it was made on, or on another scan of the same print" @click="chooser?.click()">Open a treatment</ElButton>
    <input ref="chooser" type="file" accept=".json,application/json" hidden data-test="treatment-file" @change="open" />
    <p v-if="words" class="soft" data-test="carried-words">{{ words }}</p>
  </div>
</template>

<style scoped>
.document { display: flex; flex-direction: column; align-items: flex-start; gap: 6px; color: var(--soft-ink); }
a, .document :deep(.el-button) { text-decoration: underline; text-underline-offset: 2px; text-align: left; white-space: normal; }
p { margin: 0; }
</style>
