<script setup lang="ts">
import { nextTick, watch } from 'vue'
import { RouterView, useRoute } from 'vue-router'
import { announce, announcement } from './shared/announce.js'
import { useOutbox } from './store/saving/outbox.js'

const outbox = useOutbox()
void outbox.load()
const route = useRoute()
// A page that is gone to has the focus, not the body behind it.
watch(() => route.name, async () => {
  await nextTick()
  setTimeout(() => {
    if (document.activeElement === document.body) document.querySelector<HTMLElement>('[data-home]')?.focus({ preventScroll: true })
  }, 100)
}, { immediate: true })
watch(() => outbox.words, (words) => {
  if (words !== 'Saving') announce(words)
})
</script>

<template>
  <RouterView />
  <p v-if="outbox.count > 0 && outbox.trouble && route.name !== 'bench'" class="waiting" data-test="waiting">{{ outbox.words }}</p>
  <div class="unseen" role="status" aria-live="polite" data-test="announcement">{{ announcement }}</div>
</template>

<style scoped>
.waiting { position: fixed; left: 0; right: 0; bottom: 0; margin: 0; padding: 7px 16px; background: var(--ink); color: #fff; z-index: 20; }
</style>
