<script setup lang="ts">
import { ElButton } from 'element-plus'
import { ref, watch } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { api } from '../shared/api.js'
import { useAssemble } from '../store/assemble.js'
import { useBench } from '../store/bench.js'

/** What moved between the exposures of a bracket, as each of them has it: a click says which is taken. */
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
watch(() => assemble.merged, (merged) => (chosen.value = merged?.things.map(() => null) ?? []), { immediate: true })
const taken = (i: number) => chosen.value[i] ?? assemble.merged!.things[i]!.from
const stops = (ratio: number) => (Math.abs(Math.log2(ratio)) < 0.1 ? 'reference light' : `${ratio > 1 ? '+' : '−'}${Math.abs(Math.log2(ratio)).toFixed(1)} stops`)
</script>

<template>
  <div v-if="assemble.merged" class="bracket" data-test="bracket">
    <header>
      <b>{{ assemble.merged.exposures.length }} exposures merged</b>
      <span class="soft">{{ assemble.merged.things.length }} moving {{ assemble.merged.things.length === 1 ? 'thing' : 'things' }}, each taken from one exposure</span>
    </header>
    <table>
      <thead><tr><th /><th v-for="(name, e) in assemble.merged.exposures" :key="name">{{ name }}<small class="soft">{{ stops(assemble.merged.ratios[e]!) }}</small><ElButton v-if="assemble.merged.pictures[e] !== bench.opened?.id" link size="small" :disabled="assemble.isBusy" data-test="as-reference" @click="refer(assemble.merged!.pictures[e]!)">Take as reference</ElButton></th></tr></thead>
      <tbody>
        <tr v-for="(thing, i) in assemble.merged.things" :key="i" data-test="moving-thing">
          <td>{{ i + 1 }}<small class="soft">{{ thing.width }} x {{ thing.height }} px</small></td>
          <td v-for="(crop, e) in thing.crops" :key="e">
            <ElButton class="choice" :class="{ on: taken(i) === e }" :aria-pressed="taken(i) === e" :aria-label="`Thing ${i + 1} from ${assemble.merged.exposures[e]}`" data-test="take-from" @click="chosen[i] = e"><img :src="crop" alt="" /></ElButton>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="assemble.merged.things.length === 0" class="soft">Nothing moved between the exposures.</p>
    <div class="acts">
      <RouterLink v-slot="{ navigate }" :to="`/jobs/${props.job}/pictures/${assemble.merged.picture}/find`" custom><ElButton type="primary" data-test="open-merged" @click="navigate">Open {{ assemble.merged.name }}</ElButton></RouterLink>
      <ElButton :disabled="chosen.every((one) => one === null) || assemble.isBusy" :loading="assemble.isBusy" data-test="merge-again" @click="assemble.merge(assemble.merged!.pictures, chosen)">Merge again with these</ElButton>
    </div>
  </div>
</template>

<style scoped>
.bracket { padding: 12px 16px; overflow: auto; background: var(--sheet); }
header { margin-bottom: 10px; display: flex; gap: 8px; align-items: baseline; }
table { border-collapse: collapse; }
th { text-align: left; vertical-align: top; font-weight: 600; padding: 4px 8px; }
th small, td small { display: block; font-weight: 400; }
td { padding: 4px 8px; border-top: 1px solid var(--hairline); vertical-align: middle; }
.choice { height: auto; padding: 2px; border: 2px solid transparent; background: none; }
.choice.on { border-color: var(--ink); }
.choice img { display: block; max-width: 92px; max-height: 92px; }
.acts { display: flex; gap: 8px; margin-top: 12px; }
</style>
