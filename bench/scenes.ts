import cv from '@techstark/opencv-js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import type { Transfer } from '@fennip/core/raster/transfer.js'
import type { Light } from '@fennip/demo/photograph.js'

/** Side of the piece of a photograph that is measured on, in pixels. */
const SIDE = 512

/** Wait until the computer-vision library can be called. */
export async function openCv(): Promise<void> {
  await new Promise<void>((resolve) => {
    if (cv.Mat) resolve()
    else cv.onRuntimeInitialized = () => resolve()
  })
}

/** The middle of a photograph as light. */
export function sceneOf(raster: IntegerRaster, transfer: Transfer): Light {
  const width = Math.min(SIDE, raster.width)
  const height = Math.min(SIDE, raster.height)
  const left = (raster.width - width) >> 1
  const top = (raster.height - height) >> 1
  const at = (i: number, c: number) => raster.data[((top + Math.floor(i / width)) * raster.width + left + (i % width)) * 3 + c]!
  return { width, height, channels: [0, 1, 2].map((c) => ({ width, height, data: Float32Array.from({ length: width * height }, (_value, i) => transfer.light[at(i, c)]!) })) }
}

/** Pixels that the damage changed visibly, grown by one. */
export function maskOf(scene: Light, hurt: Light, clean: IntegerRaster, damaged: IntegerRaster): Uint8Array {
  const { width, height } = scene
  const changed = Uint8Array.from({ length: width * height }, (_value, i) =>
    [0, 1, 2].some((c) => Math.abs(scene.channels[c]!.data[i]! - hurt.channels[c]!.data[i]!) > 0.004 && Math.abs(clean.data[3 * i + c]! - damaged.data[3 * i + c]!) > 2) ? 1 : 0,
  )
  return changed.map((value, i) => {
    const x = i % width
    return value || (x > 0 && changed[i - 1]) || (x + 1 < width && changed[i + 1]) || changed[i - width] || changed[i + width] ? 1 : 0
  })
}
