import { distanceFrom } from '../../raster/distance-transform.js'
import { depthOf, maximumOf, type IntegerRaster } from '../../raster/raster.js'
import type { Piece } from './cut-out.js'

/** Brightness and mask of a piece, or of several that were put together, somewhere on a plane. */
export interface Sheet {
  /** Place of its first pixel. */
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
  /** 0..1; meaningless where the mask is 0. */
  readonly tone: Float32Array
  readonly mask: Uint8Array
  /** Of a whole piece: 1 where its edge may be bare fibre. */
  readonly doubt?: Uint8Array
}

/** How a piece is moved: turned about a place of the scan, clockwise on screen, then shifted. */
export interface Placement {
  readonly turnDegrees: number
  readonly dx: number
  readonly dy: number
}
export const AT_REST: Placement = { turnDegrees: 0, dx: 0, dy: 0 }

export function sheetOf(scan: IntegerRaster, { box, mask, doubt }: Piece): Sheet {
  const maximum = maximumOf(depthOf(scan))
  const tone = new Float32Array(box.width * box.height)
  const weights = scan.channels === 1 ? [1] : [0.3, 0.59, 0.11]
  for (let y = 0; y < box.height; y++) {
    for (let x = 0; x < box.width; x++) {
      const at = ((box.y + y) * scan.width + box.x + x) * scan.channels
      let sum = 0
      for (let c = 0; c < weights.length; c++) sum += weights[c]! * scan.data[at + c]!
      tone[y * box.width + x] = sum / maximum
    }
  }
  return { ...box, tone, mask, doubt }
}

/** A sheet made smaller by a whole factor; a pixel belongs to it when most of it did. Its place is in small pixels. */
export function reduced(sheet: Sheet, factor: number): Sheet {
  if (factor === 1) return sheet
  const [left, top] = [Math.floor(sheet.x / factor), Math.floor(sheet.y / factor)]
  const [width, height] = [Math.ceil((sheet.x + sheet.width) / factor) - left, Math.ceil((sheet.y + sheet.height) / factor) - top]
  const tone = new Float32Array(width * height)
  const count = new Uint32Array(width * height)
  for (let y = 0; y < sheet.height; y++) {
    const row = (Math.floor((sheet.y + y) / factor) - top) * width
    for (let x = 0; x < sheet.width; x++) {
      const i = y * sheet.width + x
      if (sheet.mask[i] === 0) continue
      const to = row + Math.floor((sheet.x + x) / factor) - left
      tone[to]! += sheet.tone[i]!
      count[to]!++
    }
  }
  const mask = new Uint8Array(width * height)
  for (let i = 0; i < mask.length; i++) {
    if (count[i]! > 0) tone[i]! /= count[i]!
    if (2 * count[i]! >= factor * factor) mask[i] = 1
  }
  return { x: left, y: top, width, height, tone, mask }
}

/** Only a part of a sheet, with room around it. */
export function partOfSheet(sheet: Sheet, x: number, y: number, width: number, height: number): Sheet {
  const tone = new Float32Array(width * height)
  const mask = new Uint8Array(width * height)
  for (let row = 0; row < height; row++) {
    const from = y + row - sheet.y
    if (from < 0 || from >= sheet.height) continue
    for (let column = 0; column < width; column++) {
      const at = x + column - sheet.x
      if (at < 0 || at >= sheet.width) continue
      tone[row * width + column] = sheet.tone[from * sheet.width + at]!
      mask[row * width + column] = sheet.mask[from * sheet.width + at]!
    }
  }
  return { x, y, width, height, tone, mask }
}

/** Distance from the edge of a mask: positive outside, negative inside, 0 half-way between two pixels. */
export function signedDistance({ width, height, mask }: Pick<Sheet, 'width' | 'height' | 'mask'>): Float32Array {
  const outer = distanceFrom(mask, width, height)
  const inner = distanceFrom(mask.map((value) => 1 - value), width, height)
  return outer.map((value, i) => (mask[i] === 1 ? 0.5 - inner[i]! : value - 0.5))
}
