import OpenSeadragon from 'openseadragon'
import { watch } from 'vue'
import type { useBench } from '../store/bench.js'

/**
 * Make a view move with the others of the bench, and the others with it.
 *
 * @param name  Who this view is: it follows what others did last, never itself.
 * @returns Ends the link.
 */
export function linkViews(viewer: OpenSeadragon.Viewer, name: string, bench: ReturnType<typeof useBench>): () => void {
  let following = false
  const tell = () => {
    if (following || !bench.beside || !viewer.world.getItemCount()) return
    const { x, y } = viewer.viewport.getCenter(true)
    const zoom = viewer.viewport.getZoom(true)
    const last = bench.linked
    // What others were told of already, to a hundredth of a pixel of the screen.
    if (last && Math.abs(last.x - x) + Math.abs(last.y - y) < 1e-6 && Math.abs(last.zoom / zoom - 1) < 1e-6) return
    bench.linked = { by: name, x, y, zoom }
  }
  const follow = () => {
    const to = bench.linked
    if (!to || to.by === name || !viewer.world.getItemCount()) return
    following = true
    viewer.viewport.zoomTo(to.zoom, undefined, true)
    viewer.viewport.panTo(new OpenSeadragon.Point(to.x, to.y), true)
    following = false
  }
  viewer.addHandler('update-viewport', tell)
  viewer.addHandler('open', follow)
  const stop = watch(() => bench.linked, follow)
  return () => {
    stop()
    viewer.removeHandler('update-viewport', tell)
    viewer.removeHandler('open', follow)
  }
}
