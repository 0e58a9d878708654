import type OpenSeadragon from 'openseadragon'

/** A zoom so near to that of the whole picture is that. */
const SAME = 1e-3
/** The viewer sets its zoom anew after it says that its size has changed, in milliseconds. */
const SETTLES = 30

/**
 * Keep the whole picture in view when the stage grows or shrinks while it is: by itself the viewer keeps the zoom.
 *
 * @param changed  Told when the new size has settled.
 */
export function keepWhole(viewer: OpenSeadragon.Viewer, changed: () => void): void {
  let whole = true
  let settling = 0
  viewer.addHandler('zoom', ({ zoom }) => {
    if (!settling) whole = Math.abs(zoom / viewer.viewport.getHomeZoom() - 1) < SAME
  })
  viewer.addHandler('resize', () => {
    clearTimeout(settling)
    settling = window.setTimeout(() => {
      settling = 0
      if (whole) viewer.viewport.goHome(true)
      changed()
    }, SETTLES)
  })
}
