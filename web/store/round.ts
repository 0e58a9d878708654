import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { Region } from '@fennip/core/raster/raster.js'
import { api } from '../shared/api.js'
import { cellsWithin, lookedShare, nextUnlooked, sectorAt, sectorsOf } from '../stage/sectors.js'
import type { Sight } from '../stage/sight.js'
import { useSession } from '../access/session.js'
import { useBench } from './bench.js'

/** So long a place has to be in view to have been looked at, in milliseconds. */
const A_LOOK = 500
/** What was looked at is saved at most so often. */
const SAVED_EVERY = 1500

/** The methodical pass over the picture: what was looked at at 1:1 or closer, and where to go on. */
export const useRound = defineStore('round', () => {
  const bench = useBench()
  const session = useSession()
  const looked = shallowRef<ReadonlySet<number>>(new Set())
  const sight = shallowRef<Sight | null>(null)
  /** Set by the picture view: bring a place into the middle at 1:1. */
  const lookAt = shallowRef<((x: number, y: number) => void) | null>(null)
  const isOver = ref(false)
  let lookTimer = 0
  let saveTimer = 0
  /** What was looked at and is not saved, with the picture that it belongs to: that may have been left meanwhile. */
  let unsaved: { picture: string; cells: number[] } | null = null

  watch(() => bench.opened?.id, () => {
    void save()
    looked.value = new Set(bench.opened?.looked ?? [])
    isOver.value = false
  }, { immediate: true })

  const picture = computed(() => bench.opened?.original ?? null)
  const share = computed(() => (picture.value ? lookedShare(looked.value, picture.value) : 0))
  /** Of the picture in view, in its pixels. */
  const view = computed<Region | null>(() => (sight.value && sight.value.scale > 0
    ? { x: -sight.value.x / sight.value.scale, y: -sight.value.y / sight.value.scale, width: sight.value.width / sight.value.scale, height: sight.value.height / sight.value.scale }
    : null))
  const sectors = computed(() => (picture.value && sight.value && sight.value.width > 0 ? sectorsOf(picture.value, { width: Math.round(sight.value.width * devicePixelRatio), height: Math.round(sight.value.height * devicePixelRatio) }) : []))
  const here = computed(() => (view.value && sight.value!.scale * devicePixelRatio > 0.99 && sectors.value.length > 0 ? sectorAt(sectors.value, view.value.x + view.value.width / 2, view.value.y + view.value.height / 2) : -1))

  /** Told where the view rests. */
  function rest(now: Sight): void {
    sight.value = now
    clearTimeout(lookTimer)
    if (now.scale * devicePixelRatio < 0.99) return
    lookTimer = window.setTimeout(() => {
      if (view.value && picture.value) add(cellsWithin(view.value, picture.value))
    }, A_LOOK)
  }

  function add(cells: readonly number[]): void {
    const fresh = cells.filter((cell) => !looked.value.has(cell))
    if (fresh.length === 0) return
    looked.value = new Set([...looked.value, ...fresh])
    unsaved = { picture: bench.opened!.id, cells: [...(unsaved?.cells ?? []), ...fresh] }
    if (!saveTimer) saveTimer = window.setTimeout(() => void save(), SAVED_EVERY)
  }

  async function save(): Promise<void> {
    clearTimeout(saveTimer)
    saveTimer = 0
    if (!unsaved || !session.mayChange) return
    const { picture: id, cells } = unsaved
    unsaved = null
    try {
      await api.looked(id, cells)
    } catch {
      // Kept, and tried with the next look.
      if (bench.opened?.id === id) unsaved = { picture: id, cells: [...cells, ...((unsaved as { cells: number[] } | null)?.cells ?? [])] }
    }
  }

  function go(index: number): void {
    const sector = sectors.value[index]
    if (sector) lookAt.value?.(sector.x + sector.width / 2, sector.y + sector.height / 2)
  }

  /** On to the next sector that was not looked at. */
  function goOn(): void {
    if (!picture.value || sectors.value.length === 0) return
    // What is in view is looked at by going on.
    if (here.value >= 0 && view.value) add(cellsWithin(view.value, picture.value))
    const next = nextUnlooked(sectors.value, here.value, looked.value, picture.value)
    isOver.value = next === null
    if (next !== null) go(next)
  }

  const goBack = () => go(here.value <= 0 ? 0 : here.value - 1)

  async function beginAnew(): Promise<void> {
    if (!bench.opened) return
    clearTimeout(saveTimer)
    saveTimer = 0
    unsaved = null
    await api.looked(bench.opened.id, []).catch(bench.report)
    looked.value = new Set()
    isOver.value = false
    go(0)
  }

  return { looked, share, view, sectors, here, isOver, lookAt, rest, goOn, goBack, beginAnew, save }
})
