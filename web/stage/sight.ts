/** How the picture lies in the view: screen = picture x scale + (x, y), in CSS pixels. */
export interface Sight {
  readonly scale: number
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}
