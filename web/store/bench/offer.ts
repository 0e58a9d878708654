import { defineStore } from 'pinia'
import { computed, shallowRef, watch } from 'vue'
import { whatShows } from '@fennip/core/check/telltales.js'
import { worstOf } from '@fennip/core/mend/next-best.js'
import type { Step } from '@fennip/core/treatment/schema.js'
import { plain } from '../../shared/plain.js'
import { useBench } from '../bench.js'

/** How long a flaw must be looked at before another mend is worked out for it, in milliseconds. */
const PAUSE = 350

/** The next best mend of the selected flaw, offered where its own shows or its source has become poor. */
export const useOffer = defineStore('offer', () => {
  const bench = useBench()
  const step = shallowRef<Step | null>(null)
  let turn = 0

  const wanted = computed(() => {
    const current = bench.selectedStep
    return current && !bench.draft && (whatShows(current.telltales).length > 0 || bench.poorSources.has(current.flaw)) ? current : null
  })
  /** Whether what is offered shows less than what is there. */
  const better = computed(() => !!step.value && !!wanted.value && (worstOf(step.value) < worstOf(wanted.value) || bench.poorSources.has(wanted.value.flaw)))

  watch(wanted, (current) => {
    const mine = ++turn
    step.value = null
    const flaw = bench.selected
    if (!current || !flaw) return
    setTimeout(() => {
      if (mine !== turn || !bench.opened) return
      bench.thePool().mender.nextBest(plain(flaw), plain(bench.openShapes(flaw.id, flaw.shape)), plain(current)).then(
        (other) => {
          if (mine === turn) step.value = other
        },
        () => undefined,
      )
    }, PAUSE)
  }, { immediate: true })

  async function accept(): Promise<void> {
    const taken = step.value
    const current = bench.selectedStep
    if (!taken || !current) return
    step.value = null
    await bench.change('Take the next best mend', [
      { type: 'put', list: 'steps', items: [{ ...taken, id: current.id, chosenBy: 'hand' }] },
      { type: 'setState', ids: [taken.flaw], state: 'mended' },
    ], bench.extentOf([current, taken]))
  }

  return { step, better, accept }
})
