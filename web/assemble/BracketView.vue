<script setup lang="ts">
import { ElButton, ElOption, ElSelect } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { api } from '../shared/api.js'
import { useAssemble } from './assemble.js'
import { useBench } from '../store/bench.js'

/** What moved between the exposures of a bracket, as each of them has it: a click says which is taken. Zones of the reference are added by hand. */
const props = defineProps<{ job: string }>()
const assemble = useAssemble()
const bench = useBench()
const router = useRouter()
/** Merge with another exposure as the reference: the stage goes on with that one. */
async function refer(picture: string): Promise<void> {
  try {
    await api.merge(picture, assemble.merged!.pictures)
    await router.push(`/jobs/${props.job}/pictures/${picture}/assemble`)
  } catch (error) {
    bench.report(error)
  }
}
const chosen = ref<(number | null)[]>([])
/** Zones that were merged come last in the list of things. */
watch(() => assemble.merged, (merged) => (chosen.value = merged?.things.map(() => null) ?? []), { immediate: true })
const taken = (i: number) => chosen.value[i] ?? assemble.merged!.things[i]!.from
const nameOfThing = (i: number) => zones.value.find(({ id }) => id === assemble.merged!.things[i]!.zone)?.name ?? `${i + 1}`

const zones = computed(() => bench.areas.filter(({ role }) => role === 'zone'))
const unused = computed(() => zones.value.filter(({ id }) => !assemble.merged?.things.some(({ zone }) => zone === id)))
const counted = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`
/** What is taken from one exposure each, in words. */
const things = computed(() => {
  const byHand = assemble.merged!.things.filter((thing) => thing.zone !== undefined).length
  const moving = counted(assemble.merged!.things.length - byHand, 'moving thing')
  return byHand === 0 ? moving : `${moving} and ${counted(byHand, 'zone')}`
})
const zone = ref('')
const from = ref(0)
const isAdding = computed(() => unused.value.some(({ id }) => id === zone.value))
/** Merge with what was clicked, and with the zone that is being added. */
async function mergeAgain(): Promise<void> {
  const { pictures, things } = assemble.merged!
  const moved = things.filter((thing) => thing.zone === undefined)
  const kept = things.flatMap((thing, i) => (thing.zone !== undefined && zones.value.some(({ id }) => id === thing.zone) ? [{ zone: thing.zone, from: taken(i) }] : []))
  await bench.settled()
  // What was chosen by hand before stays so: every thing is sent as it is shown.
  await assemble.merge(pictures, moved.map((_, i) => taken(i)), isAdding.value ? [...kept, { zone: zone.value, from: from.value }] : kept)
  zone.value = ''
}
const stops = (ratio: number) => (Math.abs(Math.log2(ratio)) < 0.1 ? 'reference light' : `${ratio > 1 ? '+' : '−'}${Math.abs(Math.log2(ratio)).toFixed(1)} stops`)
</script>

<template>
  <div v-if="assemble.merged" class="bracket" :style="{ '--exposures': assemble.merged.exposures.length }" data-test="bracket">
    <header>
      <b>{{ assemble.merged.exposures.length }} exposures merged</b>
      <span class="soft">{{ things }}</span>
      <div class="acts">
        <RouterLink v-slot="{ navigate }" :to="`/jobs/${props.job}/pictures/${assemble.merged.picture}/find`" custom><ElButton type="primary" data-test="open-merged" @click="navigate">Open {{ assemble.merged.name }}</ElButton></RouterLink>
        <ElButton :disabled="(chosen.every((one) => one === null) && !isAdding) || assemble.isBusy" :loading="assemble.isBusy" data-test="merge-again" @click="mergeAgain">Merge again with these</ElButton>
      </div>
    </header>
    <table>
      <thead><tr><th /><th v-for="(name, e) in assemble.merged.exposures" :key="name">{{ name }}<small class="soft">{{ stops(assemble.merged.ratios[e]!) }}</small><ElButton v-if="assemble.merged.pictures[e] !== bench.opened?.id" link size="small" :disabled="assemble.isBusy" data-test="as-reference" @click="refer(assemble.merged!.pictures[e]!)">Take as reference</ElButton></th></tr></thead>
      <tbody>
        <tr v-for="(thing, i) in assemble.merged.things" :key="i" data-test="moving-thing">
          <td>{{ nameOfThing(i) }}<small class="soft">{{ thing.width }} x {{ thing.height }} px</small></td>
          <td v-for="(crop, e) in thing.crops" :key="e">
            <ElButton class="choice" :class="{ on: taken(i) === e }" :aria-pressed="taken(i) === e" :aria-label="`${thing.zone ? nameOfThing(i) : `Thing ${i + 1}`} from ${assemble.merged.exposures[e]}`" data-test="take-from" @click="chosen[i] = e"><img :src="crop" alt="" /></ElButton>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="assemble.merged.things.length === 0" class="soft">Nothing moved between the exposures.</p>
    <p class="by-hand">
      <template v-if="unused.length > 0">
        <span>Take</span><ElSelect v-model="zone" size="small" clearable placeholder="a zone" aria-label="Zone that is taken from one exposure" data-test="zone-taken"><ElOption v-for="area in unused" :key="area.id" :value="area.id" :label="area.name" /></ElSelect>
        <span>from</span><ElSelect v-model="from" size="small" aria-label="Exposure that the zone is taken from" data-test="zone-from"><ElOption v-for="(name, e) in assemble.merged.exposures" :key="name" :value="e" :label="name" /></ElSelect><span>too.</span>
      </template>
      <span v-else class="soft">To take another part from one exposure, draw a zone over it in <RouterLink :to="`/jobs/${props.job}/pictures/${bench.opened?.id}/correct`">Correct</RouterLink>.</span>
    </p>
  </div>
</template>

<style scoped>
/* Crops are as large as leaves room for all exposures side by side. */
.bracket { container-type: inline-size; padding: 12px 16px; overflow: auto; background: var(--sheet); }
/* The next thing stays in view however many things moved. */
header { position: sticky; top: -12px; z-index: 1; margin: -12px -16px 10px; padding: 12px 16px 8px; display: flex; flex-wrap: wrap; gap: 8px; align-items: center; background: var(--sheet); }
table { border-collapse: collapse; }
th { text-align: left; vertical-align: top; font-weight: 600; padding: 4px 8px; }
th small, td small { display: block; font-weight: 400; }
td { padding: 4px 8px; border-top: 1px solid var(--hairline); vertical-align: middle; }
.choice { height: auto; padding: 2px; border: 2px solid transparent; background: none; }
.choice.on { border-color: var(--ink); }
.choice img { display: block; max-width: clamp(92px, calc((100cqw - 110px) / var(--exposures) - 26px), 200px); max-height: 150px; }
.by-hand { display: flex; gap: 8px; align-items: center; margin: 12px 0 0; }
.by-hand :deep(.el-select) { width: 190px; }
.by-hand a { text-decoration: underline; }
.acts { display: flex; gap: 8px; margin-left: auto; }
.acts .el-button { margin: 0; }
</style>
