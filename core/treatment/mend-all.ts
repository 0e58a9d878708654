import { chooseMend } from '../mend/choose.js'
import type { MethodName } from '../mend/methods.js'
import { rasterSource, type IntegerRaster } from '../raster/raster.js'
import type { Transfer } from '../raster/transfer.js'
import { carryOut, decisionsOf } from '../mend/methods.js'
import { layOver } from '../render/patch.js'
import { mendShape } from '../mend/choose.js'
import { liesWithin } from '../shape/area.js'
import { shapeCentre } from '../shape/shape.js'
import type { Area, Flaw, Step } from './schema.js'

/**
 * Choose a mend for every flaw, each seeing the earlier ones: big flaws first.
 *
 * @param pixels  The picture; the mends are laid into it.
 * @param flaws   Open flaws.
 * @param options  What lies wholly in a guard stays open.
 * @param onStep  Told after each; returns false to stop.
 */
export function mendAll(
  pixels: IntegerRaster, transfer: Transfer, flaws: readonly Flaw[],
  options: { method?: MethodName; guards?: readonly Area[]; id: (flaw: Flaw) => string }, onStep?: (step: Step, done: number) => boolean | void,
): Step[] {
  const picture = rasterSource(pixels)
  const { guards = [] } = options
  const order = flaws.filter((flaw) => !liesWithin(mendShape(flaw), guards)).sort((a, b) => shapeCentre(b.shape).r - shapeCentre(a.shape).r)
  const open = new Set(order)
  const steps: Step[] = []
  const near = nearbyIndex(order)
  const whole = { x: 0, y: 0, width: pixels.width, height: pixels.height }
  for (const flaw of order) {
    open.delete(flaw)
    const neighbours = near(flaw).filter((other) => open.has(other)).map((other) => mendShape(other))
    const step = chooseMend({ picture, transfer, flaw, openFlaws: neighbours, guards, id: options.id(flaw), ...(options.method ? { method: options.method } : {}) })
    layOver(pixels, whole, carryOut(picture, transfer, decisionsOf(step, guards)))
    steps.push(step)
    if (onStep?.(step, steps.length) === false) break
  }
  return steps
}

/** Flaws in cells, so that thousands of them find their neighbours at once. */
function nearbyIndex(flaws: readonly Flaw[]): (flaw: Flaw) => Flaw[] {
  const cell = 512
  const cells = new Map<number, Flaw[]>()
  const key = (x: number, y: number) => Math.floor(y / cell) * 65536 + Math.floor(x / cell)
  for (const flaw of flaws) {
    const { x, y } = shapeCentre(flaw.shape)
    const at = key(x, y)
    const list = cells.get(at)
    if (list) list.push(flaw)
    else cells.set(at, [flaw])
  }
  return (flaw) => {
    const { x, y } = shapeCentre(flaw.shape)
    const found: Flaw[] = []
    for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) found.push(...(cells.get(key(x + dx * cell, y + dy * cell)) ?? []))
    return found.filter((other) => other !== flaw)
  }
}
