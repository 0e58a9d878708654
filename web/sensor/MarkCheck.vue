<script setup lang="ts">
import { ElButton } from 'element-plus'
import { onBeforeUnmount } from 'vue'
import { RouterLink } from 'vue-router'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import { useSession } from '../access/session.js'
import { useChecking, type Checked } from './checking.js'
import { counted, STATE_WORDS, TELLTALE_SHORT } from '../shared/words.js'
import type { TelltaleName } from '@fennip/core/treatment/schema.js'
import CropPair from './CropPair.vue'
import { CropPainters } from './crops.js'

/** One mark in all frames, before and after at 1:1, the worst telltale first. */
defineProps<{ job: string }>()
const checking = useChecking()
const session = useSession()
const painters = new CropPainters()
onBeforeUnmount(() => painters.end())

const SIDE = 112
const regionOf = ({ flaw }: Checked) => {
  const { x, y } = shapeCentre(flaw.shape)
  return { x: Math.round(x - SIDE / 2), y: Math.round(y - SIDE / 2), width: SIDE, height: SIDE }
}
const saying = ({ shows }: Checked) => shows.map((name) => TELLTALE_SHORT[name as TelltaleName]).join(', ')
</script>

<template>
  <div class="check">
    <div class="head">
      <b v-if="checking.markId">Mark {{ checking.markId.replace(/^d/, '') }}</b>
      <span class="soft" data-test="check-counts">{{ checking.counts.judged }} of {{ checking.counts.all }} looked at<template v-if="checking.counts.shows">, <span class="shows">{{ checking.counts.shows }} show</span></template></span>
      <span class="keys"><span class="key">&larr;</span> <span class="key">&rarr;</span> mark <span class="key">&uarr;</span> <span class="key">&darr;</span> frame</span>
    </div>
    <p v-if="checking.reading > 0" class="soft">Reading {{ counted(checking.reading, 'frame', 'frames') }}</p>
    <p v-else-if="checking.byMark.size === 0" class="soft">The chart has not been applied to any frame yet. Choose frames on the right and apply it.</p>
    <p v-else-if="checking.list.length === 0" class="soft">No frame shows this mark.</p>
    <div class="rows" tabindex="0" data-keys data-home role="group" aria-label="The mark in all frames">
      <div v-for="checked in checking.list" :key="checked.picture.id" class="pair" :class="{ current: checked.picture.id === checking.current?.picture.id }" data-test="check-row" @click="checking.frameId = checked.picture.id">
        <CropPair :painters="painters" :picture="checked.picture" :treatment="checked.treatment" :region="regionOf(checked)" :side="SIDE" />
        <div class="say">
          <b>{{ checked.picture.name }}</b>
          <span class="soft">f/{{ checked.picture.about.camera.aperture ?? '?' }} · {{ checked.step?.method ?? 'no mend' }} · weight {{ Math.round(checked.flaw.weight) }}</span>
          <span :class="checked.flaw.state" class="state">{{ STATE_WORDS[checked.flaw.state] }}</span>
          <span v-if="checked.shows.length > 0" class="shows">{{ saying(checked) }}</span>
        </div>
      </div>
    </div>
    <div v-if="checking.current" class="acts">
      <template v-if="session.mayChange">
        <ElButton type="primary" data-test="check-settle" @click="checking.judge('settled')">Settle <span class="key">Enter</span></ElButton>
        <ElButton data-test="check-leave" @click="checking.judge('left')">Leave <span class="key">L</span></ElButton>
      </template>
      <RouterLink class="plain-button" data-test="check-bench" :to="`/jobs/${job}/pictures/${checking.current.picture.id}/mend?flaw=${checking.current.flaw.id}`">On the bench <span class="key">B</span></RouterLink>
      <template v-if="session.mayChange">
        <ElButton data-test="check-all" @click="checking.settleAll()">Settle where nothing shows <span class="key">A</span></ElButton>
        <ElButton data-test="check-everything" :disabled="checking.unremarkable.length === 0" title="Every mark in every frame whose mend shows nothing; one step for each frame" @click="checking.settleUnremarkable()">Settle all {{ checking.unremarkable.length }} that show nothing <span class="key">Shift A</span></ElButton>
      </template>
    </div>
  </div>
</template>

<style scoped>
.check { display: grid; grid-template-rows: auto auto minmax(0, 1fr) auto; min-height: 0; background: var(--sheet); border-left: 1px solid var(--hairline); border-right: 1px solid var(--hairline); padding: 12px 14px; gap: 8px; }
.head { display: flex; gap: 12px; align-items: baseline; white-space: nowrap; }
.keys { margin-left: auto; color: var(--soft-ink); }
.rows { overflow-y: auto; display: flex; flex-direction: column; gap: 6px; grid-row: 3; }
p { margin: 0; }
.pair { display: grid; grid-template-columns: auto auto 1fr; gap: 4px; padding: 4px; border: 2px solid transparent; cursor: pointer; }
.pair.current { border-color: var(--ink); background: #fff; }
.say { padding-left: 8px; display: flex; flex-direction: column; gap: 2px; min-width: 0; }
.say > * { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.state.mended { color: var(--open); }
.state.settled { color: var(--settled); }
.acts { display: flex; flex-wrap: wrap; gap: 6px; grid-row: 4; }
.acts :deep(.el-button + .el-button) { margin-left: 0; }
</style>
