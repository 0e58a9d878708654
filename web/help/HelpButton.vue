<script setup lang="ts">
import { ElButton, ElDialog } from 'element-plus'
import { computed, ref } from 'vue'
import { KEY_PLACES, rowsOf, shownKey, type KeyPlace } from './key-table.js'
import { STAGE_WORDS_EXPLAINED, type ExplainedScreen, type ScreenWords } from './stage-words.js'
import { useKeys } from './use-keys.js'

/** What opens the keys of a screen and what its words and numbers say; `?` does too. */
const props = defineProps<{ stage: string }>()
const isShown = ref(false)
useKeys(['anywhere'], { help: () => (isShown.value = true) })

/** Keys of the screen come first, then those of every picture. */
const PLACES: Partial<Record<string, readonly KeyPlace[]>> = {
  sheet: [], sensor: ['sensor'], 'hand-over': [],
  assemble: ['assemble', 'everywhere'], find: ['ledger', 'everywhere'], mend: ['mend', 'tools', 'ledger', 'everywhere'],
  correct: ['correct', 'strip', 'steps', 'everywhere'], rebuild: ['rebuild', 'strip', 'steps', 'everywhere'], finish: ['finish', 'strip', 'steps', 'curve', 'everywhere'],
}
const places = computed(() => PLACES[props.stage] ?? [])
const explained = computed<ScreenWords | undefined>(() => STAGE_WORDS_EXPLAINED[props.stage as ExplainedScreen])
</script>

<template>
  <ElButton link title="Keys, and what words and numbers say" data-test="help" @click="isShown = true">Help <span class="key">?</span></ElButton>
  <ElDialog v-model="isShown" :title="explained?.title ?? 'Help'" width="min(1040px, 94vw)" top="6vh" data-test="help-dialog" append-to-body>
    <p v-if="explained" class="purpose">{{ explained.purpose }}</p>
    <div class="columns" :class="{ one: places.length === 0 }" tabindex="0" role="region" aria-label="Keys and words">
      <section v-if="places.length > 0" class="keys" aria-label="Keys">
        <template v-for="place in places" :key="place">
          <h3>{{ KEY_PLACES[place] }}</h3>
          <dl>
            <template v-for="row in rowsOf(place)" :key="row.id">
              <dt><span v-for="key in row.keys.slice(0, 1)" :key="key" class="key">{{ shownKey(key) }}</span></dt>
              <dd>{{ row.words }}</dd>
            </template>
          </dl>
        </template>
      </section>
      <section v-if="explained" aria-label="Words">
        <h3>What the words and numbers say</h3>
        <dl class="words">
          <template v-for="row in explained.words" :key="row.word">
            <dt>{{ row.word }}</dt>
            <dd>{{ row.means }}<span v-if="row.good" class="good">Good: {{ row.good }}.</span></dd>
          </template>
        </dl>
      </section>
    </div>
  </ElDialog>
</template>

<style scoped>
.purpose { margin: 0 0 10px; }
.columns { display: grid; grid-template-columns: 400px 1fr; gap: 28px; max-height: 70vh; overflow-y: auto; }
.columns.one { grid-template-columns: 1fr; }
h3 { margin: 12px 0 6px; font-size: 13px; }
h3:first-child { margin-top: 0; }
dl { margin: 0; display: grid; grid-template-columns: 84px 1fr; gap: 3px 10px; }
dl.words { grid-template-columns: 120px 1fr; gap: 7px 12px; }
dt, dd { margin: 0; }
.words dt { font-weight: 700; }
.good { display: block; color: var(--soft-ink); }
</style>
