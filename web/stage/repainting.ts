import type OpenSeadragon from 'openseadragon'
import { computed, watch, type Ref, type ShallowRef } from 'vue'
import { operationOf } from '@fennip/core/pipeline/registry.js'
import { levelCount } from '@fennip/core/raster/pyramid.js'
import { growRegion, type Region } from '@fennip/core/raster/raster.js'
import { useFinish } from '../finish/finish.js'
import { newestNext } from '../shared/newest-next.js'
import { plain } from '../shared/plain.js'
import { useBench } from '../store/bench.js'
import { useLook } from '../store/look.js'
import { useSteps } from '../store/steps.js'
import { useZones } from '../store/zones.js'
import { GRAIN_RADIUS } from '../workers/lenses.js'
import type { View } from '../workers/view.js'
import { useExactView } from './exact-view.js'
import type { Sight } from './sight.js'
import { LivingTiles } from './tile-source.js'

/**
 * What the picture view is painted from: the tiles of the open picture, painted anew wherever and whenever what they show
 * has changed.
 *
 * @param painted  Told when a change of the steps is on the screen.
 */
/** The viewer draws the finest level whose pixels take at least so much of one of the screen (its `minPixelRatio`). */
const LEAST_PIXEL = 0.5

export function useRepainting(viewer: ShallowRef<OpenSeadragon.Viewer | undefined>, sight: Ref<Sight>, painted: () => void) {
  const bench = useBench()
  const look = useLook()
  const finish = useFinish()
  const list = useSteps()
  const zones = useZones()

  /** What is in view at small zoom, exactly, when nothing moves. */
  const exactView = useExactView(
    () => levelSeen() > 0 && look.lens === 'plain' && (list.draft ?? list.saved).some(({ operation, enabled }) => enabled && operationOf(operation).form === 'area'),
    async () => {
      if (!tiles || gone || list.draft) return false
      const { scale, x, y, width, height } = sight.value
      return tiles.refine({ x: -x / scale, y: -y / scale, width: width / scale, height: height / scale }, levelSeen(), () => viewer.value?.forceRedraw())
    },
  )
  /** The level of the picture that the view is drawn from, as the viewer chooses it. */
  const levelSeen = () => Math.max(0, Math.min((finish.framed && finish.chain ? levelCount(finish.chain.delivered.width, finish.chain.delivered.height) : bench.opened?.levels ?? 1) - 1, Math.ceil(-Math.log2(sight.value.scale / LEAST_PIXEL))))
  let tiles: LivingTiles | null = null
  let gone = false

  /** The zone that is worked on in Correct, and how it is shown. */
  const shownZone = computed(() => (look.stage === 'correct' && zones.current && zones.show !== 'nothing' ? { area: zones.current, show: zones.show } : null))
  const view = (): View => ({
    lens: look.lens, strength: look.lensStrength, radius: look.reliefRadius, ...(look.holdOriginal ? look.before : { show: 'result' as const }),
    ...(list.draft && !look.holdOriginal ? { operations: plain(list.draft) } : {}), ...(finish.clipping ? { clipping: true } : {}), ...(shownZone.value && !look.holdOriginal ? { zone: plain(shownZone.value) } : {}), ...(finish.framed ? { delivered: true } : {}),
  })

  function show(): void {
    if (!viewer.value || !bench.opened) return
    const delivered = finish.framed ? finish.chain?.delivered : undefined
    tiles = new LivingTiles(bench.opened, bench.thePool(), view, () => look.divider, () => look.before, delivered && { ...delivered, levels: levelCount(delivered.width, delivered.height) })
    viewer.value.open(tiles.source() as never)
  }

  async function repaint(region: Region | null, onlySeen = false): Promise<void> {
    if (!tiles || !viewer.value) return
    const level = levelSeen()
    exactView.moved()
    // Lenses that compare with a neighbourhood carry a change that far.
    const carried = look.lens === 'relief' ? look.reliefRadius : look.lens === 'grain' ? GRAIN_RADIUS * 2 ** level : 0
    await tiles.repaint(region && growRegion(region, carried), level, () => {
      // The picture may have been left meanwhile.
      if (gone) return
      viewer.value?.forceRedraw()
      performance.mark('fennip-painted')
    }, onlySeen)
    if (!gone) viewer.value?.forceRedraw()
  }

  watch(() => [look.lens, look.lensStrength, look.reliefRadius, look.holdOriginal], () => void repaint(null))
  watch(() => bench.opened?.id, show)
  watch(() => [finish.framed, finish.framed ? finish.chain?.delivered.width : 0, finish.framed ? finish.chain?.delivered.height : 0], show)
  /** A setting that is moved. */
  const repaintDraft = newestNext(async () => {
    if (!gone) await repaint(null, true)
    painted()
  }, (error) => {
    if (!gone) bench.report(error)
  })
  watch(() => [list.draft, finish.clipping], () => void repaintDraft())
  /** A zone is drawn into the tiles, since it may be made of tones and grey pictures. */
  watch(() => [shownZone.value?.area, shownZone.value?.show], () => void repaint(null, true))
  watch(() => look.before, () => {
    if (look.holdOriginal || look.divider !== null) void repaint(null)
  })
  /** Only what the divider passed over is painted anew. */
  watch(() => look.divider, (now, before) => {
    if (!bench.opened) return
    const { height } = bench.opened.original
    if (now === null || before === null) void repaint({ x: 0, y: 0, width: now ?? before ?? 0, height })
    else void repaint({ x: Math.min(now, before) - 2, y: 0, width: Math.abs(now - before) + 4, height })
  })

  function stop(): void {
    gone = true
    exactView.stop()
  }

  return { isExact: exactView.isExact, moved: exactView.moved, repaint, show, forget: (url: string) => tiles?.forget(url), stop }
}
