<script setup lang="ts">
import { ElButton, ElPopover } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { api, type Gestures } from '../shared/api.js'
import { useBench } from '../store/bench.js'

/** What was done to the picture, newest first; a click goes back or forward to it. */
const bench = useBench()
const shown = ref(false)
const gestures = ref<Gestures>({ done: [], undone: [] })
const busy = ref(false)

async function read(): Promise<void> {
  const { opened } = bench
  if (!opened || !shown.value) return
  try {
    await bench.settled()
    gestures.value = await api.gestures(opened.id)
  } catch (error) {
    bench.report(error)
  }
}
watch(() => [shown.value, bench.revision], () => void read())

interface Line { readonly key: string; readonly label: string; readonly time: string; readonly state: 'done' | 'now' | 'undone'; go(): Promise<void> }
const clock = (text: string) => new Date(text).toLocaleString(undefined, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
const lines = computed<Line[]>(() => {
  const { done, undone } = gestures.value
  const last = done.length - 1
  return [
    ...undone.map((gesture, i): Line => ({ key: `u${gesture.revision}`, label: gesture.label, time: clock(gesture.madeAt), state: 'undone', go: () => bench.goBack('redo', i + 1) })).reverse(),
    ...done.map((gesture, i): Line => ({ key: `d${gesture.revision}`, label: gesture.label, time: clock(gesture.madeAt), state: i === last ? 'now' : 'done', go: () => (i === last ? Promise.resolve() : bench.goBack('undo', last - i)) })).reverse(),
    { key: 'start', label: 'As it came in', time: '', state: last < 0 ? 'now' : 'done', go: () => (last < 0 ? Promise.resolve() : bench.goBack('undo', last + 1)) },
  ]
})
async function go(line: Line): Promise<void> {
  busy.value = true
  await line.go()
  busy.value = false
}
</script>

<template>
  <ElPopover v-model:visible="shown" trigger="click" placement="bottom-end" :width="300" :show-arrow="false" :offset="6" :hide-after="0">
    <template #reference><ElButton link data-test="steps">Steps <b>{{ bench.revision }}</b></ElButton></template>
    <p class="soft">Newest first. Click one to go back or forward to it; nothing is lost on the way.</p>
    <ol data-test="steps-list">
      <li v-for="line in lines" :key="line.key">
        <ElButton :class="line.state" :aria-current="line.state === 'now' ? 'step' : undefined" :disabled="busy" @click="go(line)"><span>{{ line.label }}</span><small>{{ line.time }}</small></ElButton>
      </li>
    </ol>
  </ElPopover>
</template>

<style scoped>
p { margin: 0 0 6px; }
ol { list-style: none; margin: 0; padding: 0; max-height: 420px; overflow-y: auto; border-top: 1px solid var(--hairline); }
button { display: flex; justify-content: space-between; gap: 8px; width: 100%; border: 0; border-bottom: 1px solid var(--hairline); background: none; padding: 5px 6px; text-align: left; cursor: pointer; }
button:hover { background: var(--ground); }
.now { font-weight: 700; box-shadow: inset 3px 0 0 var(--ink); }
.undone { color: #8a8a8a; }
small { color: var(--soft-ink); white-space: nowrap; font-size: 12px; }
</style>
