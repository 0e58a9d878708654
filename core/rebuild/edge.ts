import { Type } from '@sinclair/typebox'
import { definePatch } from '../operations/operation.js'
import { clipRegion, growRegion, type Region, type FloatRaster } from '../raster/raster.js'
import { median } from '../numbers/statistics.js'
import { roundTo } from '../round.js'
import { layDrawnGrain, measureDrawnGrain } from './drawn-grain.js'
import { measurePath } from './path.js'
import { layStroke, pathSetting, strokeBounds } from './strokes.js'

interface Settings {
  readonly points: readonly (readonly number[])[]
  readonly widthPx: number
  readonly endPx: number
  readonly grain: number
}
interface Measured {
  /** Tones across the path before and after the gap: a list a channel, from left to right in half pixels. */
  readonly start: readonly (readonly number[])[]
  readonly end: readonly (readonly number[])[]
  readonly grain: unknown
}

const STEPS_PER_PIXEL = 2
const pathOf = ({ points, widthPx }: Settings) => ({ points: points as number[][], widthPx })
const endOf = (settings: Settings, length: number) => Math.min(settings.endPx, length / 3)

/**
 * An edge drawn again along a path, from how it runs before and after a gap: the tones across the path at either end (the
 * median along the end, so that a speck has no say) go over into one another along it.
 */
export const edge = definePatch<Settings, Measured>({
  name: 'edge',
  version: 1,
  stage: 'rebuild',
  form: 'patch',
  title: 'Edge drawn on',
  trouble: 'An edge breaks off',
  byHand: true,
  settings: Type.Object({
    points: pathSetting('From where the edge is sound, over the gap, to where it is sound again.'),
    widthPx: Type.Number({ title: 'Width', minimum: 3, maximum: 300, default: 30, step: 1, unit: 'px', description: 'Across the edge: so much is drawn.' }),
    endPx: Type.Number({ title: 'Learned over', minimum: 2, maximum: 400, default: 30, step: 1, unit: 'px', description: 'How much of the path at either end is sound.' }),
    grain: Type.Number({ title: 'Grain', minimum: 0, maximum: 200, default: 100, step: 5, unit: '%', description: '100 is as much grain as around.' }),
  }, { additionalProperties: false }),
  sentence: 'Edge drawn on along {points}, {widthPx} wide, learned over {endPx}, grain {grain}',
  measure(survey, settings, context) {
    const path = measurePath(settings.points)
    const end = endOf(settings, path.length)
    const whole = clipRegion(growRegion(strokeBounds(pathOf(settings)), 3), context.width, context.height)
    const pixels = survey.read(whole, 0)
    return {
      start: profileOf(pixels, whole, path, 0, end, settings.widthPx),
      end: profileOf(pixels, whole, path, path.length - end, path.length, settings.widthPx),
      grain: measureDrawnGrain(survey, context, coverAt(settings)),
    }
  },
  bounds: (settings) => strokeBounds(pathOf(settings)),
  reach: () => 0,
  render(below, settings, measured, context, region) {
    if (!measured) return below
    const path = measurePath(settings.points)
    const { width, channels } = below
    const end = endOf(settings, path.length)
    const half = settings.widthPx / 2
    const cover = coverAt(settings)(region, 0)
    const data = below.data.slice()
    for (let i = 0; i < cover.length; i++) {
      if (cover[i]! === 0) continue
      const { along, across } = path.nearest(region.x + (i % width) + 0.5, region.y + Math.floor(i / width) + 0.5)
      // The sound ends stay as they are and go over into what is drawn.
      const into = Math.min(1, along / Math.max(1, end), (path.length - along) / Math.max(1, end))
      cover[i] = cover[i]! * into * into * (3 - 2 * into)
      const t = path.length === 0 ? 0 : Math.max(0, Math.min(1, (along - end / 2) / Math.max(1, path.length - end)))
      const at = Math.max(0, (across + half) * STEPS_PER_PIXEL)
      for (let c = 0; c < channels; c++) {
        const drawn = valueAt(measured.start[c]!, at) * (1 - t) + valueAt(measured.end[c]!, at) * t
        const k = i * channels + c
        data[k] = data[k]! + cover[i]! * (drawn - data[k]!)
      }
    }
    return layDrawnGrain({ ...below, data }, cover, settings.grain, measured.grain, context, 0, region)
  },
})

const coverAt = (settings: Settings) => (region: Region, level: number) => {
  const cover = new Float32Array(region.width * region.height)
  layStroke({ ...pathOf(settings), opacity: 100, hardness: 60, pen: 'opacity' }, region, 2 ** level, cover)
  return cover
}

function valueAt(values: readonly number[], at: number): number {
  const i = Math.min(values.length - 2, Math.floor(at))
  return values[i]! + (values[i + 1]! - values[i]!) * Math.min(1, at - i)
}

/** Median tones across a part of a path, a list a channel. */
function profileOf(pixels: FloatRaster, region: Region, path: ReturnType<typeof measurePath>, from: number, to: number, widthPx: number): number[][] {
  const { width, height, channels, data } = pixels
  const steps = Math.ceil(widthPx * STEPS_PER_PIXEL) + 1
  return Array.from({ length: channels }, (_, c) =>
    Array.from({ length: steps }, (_unused, k) => {
      const across = k / STEPS_PER_PIXEL - widthPx / 2
      const values: number[] = []
      for (let along = from; along <= to; along++) {
        const { x, y, alongX, alongY } = path.at(along)
        const px = Math.max(0, Math.min(width - 1.001, x - alongY * across - 0.5 - region.x))
        const py = Math.max(0, Math.min(height - 1.001, y + alongX * across - 0.5 - region.y))
        const [left, top] = [Math.floor(px), Math.floor(py)]
        const [tx, ty] = [px - left, py - top]
        const value = (column: number, row: number) => data[(Math.min(height - 1, top + row) * width + Math.min(width - 1, left + column)) * channels + c]!
        values.push((value(0, 0) * (1 - tx) + value(1, 0) * tx) * (1 - ty) + (value(0, 1) * (1 - tx) + value(1, 1) * tx) * ty)
      }
      return roundTo(median(Float32Array.from(values)), 5)
    }),
  )
}

