import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { MOST_STROKES } from '@fennip/core/rebuild/draw.js'
import type { DrawnStroke } from '@fennip/core/rebuild/strokes.js'
import { plain } from '../shared/plain.js'
import { useBench } from '../store/bench.js'
import { useSteps } from '../store/steps.js'

/** What the pointer does in Rebuild: say which place is looked at, draw, or say along which path something is done. */
export type RebuildTool = 'look' | 'draw' | 'edge' | 'sharpen-edge' | 'texture' | 'pick' | 'source'

/** What is drawn, and with which pen. Its steps are in `useSteps`. */
export const useRebuild = defineStore('rebuild', () => {
  const bench = useBench()
  const list = useSteps()
  const tool = ref<RebuildTool>('look')
  const sizePx = ref(16)
  /** Faint strokes are laid over one another until they just serve; common practice. */
  const opacity = ref(10)
  const hardness = ref(30)
  const pen = ref<'size' | 'opacity'>('size')
  /** Encoded values of what is drawn, 0..1 a channel. */
  const tone = shallowRef<readonly number[]>([0.5])
  /** Where texture is taken, in picture pixels; by default beside the stroke. */
  const source = shallowRef<{ x: number; y: number } | null>(null)
  /** Share of the picture that is drawn; null while it is not known. */
  const share = ref<number | null>(null)

  const draws = computed(() => ['draw', 'edge', 'sharpen-edge', 'texture'].includes(tool.value))
  /** The group that strokes go to: the selected one, or the last; null when a new one is begun. */
  const group = computed(() => {
    const groups = list.own.filter(({ operation }) => operation === 'draw')
    const chosen = groups.find(({ id }) => id === list.selectedId) ?? groups.at(-1)
    return chosen && (chosen.settings.strokes as unknown[]).length < MOST_STROKES ? chosen : null
  })
  const toneOnScreen = computed(() => {
    const [r, g, b] = [0, 1, 2].map((c) => Math.round(255 * tone.value[Math.min(c, tone.value.length - 1)]!))
    return `rgb(${r}, ${g}, ${b})`
  })

  function freeName(): string {
    for (let n = 1; ; n++) if (!list.own.some(({ settings }) => settings.name === `drawn ${n}`)) return `drawn ${n}`
  }

  /** A path was drawn with the tool in hand. @param points  Picture pixels, with the pressure of a pen as a third number. */
  async function drawn(points: number[][]): Promise<void> {
    if (tool.value === 'draw') {
      const stroke: DrawnStroke = { points, widthPx: sizePx.value, opacity: opacity.value, hardness: hardness.value, tone: [...tone.value], pen: pen.value }
      const into = group.value
      if (into) {
        list.selectedId = into.id
        list.adjust(into.id, { strokes: [...(into.settings.strokes as DrawnStroke[]), stroke] })
      } else await list.add('draw', { name: freeName(), strokes: [stroke] })
    } else if (tool.value === 'texture') {
      const [x, y] = points[0] as [number, number]
      const from = source.value ?? { x: x + 2 * sizePx.value, y }
      await list.add('texture', { points, widthPx: sizePx.value, sourceX: Math.round(from.x - x), sourceY: Math.round(from.y - y) })
    } else if (tool.value === 'edge' || tool.value === 'sharpen-edge') {
      if (points.length < 2) bench.problem = 'Draw along the edge: from where it is sound, over the gap, to where it is sound again.'
      else await list.add(tool.value, { points, widthPx: Math.max(4, sizePx.value) })
    }
  }

  /** Begin a group of its own. */
  const begin = () => list.add('draw', { name: freeName(), strokes: [] }).then(() => void (tool.value = 'draw'))

  /** Take the tone under the pointer, as the picture is now, or say where texture is taken. */
  async function pick(at: { x: number; y: number }): Promise<void> {
    if (tool.value === 'source') {
      source.value = { x: Math.round(at.x), y: Math.round(at.y) }
      tool.value = 'texture'
      return
    }
    const sample = await bench.thePool().helper.sample(at.x, at.y, plain(list.steps)).catch(() => null)
    if (!sample) return
    const most = bench.opened!.original.depth === 8 ? 255 : 65535
    tone.value = sample.after.values.map((value) => Math.round((10000 * value) / most) / 10000)
    tool.value = 'draw'
  }

  let turn = 0
  watch(() => [list.saved, list.stage], async () => {
    const mine = ++turn
    if (list.stage !== 'rebuild' || !bench.opened) return
    const found = list.own.length === 0 ? 0 : await bench.thePool().helper.drawnShare(plain(list.saved)).catch(() => null)
    if (mine === turn) share.value = found
  }, { immediate: true })
  watch(() => bench.opened?.id, () => {
    tool.value = 'look'
    source.value = null
    tone.value = [0.5]
  })

  return { tool, sizePx, opacity, hardness, pen, tone, toneOnScreen, source, share, draws, group, drawn, begin, pick }
})
