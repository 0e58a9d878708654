/** Colours that a screen shows: what is painted is converted to them. */
export type ScreenGamut = 'srgb' | 'display-p3'

/** The wider of both where the screen says that it shows it (CSS Media Queries 4, color-gamut). */
export function screenGamut(): ScreenGamut {
  // Not there where code is tested without a page.
  return globalThis.matchMedia?.('(color-gamut: p3)').matches ? 'display-p3' : 'srgb'
}

/** A context that takes what was painted for the screen as it is. */
export function screenContext(canvas: HTMLCanvasElement | null | undefined): CanvasRenderingContext2D | null {
  return canvas?.getContext('2d', { alpha: false, colorSpace: screenGamut() }) ?? null
}
