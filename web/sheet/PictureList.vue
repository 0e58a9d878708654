<script setup lang="ts">
import { useWindowVirtualizer } from '@tanstack/vue-virtual'
import { useElementSize } from '@vueuse/core'
import { computed, ref, type ComponentPublicInstance } from 'vue'
import { RouterLink } from 'vue-router'
import type { Pace } from '@fennip/core/check/triage.js'
import type { Picture, Run } from '../shared/api.js'
import PictureRow from './PictureRow.vue'
import Thumbnail from './Thumbnail.vue'

/** The pictures of a sheet, as rows or large; only what is near the window stands in the page. */
const props = defineProps<{ job: string; pictures: readonly Picture[]; view: 'rows' | 'large'; pace: Partial<Pace>; chosen: ReadonlySet<string>; working: ReadonlyMap<string, { kind: Run['kind']; progress: number }> }>()
defineEmits<{ toggle: [id: string]; aside: [picture: Picture]; delete: [picture: Picture] }>()

/** Of a large picture and the room beside it; of a row before it has been measured. */
const LARGE = { width: 290, height: 220, between: 14 }
const ROW = 85
/** Lines that are kept ready above and below. */
const AROUND = 10

const list = ref<HTMLElement | null>(null)
const { width } = useElementSize(list)
const across = computed(() => (props.view === 'rows' ? 1 : Math.max(1, Math.floor((width.value + LARGE.between) / (LARGE.width + LARGE.between)))))
const lines = computed(() => Array.from({ length: Math.ceil(props.pictures.length / across.value) }, (_, i) => props.pictures.slice(i * across.value, (i + 1) * across.value)))
const shown = useWindowVirtualizer(computed(() => ({
  count: lines.value.length, estimateSize: () => (props.view === 'rows' ? ROW : LARGE.height + 34), overscan: props.view === 'rows' ? AROUND : 2, scrollMargin: list.value?.offsetTop ?? 0,
  getItemKey: (index: number) => `${props.view} ${across.value} ${lines.value[index]?.[0]?.id ?? index}`,
})))
const measure = (element: Element | ComponentPublicInstance | null) => shown.value.measureElement(element as Element | null)
</script>

<template>
  <div ref="list" :class="view" :style="{ height: `${shown.getTotalSize()}px` }">
    <div
      v-for="line in shown.getVirtualItems()" :key="line.key as string" :ref="measure" class="line" :data-index="line.index"
      :style="{ transform: `translateY(${line.start - shown.options.scrollMargin}px)` }"
    >
      <template v-for="picture in lines[line.index] ?? []" :key="picture.id">
        <PictureRow v-if="view === 'rows'" :job="job" :picture="picture" :pace="pace" :chosen="chosen.has(picture.id)" :working="working.get(picture.id) ?? null" @toggle="$emit('toggle', picture.id)" @aside="$emit('aside', picture)" @delete="$emit('delete', picture)" />
        <figure v-else data-test="large-picture"><RouterLink :to="`/jobs/${job}/pictures/${picture.id}/${picture.searched ? 'mend' : 'find'}`" :aria-label="`Open ${picture.name}`"><Thumbnail :picture="picture" :width="LARGE.width" :most="LARGE.height" /></RouterLink><figcaption><b>{{ picture.name }}</b> <span class="soft">{{ picture.searched ? `${(picture.counts.open ?? 0) + (picture.counts.mended ?? 0)} to do` : 'not searched' }}</span></figcaption></figure>
      </template>
    </div>
  </div>
</template>

<style scoped>
.rows, .large { position: relative; }
.large { margin: 16px 20px; }
.line { position: absolute; top: 0; left: 0; width: 100%; }
.large .line { display: flex; gap: 14px; padding-bottom: 14px; }
figure { margin: 0; }
</style>
