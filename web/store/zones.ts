import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import type { ZoneProposal } from '@fennip/core/correct/propose-zones.js'
import { packMask } from '@fennip/core/shape/zone/zone-cover.js'
import type { Shape } from '@fennip/core/shape/shape.js'
import { putArea, removeArea } from '@fennip/core/mend/picture/guards.js'
import type { Area, AreaPart, Operation } from '@fennip/core/treatment/schema.js'
import { plain } from '../shared/plain.js'
import type { ZoneShow } from '../workers/view.js'
import { useBench } from './bench.js'
import { identifier } from './identifier.js'
import { useSteps } from './steps.js'

/** What the pointer does in Correct: say which place is tried, mend a place on the corrected picture, or make the zone. */
export type ZoneTool = 'look' | 'mend' | 'in' | 'out' | 'outline' | 'grow' | 'tone' | 'colour' | 'slope'

/** Half the range of lightness around a picked tone, and over how much it fades, CIE L*. */
const TONE_HALF = 7
const TONE_FADE = 6
/** How far from a picked colour a pixel may lie, and over how much it fades, CIELAB. */
const COLOUR_WITHIN = 12
const COLOUR_FADE = 8
const round = (value: number) => Math.round(10 * value) / 10

/** Zones of the picture on the bench, and how they are made. */
export const useZones = defineStore('zones', () => {
  const bench = useBench()
  const list = useSteps()
  const selectedId = ref<string | null>(null)
  const tool = ref<ZoneTool>('look')
  const brushPx = ref(120)
  /** Share of the brush's radius that is hard: the rest fades. */
  const hardness = ref(75)
  /** How much a stroke adds or takes, in percent. */
  const brushStrength = ref(100)
  const slope = ref<'linear' | 'radial'>('linear')
  const show = ref<ZoneShow | 'nothing'>('edge')
  const proposals = shallowRef<readonly ZoneProposal[]>([])
  const proposing = ref(false)
  const growing = ref(false)
  /** Shares of the picture by identifier. */
  const shares = shallowRef<Readonly<Record<string, number>>>({})

  const zones = computed(() => bench.areas.filter(({ role }) => role === 'zone'))
  /** The zone that is worked on: the chosen one, or that of the selected correction. */
  const current = computed(() => zones.value.find(({ id }) => id === (selectedId.value ?? list.selected?.zone)) ?? null)
  const chosen = computed(() => zones.value.find(({ id }) => id === selectedId.value) ?? null)
  const usedBy = computed(() => new Map(zones.value.map(({ id }) => [id, list.saved.filter((step) => step.zone === id).length])))
  /** Across, of what the tool in hand paints, in picture pixels. */
  const sizePx = computed({ get: () => (tool.value === 'mend' ? mendPx.value : brushPx.value), set: (size: number) => (tool.value === 'mend' ? (mendPx.value = size) : (brushPx.value = size)) })
  /** Largest brush that the slider offers: a third of the picture. */
  const mostPx = computed(() => Math.max(600, Math.round((bench.opened?.original.width ?? 1800) / 3), sizePx.value))
  const draws = computed(() => ['mend', 'in', 'out', 'outline', 'grow', 'slope'].includes(tool.value))
  /** How a place is mended. */
  const method = ref<'heal' | 'clone' | 'fill' | 'lift'>('heal')
  const mendPx = ref(40)
  const isBrush = computed(() => tool.value === 'mend' || tool.value === 'in' || tool.value === 'out' || tool.value === 'grow')

  function freeName(): string {
    for (let n = 1; ; n++) if (!bench.areas.some((area) => area.name === `zone ${n}`)) return `zone ${n}`
  }

  /** Put a zone; corrections that use it look at it anew. */
  async function put(zone: Area, label: string, more: Operation[] = []): Promise<void> {
    if (!bench.treatment) return
    await list.keep()
    const areas = [...bench.areas.filter(({ id }) => id !== zone.id), zone]
    try {
      const users = list.saved.filter((step) => step.zone === zone.id && !more.some((change) => change.type === 'put' && change.items.some(({ id }) => id === step.id)))
      const remade = await Promise.all(users.map((step) => list.remade(step, list.before(step.id), areas)))
      await bench.change(label, [...putArea(bench.treatment, plain(zone)), ...(remade.length > 0 ? [{ type: 'put', list: 'operations', items: plain(remade) } as Operation] : []), ...more])
    } catch (error) {
      bench.report(error)
    }
  }

  /** Add parts to the zone that is worked on; a new one is given to the selected correction. */
  async function addParts(parts: readonly AreaPart[], label = 'Paint'): Promise<void> {
    const zone = current.value
    if (zone) {
      await put({ ...zone, parts: [...zone.parts, ...parts] }, `${label}: ${zone.name}`)
      return
    }
    const fresh: Area = { id: identifier('z'), name: freeName(), role: 'zone', parts: parts.map((part) => ({ ...part, mode: 'add' as const })), softEdgePx: 0 }
    await create(fresh, `New zone: ${fresh.name}`)
  }

  async function create(zone: Area, label: string): Promise<void> {
    const step = list.selected && list.selected.zone === undefined ? list.selected : null
    selectedId.value = zone.id
    if (!step) return put(zone, label)
    const made = await list.remade({ ...plain(step), zone: zone.id }, list.before(step.id), [...bench.areas, zone]).catch(() => ({ ...plain(step), zone: zone.id }))
    await put(zone, label, [{ type: 'put', list: 'operations', items: plain([made]) }])
  }

  /** A shape was drawn with the tool in hand. */
  async function drawn(shape: Shape): Promise<void> {
    const strength = brushStrength.value / 100
    if (tool.value === 'mend') {
      const place = shape.type === 'stroke' ? { points: shape.points, widthPx: shape.width } : shape.type === 'disc' ? { points: [[shape.x, shape.y]], widthPx: round(2 * shape.r) } : null
      if (place) await list.add(method.value, { ...place, softEdgePx: Math.max(1, Math.min(60, Math.round(0.12 * place.widthPx))) })
    } else if (tool.value === 'in' || tool.value === 'out') {
      const softEdgePx = round(brushPx.value * (1 - hardness.value / 100))
      await addParts([{ mode: tool.value === 'in' ? 'add' : 'take', shape, softEdgePx, ...(strength < 1 ? { strength } : {}) }], tool.value === 'in' ? 'Paint in' : 'Paint out')
    } else if (tool.value === 'outline') await addParts([{ mode: 'add', shape }], 'Outline')
    else if (tool.value === 'grow') {
      growing.value = true
      try {
        const outlines = await bench.thePool().helper.growArea({ inside: [plain(shape)], outside: [] }, 0, 'exactly')
        if (outlines.length > 0) await addParts(outlines.map((outline) => ({ mode: 'add' as const, shape: outline })), 'Grow')
        else bench.problem = 'Nothing has grown from here. Draw a longer stroke inside the thing.'
      } catch (error) {
        bench.report(error)
      } finally {
        growing.value = false
      }
    } else if (tool.value === 'slope' && shape.type === 'stroke') {
      const [from, to] = [shape.points[0]!, shape.points.at(-1)!]
      const length = Math.hypot(to[0] - from[0], to[1] - from[1])
      await addParts([{ mode: 'add', slope: slope.value === 'linear' ? { type: 'linear', from, to } : { type: 'radial', x: from[0], y: from[1], innerPx: 0, outerPx: Math.max(1, round(length)) } }], 'Slope')
    }
  }

  /** Pick a tone or a colour from the mended picture. */
  async function pick(at: { x: number; y: number }): Promise<void> {
    const sample = await bench.thePool().helper.sample(at.x, at.y, []).catch(() => null)
    if (!sample) return
    const [l, a, b] = sample.before.lab.map(round) as [number, number, number]
    if (tool.value === 'tone') {
      await addParts([{ mode: 'add', range: { type: 'tone', from: Math.max(0, round(l - TONE_HALF)), to: Math.min(100, round(l + TONE_HALF)), fade: TONE_FADE } }], 'Tone')
      return
    }
    const last = current.value?.parts.at(-1)
    // Further colours widen the range that was picked last.
    if (current.value && last && 'range' in last && last.range.type === 'colour' && last.range.samples.length < 20) {
      await put({ ...current.value, parts: [...current.value.parts.slice(0, -1), { ...last, range: { ...last.range, samples: [...last.range.samples, [l, a, b]] } }] }, `Colour: ${current.value.name}`)
    } else await addParts([{ mode: 'add', range: { type: 'colour', samples: [[l, a, b]], within: COLOUR_WITHIN, fade: COLOUR_FADE } }], 'Colour')
  }

  async function setRange(part: AreaPart): Promise<void> {
    const zone = current.value
    if (zone) await put({ ...zone, parts: [...zone.parts.slice(0, -1), part] }, `Range: ${zone.name}`)
  }

  /** A grey picture as a part: white is inside. */
  async function importMask(file: File): Promise<void> {
    try {
      const bitmap = await createImageBitmap(file)
      const canvas = new OffscreenCanvas(bitmap.width, bitmap.height)
      const context = canvas.getContext('2d')!
      context.drawImage(bitmap, 0, 0)
      const { data } = context.getImageData(0, 0, bitmap.width, bitmap.height)
      const values = Uint8Array.from({ length: bitmap.width * bitmap.height }, (_, i) => Math.round((data[4 * i]! + data[4 * i + 1]! + data[4 * i + 2]!) / 3))
      const mask = packMask(bitmap.width, bitmap.height, values)
      if (mask.packed.length > 6_000_000) throw new Error(`${file.name} is too detailed for a zone. Make it smaller or smoother and import it again.`)
      await create({ id: identifier('z'), name: file.name.replace(/\.[^.]*$/, '').slice(0, 80) || freeName(), role: 'zone', parts: [{ mode: 'add', mask }], softEdgePx: 0 }, `Import a zone: ${file.name}`)
    } catch (error) {
      bench.problem = error instanceof Error && error.message.startsWith(file.name) ? error.message : `${file.name} cannot be read as a picture. A zone is imported from a grey PNG, white inside.`
    }
  }

  async function propose(): Promise<void> {
    proposing.value = true
    try {
      proposals.value = await bench.thePool().helper.proposeZones()
      if (proposals.value.length === 0) bench.problem = 'No sky, dark ground or paper border stands out in this picture. Paint a zone instead.'
    } catch (error) {
      bench.report(error)
    } finally {
      proposing.value = false
    }
  }
  async function take({ name, parts, softEdgePx }: ZoneProposal): Promise<void> {
    proposals.value = []
    await create({ id: identifier('z'), name, role: 'zone', parts: plain(parts), softEdgePx: Math.min(500, softEdgePx) }, `New zone: ${name}`)
  }

  /** Begin a zone of its own, that no correction uses yet. */
  function begin(): void {
    list.selectedId = null
    selectedId.value = null
    if (!['in', 'outline', 'grow', 'tone', 'colour', 'slope'].includes(tool.value)) tool.value = 'in'
  }

  /** A name covers nothing: what was measured in the zone stays. */
  async function rename(name: string): Promise<void> {
    const named = name.trim().slice(0, 80)
    if (!current.value || !bench.treatment || named === '') return
    await list.keep()
    try {
      await bench.change(`Name: ${named}`, putArea(bench.treatment, plain({ ...current.value, name: named })))
    } catch (error) {
      bench.report(error)
    }
  }
  async function set(values: Partial<Pick<Area, 'softEdgePx' | 'movedPx' | 'inverted'>>, label: string): Promise<void> {
    const zone = current.value
    if (!zone) return
    const next: Area = { ...zone, ...values }
    if (!next.movedPx) delete next.movedPx
    if (!next.inverted) delete next.inverted
    await put(next, `${label}: ${zone.name}`)
  }
  async function remove(): Promise<void> {
    const zone = current.value
    if (!zone || !bench.treatment) return
    const users = list.saved.filter((step) => step.zone === zone.id)
    if (users.length > 0) {
      bench.problem = `${zone.name} is used by ${users.map(list.titleOf).join(' and ')}. Choose another zone there first.`
      return
    }
    selectedId.value = null
    await bench.change(`Take out: ${zone.name}`, removeArea(bench.treatment, zone.id))
  }

  let turn = 0
  watch(zones, async (now) => {
    const mine = ++turn
    if (now.length === 0 || !bench.opened || list.stage !== 'correct') return
    const found = await bench.thePool().helper.zoneShares(plain(now)).catch(() => null)
    if (mine === turn && found) shares.value = found
  }, { immediate: true })
  watch(() => list.selectedId, () => {
    if (list.selectedId) selectedId.value = null
  })
  watch(() => bench.opened?.id, () => {
    selectedId.value = null
    tool.value = 'look'
    proposals.value = []
    shares.value = {}
    mendPx.value = Math.max(8, Math.round((bench.opened?.original.width ?? 1200) / 100))
    brushPx.value = Math.max(10, Math.round((bench.opened?.original.width ?? 1200) / 12))
  })

  return { selectedId, tool, method, sizePx, mostPx, brushPx, hardness, brushStrength, slope, show, proposals, proposing, growing, shares, zones, current, chosen, usedBy, draws, isBrush, addParts, drawn, pick, setRange, importMask, propose, take, begin, rename, set, remove }
})

/** What a zone is made of, in words. */
export function partsInWords(zone: Area): string {
  const words = new Set(zone.parts.map((part) => ('shape' in part ? (part.shape.type === 'outline' ? 'outlined' : 'painted') : 'slope' in part ? 'by a slope' : 'range' in part ? `by ${part.range.type}` : 'imported')))
  return [...words, ...(zone.softEdgePx > 0 ? [`soft ${zone.softEdgePx} px`] : []), ...(zone.movedPx ? [`moved ${zone.movedPx > 0 ? 'out' : 'in'} ${Math.abs(zone.movedPx)} px`] : []), ...(zone.inverted ? ['inverted'] : [])].join(', ')
}
