<script setup lang="ts">
import { ElButton, ElCheckbox, ElSwitch } from 'element-plus'
import { computed } from 'vue'
import { useSession } from '../access/session.js'
import { useBench } from '../store/bench.js'
import { useHandOver } from './hand-over.js'
import { useRemarks } from './remarks.js'
import { outputWords } from './output-words.js'

/** What is handed over, as sentences that are switched. */
const emit = defineEmits<{ written: [] }>()
const bench = useBench()
const session = useSession()
const handOver = useHandOver()
const remarks = useRemarks()
const count = (number: number, one: string, many: string) => (number === 0 ? [] : [`${number} ${number === 1 ? one : many}`])
/** What a client would see or ask about. */
const warnings = computed(() => [
  ...count(bench.counts.open, 'flaw is still open.', 'flaws are still open.'), ...count(bench.counts.mended, 'mend has not been judged.', 'mends have not been judged.'),
  ...count(bench.counts.shows, 'mend shows.', 'mends show.'), ...count(remarks.list.filter(({ answer }) => !answer).length, 'remark has no answer.', 'remarks have no answer.'),
])
const number = computed(() => handOver.wanted.length + handOver.forms.length)
async function write(): Promise<void> {
  emit('written')
  await handOver.write()
}
</script>

<template>
  <section class="output-list" data-keys aria-label="What is handed over">
    <header><b>Hand over</b>
      <small v-if="warnings.length > 0" class="warning" data-test="remarks">{{ warnings.join(' ') }}</small>
      <small v-else class="soft" data-test="remarks">{{ bench.flaws.length > 0 ? 'Every flaw is settled or left on purpose, and no mend shows.' : 'The picture has not been searched.' }}</small>
    </header>
    <div class="rows">
      <div v-for="(output, i) in handOver.list" :key="i" class="row" :class="{ on: i === handOver.selectedAt, off: !output.wanted }" data-test="output-row" @click="handOver.selectedAt = i">
        <ElSwitch :model-value="output.wanted" size="small" :aria-label="`Write ${output.name}`" data-test="output-wanted" @click.stop @change="handOver.set({ wanted: !output.wanted }, i)" />
        <ElButton link class="sentence" :aria-pressed="i === handOver.selectedAt"><span><b>{{ output.name }}</b>: {{ outputWords(output) }}</span></ElButton>
      </div>
      <div class="row report">
        <span><b>report</b> of what was done<br />
          <ElCheckbox v-model="handOver.report.pdf" size="small" label="PDF" data-test="report-pdf" /> <ElCheckbox v-model="handOver.report.html" size="small" label="HTML" data-test="report-html" />
        </span>
      </div>
    </div>
    <footer>
      <ElButton type="primary" data-test="export" :disabled="!!bench.run || !handOver.canWrite || !session.mayChange" @click="write">{{ number === 1 ? 'Write the file' : `Write ${number} files` }}</ElButton>
      <ElButton data-test="output-add" :disabled="!session.mayChange" @click="handOver.add">One more</ElButton>
    </footer>
  </section>
</template>

<style scoped>
.output-list { display: flex; flex-direction: column; min-height: 0; background: var(--sheet); border-right: 1px solid var(--hairline); }
header { padding: 12px; font-size: 14px; border-bottom: 1px solid var(--hairline); }
header small { display: block; margin-top: 2px; }
.warning { color: var(--open); }
.rows { overflow-y: auto; flex: 1; min-height: 0; }
.row { display: flex; gap: 10px; align-items: flex-start; padding: 10px 12px; border-bottom: 1px solid var(--hairline); cursor: pointer; border-left: 3px solid transparent; }
.row.on { background: #fff; border-left-color: var(--ink); }
.row.off .sentence { color: var(--soft-ink); }
.row .sentence { white-space: normal; text-align: left; line-height: 1.4; justify-content: flex-start; }
.row .sentence:hover { text-decoration: none; }
.report { cursor: default; padding-left: 50px; }
.report :deep(.el-checkbox) { margin-right: 10px; }
.row :deep(.el-switch) { flex: none; height: 20px; }
footer { display: flex; gap: 8px; padding: 12px; border-top: 1px solid var(--hairline); }
</style>
