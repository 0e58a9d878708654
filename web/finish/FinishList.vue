<script setup lang="ts">
import { ElButton } from 'element-plus'
import StepRows from '../steps/StepRows.vue'
import WhatIsWrong from '../steps/WhatIsWrong.vue'
import { useFinish } from './finish.js'
import { useSteps } from '../store/steps.js'

/** The steps of the finish, and how more are added. */
const finish = useFinish()
const list = useSteps()
</script>

<template>
  <section class="finish-list" data-keys aria-label="Steps of the finish">
    <header><b>Finish</b> <span class="soft">in this order</span></header>
    <StepRows>
      <template #under="{ step }">
        <small v-if="step.operation === 'print-size' && finish.verdict" :class="finish.verdict.verdict === 'too large' ? 'shows' : 'soft'">
          {{ finish.verdict.verdict === 'as scanned' ? `as scanned at ${Math.round(finish.verdict.scanned)} per inch; at most ${finish.verdict.mostCm} cm before it softens` : finish.verdict.verdict === 'softens' ? 'a little larger than it was scanned for' : `softens: at most ${finish.verdict.mostCm} cm` }}
        </small>
      </template>
    </StepRows>
    <p v-if="list.own.length === 0" class="none soft">Nothing is done to the tones yet. Let Fennip propose what it measures, or say what is wrong.</p>
    <footer>
      <ElButton type="primary" :loading="list.busy" data-test="propose-all" @click="finish.proposeAll">Propose all</ElButton>
      <WhatIsWrong @choose="(name) => list.add(name)" />
    </footer>
  </section>
</template>

<style scoped>
.finish-list { display: flex; flex-direction: column; min-height: 0; background: var(--sheet); border-right: 1px solid var(--hairline); }
header { padding: 12px; font-size: 14px; border-bottom: 1px solid var(--hairline); }
.finish-list :deep(.steps) { max-height: none; flex: 0 1 auto; }
.none { padding: 12px; margin: 0; }
footer { display: flex; flex-wrap: wrap; gap: 8px; padding: 12px; margin-top: auto; border-top: 1px solid var(--hairline); }
</style>
