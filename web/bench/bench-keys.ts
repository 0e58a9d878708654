import { useEventListener } from '@vueuse/core'
import type { Ref } from 'vue'
import type PictureView from '../stage/PictureView.vue'
import { useFinish } from '../finish/finish.js'
import { useKeys } from '../help/use-keys.js'
import type { KeyPlace } from '../help/key-table.js'
import { useRebuild, type RebuildTool } from '../rebuild/rebuild.js'
import { useSession } from '../access/session.js'
import { useAreas } from '../store/areas.js'
import { useBench, type Tool } from '../store/bench.js'
import { useGroup } from '../store/bench/group.js'
import { useLook } from '../store/look.js'
import { useOffer } from '../store/bench/offer.js'
import { useRound } from '../store/round.js'
import { useSteps } from '../store/steps.js'
import { useZones, type ZoneTool } from '../store/zones.js'
import { MARKS } from './tools.js'

/** Places whose keys may be pressed by who may only look. */
const FOR_LOOKING: readonly KeyPlace[] = ['everywhere', 'ledger']

/** What the keys of the stages over a picture do. */
export function useBenchKeys({ stage, view, toggleBlink }: {
  stage: () => string
  view: Ref<InstanceType<typeof PictureView> | undefined>
  toggleBlink: () => void
}): void {
  const session = useSession()
  const bench = useBench()
  const look = useLook()
  const areas = useAreas()
  const group = useGroup()
  const offer = useOffer()
  const round = useRound()
  const finish = useFinish()
  const list = useSteps()
  const zones = useZones()
  const rebuild = useRebuild()
  const drawing = () => view.value?.drawing
  const isDrawing = () => !!drawing()?.active.value

  const STAGES_OF: Partial<Record<KeyPlace, readonly string[]>> = { ledger: ['find', 'mend'], mend: ['mend'], tools: ['mend'], strip: ['correct', 'rebuild', 'finish'], correct: ['correct'], rebuild: ['rebuild'], finish: ['finish'] }
  const tool = (id: Tool) => () => (bench.tool = bench.tool === id ? 'select' : id)
  const zoneTool = (id: ZoneTool) => () => (zones.tool = id)
  const rebuildTool = (id: RebuildTool) => () => (rebuild.tool = id)
  const mendBy = (method?: 'lift' | 'heal' | 'fill' | 'clone') => ({ act: () => void bench.mendSelected(method), when: () => !bench.busy })
  const smaller = (sizePx: number) => Math.max(1, Math.round(sizePx / 1.2))
  const larger = (sizePx: number) => Math.round(sizePx * 1.2 + 1)
  const moveSource = (dx: number, dy: number) => ({
    act: () => {
      const source = bench.selectedStep!.source!
      bench.trySource(source.dx + dx, source.dy + dy)
      bench.adjust({}, true)
    },
    when: () => !!bench.selectedStep?.source,
  })
  /** The next value of the test strip, or the one before. */
  const stripStep = (by: 1 | -1) => ({
    act: () => {
      const setting = list.triedSetting
      if (!setting || !list.selected) return
      const apart = setting.name === 'strength' ? 25 : Math.max(setting.step, Math.round((setting.maximum - setting.minimum) / 25 / setting.step) * setting.step)
      const value = Math.max(setting.minimum, Math.min(setting.maximum, list.valueOf(list.selected, setting.name) + by * apart))
      list.adjustValue(list.selected.id, setting.name, Number(value.toFixed(6)))
    },
    when: () => !!list.selected,
  })
  function giveUp(): void {
    if (stage() === 'correct') {
      drawing()?.giveUp()
      zones.tool = 'look'
    } else if (stage() === 'rebuild') {
      view.value?.pen.giveUp()
      rebuild.tool = 'look'
    } else if (stage() === 'finish') {
      view.value?.finishTools.giveUp()
      finish.tool = 'look'
    } else if (isDrawing()) drawing()!.giveUp()
    else if (areas.isDrawing) areas.forget()
    else if (bench.tool === 'shape') bench.tool = 'select'
    else if (bench.group.size > 0) group.clear()
    else bench.selectedId = null
  }

  useKeys(['everywhere', 'strip', 'ledger', 'tools', 'mend', 'correct', 'rebuild', 'finish'], {
    'original': () => (look.holdOriginal = true),
    'divider': () => view.value?.toggleDivider(),
    'beside': () => (look.beside = !look.beside),
    'blink': toggleBlink,
    'alone': { act: () => (look.compareScope = look.compareScope === 'all' ? 'mend' : 'all'), when: () => ['mend', 'correct', 'rebuild'].includes(stage()) },
    'one-to-one': () => view.value?.zoomTo(1),
    'whole': () => view.value?.zoomTo('fit'),
    'print-size': () => view.value?.atPrintSize(),
    'mirrored': () => (look.flipped = !look.flipped),
    'turned': () => (look.quarters = (look.quarters + 1) % 4),
    'give-up': giveUp,
    'undo': { act: () => void bench.goBack('undo'), when: () => session.mayChange },
    'redo': { act: () => void bench.goBack('redo'), when: () => session.mayChange },
    'next': () => bench.stepThrough(1),
    'back': () => bench.stepThrough(-1),
    'first': () => bench.stepTo(0),
    'last': () => bench.stepTo(-1),
    'marks': () => (bench.marks = MARKS[(MARKS.indexOf(bench.marks) + 1) % MARKS.length]!),
    'round-on': () => round.goOn(),
    'round-back': () => round.goBack(),
    'close-shape': { act: () => void (isDrawing() ? drawing()!.finish() : areas.keep()), when: () => isDrawing() || bench.tool === 'area' },
    'settle': { act: () => void bench.setState('settled'), when: () => !!bench.selectedStep },
    'leave': () => void bench.setState('left'),
    'mend': mendBy(),
    'mend-all': { act: () => void bench.mendAll(), when: () => bench.counts.open > 0 && !bench.run },
    'lift': mendBy('lift'),
    'heal': mendBy('heal'),
    'fill': mendBy('fill'),
    'clone': mendBy('clone'),
    'other-source': { act: () => void bench.otherSource(), when: () => !bench.busy },
    'next-best': { act: () => void offer.accept(), when: () => !!offer.step },
    'source-left': moveSource(-1, 0),
    'source-right': moveSource(1, 0),
    'source-up': moveSource(0, -1),
    'source-down': moveSource(0, 1),
    'take-out': () => void (bench.tool === 'area' ? areas.remove() : bench.group.size > 1 ? group.reset() : bench.takeOut()),
    'take-back': () => void (isDrawing() ? drawing()!.undoCorner() : bench.tool === 'area' ? areas.undoMark() : bench.takeOut()),
    'spot': tool('spot'),
    'stroke': tool('stroke'),
    'outline': tool('outline'),
    'area': tool('area'),
    'side': { act: () => (areas.side = areas.side === 'inside' ? 'outside' : 'inside'), when: () => bench.tool === 'area' },
    'smaller': () => (bench.toolSize /= 1.2),
    'larger': () => (bench.toolSize = bench.toolSize * 1.2 + 1),
    'correct-look': zoneTool('look'),
    'correct-mend': zoneTool('mend'),
    'zone-in': zoneTool('in'),
    'zone-out': zoneTool('out'),
    'zone-outline': zoneTool('outline'),
    'zone-grow': zoneTool('grow'),
    'zone-tone': zoneTool('tone'),
    'zone-colour': zoneTool('colour'),
    'zone-slope': zoneTool('slope'),
    'zone-end': { act: () => void drawing()?.finish(), when: isDrawing },
    'zone-smaller': () => (zones.sizePx = smaller(zones.sizePx)),
    'zone-larger': () => (zones.sizePx = larger(zones.sizePx)),
    'rebuild-look': rebuildTool('look'),
    'draw': rebuildTool('draw'),
    'pick': rebuildTool('pick'),
    'edge': rebuildTool('edge'),
    'sharpen-edge': rebuildTool('sharpen-edge'),
    'texture': rebuildTool('texture'),
    'texture-from': rebuildTool('source'),
    'pen-smaller': () => (rebuild.sizePx = smaller(rebuild.sizePx)),
    'pen-larger': () => (rebuild.sizePx = larger(rebuild.sizePx)),
    'strip-down': stripStep(-1),
    'strip-up': stripStep(1),
    'propose': () => void finish.proposeAll(),
    'neutral': () => (finish.tool = 'neutral'),
    'level': () => (finish.tool = 'level'),
    'crop': () => (finish.tool = finish.tool === 'crop' ? 'look' : 'crop'),
    'corners': () => (finish.tool = 'corners'),
    'framed': () => (finish.framed = !finish.framed),
  }, (place) => (session.mayChange || FOR_LOOKING.includes(place)) && (STAGES_OF[place]?.includes(stage()) ?? true))

  useEventListener(window, 'keyup', (event: KeyboardEvent) => {
    if (event.code === 'Space') look.holdOriginal = false
  })
  useEventListener(window, 'blur', () => (look.holdOriginal = false))
}
