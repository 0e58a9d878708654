import OpenSeadragon from 'openseadragon'
import { computed, watch, type Ref, type ShallowRef } from 'vue'
import { shapeCentre } from '@fennip/core/shape/shape.js'
import { useFinish } from '../finish/finish.js'
import { useBench } from '../store/bench.js'
import { useLook } from '../store/look.js'
import { useRound } from '../store/round.js'
import { useSteps } from '../store/steps.js'
import type { Sight } from './sight.js'

/** Zoom of the whole picture with room around it. */
const STEPPED_BACK = 0.86

/** Where the view goes by itself, by key or by button. @param giveUp  Whatever is being drawn: it knows the upright picture alone. */
export function useViewMoves(viewer: ShallowRef<OpenSeadragon.Viewer | undefined>, sight: Ref<Sight>, giveUp: () => void) {
  const bench = useBench()
  const look = useLook()
  const list = useSteps()
  const finish = useFinish()
  const round = useRound()

  /** Bring the selected flaw into view, near enough to judge. */
  function showSelected(): void {
    const flaw = bench.selected
    if (!flaw || !viewer.value?.world.getItemCount()) return
    // The whole picture shows it as it is.
    const { viewport } = viewer.value
    if (viewport.getZoom() <= viewport.getHomeZoom() * 1.001) return
    const { x, y } = shapeCentre(flaw.shape)
    const place = { x: x * sight.value.scale + sight.value.x, y: y * sight.value.scale + sight.value.y }
    const margin = 16
    const inView = place.x > margin && place.y > margin && place.x < sight.value.width - margin && place.y < sight.value.height - margin
    if (inView) return
    const image = viewer.value.world.getItemAt(0)
    viewport.panTo(image.imageToViewportCoordinates(new OpenSeadragon.Point(x, y)))
  }

  function zoomTo(scale: number | 'fit'): void {
    if (!viewer.value?.world.getItemCount()) return
    const { viewport } = viewer.value
    if (scale === 'fit') {
      viewport.goHome()
      return
    }
    const flaw = bench.selected
    const image = viewer.value.world.getItemAt(0)
    viewport.zoomTo(image.imageToViewportZoom(scale / devicePixelRatio))
    // Where the strip looks, or the flaw that is worked on.
    const place = list.selected && look.isOnMended ? list.frame : flaw ? shapeCentre(flaw.shape) : null
    if (place) viewport.panTo(image.imageToViewportCoordinates(new OpenSeadragon.Point(place.x, place.y)))
  }

  /** Bring a place into the middle, at 1:1 or closer. */
  function lookAt(x: number, y: number): void {
    if (!viewer.value?.world.getItemCount()) return
    const { viewport } = viewer.value
    const image = viewer.value.world.getItemAt(0)
    if (sight.value.scale * devicePixelRatio < 0.99) viewport.zoomTo(image.imageToViewportZoom(1 / devicePixelRatio), undefined, true)
    viewport.panTo(image.imageToViewportCoordinates(new OpenSeadragon.Point(x, y)), true)
  }
  round.lookAt = lookAt
  watch(() => bench.selectedId, showSelected)
  /** Mirrored and turned in the viewer alone; marks and tools, which know the upright picture, rest meanwhile. */
  watch(() => [look.flipped, look.quarters], () => {
    const viewport = viewer.value?.viewport
    if (!viewport) return
    giveUp()
    viewport.setFlip(look.flipped)
    viewport.setRotation(90 * look.quarters, true)
    viewport.goHome(true)
  })
  /** Pixels of the picture on an inch of paper: as set in Finish, as the file says, or 300. */
  const perInch = computed(() => {
    const print = list.saved.find((step) => step.operation === 'print-size' && step.enabled)
    return print ? Number(print.settings.perInch) : bench.opened?.about.resolutionPerInch ?? 300
  })
  /** As large as on paper: an inch has 96 pixels of the page (CSS Values 4, 6.2). */
  const atPrintSize = () => zoomTo((96 / perInch.value) * devicePixelRatio)
  /** Corners that are dragged or clicked must be within reach: the view steps back a little. */
  watch(() => finish.tool, (tool) => {
    const viewport = viewer.value?.viewport
    if (!viewport || !viewer.value?.world.getItemCount()) return
    if (tool === 'crop' || tool === 'corners') viewport.goHome(true).zoomBy(STEPPED_BACK, undefined, true).applyConstraints(true)
    else if (Math.abs(viewport.getZoom() / viewport.getHomeZoom() - STEPPED_BACK) < 0.01) viewport.goHome(true)
  })

  return { zoomTo, atPrintSize, perInch }
}
