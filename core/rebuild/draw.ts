import { Type } from '@sinclair/typebox'
import { defineArea } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import { overlaps, type Region } from '../raster/raster.js'
import { layDrawnGrain, measureDrawnGrain } from './drawn-grain.js'
import { paintLayer, StrokeSchema, strokeBounds, type DrawnStroke } from './strokes.js'

interface Settings {
  readonly name: string
  readonly strokes: readonly DrawnStroke[]
  readonly softPx: number
  readonly grain: number
}

/** Strokes of one group; more begin the next, so that a gesture stays small. */
export const MOST_STROKES = 200

const bounds = new WeakMap<DrawnStroke, Region>()
function boundsOf(stroke: DrawnStroke): Region {
  const kept = bounds.get(stroke) ?? strokeBounds(stroke)
  bounds.set(stroke, kept)
  return kept
}

/** Strokes of a group that touch a region of a level; softening carries them further. */
function near(strokes: readonly DrawnStroke[], region: Region, scale: number, margin: number): DrawnStroke[] {
  const part = { x: region.x * scale - margin, y: region.y * scale - margin, width: region.width * scale + 2 * margin, height: region.height * scale + 2 * margin }
  return strokes.filter((stroke) => overlaps(boundsOf(stroke), part))
}

/** What a group covers, before it is softened: 0..1 a pixel. */
export function drawnCover(strokes: readonly DrawnStroke[], region: Region, level: number): Float32Array {
  return paintLayer(near(strokes, region, 2 ** level, 0), region, 2 ** level, 1).cover.data
}

/**
 * A group of drawn strokes: laid over one another, softened together (a Gaussian), with the grain of the place, and laid on
 * with the strength of the step. Tones are encoded values of the picture.
 */
export const draw = defineArea<Settings, unknown>({
  name: 'draw',
  version: 1,
  stage: 'rebuild',
  form: 'area',
  title: 'Drawn detail',
  trouble: 'Detail is lost and is to be drawn',
  byHand: true,
  settings: Type.Object({
    name: Type.String({ title: 'Name', default: 'drawn', minLength: 1, maxLength: 60, description: 'What the group is called.' }),
    strokes: Type.Array(StrokeSchema, { title: 'Strokes', maxItems: MOST_STROKES, default: [], unit: 'strokes', description: 'As the hand made them, in pixels of the picture.' } as object),
    softPx: Type.Number({ title: 'Softened', minimum: 0, maximum: 40, default: 2, step: 0.5, unit: 'px', description: 'Deviation of the Gaussian that softens the group.' }),
    grain: Type.Number({ title: 'Grain', minimum: 0, maximum: 200, default: 100, step: 5, unit: '%', description: '100 is as much grain as around.' }),
  }, { additionalProperties: false }),
  sentence: '{name}: {strokes}, softened {softPx}, grain {grain}',
  measure: (survey, { strokes }, context) => (strokes.length === 0 ? undefined : measureDrawnGrain(survey, context, (region, level) => drawnCover(strokes, region, level))),
  reach: ({ softPx }, _measured, level) => (softPx === 0 ? 0 : Math.max(1, Math.ceil((3 * softPx) / 2 ** level))),
  render(below, { strokes, softPx, grain }, measured, context, level, region) {
    const scale = 2 ** level
    const touching = near(strokes, region, scale, 3 * softPx)
    if (touching.length === 0) return below
    const layer = paintLayer(touching, region, scale, below.channels)
    const deviation = softPx / scale
    const soft = deviation < 0.2 ? layer : { cover: gaussianBlur(layer.cover, deviation), colours: layer.colours.map((plane) => gaussianBlur(plane, deviation)) }
    const data = below.data.slice()
    const { channels } = below
    const cover = soft.cover.data
    for (let i = 0; i < cover.length; i++) {
      const share = cover[i]!
      if (share <= 0) continue
      for (let c = 0; c < channels; c++) {
        const at = i * channels + c
        data[at] = Math.max(0, Math.min(1, data[at]! * (1 - share) + soft.colours[c]!.data[i]!))
      }
    }
    return layDrawnGrain({ ...below, data }, cover, grain, measured, context, level, region)
  },
})
