<script setup lang="ts">
import { ElRadioButton, ElRadioGroup } from 'element-plus'
import { onMounted, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { useSession } from '../access/session.js'
import PictureView from '../stage/PictureView.vue'
import { useBench } from '../store/bench.js'
import { useHandOver } from './hand-over.js'
import { useRemarks } from './remarks.js'
import OutputList from './OutputList.vue'
import OutputSlip from './OutputSlip.vue'
import OutputView from './OutputView.vue'
import RemarksPanel from './RemarksPanel.vue'
import WrittenFiles from './WrittenFiles.vue'

/** What the client gets: files with their settings, what they will be, remarks, and what was written. */
const props = defineProps<{ job: string }>()
const bench = useBench()
const session = useSession()
const handOver = useHandOver()
const remarks = useRemarks()
type Shown = 'files' | 'remarks' | 'written'
const shown = ref<Shown>('files')
onMounted(async () => {
  await handOver.open(props.job)
  if (handOver.written.length > 0 && handOver.written[0]!.state !== 'done') shown.value = 'written'
})
watch(() => bench.opened?.id, () => void handOver.look())
</script>

<template>
  <main class="room" tabindex="-1" data-home>
    <OutputList @written="shown = 'written'" />
    <div class="middle">
      <div class="tools">
        <ElRadioGroup v-model="shown" size="small" aria-label="What is shown">
          <ElRadioButton value="files" data-test="show-files">What it will be</ElRadioButton>
          <ElRadioButton value="remarks" data-test="show-remarks">Remarks{{ remarks.list.length > 0 ? ` ${remarks.list.length}` : '' }}</ElRadioButton>
          <ElRadioButton value="written" data-test="show-written">Written{{ handOver.written.length > 0 ? ` ${handOver.written.length}` : '' }}</ElRadioButton>
        </ElRadioGroup>
        <RouterLink class="soft job" :to="`/jobs/${job}/hand-over`">The whole job: archive, space, time</RouterLink>
      </div>
      <OutputView v-if="shown === 'files'" />
      <div v-else-if="shown === 'remarks'" class="with-remarks"><PictureView :editable="false" /><RemarksPanel :inert="!session.mayChange" /></div>
      <WrittenFiles v-else />
    </div>
    <OutputSlip :inert="!session.mayChange" />
  </main>
</template>

<style scoped>
.room { flex: 1; min-height: 0; display: grid; grid-template-columns: 300px 1fr 216px; }
@media (max-width: 1199px) { .room { grid-template-columns: 252px 1fr 206px; } }
.middle { display: grid; grid-template-rows: 36px minmax(0, 1fr); min-width: 0; min-height: 0; }
.tools { display: flex; align-items: center; gap: 12px; padding: 0 12px 0 8px; background: var(--ground); border-bottom: 1px solid var(--hairline); white-space: nowrap; }
.job { margin-left: auto; text-decoration: underline; text-underline-offset: 2px; }
.with-remarks { display: grid; grid-template-rows: minmax(0, 1fr) auto; min-height: 0; }
</style>
