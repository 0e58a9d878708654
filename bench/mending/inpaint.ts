import cv from '@techstark/opencv-js'
import { mendableRaster } from '@fennip/core/mend/patches/patch.js'
import { makeRaster, type IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { outlinesOfMask } from '@fennip/core/shape/from-mask.js'
import { mendAll } from '@fennip/core/mend/picture/mend-all.js'
import type { Flaw, Step } from '@fennip/core/treatment/schema.js'

/** A picture of which a mask was mended, and how long that took. */
export interface MaskMended {
  readonly picture: IntegerRaster
  readonly milliseconds: number
}

/** By an inpainting function of the computer-vision library (`cv.INPAINT_TELEA`, `cv.INPAINT_NS`), at a radius of 4 px. */
export function inpainted(damaged: IntegerRaster, mask: Uint8Array, method: number): MaskMended {
  const { width, height } = damaged
  const source = new cv.Mat(height, width, cv.CV_8UC3)
  source.data.set(damaged.data)
  const hole = new cv.Mat(height, width, cv.CV_8UC1)
  hole.data.set(mask.map((value) => 255 * value))
  const result = new cv.Mat()
  const start = performance.now()
  cv.inpaint(source, hole, result, 4, method)
  const milliseconds = performance.now() - start
  const picture = { ...damaged, data: Uint8Array.from(result.data as Uint8Array) }
  for (const mat of [source, hole, result]) mat.delete()
  return { picture, milliseconds }
}

const transfer = makeTransfer({ type: 'srgb' }, 8)

/** As `fennip mend --mask` does it, choosing by itself or by one method. */
export function mendedByMask(damaged: IntegerRaster, mask: Uint8Array, method: 'auto' | 'heal' | 'fill' = 'auto'): MaskMended & { readonly steps: readonly Step[] } {
  const picture = makeRaster(damaged.width, damaged.height, 3, 8)
  picture.data.set(damaged.data)
  const start = performance.now()
  const flaws = outlinesOfMask(mask, damaged.width, damaged.height).map((shape, i): Flaw => ({ id: `f${i}`, kind: 'other', shape, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }))
  const steps = mendAll(mendableRaster(picture), transfer, flaws, { id: (flaw) => `m-${flaw.id}`, ...(method === 'auto' ? {} : { method }) })
  return { picture, steps, milliseconds: performance.now() - start }
}
