<script setup lang="ts">
import { ElMessage, ElProgress } from 'element-plus'
import { Upload } from 'tus-js-client'
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { RouterLink } from 'vue-router'
import { DEFAULT_FALSE_FINDS } from '@fennip/core/find/find.js'
import { ProblemError } from '@fennip/core/problem.js'
import { api, listen, problemOf, type Job, type Picture } from '../shared/api.js'
import { megapixels, minutesLeft, thousands } from '../shared/words.js'
import Thumbnail from './Thumbnail.vue'

const props = defineProps<{ job: string }>()
const sheet = ref<(Job & { list: Picture[] }) | null>(null)
const problem = ref('')
const chosen = ref(new Set<string>())
const working = ref(new Map<string, { kind: string; progress: number }>())
const dropping = ref(false)
const picker = ref<HTMLInputElement>()

interface Arrival { name: string; progress: number; problem: string; upload: Upload | null }
const arrivals = ref<Arrival[]>([])

async function load(): Promise<void> {
  try {
    sheet.value = await api.job(props.job)
    problem.value = ''
  } catch (error) {
    problem.value = error instanceof ProblemError ? error.detail : String(error)
  }
}

function addFiles(files: Iterable<File>): void {
  for (const file of files) {
    arrivals.value.push({ name: file.name, progress: 0, problem: '', upload: null })
    const arrival = arrivals.value.at(-1)!
    const upload = new Upload(file, {
      endpoint: '/api/uploads',
      metadata: { filename: file.name, job: props.job },
      chunkSize: 32 * 1024 * 1024,
      retryDelays: [500, 1500, 4000],
      removeFingerprintOnSuccess: true,
      onShouldRetry: (error) => {
        const status = error.originalResponse?.getStatus() ?? 0
        return status === 0 || status === 423
      },
      onProgress: (sent, total) => (arrival.progress = total > 0 ? Math.round((100 * sent) / total) : 0),
      onSuccess: () => {
        arrivals.value = arrivals.value.filter((candidate) => candidate !== arrival)
        void load()
      },
      onError: (error) => {
        const response = 'originalResponse' in error ? error.originalResponse : null
        arrival.problem = response ? problemOf(response.getBody(), response.getStatus()).detail : 'The server cannot be reached. Add the file again.'
      },
    })
    arrival.upload = upload
    upload.start()
  }
}

function onDrop(event: DragEvent): void {
  dropping.value = false
  if (event.dataTransfer) addFiles(event.dataTransfer.files)
}
function onPick(): void {
  if (picker.value?.files) addFiles(picker.value.files)
  if (picker.value) picker.value.value = ''
}
function dismiss(arrival: Arrival): void {
  void arrival.upload?.abort(true).catch(() => undefined)
  arrivals.value = arrivals.value.filter((candidate) => candidate !== arrival)
}

function toggle(id: string): void {
  const next = new Set(chosen.value)
  if (!next.delete(id)) next.add(id)
  chosen.value = next
}

async function forChosen(act: (picture: Picture) => Promise<unknown>): Promise<void> {
  for (const picture of sheet.value?.list.filter((candidate) => chosen.value.has(candidate.id)) ?? []) {
    await act(picture).catch((error: unknown) => ElMessage({ type: 'error', message: `${picture.name}: ${error instanceof ProblemError ? error.detail : String(error)}`, showClose: true }))
  }
}
const kindsFor = (picture: Picture) => (picture.kind === 'frame' && (picture.about.camera.aperture ?? 0) >= 10 ? ['dust'] : ['dust', 'speck'])
const find = () => forChosen((picture) => api.find(picture.id, kindsFor(picture), DEFAULT_FALSE_FINDS))
const mend = () => forChosen((picture) => api.mend(picture.id, picture.revision))

const count = (picture: Picture) => (picture.counts.open ?? 0) + (picture.counts.mended ?? 0) + (picture.counts.settled ?? 0) + (picture.counts.left ?? 0)
const searched = (picture: Picture) => picture.revision > 0
const judged = (picture: Picture) => (count(picture) === 0 ? 0 : (100 * ((picture.counts.settled ?? 0) + (picture.counts.left ?? 0))) / count(picture))
const SHADES: Record<string, string> = { dust: '#4a4a4a', speck: '#9a9a9a', other: '#6f6488' }
const kindsOf = (picture: Picture) => Object.entries(picture.counts.kinds ?? {}).map(([kind, number]) => ({ kind, number, width: (100 * number) / Math.max(1, count(picture)), shade: SHADES[kind] ?? '#777' }))
const verdict = (picture: Picture) => {
  const open = (picture.counts.open ?? 0) + (picture.counts.mended ?? 0)
  if (!searched(picture)) return 'not searched'
  return open === 0 ? 'done' : open < 150 ? 'quick' : open < 800 ? 'worth it' : 'long'
}
const about = (picture: Picture) => {
  const { camera, resolutionPerInch } = picture.about
  const parts: string[] = [picture.kind, megapixels(picture.original.width, picture.original.height), `${picture.original.depth} bit`]
  if (camera.aperture) parts.push(`f/${camera.aperture}`)
  if (camera.body) parts.push(camera.body)
  if (picture.kind === 'scan' && resolutionPerInch) parts.push(`${Math.round(resolutionPerInch)} per inch`)
  if (picture.original.channels === 1) parts.push('grey')
  return parts.join(' · ')
}
const sum = computed(() => {
  const list = sheet.value?.list ?? []
  const open = list.reduce((total, picture) => total + (picture.counts.open ?? 0), 0)
  const mended = list.reduce((total, picture) => total + (picture.counts.mended ?? 0), 0)
  return `${list.length} pictures, ${list.filter(searched).length} of them searched${open + mended > 0 ? `, ${minutesLeft(open, mended)}` : ''}.`
})

let stop = () => {}
onMounted(() => {
  void load()
  stop = listen('*', (event) => {
    if (event.type === 'revision') void load()
    if (event.type === 'run') {
      const next = new Map(working.value)
      if (event.state === 'running' || event.state === 'queued') next.set(event.picture!, { kind: event.kind!, progress: event.progress! })
      else next.delete(event.picture!)
      working.value = next
    }
  })
})
onUnmounted(() => stop())
const WORKING: Record<string, string> = { find: 'being searched', mend: 'being mended', export: 'being written' }
</script>

<template>
  <div class="sheet" :class="{ dropping }" @dragover.prevent="dropping = true" @dragleave="dropping = false" @drop.prevent="onDrop">
    <div class="top-bar"><RouterLink class="brand" to="/">Fennip</RouterLink><span><RouterLink class="soft" to="/">Shelf</RouterLink> / <b>{{ sheet?.title }}</b></span></div>
    <header>
      <div><h1>{{ sheet?.title }}</h1><p class="soft">{{ problem || sum }}</p></div>
      <div class="actions">
        <button type="button" class="plain-button" data-test="add" @click="picker?.click()">Add pictures</button>
        <button type="button" class="plain-button" :disabled="chosen.size === 0" data-test="find-chosen" @click="find">Find in {{ chosen.size }} selected</button>
        <button type="button" class="plain-button" :disabled="chosen.size === 0" data-test="mend-chosen" @click="mend">Mend {{ chosen.size }} selected</button>
        <input ref="picker" type="file" multiple accept=".jpg,.jpeg,.png,.tif,.tiff,.webp" hidden data-test="picker" @change="onPick" />
      </div>
    </header>
    <div v-for="arrival in arrivals" :key="arrival.name" class="arrival" data-test="arrival">
      <b>{{ arrival.name }}</b>
      <span v-if="arrival.problem" class="shows" data-test="arrival-problem">{{ arrival.problem }}</span>
      <template v-else><ElProgress :percentage="arrival.progress" :stroke-width="5" /><span class="soft">{{ arrival.progress === 100 ? 'being taken in' : 'arriving' }}</span></template>
      <button type="button" class="link-button" @click="dismiss(arrival)">{{ arrival.problem ? 'Dismiss' : 'Cancel' }}</button>
    </div>
    <div class="heads"><span /><span /><span>Picture</span><span class="right">Flaws</span><span>Of which</span><span>Where</span><span class="right">Time left</span><span>Verdict</span></div>
    <div v-for="picture in sheet?.list ?? []" :key="picture.id" class="row" :class="{ chosen: chosen.has(picture.id) }" data-test="picture-row">
      <input type="checkbox" :checked="chosen.has(picture.id)" :aria-label="`Select ${picture.name}`" @change="toggle(picture.id)" />
      <RouterLink :to="`/jobs/${job}/pictures/${picture.id}/${searched(picture) ? 'mend' : 'find'}`"><Thumbnail :picture="picture" /></RouterLink>
      <RouterLink class="name" :to="`/jobs/${job}/pictures/${picture.id}/${searched(picture) ? 'mend' : 'find'}`"><b>{{ picture.name }}</b><small class="soft">{{ about(picture) }}</small><small v-for="note in picture.about.notes.filter((text) => !text.includes('profile'))" :key="note" class="soft">{{ note }}</small></RouterLink>
      <span class="right number">{{ searched(picture) ? thousands(count(picture)) : '—' }}</span>
      <div>
        <div class="kinds"><i v-for="kind in kindsOf(picture)" :key="kind.kind" :style="{ width: `${kind.width}%`, background: kind.shade }" /></div>
        <small class="soft">{{ kindsOf(picture).map((kind) => `${thousands(kind.number)} ${kind.kind === 'other' ? 'by hand' : kind.kind}`).join(' · ') || '\u00a0' }}</small>
      </div>
      <svg class="where" viewBox="0 0 110 44" preserveAspectRatio="none"><circle v-for="(place, i) in picture.counts.places ?? []" :key="i" :cx="place[0] * 110" :cy="place[1] * 44" r="1.3" /></svg>
      <span class="right">{{ searched(picture) && count(picture) > 0 ? minutesLeft(picture.counts.open ?? 0, picture.counts.mended ?? 0).replace(' left', '') : '—' }}</span>
      <div>
        <b class="verdict">{{ working.has(picture.id) ? WORKING[working.get(picture.id)!.kind] : verdict(picture) }}</b>
        <div class="bar"><i :class="{ run: working.has(picture.id) }" :style="{ width: `${working.has(picture.id) ? 100 * working.get(picture.id)!.progress : judged(picture)}%` }" /></div>
        <small class="soft">{{ Math.round(judged(picture)) }} % judged<template v-if="picture.counts.shows">, <span class="shows">{{ picture.counts.shows }} show</span></template></small>
      </div>
    </div>
    <p v-if="sheet && sheet.list.length === 0 && arrivals.length === 0" class="empty soft">Drop photographs here: JPEG, PNG, TIFF or WebP, 8 or 16 bit. The originals are never changed.</p>
  </div>
</template>

<style scoped>
.sheet { min-height: 100%; }
.sheet.dropping { box-shadow: inset 0 0 0 3px var(--settled); }
header { display: flex; justify-content: space-between; align-items: end; padding: 16px 20px 12px; background: var(--sheet); border-bottom: 1px solid var(--hairline); }
h1 { margin: 0; font-size: 20px; }
p { margin: 2px 0 0; }
.actions { display: flex; gap: 8px; }
.heads, .row { display: grid; grid-template-columns: 26px 126px minmax(180px, 1fr) 56px 190px 112px 110px 112px; gap: 14px; align-items: center; padding: 0 16px 0 10px; }
.heads { height: 30px; color: var(--soft-ink); border-bottom: 1px solid var(--hairline); }
.row { min-height: 84px; background: var(--sheet); border-bottom: 1px solid var(--hairline); border-left: 3px solid transparent; }
.row.chosen { background: #fff; border-left-color: var(--ink); }
.row:hover { background: #fff; }
.right { text-align: right; }
.name b, .name small { display: block; }
.name b { font-weight: 600; }
.kinds { display: flex; height: 6px; background: #dadada; margin-bottom: 4px; }
.where { width: 110px; height: 44px; background: #e9e9e9; }
.where circle { fill: var(--ink); }
.bar { height: 4px; background: #dadada; margin: 4px 0 3px; }
.bar i { display: block; height: 100%; background: var(--settled); }
.bar i.run { background: var(--soft-ink); }
.verdict { font-weight: 600; white-space: nowrap; }
.arrival { display: grid; grid-template-columns: 220px 1fr auto auto; gap: 16px; align-items: center; padding: 10px 20px; background: #fff; border-bottom: 1px solid var(--hairline); }
.empty { padding: 60px 20px; text-align: center; }
</style>
