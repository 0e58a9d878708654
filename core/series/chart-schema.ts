import { Type, type Static } from '@sinclair/typebox'

/** The published form of a sensor chart: what is known of the dust of one camera body. */

const strict = { additionalProperties: false } as const

export const ChartMarkSchema = Type.Object(
  {
    id: Type.String({ pattern: '^[A-Za-z0-9_-]{1,40}$' }),
    x: Type.Number({ description: 'Pixels from the left edge of the frame that the chart is drawn on.' }),
    y: Type.Number({ description: 'Pixels from its top edge.' }),
    core: Type.Number({ minimum: 0, maximum: 4000, description: 'Radius of the shadow with the aperture closed, in pixels: that of the dust itself.' }),
    light: Type.Number({ exclusiveMinimum: 0, description: 'Share of the light lost in the middle times the square of the radius: the same at every aperture.' }),
    sureness: Type.Number({ minimum: 0, maximum: 1 }),
    seen: Type.Integer({ minimum: 0, description: 'Frames in which it was seen.' }),
    looked: Type.Integer({ minimum: 0, description: 'Frames in which it should have been seen.' }),
    firstSeen: Type.Union([Type.String({ maxLength: 40 }), Type.Null()], { description: 'Date of the earliest frame that shows it.' }),
  },
  strict,
)

export const ChartFrameSchema = Type.Object(
  {
    name: Type.String({ maxLength: 300 }),
    aperture: Type.Union([Type.Number({ exclusiveMinimum: 0 }), Type.Null()]),
    taken: Type.Union([Type.String({ maxLength: 40 }), Type.Null()]),
    turn: Type.Integer({ minimum: 0, maximum: 3, description: 'Quarter turns clockwise from the chart to the frame.' }),
    scale: Type.Number({ exclusiveMinimum: 0, description: 'Size of the frame over that of the chart, with the shift that the lens makes.' }),
    seen: Type.Integer({ minimum: 0, description: 'Marks that were seen in it.' }),
  },
  strict,
)

export const SensorChartSchema = Type.Object(
  {
    format: Type.Literal('fennip-sensor-chart'),
    version: Type.Literal(1),
    sensor: Type.String({ minLength: 1, maxLength: 200 }),
    frame: Type.Object({ width: Type.Integer({ minimum: 16, maximum: 100000 }), height: Type.Integer({ minimum: 16, maximum: 100000 }) }, strict),
    spread: Type.Number({ minimum: 0, description: 'Radius of blur times the f-number, in pixels: distance from dust to sensor over twice the pixel pitch.' }),
    marks: Type.Array(ChartMarkSchema, { maxItems: 20000 }),
    frames: Type.Array(ChartFrameSchema, { maxItems: 5000 }),
  },
  { ...strict, title: 'Fennip sensor chart', description: 'Positions, sizes and shadows of the dust on one sensor, learned from several frames.' },
)

export type ChartMark = Static<typeof ChartMarkSchema>
export type ChartFrame = Static<typeof ChartFrameSchema>
export type SensorChart = Static<typeof SensorChartSchema>
