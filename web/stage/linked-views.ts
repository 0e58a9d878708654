import OpenSeadragon from 'openseadragon'
import { watch } from 'vue'
import type { useLook } from '../store/look.js'

/**
 * Make a view move with the others of the bench, and the others with it.
 *
 * @param name  Who this view is: it follows what others did last, never itself.
 * @returns Ends the link.
 */
export function linkViews(viewer: OpenSeadragon.Viewer, name: string, look: ReturnType<typeof useLook>): () => void {
  let following = false
  const tell = () => {
    if (following || !look.beside || !viewer.world.getItemCount()) return
    const { x, y } = viewer.viewport.getCenter(true)
    const zoom = viewer.viewport.getZoom(true)
    const last = look.linked
    // What others were told of already, to a hundredth of a pixel of the screen.
    if (last && Math.abs(last.x - x) + Math.abs(last.y - y) < 1e-6 && Math.abs(last.zoom / zoom - 1) < 1e-6) return
    look.linked = { by: name, x, y, zoom }
  }
  const follow = () => {
    const to = look.linked
    if (!to || to.by === name || !viewer.world.getItemCount()) return
    following = true
    viewer.viewport.zoomTo(to.zoom, undefined, true)
    viewer.viewport.panTo(new OpenSeadragon.Point(to.x, to.y), true)
    following = false
  }
  viewer.addHandler('update-viewport', tell)
  viewer.addHandler('open', follow)
  const stop = watch(() => look.linked, follow)
  return () => {
    stop()
    viewer.removeHandler('update-viewport', tell)
    viewer.removeHandler('open', follow)
  }
}
