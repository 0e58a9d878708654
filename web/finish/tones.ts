import { defineStore } from 'pinia'
import { watchDebounced } from '@vueuse/core'
import { shallowRef } from 'vue'
import { newestNext } from '../shared/newest-next.js'
import { plain } from '../shared/plain.js'
import { useBench } from '../store/bench.js'
import { useSteps } from '../store/steps.js'

/** Histogram of the picture before and after the finish, and what is clipped: kept up while something moves. */
export const useTones = defineStore('tones', () => {
  const bench = useBench()
  const list = useSteps()
  const before = shallowRef<readonly (readonly number[])[]>([])
  const after = shallowRef<readonly (readonly number[])[]>([])
  const clipped = shallowRef<readonly [number, number]>([0, 0])

  const read = newestNext(async () => {
    if (!bench.opened) return
    const counts = await bench.thePool().helper.histogram(plain(list.steps))
    before.value = counts.before
    after.value = counts.after
    clipped.value = counts.clipped
  }, () => {
    // The picture was left, or its pixels cannot be fetched now: the chart stays as it is.
  })
  // The picture follows the hand first: the chart follows when it rests for a moment.
  watchDebounced(() => [bench.opened?.id, list.steps, bench.steps], () => void read(), { immediate: true, debounce: 120, maxWait: 600 })

  return { before, after, clipped, read }
})
