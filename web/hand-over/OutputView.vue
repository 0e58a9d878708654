<script setup lang="ts">
import { computed } from 'vue'
import { useHandOver } from './hand-over.js'
import { planWords } from './output-words.js'

/** The selected file as it will be. */
const handOver = useHandOver()
const preview = computed(() => handOver.preview)
</script>

<template>
  <section class="output-view" data-test="output-view" :aria-busy="handOver.isLooking">
    <div class="surround"><img v-if="preview" :src="preview.picture" :class="{ old: handOver.isLooking }" alt="The file as it will be" data-test="output-preview" /></div>
    <div class="said">
      <p v-if="preview" data-test="output-plan"><b>{{ handOver.selected?.name }}</b> · {{ planWords(preview) }}</p>
      <p v-if="preview?.refusal" class="shows" data-test="output-refusal">{{ preview.refusal }}</p>
      <p v-for="loss in preview?.losses ?? []" :key="loss" class="soft" data-test="output-loss">{{ loss }}</p>
    </div>
  </section>
</template>

<style scoped>
.output-view { display: grid; grid-template-rows: minmax(0, 1fr) auto; min-height: 0; }
.surround { background: var(--surround); display: flex; align-items: center; justify-content: center; padding: 18px; min-height: 0; }
img { max-width: 100%; max-height: 100%; object-fit: contain; }
img.old { opacity: 0.6; }
.said { padding: 10px 14px; background: var(--sheet); border-top: 1px solid var(--hairline); min-height: 64px; }
.said p { margin: 0 0 2px; }
</style>
