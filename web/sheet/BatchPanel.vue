<script setup lang="ts">
import { ElButton, ElProgress } from 'element-plus'
import { computed } from 'vue'
import { useSession } from '../access/session.js'
import type { Batch } from '../shared/api.js'
import { RUN_WORDS } from '../shared/words.js'

/** How far work on many pictures is: all together, each that runs or failed, and what can be done about it. */
const props = defineProps<{ batch: Batch }>()
const session = useSession()
defineEmits<{ steer: [what: 'pause' | 'resume' | 'cancel' | 'retry']; dismiss: [] }>()

const count = (...states: string[]) => props.batch.items.filter(({ state }) => states.includes(state)).length
const waiting = computed(() => count('queued'))
const ended = computed(() => count('done', 'failed', 'cancelled'))
const failed = computed(() => props.batch.items.filter(({ state }) => state === 'failed'))
const running = computed(() => props.batch.items.filter(({ state }) => state === 'running'))
const files = computed(() => props.batch.items.filter(({ file }) => file))
const over = computed(() => ended.value === props.batch.items.length)
/** What failed or was cancelled is not done. */
const share = computed(() => Math.round((100 * props.batch.items.reduce((sum, { state, progress }) => sum + (state === 'done' ? 1 : state === 'running' ? progress : 0), 0)) / Math.max(1, props.batch.items.length)))
const words = computed(() => [
  `${count('done')} of ${props.batch.items.length} done`,
  ...(failed.value.length > 0 ? [`${failed.value.length} failed`] : []),
  ...(count('cancelled') > 0 ? [`${count('cancelled')} cancelled`] : []),
  ...(props.batch.paused && !over.value ? ['paused'] : []),
].join(', '))
</script>

<template>
  <section class="batch" data-test="batch" :aria-label="RUN_WORDS[batch.kind].batch">
    <div class="line">
      <b>{{ RUN_WORDS[batch.kind].batch }}</b>
      <ElProgress :percentage="share" :stroke-width="5" :show-text="false" :color="batch.paused ? '#777' : '#0c6a6a'" />
      <span class="soft" data-test="batch-words">{{ words }}</span>
      <span class="acts">
        <template v-if="session.mayChange"><ElButton link v-if="waiting > 0 && !batch.paused" data-test="batch-pause" @click="$emit('steer', 'pause')">Pause</ElButton>
        <ElButton link v-if="batch.paused && waiting > 0" data-test="batch-resume" @click="$emit('steer', 'resume')">Go on</ElButton>
        <ElButton link v-if="!over" data-test="batch-cancel" @click="$emit('steer', 'cancel')">Cancel</ElButton>
        <ElButton link v-if="failed.length > 0" data-test="batch-retry" @click="$emit('steer', 'retry')">Try {{ failed.length }} again</ElButton></template>
        <ElButton link v-if="over" @click="$emit('dismiss')">Dismiss</ElButton>
      </span>
    </div>
    <p v-for="item in running" :key="item.run" class="item soft">{{ item.name }} <span class="thin"><i :style="{ width: `${100 * item.progress}%` }" /></span></p>
    <p v-for="item in failed" :key="item.run" class="item"><span class="shows">{{ item.name }}: {{ item.problem }}</span></p>
    <p v-if="files.length > 0" class="item">Files: <a v-for="item in files" :key="item.run" class="linked" :href="`/api/runs/${item.run}/files/0`" download>{{ item.name.replace(/\.[^.]*$/, '') }}</a></p>
  </section>
</template>

<style scoped>
.batch { padding: 8px 20px; background: #fff; border-bottom: 1px solid var(--hairline); }
.line { display: grid; grid-template-columns: 170px minmax(120px, 1fr) auto auto; gap: 16px; align-items: center; }
.acts { display: flex; gap: 14px; min-width: 130px; justify-content: flex-end; }
.item { margin: 3px 0 0 186px; display: flex; gap: 12px; align-items: center; flex-wrap: wrap; }
.thin { flex: 1; height: 3px; background: #dadada; max-width: 260px; }
.thin i { display: block; height: 100%; background: var(--soft-ink); }
.linked { text-decoration: underline; text-underline-offset: 2px; }
</style>
