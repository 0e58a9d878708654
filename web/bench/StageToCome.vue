<script setup lang="ts">
import { ElButton } from 'element-plus'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import { STAGES } from './stages.js'

/** A stage that has nothing to do yet: what it will be for, and the way on. */
const props = defineProps<{ job: string; picture: string; stage: string }>()
const at = computed(() => STAGES.findIndex(({ id }) => id === props.stage))
const next = computed(() => STAGES.slice(at.value + 1).find(({ isReady }) => isReady)!)
</script>

<template>
  <main class="to-come" tabindex="-1" data-home>
    <h1>{{ STAGES[at]!.word }}</h1>
    <p>{{ STAGES[at]!.purpose }}</p>
    <RouterLink v-slot="{ navigate }" :to="`/jobs/${job}/pictures/${picture}/${next.id}`" custom><ElButton type="primary" data-test="lead-on" @click="navigate">Go on to {{ next.word }}</ElButton></RouterLink>
  </main>
</template>

<style scoped>
.to-come { max-width: 520px; margin: 90px auto; }
h1 { font-size: 20px; margin: 0 0 6px; }
</style>
