import { Type } from '@sinclair/typebox'
import { zoneBounds } from '../operations/zone-view.js'
import { definePatch, type OperationContext } from '../operations/operation.js'
import { cos, PI, sin } from '../numbers/exact-math.js'
import { clipRegion, growRegion, type Region, type FloatRaster } from '../raster/raster.js'
import { median } from '../numbers/statistics.js'
import { resample, type Mapping } from '../render/resample.js'
import { roundTo } from '../round.js'

interface Settings {
  readonly rightPx: number
  readonly downPx: number
  readonly mirrored: 'no' | 'left-right' | 'up-down'
  readonly turnDegrees: number
  readonly tone: 'matched' | 'as it is'
}
interface Measured {
  /** Of the zone, in pixels of the picture. */
  readonly bounds: Region
  /** What the tones of the other place lack along the edge of the zone, a channel. */
  readonly offset: readonly number[]
}

/** So far around the zone both places are compared. */
const RING_PX = 6
const NOWHERE: Region = { x: 0, y: 0, width: 0, height: 0 }

/**
 * Content of another place of the picture, through a zone: moved, mirrored or turned, resampled once, its tone matched along
 * the edge of the zone. One of a pair from its mirror image, a window from the window beside it.
 */
export const bring = definePatch<Settings, Measured>({
  name: 'bring',
  version: 1,
  stage: 'rebuild',
  form: 'patch',
  title: 'Content from another place',
  trouble: 'A part is lost that another place has',
  settings: Type.Object({
    rightPx: Type.Number({ title: 'From the right by', minimum: -20000, maximum: 20000, default: 0, step: 1, unit: 'px', description: 'How far to the right of the zone the other place lies; to the left below 0.' }),
    downPx: Type.Number({ title: 'From below by', minimum: -20000, maximum: 20000, default: 0, step: 1, unit: 'px', description: 'How far down; up below 0.' }),
    mirrored: Type.Union([Type.Literal('no'), Type.Literal('left-right'), Type.Literal('up-down')], { title: 'Mirrored', default: 'no', description: 'Whether the content is turned over.' }),
    turnDegrees: Type.Number({ title: 'Turned by', minimum: -180, maximum: 180, default: 0, step: 0.1, unit: '°', description: 'Clockwise, about the middle of the zone.' }),
    tone: Type.Union([Type.Literal('matched'), Type.Literal('as it is')], { title: 'Its tone', default: 'matched', description: 'matched: as the surroundings of the zone are; as it is: unchanged.' }),
  }, { additionalProperties: false }),
  sentence: 'Content from {rightPx} right, {downPx} down, mirrored {mirrored}, turned {turnDegrees}, tone {tone}',
  measure(survey, settings, context) {
    const bounds = zoneBounds(survey)
    const wide = clipRegion(growRegion(bounds, RING_PX), context.width, context.height)
    const own = survey.read(wide, 0)
    const cover = survey.cover(wide, 0)
    const mapping = mappingOf(settings, bounds)
    const source = clipRegion(sourceBounds(wide, mapping), context.width, context.height)
    const other = source.width > 0 && source.height > 0 ? resample(wide, { scale: 1, mapping }, survey.read(source, 0), source, context) : own
    const offset = Array.from({ length: context.channels }, (_, c) => {
      const differences: number[] = []
      for (let i = 0; i < cover.length; i++) if (cover[i]! < 0.02) differences.push(own.data[i * context.channels + c]! - other.data[i * context.channels + c]!)
      return differences.length < 20 ? 0 : roundTo(median(Float32Array.from(differences)), 5)
    })
    return { bounds, offset }
  },
  bounds: (_settings, measured) => measured?.bounds ?? NOWHERE,
  reach(settings, measured) {
    if (!measured) return 0
    const { bounds } = measured
    const far = sourceBounds(bounds, mappingOf(settings, bounds))
    return Math.ceil(Math.max(0, bounds.x - far.x, bounds.y - far.y, far.x + far.width - bounds.x - bounds.width, far.y + far.height - bounds.y - bounds.height))
  },
  render(below, settings, measured, context, region) {
    if (!measured) return below
    const { bounds, offset } = measured
    const seen = resample(bounds, { scale: 1, mapping: mappingOf(settings, bounds) }, below, region, context)
    return pasted(below, seen, { x: bounds.x - region.x, y: bounds.y - region.y }, settings.tone === 'matched' ? offset : null, context)
  },
})

/** Where a place of the zone comes from. */
function mappingOf({ rightPx, downPx, mirrored, turnDegrees }: Settings, bounds: Region): Mapping {
  const [cx, cy] = [bounds.x + bounds.width / 2, bounds.y + bounds.height / 2]
  const [c, s] = [cos((turnDegrees * PI) / 180), sin((turnDegrees * PI) / 180)]
  return (x, y) => {
    const [dx, dy] = [x - cx, y - cy]
    const [tx, ty] = [c * dx + s * dy, -s * dx + c * dy]
    return [cx + rightPx + (mirrored === 'left-right' ? -tx : tx), cy + downPx + (mirrored === 'up-down' ? -ty : ty)]
  }
}

/** All that a region reads: its mapped corners and what resampling reaches. */
function sourceBounds(region: Region, mapping: Mapping): Region {
  const corners = [[region.x, region.y], [region.x + region.width, region.y], [region.x, region.y + region.height], [region.x + region.width, region.y + region.height]].map(([x, y]) => mapping(x!, y!))
  const [left, top] = [Math.floor(Math.min(...corners.map(([x]) => x))) - 4, Math.floor(Math.min(...corners.map(([, y]) => y))) - 4]
  return { x: left, y: top, width: Math.ceil(Math.max(...corners.map(([x]) => x))) + 4 - left, height: Math.ceil(Math.max(...corners.map(([, y]) => y))) + 4 - top }
}

function pasted(below: FloatRaster, seen: FloatRaster, at: { x: number; y: number }, offset: readonly number[] | null, { channels }: OperationContext): FloatRaster {
  for (let y = 0; y < seen.height; y++) {
    for (let x = 0; x < seen.width; x++) {
      const [from, to] = [(y * seen.width + x) * channels, ((at.y + y) * below.width + at.x + x) * channels]
      for (let c = 0; c < channels; c++) below.data[to + c] = Math.max(0, Math.min(1, seen.data[from + c]! + (offset?.[c] ?? 0)))
    }
  }
  return below
}
