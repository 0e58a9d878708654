<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, onMounted, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { api, type Picture } from '../shared/api.js'
import { useBench } from '../store/bench.js'

/** A part that is lost here and there in another picture of the same scene: brought over through a zone. */
const props = defineProps<{ job: string }>()
const bench = useBench()
const pictures = ref<Picture[]>([])
const from = ref('')
const zone = ref('')
const zones = computed(() => bench.areas.filter(({ role }) => role === 'zone'))
const latest = computed(() => bench.runs.filter(({ kind }) => kind === 'bring-over').sort((a, b) => (a.createdAt < b.createdAt ? 1 : -1))[0])
const isBusy = computed(() => latest.value?.state === 'queued' || latest.value?.state === 'running')
const made = computed(() => (latest.value?.state === 'done' ? (latest.value.result as { picture: string; name: string; other: string }) : null))
onMounted(async () => {
  try {
    pictures.value = (await api.job(props.job)).list.filter(({ id, original }) => id !== bench.opened?.id && original.channels === bench.opened?.original.channels)
  } catch (error) {
    bench.report(error)
  }
  zone.value = zones.value[0]?.id ?? ''
})
async function bring(): Promise<void> {
  try {
    await bench.settled()
    await api.bringOver(bench.opened!.id, from.value, zone.value)
  } catch (error) {
    bench.report(error)
  }
}
</script>

<template>
  <section class="bring-over" aria-label="A part from another picture">
    <h2>A part from another picture</h2>
    <p class="soft">What is lost here may be there in another picture of the same scene. It is aligned, matched in light and laid in through a zone.</p>
    <template v-if="zones.length > 0">
      <ElSelect v-model="zone" size="small" aria-label="Zone that is filled" placeholder="Zone" data-test="over-zone"><ElOption v-for="area in zones" :key="area.id" :value="area.id" :label="area.name" /></ElSelect>
      <ElSelect v-model="from" size="small" filterable aria-label="Picture that it comes from" placeholder="From which picture" data-test="over-from"><ElOption v-for="picture in pictures" :key="picture.id" :value="picture.id" :label="picture.name" /></ElSelect>
      <ElButton :disabled="from === '' || zone === ''" :loading="isBusy" data-test="bring-over" @click="bring">Bring it over</ElButton>
    </template>
    <p v-else class="soft">First make a zone over what is lost, in <RouterLink :to="`/jobs/${job}/pictures/${bench.opened!.id}/correct`">Correct</RouterLink>.</p>
    <RouterLink v-if="made" v-slot="{ navigate }" :to="`/jobs/${job}/pictures/${made.picture}/mend`" custom><ElButton type="primary" data-test="open-brought" @click="navigate">Open {{ made.name }}</ElButton></RouterLink>
  </section>
</template>

<style scoped>
.bring-over { display: flex; flex-direction: column; gap: 8px; border-top: 1px solid var(--hairline); padding-top: 10px; margin-top: 4px; }
.bring-over :deep(.el-button) { margin-left: 0; white-space: normal; height: auto; }
a { text-decoration: underline; }
</style>
