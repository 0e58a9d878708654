<script setup lang="ts">
import { ElButton, ElCheckbox } from 'element-plus'
import { computed } from 'vue'
import { RouterLink } from 'vue-router'
import type { Flaw } from '@fennip/core/treatment/schema.js'
import { minutesOf, USUAL_PACE, verdictOf, type Pace } from '@fennip/core/check/triage.js'
import type { Picture } from '../shared/api.js'
import { KIND_WORDS, megapixels, minutesLeft, RUN_WORDS, thousands } from '../shared/words.js'
import type { Run } from '../shared/api.js'
import { useSession } from '../access/session.js'
import Thumbnail from './Thumbnail.vue'

const session = useSession()

/** One picture of the contact sheet: what is wrong with it, how long it takes, and whether it is worth it. */
const props = defineProps<{ job: string; picture: Picture; pace: Partial<Pace>; chosen: boolean; working: { kind: Run['kind']; progress: number } | null }>()
defineEmits<{ toggle: []; aside: []; delete: [] }>()

const counts = computed(() => props.picture.counts)
const all = computed(() => (counts.value.open ?? 0) + (counts.value.mended ?? 0) + (counts.value.settled ?? 0) + (counts.value.left ?? 0))
const judged = computed(() => (all.value === 0 ? 0 : (100 * ((counts.value.settled ?? 0) + (counts.value.left ?? 0))) / all.value))
/** Neutral greys from dark to light, so that nothing tints the eye: what is dark in a picture is dark here. */
const SHADES: Record<Flaw['kind'], string> = {
  dust: '#3c3c3c', hair: '#505050', wire: '#666', speck: '#8a8a8a', mould: '#7a7a7a', flat: '#9e9e9e', smudge: '#a9a9a9', fold: '#b4b4b4', scratch: '#c9c9c9', stain: '#5b5b5b', loss: '#ececec', moire: '#7a7a7a', other: '#6f6488',
}
const kinds = computed(() => (Object.keys(SHADES) as Flaw['kind'][]).flatMap((kind) => {
  const number = counts.value.kinds?.[kind] ?? 0
  return number > 0 ? [{ kind, number, width: (100 * number) / Math.max(1, all.value), word: kind === 'other' ? 'by hand' : KIND_WORDS[kind].toLowerCase() }] : []
}))
const verdict = computed(() => {
  if (!props.picture.searched) return 'not searched'
  if (all.value === 0) return 'nothing found'
  if ((counts.value.open ?? 0) + (counts.value.mended ?? 0) === 0) return 'done'
  return verdictOf(counts.value, minutesOf(counts.value, { ...USUAL_PACE, ...props.pace }))
})
const about = computed(() => {
  const { camera, resolutionPerInch } = props.picture.about
  const { width, height, depth, channels } = props.picture.original
  const parts: string[] = [props.picture.kind, megapixels(width, height), `${depth} bit`]
  if (camera.aperture) parts.push(`f/${camera.aperture}`)
  if (props.picture.kind === 'scan' && resolutionPerInch) parts.push(`${Math.round(resolutionPerInch)} per inch`)
  if (channels === 1) parts.push('grey')
  return parts.join(' · ')
})
const covered = computed(() => {
  const share = 100 * (counts.value.covered ?? 0)
  return share === 0 ? '' : share < 0.1 ? 'under 0.1 % covered' : `${share.toFixed(1)} % covered`
})
const link = computed(() => `/jobs/${props.job}/pictures/${props.picture.id}/${props.picture.searched ? 'mend' : 'find'}`)
</script>

<template>
  <div class="row" :class="{ chosen, aside: picture.setAside }" data-test="picture-row" :data-name="picture.name">
    <ElCheckbox v-if="session.mayChange" :model-value="chosen" :aria-label="`Select ${picture.name}`" @change="$emit('toggle')" /><span v-else />
    <RouterLink :to="link" :aria-label="`Open ${picture.name}`" tabindex="-1"><Thumbnail :picture="picture" /></RouterLink>
    <div class="name">
      <RouterLink :to="link"><b>{{ picture.name }}</b><small class="soft">{{ about }}</small></RouterLink>
      <small v-if="picture.sensor" class="soft">Body <RouterLink class="linked" :to="`/jobs/${job}/sensors/${picture.sensor.id}`" data-test="body">{{ picture.sensor.name }}</RouterLink></small>
      <small v-if="picture.sameAs" class="shows" data-test="same-as">The same file as {{ picture.sameAs }}.</small>
      <small v-for="note in picture.about.notes.filter((text) => !text.includes('profile'))" :key="note" :class="note.startsWith('The file is damaged') ? 'shows' : 'soft'">{{ note }}</small>
    </div>
    <span class="right number">{{ picture.searched ? thousands(all) : '—' }}</span>
    <div>
      <div class="kinds"><i v-for="kind in kinds" :key="kind.kind" :style="{ width: `${kind.width}%`, background: SHADES[kind.kind] }" /></div>
      <small class="soft clip" :title="kinds.map(({ number, word }) => `${number} ${word}`).join(', ')">{{ kinds.map(({ number, word }) => `${thousands(number)} ${word}`).join(' · ') || '\u00a0' }}</small>
      <small v-if="all > 0" class="soft clip" data-test="burden">{{ covered }}{{ counts.onSubject ? `, ${thousands(counts.onSubject)} on the subject` : ', none on the subject' }}</small>
    </div>
    <svg class="where" role="img" aria-label="Where its flaws lie" viewBox="0 0 110 44" preserveAspectRatio="none"><circle v-for="(place, i) in counts.places ?? []" :key="i" :cx="place[0] * 110" :cy="place[1] * 44" r="1.3" /></svg>
    <span class="right">{{ picture.searched && all > 0 ? minutesLeft(counts.open ?? 0, counts.mended ?? 0, pace).replace(' left', '') : '—' }}</span>
    <div>
      <b class="verdict" data-test="verdict">{{ working ? RUN_WORDS[working.kind].doing : picture.setAside ? 'set aside' : verdict }}</b>
      <div class="bar" role="progressbar" :aria-label="working ? `${RUN_WORDS[working.kind].doing} ${picture.name}` : `Judged of ${picture.name}`" aria-valuemin="0" aria-valuemax="100" :aria-valuenow="Math.round(working ? 100 * working.progress : judged)"><i :class="{ run: working }" :style="{ width: `${working ? 100 * working.progress : judged}%` }" /></div>
      <small class="soft clip">{{ Math.round(judged) }} % judged<template v-if="counts.shows">, <span class="shows">{{ counts.shows }} show</span></template></small>
    </div>
    <div class="put">
      <ElButton v-if="session.mayChange" link class="soft" data-test="aside" :title="picture.setAside ? 'Back among what is to be done' : 'Leave it out of what is to be done; nothing of it is lost'" @click="$emit('aside')">{{ picture.setAside ? 'Back' : 'Aside' }}</ElButton>
      <ElButton v-if="session.mayChange" link class="soft" data-test="delete-picture" :aria-label="`Delete ${picture.name}`" @click="$emit('delete')">Delete</ElButton>
    </div>
  </div>
</template>

<style scoped>
.row { min-height: 84px; background: var(--sheet); border-bottom: 1px solid var(--hairline); border-left: 3px solid transparent; }
.row.chosen { background: #fff; border-left-color: var(--ink); }
.row:hover { background: #fff; }
.row.aside > :not(.put):not(.el-checkbox) { opacity: 0.5; }
.put { display: grid; gap: 4px; justify-items: start; }
.right { text-align: right; }
.name b, .name small { display: block; }
.name b { font-weight: 600; }
.linked { text-decoration: underline; text-underline-offset: 2px; }
.kinds { display: flex; height: 6px; background: #dadada; margin-bottom: 4px; }
.clip { display: block; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
.where { width: 110px; height: 44px; background: #e9e9e9; }
.where circle { fill: var(--ink); }
.bar { height: 4px; background: #dadada; margin: 4px 0 3px; }
.bar i { display: block; height: 100%; background: var(--settled); }
.bar i.run { background: var(--soft-ink); }
.verdict { font-weight: 600; white-space: nowrap; }
</style>
