<script setup lang="ts">
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu } from 'element-plus'
import { useSteps } from '../store/steps.js'

/** Operations of the stage, offered by the trouble. */
const emit = defineEmits<{ choose: [name: string] }>()
const list = useSteps()
defineProps<{ primary?: boolean }>()
</script>

<template>
  <ElDropdown trigger="click" placement="top-start" :max-height="420" @command="(name: string) => emit('choose', name)">
    <ElButton :type="primary ? 'primary' : undefined" :loading="primary && list.busy" data-test="what-is-wrong">What is wrong?</ElButton>
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem v-for="operation in list.offered" :key="operation.name" :command="operation.name" :data-test="`offer-${operation.name}`"><span class="offer"><span>{{ operation.trouble }}</span><small>{{ operation.title }}</small></span></ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>

<style scoped>
.offer { display: grid; line-height: 1.35; padding: 3px 0; }
.offer small { color: var(--soft-ink); }
</style>
