import OpenSeadragon from 'openseadragon'
import { screenGamut } from '../shared/screen.js'

/** The viewer's own drawing on a canvas, in the colours of the screen: a canvas keeps the colours it was first asked for. */
class ScreenDrawer extends (OpenSeadragon as unknown as { CanvasDrawer: new (options: object) => { _createDrawingElement(): HTMLCanvasElement } }).CanvasDrawer {
  override _createDrawingElement(): HTMLCanvasElement {
    const canvas = super._createDrawingElement()
    // Transparent where no picture is.
    canvas.getContext('2d', { colorSpace: screenGamut() })
    return canvas
  }
}

const NO_CLICKS = { clickToZoom: false, dblClickToZoom: false }

/** What every view of a picture on the bench has in common: moved and zoomed alike, nothing of the viewer's own on it. */
export const VIEWER_OPTIONS = {
  drawer: ScreenDrawer as unknown as 'canvas',
  showNavigationControl: false,
  keyboardNavEnabled: false,
  // The view around it has the focus and the keys.
  tabIndex: -1,
  gestureSettingsMouse: NO_CLICKS,
  gestureSettingsTouch: NO_CLICKS,
  gestureSettingsPen: NO_CLICKS,
  animationTime: 0.25,
  springStiffness: 12,
  maxZoomPixelRatio: 16,
  minZoomImageRatio: 0.6,
  visibilityRatio: 0.4,
  zoomPerScroll: 1.35,
  // A picture at 1:1 stays so when the stage is shared.
  preserveImageSizeOnResize: true,
  immediateRender: true,
  maxImageCacheCount: 300,
} as const satisfies OpenSeadragon.Options
