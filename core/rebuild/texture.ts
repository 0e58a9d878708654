import { Type } from '@sinclair/typebox'
import { channelOf } from '../operations/brightness.js'
import { definePatch } from '../operations/operation.js'
import { gaussianBlur } from '../raster/blur.js'
import { layStroke, pathSetting, strokeBounds, type StrokePath } from './strokes.js'

interface Settings {
  readonly points: readonly (readonly number[])[]
  readonly widthPx: number
  readonly sourceX: number
  readonly sourceY: number
  readonly finePx: number
  readonly amount: number
}

const pathOf = ({ points, widthPx }: Settings): StrokePath => ({ points: points as number[][], widthPx })
const reachOf = ({ sourceX, sourceY, finePx }: Settings) => Math.ceil(Math.max(Math.abs(sourceX), Math.abs(sourceY)) + 3 * finePx) + 1

/**
 * A stroke of texture: the fine detail of another place (what a Gaussian of `finePx` takes away), on the tone of this one.
 */
export const texture = definePatch<Settings>({
  name: 'texture',
  version: 1,
  stage: 'rebuild',
  form: 'patch',
  title: 'Texture',
  trouble: 'A surface has lost its texture',
  byHand: true,
  settings: Type.Object({
    points: pathSetting('Of the stroke, in pixels of the picture.'),
    widthPx: Type.Number({ title: 'Width', minimum: 1, maximum: 600, default: 40, step: 1, unit: 'px', description: 'Across the stroke.' }),
    sourceX: Type.Integer({ title: 'From the right by', minimum: -4000, maximum: 4000, default: 80, step: 1, unit: 'px', description: 'Where the texture is taken: so far to the right, or to the left below 0.' }),
    sourceY: Type.Integer({ title: 'From below by', minimum: -4000, maximum: 4000, default: 0, step: 1, unit: 'px', description: 'So far down, or up below 0.' }),
    finePx: Type.Number({ title: 'Up to', minimum: 1, maximum: 40, default: 6, step: 0.5, unit: 'px', description: 'What is finer is texture, what is coarser the tone of the place.' }),
    amount: Type.Number({ title: 'Amount', minimum: 0, maximum: 300, default: 100, step: 5, unit: '%', description: '100 is as strong as at its source.' }),
  }, { additionalProperties: false }),
  sentence: 'Texture up to {finePx} from {sourceX} right, {sourceY} down, along {points}, {widthPx} wide',
  bounds: (settings) => strokeBounds(pathOf(settings)),
  reach: reachOf,
  render(below, settings, _measured, context, region) {
    const { width, height, channels } = below
    const cover = new Float32Array(width * height)
    layStroke({ ...pathOf(settings), opacity: 100, hardness: 40, pen: 'size' }, region, 1, cover)
    const planes = Array.from({ length: channels }, (_, c) => {
      const plane = channelOf(below, c)
      return { plane: plane.data, soft: gaussianBlur(plane, settings.finePx).data }
    })
    const result = below.data.slice()
    for (let y = 0, i = 0; y < height; y++) {
      for (let x = 0; x < width; x++, i++) {
        const share = cover[i]!
        const [sx, sy] = [x + settings.sourceX, y + settings.sourceY]
        // A source beyond the picture has no texture to give.
        if (share === 0 || sx < 0 || sy < 0 || sx >= width || sy >= height || region.x + sx >= context.width || region.y + sy >= context.height) continue
        const from = sy * width + sx
        planes.forEach(({ plane, soft }, c) => {
          const wanted = soft[i]! + (settings.amount / 100) * (plane[from]! - soft[from]!)
          result[i * channels + c] = Math.max(0, Math.min(1, plane[i]! + share * (wanted - plane[i]!)))
        })
      }
    }
    return { ...below, data: result }
  },
})
