<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { MUCH_DRAWN } from '@fennip/core/rebuild/drawn-share.js'
import WhatIsWrong from '../steps/WhatIsWrong.vue'
import StepRows from '../steps/StepRows.vue'
import SentenceValue from '../steps/SentenceValue.vue'
import { useBench } from '../store/bench.js'
import { useRebuild } from './rebuild.js'
import { useSteps } from '../store/steps.js'
import { useZones } from '../store/zones.js'

/** What was drawn, as sentences, and how much of the picture it is. */
const list = useSteps()
const rebuild = useRebuild()
const bench = useBench()
const zones = useZones()
/** Content of another place needs a zone: the one that is worked on, or the last. */
const choose = (name: string) => {
  const zone = zones.current ?? zones.zones.at(-1)
  if (zone) void list.add(name, {}, { zone: zone.id })
  else bench.problem = 'Make a zone first: in Correct, paint or outline what is lost.'
}
const shareText = computed(() => (rebuild.share === null ? '' : rebuild.share === 0 ? 'nothing is drawn' : rebuild.share < 0.0005 ? 'less than 0.1 % of the picture is drawn' : `${(100 * rebuild.share).toFixed(1)} % of the picture is drawn`))
</script>

<template>
  <section class="rebuild-list" data-keys aria-label="What is drawn">
    <header><b>Rebuild</b> <span class="soft" data-test="drawn-share">{{ shareText }}</span>
      <small v-if="rebuild.share !== null && rebuild.share > MUCH_DRAWN" class="soft">More than {{ 100 * MUCH_DRAWN }} % of a picture should be said to whoever gets it.</small>
    </header>
    <StepRows><template #more="{ step }"><span> at </span><SentenceValue :step="step" name="strength" :text="`${Math.round(100 * step.strength)} %`" /></template></StepRows>
    <p v-if="list.own.length === 0" class="none soft">Nothing is drawn yet. Pick a tone beside what is lost, then draw faintly: strokes of 3 to 10 percent over one another, softened and laid on as a group.</p>
    <footer>
      <ElButton type="primary" :loading="list.busy" data-test="new-group" @click="rebuild.begin">New group</ElButton>
      <WhatIsWrong @choose="choose" />
    </footer>
  </section>
</template>

<style scoped>
.rebuild-list { display: flex; flex-direction: column; min-height: 0; background: var(--sheet); border-right: 1px solid var(--hairline); }
header { padding: 12px; font-size: 14px; border-bottom: 1px solid var(--hairline); }
header small { display: block; }
.rebuild-list :deep(.steps) { max-height: none; flex: 0 1 auto; }
.none { padding: 12px; margin: 0; }
footer { display: flex; gap: 8px; padding: 12px; margin-top: auto; border-top: 1px solid var(--hairline); }
</style>
