<script setup lang="ts">
import { ElButton, ElResult } from 'element-plus'
import { RouterLink, useRoute } from 'vue-router'

/** What stands at an address that leads nowhere. */
const route = useRoute()
</script>

<template>
  <main tabindex="-1" data-home>
    <ElResult icon="info" title="There is nothing at this address" :sub-title="`${route.path} leads to no job and no picture. It may have been deleted or mistyped.`">
      <template #extra><RouterLink v-slot="{ navigate }" to="/" custom><ElButton type="primary" data-test="to-shelf" @click="navigate">Go to the shelf</ElButton></RouterLink></template>
    </ElResult>
  </main>
</template>

<style scoped>
main { outline: none; padding-top: 80px; }
</style>
