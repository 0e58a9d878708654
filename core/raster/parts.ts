import type { Region } from './raster.js'

/** A part of a mask that hangs together by the edges of its pixels. */
export interface MaskPart {
  /** Its value among the labels. */
  readonly label: number
  /** Number of its pixels. */
  readonly area: number
  /** Smallest rectangle that holds it. */
  readonly box: Region
}

/**
 * Parts of a mask that hang together.
 *
 * @param mask  Row by row, not 0 where set.
 * @returns A label a pixel, 0 where the mask is 0, and the parts in the order of their first pixels.
 */
export function partsOf(mask: Uint8Array, width: number, height: number): { readonly labels: Int32Array; readonly parts: MaskPart[] } {
  const labels = new Int32Array(width * height)
  const parts: MaskPart[] = []
  const stack: number[] = []
  for (let start = 0; start < mask.length; start++) {
    if (mask[start] === 0 || labels[start] !== 0) continue
    const label = parts.length + 1
    let [left, right, top, bottom, area] = [width, 0, height, 0, 0]
    const visit = (i: number) => {
      if (mask[i] === 0 || labels[i] !== 0) return
      labels[i] = label
      stack.push(i)
    }
    visit(start)
    while (stack.length > 0) {
      const i = stack.pop()!
      const x = i % width
      const y = (i - x) / width
      area++
      left = Math.min(left, x)
      right = Math.max(right, x + 1)
      top = Math.min(top, y)
      bottom = Math.max(bottom, y + 1)
      if (x > 0) visit(i - 1)
      if (x < width - 1) visit(i + 1)
      if (y > 0) visit(i - width)
      if (y < height - 1) visit(i + width)
    }
    parts.push({ label, area, box: { x: left, y: top, width: right - left, height: bottom - top } })
  }
  return { labels, parts }
}

/** What of a mask hangs together with the border of the picture. */
export function fromBorder(mask: Uint8Array, width: number, height: number): Uint8Array {
  const { labels, parts } = partsOf(mask, width, height)
  const reaches = new Uint8Array(parts.length + 1)
  for (const { label, box } of parts) if (box.x === 0 || box.y === 0 || box.x + box.width === width || box.y + box.height === height) reaches[label] = 1
  return mask.map((_, i) => reaches[labels[i]!]!)
}
