import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { AreaMarks } from '@fennip/core/shape/zone/grow-area.js'
import type { Outline, Shape } from '@fennip/core/shape/shape.js'
import { putArea, removeArea } from '@fennip/core/mend/picture/guards.js'
import type { Area } from '@fennip/core/treatment/schema.js'
import { plain } from '../shared/plain.js'
import { useBench } from './bench.js'
import { identifier } from './identifier.js'

const NO_MARKS: AreaMarks = { inside: [], outside: [] }

/** Guards and zones of the picture on the bench: drawn by outline, or grown from strokes. */
export const useAreas = defineStore('areas', () => {
  const bench = useBench()
  const selectedId = ref<string | null>(null)
  /** Whether an outline is drawn, or strokes from which the area grows. */
  const drawWith = ref<'outline' | 'grow'>('grow')
  /** Whether what is drawn is added to the selected area or taken away from it. */
  const mode = ref<'add' | 'take'>('add')
  /** Which side of the edge the next stroke lies on. */
  const side = ref<'inside' | 'outside'>('inside')
  /** Parts thinner than this are left out of what grows. */
  const thinPx = ref(0)
  const marks = shallowRef<AreaMarks>(NO_MARKS)
  /** What has grown, not kept yet. */
  const grown = shallowRef<readonly Outline[]>([])
  const growing = ref(false)
  let turn = 0

  const selected = computed(() => bench.areas.find((area) => area.id === selectedId.value) ?? null)
  const isDrawing = computed(() => marks.value.inside.length + marks.value.outside.length > 0)

  async function grow(): Promise<void> {
    const mine = ++turn
    growing.value = true
    try {
      const result = await bench.thePool().helper.growArea(plain(marks.value), thinPx.value, 'roughly')
      if (mine === turn) grown.value = result
    } catch (error) {
      bench.report(error)
    } finally {
      if (mine === turn) growing.value = false
    }
  }

  /** A shape was drawn with the area tool. */
  async function drawn(shape: Shape): Promise<void> {
    if (drawWith.value === 'outline') await addParts([shape])
    else {
      marks.value = { ...marks.value, [side.value]: [...marks.value[side.value], shape] }
      if (marks.value.inside.length > 0) await grow()
    }
  }

  /** Take the last stroke back. */
  async function undoMark(): Promise<void> {
    const { inside, outside } = marks.value
    marks.value = side.value === 'inside' && inside.length > 0 ? { inside: inside.slice(0, -1), outside } : { inside, outside: outside.slice(0, -1) }
    if (marks.value.inside.length > 0) await grow()
    else grown.value = []
  }

  function forget(): void {
    turn++
    marks.value = NO_MARKS
    grown.value = []
    growing.value = false
    side.value = 'inside'
  }

  /** Make what has grown part of the selected area, or a new one. */
  async function keep(): Promise<void> {
    if (grown.value.length === 0 || growing.value) return
    const mine = ++turn
    growing.value = true
    const shapes = await bench.thePool().helper.growArea(plain(marks.value), thinPx.value, 'exactly').catch((error: unknown) => {
      bench.report(error)
      return []
    })
    if (mine !== turn) return
    forget()
    if (shapes.length > 0) await addParts(shapes)
  }

  async function addParts(shapes: readonly Shape[]): Promise<void> {
    const parts = shapes.map((shape) => ({ mode: mode.value, shape }))
    const area = selected.value
    if (area) await put({ ...area, parts: [...area.parts, ...parts] }, mode.value === 'add' ? `Add to ${area.name}` : `Take from ${area.name}`)
    else {
      const fresh: Area = { id: identifier('a'), name: freeName('Guard'), role: 'guard', parts: parts.map((part) => ({ ...part, mode: 'add' as const })), softEdgePx: 0 }
      selectedId.value = fresh.id
      await put(fresh, `Draw ${fresh.name}`)
    }
  }

  function freeName(word: string): string {
    for (let n = 1; ; n++) if (!bench.areas.some((area) => area.name === `${word} ${n}`)) return `${word} ${n}`
  }

  async function put(area: Area, label: string): Promise<void> {
    if (!bench.treatment) return
    await bench.change(label, putArea(bench.treatment, area))
  }

  const rename = (name: string) => selected.value && name.trim() !== '' && name.trim() !== selected.value.name && put({ ...selected.value, name: name.trim().slice(0, 80) }, `Name ${name.trim().slice(0, 80)}`)
  const setRole = (role: Area['role']) => selected.value && selected.value.role !== role && put({ ...selected.value, role }, role === 'guard' ? `Guard ${selected.value.name}` : `Make ${selected.value.name} a zone`)
  const setSoftEdge = (softEdgePx: number) => selected.value && selected.value.softEdgePx !== softEdgePx && put({ ...selected.value, softEdgePx }, `Soften ${selected.value.name}`)

  async function remove(): Promise<void> {
    const area = selected.value
    if (!area || !bench.treatment) return
    selectedId.value = null
    await bench.change(`Take out ${area.name}`, removeArea(bench.treatment, area.id))
  }

  watch(() => bench.tool, (tool) => {
    if (tool !== 'area') forget()
  })
  watch(thinPx, () => {
    if (marks.value.inside.length > 0) void grow()
  })
  watch(() => bench.opened?.id, () => {
    forget()
    selectedId.value = null
  })

  return { selectedId, selected, drawWith, mode, side, thinPx, marks, grown, growing, isDrawing, drawn, undoMark, forget, keep, rename, setRole, setSoftEdge, remove }
})
