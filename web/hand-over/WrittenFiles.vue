<script setup lang="ts">
import { ElButton, ElProgress } from 'element-plus'
import { useSession } from '../access/session.js'
import type { Run } from '../shared/api.js'
import { thousands } from '../shared/words.js'
import { useBench } from '../store/bench.js'
import { useHandOver } from './hand-over.js'
import { megabytes } from './output-words.js'

/** What was written, to be fetched or opened. */
const bench = useBench()
const session = useSession()
const handOver = useHandOver()
const isUnderWay = ({ state }: Run) => state === 'queued' || state === 'running'
const opens = (name: string) => /\.(pdf|html|jpe?g|png|webp|avif)$/.test(name)
const when = (run: Run) => new Date(run.createdAt).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })
/** Whether the picture has been changed since. */
const isOld = (run: Run) => run.state === 'done' && (run.result?.revision as number | undefined) !== undefined && (run.result!.revision as number) < bench.revision
</script>

<template>
  <section class="written" aria-label="Files that were written">
    <p v-if="handOver.written.length === 0" class="soft">Nothing has been written yet.</p>
    <div v-for="run in handOver.written" :key="run.id" class="run-row" data-test="export-row">
      <header><b>{{ when(run) }}</b> <span class="soft">{{ run.state === 'done' ? `${run.result?.mends} mends${isOld(run) ? '; the picture has been changed since' : ''}` : run.state === 'failed' ? '' : run.state }}</span>
        <ElProgress v-if="isUnderWay(run)" :percentage="Math.round(100 * run.progress)" :stroke-width="5" /><ElButton v-if="isUnderWay(run) && session.mayChange" link @click="bench.cancel(run.id)">Cancel</ElButton>
      </header>
      <p v-if="run.state === 'failed'" class="shows">{{ run.problem?.detail }}</p>
      <div v-for="(file, i) in handOver.filesOf(run.result)" :key="file.name" class="file" data-test="written-file">
        <span>{{ file.name }}</span>
        <span class="soft">{{ file.width ? `${thousands(file.width)} × ${thousands(file.height!)} px` : '' }}</span>
        <span class="soft size">{{ megabytes(file.bytes) }}</span>
        <a v-if="opens(file.name)" :href="`/api/runs/${run.id}/files/${i}?open`" target="_blank" rel="noopener" data-test="open-file">Open</a><span v-else />
        <a :href="`/api/runs/${run.id}/files/${i}`" download data-test="download">Download</a>
      </div>
    </div>
  </section>
</template>

<style scoped>
.written { padding: 14px 18px; overflow-y: auto; background: var(--sheet); }
.run-row { margin-bottom: 18px; }
header { display: flex; gap: 10px; align-items: center; margin-bottom: 4px; }
header :deep(.el-progress) { width: 200px; }
.file { display: grid; grid-template-columns: minmax(0, 1fr) 130px 70px 50px 70px; gap: 12px; padding: 6px 0; border-top: 1px solid var(--hairline); }
.file > :first-child { overflow: hidden; text-overflow: ellipsis; }
.size { text-align: right; }
a { text-decoration: underline; text-underline-offset: 2px; }
</style>
