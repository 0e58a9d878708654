import { transfer as handOver } from 'comlink'
import { hatchClipped } from '@fennip/core/finish/clipping.js'
import { halve, levelSize } from '@fennip/core/raster/pyramid.js'
import { clipRegion, type FloatRaster, type IntegerRaster, type Region } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { rounded, toFloat } from '@fennip/core/render/samples.js'
import { chainFor, coverOf, seenPixels } from './chains.js'
import { asChange, asGrain, asNegative, asRelief, GRAIN_RADIUS, RELIEF_RADIUS } from './lenses.js'
import { display, gamut, picture } from './opened.js'
import { pixelsOf } from './patches.js'
import { withTiles } from './tiles.js'
import type { View } from './view.js'

/** Teal, as what is settled: a zone is what was decided. */
const ZONE_TINT = [12, 160, 160]

async function paintRegion(region: Region, level: number, view: View): Promise<ImageBitmap> {
  const { width, height } = view.delivered ? levelSize((chainFor(view) ?? { delivered: picture.original }).delivered.width, (chainFor(view) ?? { delivered: picture.original }).delivered.height, level) : levelSize(picture.original.width, picture.original.height, level)
  const apron = view.lens === 'relief' ? reliefApron(view.radius, level) : view.lens === 'grain' ? GRAIN_RADIUS : 0
  const wide = clipRegion({ x: region.x - apron, y: region.y - apron, width: region.width + 2 * apron, height: region.height + 2 * apron }, width, height)
  const raster = view.exact && level > 0 ? await exactPixels(wide, level, view) : await seenPixels(wide, level, view)
  const image = new ImageData(wide.width, wide.height, { colorSpace: gamut })
  display.paint(asSamples(await throughLens(raster, wide, level, view)), image.data)
  if (view.clipping) hatchClipped(raster, image.data)
  if (view.zone && !view.delivered) await drawZone(image, wide, level, view.zone)
  return createImageBitmap(image, region.x - wide.x, region.y - wide.y, region.width, region.height)
}

/** Side of the pieces that an exact picture is made in, in pixels of the full size. */
const EXACT_BLOCK = 1024
/** Counts what was painted: an exact picture that is being made is given up for it. */
let painted = 0

/** Pixels as a view shows them from the full size, made smaller as the levels of the picture are. */
async function exactPixels(region: Region, level: number, view: View): Promise<FloatRaster> {
  const scale = 2 ** level
  const full = view.delivered ? chainFor(view)!.delivered : picture.original
  const tables = makeTransfer(picture.about.profile.curve, 16)
  const { channels } = picture.original
  const result: FloatRaster = { width: region.width, height: region.height, channels, data: new Float32Array(region.width * region.height * channels) }
  const side = Math.max(1, EXACT_BLOCK / scale)
  const before = painted
  for (let y = 0; y < region.height; y += side) {
    for (let x = 0; x < region.width; x += side) {
      // Messages are heard between two pieces.
      await new Promise((resolve) => setTimeout(resolve))
      if (painted !== before) throw Object.assign(new Error('Something else is painted.'), { name: 'AbortError' })
      const block = clipRegion({ x: (region.x + x) * scale, y: (region.y + y) * scale, width: Math.min(side, region.width - x) * scale, height: Math.min(side, region.height - y) * scale }, full.width, full.height)
      const seen = await seenPixels(block, 0, view)
      let small = rounded(seen.data instanceof Float32Array ? (seen as FloatRaster) : toFloat(seen as IntegerRaster), 16)
      for (let i = 0; i < level; i++) small = halve(small, tables)
      const { data } = toFloat(small)
      for (let row = 0; row < small.height; row++) result.data.set(data.subarray(row * small.width * channels, (row + 1) * small.width * channels), ((y + row) * region.width + x) * channels)
    }
  }
  return result
}

/** What a lens makes of pixels, at their full depth. */
async function throughLens(raster: IntegerRaster | FloatRaster, region: Region, level: number, { lens, strength, radius }: View): Promise<IntegerRaster | FloatRaster> {
  if (lens === 'plain') return raster
  const values = raster.data instanceof Float32Array ? (raster as FloatRaster) : toFloat(raster as IntegerRaster)
  if (lens === 'negative') return asNegative(values, strength)
  if (lens === 'relief') return asRelief(values, reliefApron(radius, level), strength)
  if (lens === 'grain') return asGrain(values, strength)
  return asChange(toFloat(await pixelsOf(region, level, { show: 'original' })), values, 1 + 10 * strength)
}

const reliefApron = (radius: number | undefined, level: number) => Math.max(2, Math.round((radius ?? RELIEF_RADIUS) / 2 ** level))

/** Lay a zone over painted pixels: the line where its cover passes one half, a tint, or the mask in its place. */
async function drawZone(image: ImageData, region: Region, level: number, { area, show }: NonNullable<View['zone']>): Promise<void> {
  const cover = await withTiles(() => coverOf(area, region, level))
  const { width, height, data } = image
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const value = cover[i]!
      if (show === 'mask') data[4 * i] = data[4 * i + 1] = data[4 * i + 2] = Math.round(255 * value)
      else if (show === 'tint') for (let c = 0; c < 3; c++) data[4 * i + c]! += 0.5 * value * (ZONE_TINT[c]! - data[4 * i + c]!)
      else {
        const isInside = value > 0.5
        const isEdge = (x > 0 && cover[i - 1]! > 0.5 !== isInside) || (y > 0 && cover[i - width]! > 0.5 !== isInside)
        if (!isEdge) continue
        // Light and dark in turn, so that it is seen on any ground.
        data[4 * i] = data[4 * i + 1] = data[4 * i + 2] = (x + y) % 8 < 4 ? 255 : 20
      }
    }
  }
}

/** Samples for the screen: floats are rounded to the depth of the picture's tables. */
const asSamples = (raster: IntegerRaster | FloatRaster): IntegerRaster => (raster.data instanceof Float32Array ? rounded(raster as FloatRaster, picture.original.depth) : (raster as IntegerRaster))


/** What the pool asks of a worker to be painted. */
export const painting = {
  /** A part of a level, in pixels of the level. */
  async paintPart(level: number, part: Region, view: View): Promise<ImageBitmap> {
    if (!view.exact) painted++
    const bitmap = await paintRegion(part, level, view)
    return handOver(bitmap, [bitmap])
  },

  /** A piece of the picture, from the level it is drawn at: `scale` pixels of the picture on one of the drawing. */
  async paintCrop(region: Region, view: View, scale = 1): Promise<ImageBitmap> {
    let level = 0
    while (level + 1 < picture.levels && 2 ** (level + 1) <= scale) level++
    const step = 2 ** level
    const size = levelSize(picture.original.width, picture.original.height, level)
    const inside = clipRegion({ x: Math.floor(region.x / step), y: Math.floor(region.y / step), width: Math.ceil(region.width / step), height: Math.ceil(region.height / step) }, size.width, size.height)
    const bitmap = await paintRegion(inside, level, view)
    return handOver(bitmap, [bitmap])
  },
}
