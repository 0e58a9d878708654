/** Pixel buffers and the rectangles that address them. */

export type Samples = Uint8Array | Uint16Array | Float32Array

/** Pixels row by row, channels interleaved. Integers are encoded values of the picture, floats say in their place. */
export interface Raster<S extends Samples = Samples> {
  readonly width: number
  readonly height: number
  readonly channels: number
  readonly data: S
}

/** One float per pixel. */
export interface Plane {
  readonly width: number
  readonly height: number
  readonly data: Float32Array
}

/** A rectangle of pixels: left and top included, in picture pixels. */
export interface Region {
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

export type Depth = 8 | 16

export type IntegerRaster = Raster<Uint8Array | Uint16Array>

/** A new raster of zeros of 8 or 16 bits a sample. */
export function makeRaster(width: number, height: number, channels: number, depth: Depth): IntegerRaster {
  const length = width * height * channels
  return { width, height, channels, data: depth === 8 ? new Uint8Array(length) : new Uint16Array(length) }
}

export function depthOf(raster: Raster): Depth {
  return raster.data instanceof Uint8Array ? 8 : 16
}

export function maximumOf(depth: Depth): number {
  return depth === 8 ? 255 : 65535
}

/** The part of `region` that lies in a picture of the given size; width or height 0 when there is none. */
export function clipRegion(region: Region, width: number, height: number): Region {
  const x = Math.max(0, Math.min(width, region.x))
  const y = Math.max(0, Math.min(height, region.y))
  const right = Math.max(x, Math.min(width, region.x + region.width))
  const bottom = Math.max(y, Math.min(height, region.y + region.height))
  return { x, y, width: right - x, height: bottom - y }
}

export function growRegion(region: Region, by: number): Region {
  return { x: region.x - by, y: region.y - by, width: region.width + 2 * by, height: region.height + 2 * by }
}

export function overlaps(a: Region, b: Region): boolean {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height
}

export function contains(outer: Region, inner: Region): boolean {
  return (
    inner.x >= outer.x && inner.y >= outer.y &&
    inner.x + inner.width <= outer.x + outer.width && inner.y + inner.height <= outer.y + outer.height
  )
}

/** Smallest rectangle that holds both. */
export function unionRegion(a: Region, b: Region): Region {
  const x = Math.min(a.x, b.x)
  const y = Math.min(a.y, b.y)
  return { x, y, width: Math.max(a.x + a.width, b.x + b.width) - x, height: Math.max(a.y + a.height, b.y + b.height) - y }
}

/** A copy of a rectangle of a raster. @throws {RangeError} when the rectangle leaves the raster. */
export function crop<S extends Samples>(raster: Raster<S>, region: Region): Raster<S> {
  if (!contains({ x: 0, y: 0, width: raster.width, height: raster.height }, region)) {
    throw new RangeError(`Region ${region.x},${region.y} ${region.width}x${region.height} leaves the raster of ${raster.width}x${raster.height}`)
  }
  const { channels } = raster
  const row = region.width * channels
  const data = new (raster.data.constructor as new (n: number) => S)(row * region.height)
  for (let y = 0; y < region.height; y++) {
    const from = ((region.y + y) * raster.width + region.x) * channels
    data.set(raster.data.subarray(from, from + row), y * row)
  }
  return { width: region.width, height: region.height, channels, data }
}

/** Copies `from`, whose top left lies at (x, y) of `into`, clipping what falls outside. */
export function paste(into: Raster, from: Raster, x: number, y: number): void {
  const left = Math.max(0, x)
  const right = Math.min(into.width, x + from.width)
  const top = Math.max(0, y)
  const bottom = Math.min(into.height, y + from.height)
  if (right <= left) return
  const { channels } = into
  for (let row = top; row < bottom; row++) {
    const start = ((row - y) * from.width + (left - x)) * channels
    into.data.set(from.data.subarray(start, start + (right - left) * channels), (row * into.width + left) * channels)
  }
}

/** Gives the pixels of any rectangle inside a picture; the way every kernel reads its surroundings. */
export interface PixelSource {
  readonly width: number
  readonly height: number
  readonly channels: number
  readonly depth: Depth
  read(region: Region): IntegerRaster
}

/** A raster in memory as a pixel source. */
export function rasterSource(raster: IntegerRaster): PixelSource {
  return {
    width: raster.width,
    height: raster.height,
    channels: raster.channels,
    depth: depthOf(raster),
    read: (region) => crop(raster, region),
  }
}

/** Encoded values 0..1 of the picture, channels interleaved: what travels from the first operation on, rounded once at the end. */
export type FloatRaster = Raster<Float32Array>
