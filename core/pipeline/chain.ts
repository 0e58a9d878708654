import { operationOf } from './registry.js'
import type { GeometryOperation, OperationContext, PatchOperation, Size, Survey } from '../operations/operation.js'
import type { ColourProfile } from '../colour/profile.js'
import { labPixels } from '../colour/lab.js'
import { levelCount, levelSize } from '../raster/pyramid.js'
import { clipRegion, crop, growRegion, overlaps, type IntegerRaster, type Region, type FloatRaster } from '../raster/raster.js'
import { makeToneSpace } from '../colour/tone-space.js'
import { zoneCover, zoneReach } from '../shape/zone/zone-cover.js'
import type { Area, OperationStep, Plan } from '../treatment/schema.js'
import { toFloat } from '../render/samples.js'
import { keyOf, linksOf, reachOf, segmentsOf, type FilterSegment, type Segment } from './segments.js'
import { resample, scaleOf, sourceRegion, type Frame, type Mapping } from '../render/resample.js'

/** Pixels of the mended base at a level, inside the picture; floats are the caller's to give away. */
export type ReadMended = (region: Region, level: number) => IntegerRaster | FloatRaster

/** Size and colour of the base that a chain stands on. */
export interface ChainBase extends Size {
  readonly channels: number
  readonly profile: ColourProfile
}

/** Floats that were made once and may be asked for again: what lies below the step that is being changed, and covers of zones. */
export interface ChainMemory {
  get(key: string): Float32Array | undefined
  set(key: string, values: Float32Array): void
}

/** A memory, and a name for the mended pixels that the chain stands on: others give other values. */
export interface Remembered {
  readonly memory: ChainMemory
  readonly below: string
  /** Whether what filters read and made is kept too: where the same regions are asked for again and again. */
  readonly keepsFilters?: boolean
}

/** Floats that a memory keeps: whoever changes them makes a copy. */
const keptFloats = new WeakSet<Float32Array>()
const changeable = (raster: FloatRaster): FloatRaster => (keptFloats.has(raster.data) ? { ...raster, data: raster.data.slice() } : raster)

/**
 * What stands on the mended base: corrections, rebuilt detail and finish, one stage after the other, then the frame.
 *
 * Everything that shows, measures or writes the result reads from here: a region at any level before the frame (`read`),
 * or of the delivered picture (`deliver`). Values travel as floats and are rounded once, by `rounded`.
 */
export class Chain {
  readonly context: OperationContext
  /** Size of the delivered picture. */
  readonly delivered: Size
  private readonly segments: readonly Segment[]
  private readonly geometry: readonly { readonly toSource: Mapping; readonly before: Size; readonly after: Size }[]
  private readonly shift: { x: number; y: number } | null
  /** Pixels of the base on one pixel of the delivered picture, where that is the same everywhere. */
  private readonly evenScale: number | null
  private readonly areas: ReadonlyMap<string, Area>
  private readonly surveys = new WeakMap<ReadMended, Map<string | undefined, Survey>>()

  /** @param remembered  Where floats are kept between readings; nowhere without. */
  constructor(readonly base: ChainBase, private readonly plan: Pick<Plan, 'operations' | 'areas'>, private readonly remembered: Remembered | null = null) {
    this.context = contextOf(base)
    this.areas = new Map((plan.areas ?? []).map((area) => [area.id, area]))
    const links = linksOf(plan.operations ?? [])
    this.segments = segmentsOf(links.filter(({ operation }) => operation.form !== 'geometry'), this.context, this.areas)
    let size: Size = { width: base.width, height: base.height }
    this.geometry = links.flatMap(({ step, operation }) => {
      if (operation.form !== 'geometry') return []
      const before = size
      size = (operation as GeometryOperation).size(before, step.settings)
      return [{ before, after: size, toSource: (operation as GeometryOperation).toSource(step.settings, before, size) }]
    })
    this.delivered = size
    this.shift = this.findShift()
    this.evenScale = this.findEvenScale()
  }

  /** Whether nothing but mends is done to the picture: then samples are those of the base. */
  get isEmpty(): boolean {
    return this.segments.length === 0 && this.geometry.length === 0
  }

  get changesPixels(): boolean {
    return this.segments.length > 0
  }

  /** Whether making a pixel costs more than reading it: then what is made is worth keeping for several readers. */
  get isWorthKeeping(): boolean {
    return this.segments.length > 0 || (this.changesFrame && !this.shift)
  }

  get changesFrame(): boolean {
    return this.geometry.length > 0
  }

  /** Whether a level shows something else than the full size made smaller: filters are drawn on the level, their lengths scaled. */
  get hasFilters(): boolean {
    return this.segments.some(({ kind }) => kind === 'filter')
  }

  /** How far a region of the base reads beyond itself, in pixels of the level. */
  reach(level: number): number {
    const filters = this.segments.reduce((sum, segment) => sum + (segment.kind === 'filter' ? reachOf(segment.link, level) : 0), 0)
    const zones = this.segments.map((segment) => (segment.kind === 'filter' ? segment.link.step.zone : segment.blend?.zone)).map((zone) => (zone === undefined ? undefined : this.areas.get(zone)))
    return filters + Math.max(0, ...zones.map((zone) => (zone ? zoneReach(zone, level) : 0)))
  }

  /**
   * The picture that a step after all of these would see, and a zone, for `measure`. The same object for the same zone: what was
   * found in it once is kept with it.
   */
  survey(zone: string | undefined, mended: ReadMended): Survey {
    const { width, height } = this.base
    const known = this.surveys.get(mended) ?? new Map<string | undefined, Survey>()
    this.surveys.set(mended, known)
    const survey = known.get(zone) ?? {
      levels: levelCount(width, height),
      size: (level) => levelSize(width, height, level),
      read: (region, level) => this.read(region, level, mended),
      cover: (region, level) => this.cover(zone, region, level, mended) ?? new Float32Array(region.width * region.height).fill(zone === undefined ? 1 : 0),
    }
    known.set(zone, survey)
    return survey
  }

  /** Cover of a zone over a region; null where there is none of that name. */
  cover(zone: string | undefined, region: Region, level: number, mended: ReadMended): Float32Array | null {
    const area = zone === undefined ? undefined : this.areas.get(zone)
    if (!area) return null
    const size = levelSize(this.base.width, this.base.height, level)
    const make = () => zoneCover(area, region, level, size, (part) => labPixels(toFloat(mended(part, level)).data, this.base.channels, this.context.tones.decode, this.context.toXyz))
    return this.recall(`zone ${keyOf(area)}`, region, level, make)
  }

  /** Pixels of a region of the base, before the frame. Those of a chain that keeps its filters are not to be changed. */
  read(region: Region, level: number, mended: ReadMended): FloatRaster {
    return this.upTo(this.segments.length, region, level, mended)
  }

  /** Pixels of a region of the delivered picture; level 1 is half its size, and so on. Not to be changed, as above. */
  deliver(region: Region, level: number, mended: ReadMended): FloatRaster {
    if (!this.changesFrame) return this.read(region, level, mended)
    if (this.shift && level === 0) return this.read({ ...region, x: region.x + this.shift.x, y: region.y + this.shift.y }, 0, mended)
    const size = levelSize(this.base.width, this.base.height, level)
    const frame = this.frameAt(level)
    const part = clipRegion(sourceRegion(region, frame), size.width, size.height)
    if (part.width === 0 || part.height === 0) return { width: region.width, height: region.height, channels: this.base.channels, data: new Float32Array(region.width * region.height * this.base.channels).fill(1) }
    return resample(region, frame, this.read(part, level, mended), part, size)
  }

  /** A plane of the base, its transparency, through the frame alone. */
  deliverPlane(region: Region, read: (region: Region) => IntegerRaster): FloatRaster {
    const operations = (this.plan.operations ?? []).filter(({ operation }) => operationOf(operation).form === 'geometry')
    return new Chain({ ...this.base, channels: 1 }, { operations }).deliver(region, 0, (part) => read(part))
  }

  /** Where a place of the delivered picture lies in the base. */
  toBase(x: number, y: number): readonly [number, number] {
    let place: readonly [number, number] = [x, y]
    for (let i = this.geometry.length - 1; i >= 0; i--) place = this.geometry[i]!.toSource(place[0], place[1])
    return place
  }

  /**
   * Where a place of the base lies in the delivered picture, found by Newton's method: the frame is smooth. Places that it
   * leaves out lie outside.
   */
  fromBase(x: number, y: number): readonly [number, number] {
    let [px, py] = [(x * this.delivered.width) / this.base.width, (y * this.delivered.height) / this.base.height]
    for (let round = 0; round < 20; round++) {
      const [ax, ay] = this.toBase(px, py)
      const [rx, ry] = this.toBase(px + 1, py)
      const [dx, dy] = this.toBase(px, py + 1)
      const [a, b, c, d] = [rx - ax, dx - ax, ry - ay, dy - ay]
      const determinant = a * d - b * c
      if (Math.abs(determinant) < 1e-9) break
      const [ex, ey] = [x - ax, y - ay]
      if (Math.abs(ex) + Math.abs(ey) < 1e-4) break
      px += (d * ex - b * ey) / determinant
      py += (a * ey - c * ex) / determinant
    }
    return [px, py]
  }

  /** What a region of the delivered picture reads of the base, in pixels of the level. */
  baseRegion(region: Region, level: number): Region {
    const size = levelSize(this.base.width, this.base.height, level)
    const part = this.changesFrame ? sourceRegion(region, this.frameAt(level)) : region
    return clipRegion(growRegion(part, this.reach(level)), size.width, size.height)
  }

  /** The frame at a level: the same at both ends, so the scale is that of level 0. */
  private frameAt(level: number): Frame {
    const step = 2 ** level
    const mapping: Mapping = (x, y) => {
      const [sx, sy] = this.toBase(x * step, y * step)
      return [sx / step, sy / step]
    }
    return { mapping, scale: this.evenScale ?? ((x, y) => scaleOf(mapping, x, y)) }
  }

  /** Places all over the delivered picture, edges and corners too. */
  private places(): (readonly [number, number])[] {
    const { width, height } = this.delivered
    return Array.from({ length: 81 }, (_, i) => [((i % 9) * width) / 8, (Math.floor(i / 9) * height) / 8] as const)
  }

  /** Frames that only cut are copied pixel by pixel: every place comes from as far away, by whole pixels, inside the base. */
  private findShift(): { x: number; y: number } | null {
    const [x, y] = this.toBase(0, 0)
    const { width, height } = this.delivered
    const isInside = Number.isInteger(x) && Number.isInteger(y) && x >= 0 && y >= 0 && x + width <= this.base.width && y + height <= this.base.height
    const isShift = isInside && this.places().every(([px, py]) => {
      const [sx, sy] = this.toBase(px, py)
      return Math.abs(sx - px - x) < 1e-6 && Math.abs(sy - py - y) < 1e-6
    })
    return isShift ? { x, y } : null
  }

  private findEvenScale(): number | null {
    const scales = this.places().map(([x, y]) => scaleOf((px, py) => this.toBase(px, py), x, y))
    const [least, most] = [Math.min(...scales), Math.max(...scales)]
    // A turn alone keeps the size; rounding must not stretch the kernel.
    if (most - least > 1e-6 * most) return null
    return Math.abs(most - 1) < 1e-6 ? 1 : most
  }

  /** Pixels after so many segments; they may be kept, so nobody changes them. */
  private upTo(count: number, region: Region, level: number, mended: ReadMended): FloatRaster {
    if (count === 0) return toFloat(mended(region, level))
    const segment = this.segments[count - 1]!
    if (segment.kind === 'tone') {
      if (!segment.blend) return segment.program.run(count === 1 ? mended(region, level) : changeable(this.upTo(count - 1, region, level, mended)))
      const below = this.upTo(count - 1, region, level, mended)
      const changed = segment.program.run({ ...below, data: below.data.slice() })
      return this.blended(below, changed, segment.blend, region, level, mended)
    }
    return this.filtered(count, segment, region, level, mended)
  }

  private filtered(count: number, { link, filterKey, belowKey }: FilterSegment, region: Region, level: number, mended: ReadMended): FloatRaster {
    const { step, operation } = link
    if (operation.form !== 'area' && operation.form !== 'patch') throw new RangeError(`${operation.name} is no filter`)
    // Nothing is computed where the zone does not reach.
    if (step.zone !== undefined && !this.cover(step.zone, region, level, mended)?.some((value) => value > 0)) return this.upTo(count - 1, region, level, mended)
    if (operation.form === 'patch') return this.patched(count, step, operation, filterKey, region, level, mended)
    const size = levelSize(this.base.width, this.base.height, level)
    const wide = clipRegion(growRegion(region, reachOf(link, level)), size.width, size.height)
    const inside = { ...region, x: region.x - wide.x, y: region.y - wide.y }
    const raster = ({ width, height }: Region, data: Float32Array): FloatRaster => ({ width, height, channels: this.base.channels, data })
    const recall = (key: string, part: Region, make: () => Float32Array) => (this.remembered?.keepsFilters ? this.recall(key, part, level, make) : make())
    // What it reads is kept while its settings change, and what it makes while its strength, its zone or what follows does.
    let read: FloatRaster | undefined
    const below = () => (read ??= raster(wide, recall(`below ${belowKey}`, wide, () => this.upTo(count - 1, wide, level, mended).data)))
    const made = raster(region, recall(filterKey, region, () => crop(operation.render(below(), step.settings, step.measured, this.context, level, wide, inside), inside).data))
    return step.strength === 1 && step.zone === undefined ? made : this.blended(crop(below(), inside), made, step, region, level, mended)
  }

  /** A patch is made at full size and remembered; a smaller level shows the mean of its change. */
  private patched(count: number, step: OperationStep, operation: PatchOperation, key: string, region: Region, level: number, mended: ReadMended): FloatRaster {
    const below = this.upTo(count - 1, region, level, mended)
    const { channels, width, height } = this.base
    const scale = 2 ** level
    const exact = clipRegion(operation.bounds(step.settings, step.measured), width, height)
    // Whole pixels of the level, so that a mean is one of full pixels.
    const [x, y] = [Math.floor(exact.x / scale) * scale, Math.floor(exact.y / scale) * scale]
    const bounds = clipRegion({ x, y, width: Math.ceil((exact.x + exact.width - x) / scale) * scale, height: Math.ceil((exact.y + exact.height - y) / scale) * scale }, width, height)
    const shown = { x: x / scale, y: y / scale, width: Math.ceil(bounds.width / scale), height: Math.ceil(bounds.height / scale) }
    if (exact.width === 0 || exact.height === 0 || !overlaps(shown, region)) return below
    const change = this.recall(`change ${key}`, bounds, 0, () => {
      const wide = clipRegion(growRegion(bounds, operation.reach(step.settings, step.measured)), width, height)
      const place = { ...bounds, x: bounds.x - wide.x, y: bounds.y - wide.y }
      const full = this.upTo(count - 1, wide, 0, mended)
      const before = crop(full, place).data as Float32Array
      const after = crop(operation.render(full, step.settings, step.measured, this.context, wide), place).data as Float32Array
      return after.map((value, i) => value - before[i]!)
    })
    const changed = { ...below, data: below.data.slice() }
    const inside = clipRegion({ ...shown, x: shown.x - region.x, y: shown.y - region.y }, region.width, region.height)
    for (let row = inside.y; row < inside.y + inside.height; row++) {
      for (let column = inside.x; column < inside.x + inside.width; column++) {
        const [left, top] = [(column + region.x) * scale - bounds.x, (row + region.y) * scale - bounds.y]
        const [right, bottom] = [Math.min(bounds.width, left + scale), Math.min(bounds.height, top + scale)]
        const at = (row * region.width + column) * channels
        for (let c = 0; c < channels; c++) {
          let sum = 0
          for (let py = top; py < bottom; py++) for (let px = left; px < right; px++) sum += change[(py * bounds.width + px) * channels + c]!
          if (sum !== 0) changed.data[at + c] = Math.max(0, Math.min(1, changed.data[at + c]! + sum / ((right - left) * (bottom - top))))
        }
      }
    }
    return this.blended(below, changed, step, region, level, mended)
  }

  /** What an operation made, laid on by its strength and through its zone. */
  private blended(below: FloatRaster, changed: FloatRaster, step: OperationStep, region: Region, level: number, mended: ReadMended): FloatRaster {
    if (step.strength === 1 && step.zone === undefined) return changed
    const cover = this.cover(step.zone, region, level, mended)
    const { channels } = below
    const result = below.data.slice()
    for (let i = 0; i < result.length; i++) {
      const share = step.strength * (step.zone === undefined ? 1 : cover ? cover[Math.floor(i / channels)]! : 0)
      if (share > 0) result[i]! += share * (changed.data[i]! - result[i]!)
    }
    return { ...below, data: result }
  }

  private recall(key: string, region: Region, level: number, make: () => Float32Array): Float32Array {
    if (!this.remembered) return make()
    const { memory, below } = this.remembered
    const address = `${below} ${key} ${level} ${region.x} ${region.y} ${region.width} ${region.height}`
    const kept = memory.get(address)
    if (kept) return kept
    const made = make()
    keptFloats.add(made)
    memory.set(address, made)
    return made
  }

}

/** What operations know of a picture. */
export function contextOf({ width, height, channels, profile }: ChainBase): OperationContext {
  return { channels, width, height, curve: profile.curve, tones: makeToneSpace(profile.curve), luminance: channels === 1 || !profile.toXyz ? [1] : profile.toXyz.slice(3, 6), toXyz: channels === 1 ? null : profile.toXyz }
}
