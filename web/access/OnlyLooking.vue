<script setup lang="ts">
import { useSession } from './session.js'

/** Told on every screen to who may look alone, where buttons are missing or do nothing. */
const session = useSession()
</script>

<template>
  <p v-if="!session.mayChange" class="only-looking" data-test="only-looking">You may look at everything here. Owners of this Fennip make changes.</p>
</template>

<style scoped>
.only-looking { margin: 0; padding: 5px 14px; background: #fff; color: var(--soft-ink); border-bottom: 1px solid var(--hairline); }
</style>
