import { minimise } from '@fennip/core/numbers/minimise.js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { outlinesOfMask } from '@fennip/core/shape/from-mask.js'
import { shapeCentre } from '@fennip/core/shape/shape.js'

/**
 * The plainest lift there is, as a yardstick: a round shadow of five parameters (place, radius, softness, depth) divided out,
 * so that the squared gradients of the log light are least, bounded against edges. Started from the middle of the mask.
 */
export function plainLift(damaged: IntegerRaster, mask: Uint8Array): IntegerRaster {
  const { light } = makeTransfer({ type: 'srgb' }, 8)
  const result = { ...damaged, data: Uint8Array.from(damaged.data) }
  const { width, height } = damaged
  for (const outline of outlinesOfMask(mask, width, height)) {
    const { x, y, r } = shapeCentre(outline)
    if (r < 2) continue
    const reach = Math.ceil(2 * r + 4)
    const [left, top] = [Math.max(0, Math.floor(x) - reach), Math.max(0, Math.floor(y) - reach)]
    const [w, h] = [Math.min(width, Math.ceil(x) + reach) - left, Math.min(height, Math.ceil(y) + reach) - top]
    const log = new Float32Array(w * h)
    for (let i = 0; i < log.length; i++) {
      const at = 3 * ((top + Math.floor(i / w)) * width + left + (i % w))
      log[i] = Math.log(0.004 + (light[damaged.data[at]!]! + light[damaged.data[at + 1]!]! + light[damaged.data[at + 2]!]!) / 3)
    }
    const depthAt = ([cx, cy, radius, soft, depth]: readonly number[], px: number, py: number) => depth! / (1 + Math.exp((Math.hypot(px - cx!, py - cy!) - radius!) / Math.max(0.4, soft!)))
    const cost = (at: readonly number[]) => {
      if (at[2]! < 1 || at[2]! > 1.5 * r || at[4]! < 0 || Math.hypot(at[0]! - x, at[1]! - y) > r) return 1e9
      let sum = 0
      for (let row = 0; row < h - 1; row++) for (let column = 0; column < w - 1; column++) {
        const i = row * w + column
        const here = log[i]! + depthAt(at, left + column + 0.5, top + row + 0.5)
        for (const [dx, dy] of [[1, 0], [0, 1]] as const) {
          const d = log[i + dx + dy * w]! + depthAt(at, left + column + dx + 0.5, top + row + dy + 0.5) - here
          sum += (d * d) / (d * d + 0.01)
        }
      }
      return sum
    }
    const { at } = minimise(cost, [x, y, 0.7 * r, 0.2 * r, 0.2], [0.3 * r, 0.3 * r, -0.3 * r, 0.15 * r, 0.15], 220)
    for (let row = 0; row < h; row++) for (let column = 0; column < w; column++) {
      const factor = Math.exp(depthAt(at, left + column + 0.5, top + row + 0.5))
      if (factor < 1.004) continue
      for (let c = 0; c < 3; c++) {
        const i = 3 * ((top + row) * width + left + column) + c
        const value = light[damaged.data[i]!]! * factor
        result.data[i] = Math.max(0, Math.min(255, Math.round(255 * (value <= 0.0031308 ? 12.92 * value : 1.055 * Math.min(1, value) ** (1 / 2.4) - 0.055))))
      }
    }
  }
  return result
}
