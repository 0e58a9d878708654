<script setup lang="ts">
import { ElButton, ElOption, ElPopover, ElSelect } from 'element-plus'
import { computed, ref } from 'vue'
import { operationOf } from '@fennip/core/pipeline/registry.js'
import type { OperationStep } from '@fennip/core/treatment/schema.js'
import StepRows from '../steps/StepRows.vue'
import WhatIsWrong from '../steps/WhatIsWrong.vue'
import SentenceValue from '../steps/SentenceValue.vue'
import { useSteps } from '../store/steps.js'
import { partsInWords, useZones } from '../store/zones.js'
import { counted } from '../shared/words.js'

/** Corrections as sentences, each with its zone and strength, and the zones of the picture. */
const list = useSteps()
const zones = useZones()
const isByHand = (step: OperationStep) => operationOf(step.operation).byHand === true
const nameOf = (step: OperationStep) => zones.zones.find(({ id }) => id === step.zone)?.name ?? 'the whole picture'
const on = computed(() => list.own.filter((step) => step.enabled && !isByHand(step)))
const percent = (share: number | undefined) => (share === undefined ? '' : `${Math.round(100 * share)} %`)
const covered = computed(() => {
  if (on.value.length === 0) return ''
  const verb = list.own.length === 1 ? 'changes' : 'change'
  if (on.value.some(({ zone }) => zone === undefined)) return `${verb} the whole picture`
  // Zones may overlap: the largest is what is changed for certain.
  const most = Math.max(...on.value.map(({ zone }) => zones.shares[zone!] ?? 0))
  return most > 0 ? `${verb} at least ${percent(most)} of the picture` : ''
})
const picker = ref<HTMLInputElement>()
function chosenFile(event: Event): void {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file) void zones.importMask(file)
}
const choose = (name: string) => list.add(name, {}, { zone: zones.current?.id, propose: true })
</script>

<template>
  <section class="correct-list" data-keys aria-label="Corrections">
    <header><b>{{ counted(list.own.length, 'correction', 'corrections') }}</b> <span class="soft">{{ covered }}</span></header>
    <StepRows>
      <template #more="{ step }">
        <template v-if="!isByHand(step)"><span> in </span>
        <span class="unbroken"><ElPopover trigger="click" placement="bottom" :width="220" :show-arrow="false">
          <template #reference><ElButton link class="value" data-test="value-zone">{{ nameOf(step) }}</ElButton></template>
          <label>In which zone
            <ElSelect :model-value="step.zone ?? ''" :empty-values="[null, undefined]" size="small" :teleported="false" aria-label="Zone" data-test="step-zone" @change="(zone: string) => list.change(step.id, { zone: zone === '' ? undefined : zone }, 'Set the zone')">
              <ElOption value="" label="the whole picture" /><ElOption v-for="zone in zones.zones" :key="zone.id" :value="zone.id" :label="zone.name" />
            </ElSelect>
          </label>
        </ElPopover>,</span></template>
        <span> at </span><SentenceValue :step="step" name="strength" :text="`${Math.round(100 * step.strength)} %`" />
      </template>
    </StepRows>
    <p v-if="list.own.length === 0" class="none soft">Nothing is corrected yet. Make a zone, or begin with the trouble: the zone can be painted afterwards.</p>
    <div class="ask"><WhatIsWrong primary @choose="choose" /><span class="soft">specks, a stain, moire, haze, lost contrast, a colour streak, too dark, noise, no grain</span></div>
    <h3>Zones <ElButton link size="small" data-test="zone-new" @click="zones.begin">New zone</ElButton></h3>
    <div class="zones">
      <div v-if="zones.zones.length > 0" role="listbox" aria-label="Zones">
      <ElButton
        v-for="zone in zones.zones" :key="zone.id" text role="option" class="zone" :class="{ on: zone.id === zones.current?.id }" :aria-selected="zone.id === zones.current?.id" data-test="zone"
        @click="zones.selectedId = zone.id === zones.selectedId ? null : zone.id"
      >
        <i /><span>{{ zone.name }} <small class="soft">{{ percent(zones.shares[zone.id]) }}{{ zones.shares[zone.id] === undefined ? '' : ', ' }}{{ partsInWords(zone) }}</small></span><b :title="`used by ${zones.usedBy.get(zone.id)} corrections`">{{ zones.usedBy.get(zone.id) || '' }}</b>
      </ElButton>
      </div>
      <p v-else class="none soft">No zone yet. Paint one with the tools above the picture, or let Fennip propose some.</p>
      <div v-for="proposal in zones.proposals" :key="proposal.name" class="proposal" data-test="zone-proposal">
        <span>{{ proposal.name }} <small class="soft">{{ proposal.reason }}</small></span>
        <ElButton size="small" data-test="zone-take" @click="zones.take(proposal)">Take</ElButton>
      </div>
    </div>
    <footer>
      <ElButton :loading="zones.proposing" data-test="zone-propose" @click="zones.propose">Propose zones</ElButton>
      <ElButton title="A grey picture: white is inside" data-test="zone-import" @click="picker?.click()">Import</ElButton>
      <input ref="picker" type="file" accept="image/png,image/*" hidden data-test="zone-file" @change="chosenFile">
    </footer>
  </section>
</template>

<style scoped>
.correct-list { display: flex; flex-direction: column; min-height: 0; background: var(--sheet); border-right: 1px solid var(--hairline); }
header { padding: 12px; border-bottom: 1px solid var(--hairline); }
label { display: grid; gap: 4px; }
.ask { display: flex; gap: 8px; align-items: center; padding: 12px; border-bottom: 1px solid var(--hairline); font-size: 12px; }
h3 { margin: 10px 12px 4px; font-size: 14px; display: flex; justify-content: space-between; }
.zones { overflow-y: auto; min-height: 60px; flex: 1; }
.zone.el-button { display: block; width: 100%; height: auto; margin: 0; padding: 7px 12px; border: 0; border-bottom: 1px solid var(--hairline); border-radius: 0; color: inherit; font: inherit; text-align: left; white-space: normal; }
.zone.el-button > :deep(span) { display: grid; grid-template-columns: 16px minmax(0, 1fr) auto; gap: 8px; align-items: baseline; }
.zone.el-button.on { background: #fff; box-shadow: inset 3px 0 0 var(--settled); }
.zone i { width: 12px; height: 12px; border: 1.5px solid var(--settled); border-radius: 3px; background: rgb(12 160 160 / 25%); align-self: center; }
.zone b { font-weight: 400; }
.proposal { display: flex; gap: 8px; padding: 6px 12px; align-items: center; justify-content: space-between; border-bottom: 1px dashed var(--hairline); }
.proposal small { display: block; }
.none { padding: 8px 12px; margin: 0; }
footer { display: flex; gap: 8px; padding: 10px 12px; border-top: 1px solid var(--hairline); }
footer :deep(.el-button + .el-button) { margin-left: 0; }
</style>
