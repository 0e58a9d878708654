import { Type } from '@sinclair/typebox'
import { defineTone } from '../operations/operation.js'
import { monotoneCurve } from './monotone-curve.js'

interface Curve { readonly points: readonly (readonly [number, number])[] }

/** A tone curve over all channels alike, on encoded values. */
export const curve = defineTone<Curve>({
  name: 'curve',
  version: 1,
  stage: 'finish',
  form: 'tone',
  title: 'Curve',
  trouble: 'The middle tones are too dark, too light or too flat',
  settings: Type.Object({
    points: Type.Array(Type.Tuple([Type.Number({ minimum: 0, maximum: 1 }), Type.Number({ minimum: 0, maximum: 1 })]), { title: 'Points', minItems: 2, maxItems: 16, default: [[0, 0], [0.25, 0.23], [0.75, 0.77], [1, 1]], description: 'Encoded value before and after, 0 to 1, rising from left to right. A shallow S is enough (common practice).' }),
  }, { additionalProperties: false }),
  sentence: 'Curve through {points}',
  parts({ points }, _measured, { channels }) {
    const rising = points.filter(([x], i) => i === 0 || x > points[i - 1]![0])
    const function_ = rising.length < 2 ? (value: number) => value : monotoneCurve(rising)
    return [{ kind: 'channels', functions: Array.from({ length: channels }, () => function_) }]
  },
})
