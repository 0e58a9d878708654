<script setup lang="ts">
import { ElButton, ElProgress } from 'element-plus'
import { Upload } from 'tus-js-client'
import { ref } from 'vue'
import { problemOf } from '../shared/api.js'

/** Files on their way into a job; without one, archives of jobs. */
const props = defineProps<{ job?: string }>()
const emit = defineEmits<{ arrived: [run: string] }>()

interface Arrival { name: string; progress: number; problem: string; upload: Upload | null }
const arrivals = ref<Arrival[]>([])

function add(files: Iterable<File>): void {
  for (const file of files) {
    arrivals.value.push({ name: file.name, progress: 0, problem: '', upload: null })
    const arrival = arrivals.value.at(-1)!
    const upload = new Upload(file, {
      endpoint: '/api/uploads',
      metadata: { filename: file.name, ...(props.job === undefined ? { kind: 'archive' } : { job: props.job }) },
      chunkSize: 32 * 1024 * 1024,
      retryDelays: [500, 1500, 4000],
      removeFingerprintOnSuccess: true,
      onShouldRetry: (error) => {
        const status = error.originalResponse?.getStatus() ?? 0
        return status === 0 || status === 423
      },
      onProgress: (sent, total) => (arrival.progress = total > 0 ? Math.round((100 * sent) / total) : 0),
      onSuccess: ({ lastResponse }) => {
        arrivals.value = arrivals.value.filter((candidate) => candidate !== arrival)
        emit('arrived', lastResponse.getHeader('x-run') ?? '')
      },
      onError: (error) => {
        const response = 'originalResponse' in error ? error.originalResponse : null
        arrival.problem = response ? problemOf(response.getBody(), response.getStatus()).detail : 'The server cannot be reached. Add the file again.'
      },
    })
    arrival.upload = upload
    upload.start()
  }
}

function dismiss(arrival: Arrival): void {
  void arrival.upload?.abort(true).catch(() => undefined)
  arrivals.value = arrivals.value.filter((candidate) => candidate !== arrival)
}
defineExpose({ add, arrivals })
</script>

<template>
  <div v-for="(arrival, i) in arrivals" :key="`${i} ${arrival.name}`" class="arrival" data-test="arrival">
    <b>{{ arrival.name }}</b>
    <span v-if="arrival.problem" class="shows" data-test="arrival-problem">{{ arrival.problem }}</span>
    <template v-else><ElProgress :percentage="arrival.progress" :stroke-width="5" /><span class="soft">{{ arrival.progress === 100 ? 'being checked' : 'arriving' }}</span></template>
    <ElButton link @click="dismiss(arrival)">{{ arrival.problem ? 'Dismiss' : 'Cancel' }}</ElButton>
  </div>
</template>

<style scoped>
.arrival { display: grid; grid-template-columns: 220px 1fr auto auto; gap: 16px; align-items: center; padding: 10px 20px; background: #fff; border-bottom: 1px solid var(--hairline); }
</style>
