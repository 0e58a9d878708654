import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import type { Remark } from '@fennip/core/treatment/schema.js'
import { plain } from '../shared/plain.js'
import { useBench } from '../store/bench.js'

/** Remarks that are pinned to places of the open picture. */
export const useRemarks = defineStore('remarks', () => {
  const bench = useBench()
  const list = computed<readonly Remark[]>(() => bench.treatment?.remarks ?? [])
  const selectedId = ref<string | null>(null)
  const selected = computed(() => list.value.find(({ id }) => id === selectedId.value) ?? null)
  /** Where a remark is being written that is not there yet. */
  const place = ref<{ x: number; y: number } | null>(null)
  watch(() => bench.opened?.id, () => {
    selectedId.value = null
    place.value = null
  })

  /** A click on a pin selects it; elsewhere a new remark begins. @param near  In pixels of the picture. */
  function click(at: { x: number; y: number }, near: number): void {
    const hit = list.value.find(({ x, y }) => Math.hypot(x - at.x, y - at.y) <= near)
    selectedId.value = hit?.id ?? null
    place.value = hit ? null : { x: Math.round(at.x), y: Math.round(at.y) }
  }
  const put = (label: string, remark: Remark) => bench.change(label, [{ type: 'put', list: 'remarks', items: [plain(remark)] }])
  async function pin(text: string): Promise<void> {
    if (!place.value || text.trim() === '') return
    const remark: Remark = { id: `r-${crypto.randomUUID().slice(0, 12)}`, ...place.value, text: text.trim() }
    place.value = null
    selectedId.value = remark.id
    await put('Pin a remark', remark)
  }
  async function set(remark: Remark, change: Partial<Pick<Remark, 'text' | 'answer'>>): Promise<void> {
    const text = (change.text ?? remark.text).trim()
    const answer = (change.answer ?? remark.answer ?? '').trim()
    if (text === '' || (text === remark.text && answer === (remark.answer ?? ''))) return
    const { answer: _before, ...rest } = remark
    await put(change.answer === undefined ? 'Change a remark' : 'Answer a remark', { ...rest, text, ...(answer === '' ? {} : { answer }) })
  }
  async function remove(id: string): Promise<void> {
    if (selectedId.value === id) selectedId.value = null
    await bench.change('Take out a remark', [{ type: 'remove', list: 'remarks', ids: [id] }])
  }
  return { list, selectedId, selected, place, click, pin, set, remove }
})
