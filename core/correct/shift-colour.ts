import { Type } from '@sinclair/typebox'
import { defineArea, type OperationContext } from '../operations/operation.js'
import { atan2, cos, PI, sin } from '../numbers/exact-math.js'
import { okSpaceOf } from '../colour/oklab.js'
import { isOn } from '../operations/zone-means.js'
import { lightChangeOver } from './fault-profile.js'
import { withoutChange } from './without-change.js'
import { viewOfZone, type ZoneView } from '../operations/zone-view.js'

interface Settings { readonly hue: number; readonly within: number; readonly turn: number; readonly saturation: number; readonly lightness: number }

/** Of the range of hues the outer half fades. */
const SOFT = 0.5
/** Colours with less chroma have no hue to speak of and fade out of the range; OKLab, 0.02 is a hint of colour. */
const NEUTRAL = 0.02
const degrees = (radians: number) => (((radians * 180) / PI) % 360 + 360) % 360

/**
 * Turn, weaken and lighten a range of hues, with soft limits, in OKLab (Ottosson 2020): a streak of flare sinks into its
 * surroundings, and what has another colour stays.
 */
export const shiftColour = defineArea<Settings>({
  name: 'shift-colour',
  version: 1,
  stage: 'correct',
  form: 'area',
  meetsSurroundings: true,
  title: 'Shift a colour',
  trouble: 'A streak or spot of colour',
  settings: Type.Object({
    hue: Type.Number({ title: 'Hue', minimum: 0, maximum: 360, default: 140, step: 1, unit: '°', description: 'Middle of the range that is changed: about 30 red, 70 orange, 110 yellow, 145 green, 195 cyan, 265 blue, 330 magenta (OKLab).' }),
    within: Type.Number({ title: 'Range', minimum: 10, maximum: 180, default: 60, step: 5, unit: '°', description: 'How far on either side; 180 is every colour.' }),
    turn: Type.Number({ title: 'Turned by', minimum: -180, maximum: 180, default: 0, step: 1, unit: '°', description: 'How far the hue is turned.' }),
    saturation: Type.Number({ title: 'Saturation', minimum: 0, maximum: 200, default: 40, step: 1, unit: '%', description: '100 leaves it, 0 takes all colour out.' }),
    lightness: Type.Number({ title: 'Lightness', minimum: -40, maximum: 40, default: 0, step: 0.5, unit: '%', description: 'Added to the lightness, in percent of the whole range.' }),
  }, { additionalProperties: false }),
  sentence: 'Shift colours around {hue} within {within}: saturation {saturation}, lightness {lightness}, turned by {turn}',
  propose(survey, context) {
    if (!context.toXyz) return { settings: {}, reason: 'The picture has no colour.' }
    const view = viewOfZone(survey, 60_000)
    const here = meanOk(view, 'inside', context)
    // What lies over the zone tells by its slopes what is under it; where it does not, that is taken to be like what is around.
    const change = lightChangeOver(survey, context)
    const around = change ? meanOk({ ...view, pixels: withoutChange(view.pixels, change, 1, 1, context, view.level, view.region) }, 'inside', context) : meanOk(view, 'outside', context)
    if (!here || !around) return { settings: {}, reason: 'There is nothing around the zone to compare with.' }
    const [chroma, target] = [here, around].map(([, a, b]) => Math.sqrt(a * a + b * b)) as [number, number]
    const hue = degrees(atan2(here[2], here[1]))
    const other = degrees(atan2(around[2], around[1]))
    const turn = target > NEUTRAL / 5 ? ((other - hue + 540) % 360) - 180 : 0
    const within = chroma < NEUTRAL ? 180 : 70
    return {
      settings: { hue: Math.round(hue), within, turn: Math.round(turn), saturation: Math.round(Math.min(200, (100 * target) / Math.max(1e-3, chroma))), lightness: Math.round(200 * Math.max(-0.4, Math.min(0.4, around[0] - here[0]))) / 2 },
      reason: `The zone is ${(100 * Math.abs(here[0] - around[0])).toFixed(0)} % ${here[0] > around[0] ? 'lighter' : 'darker'} and ${chroma > target ? 'more' : 'less'} coloured (${(100 * chroma).toFixed(0)} against ${(100 * target).toFixed(0)}) than what is ${change ? 'under it' : 'around it'}.`,
    }
  },
  reach: () => 0,
  render(below, { hue, within, turn, saturation, lightness }, _measured, { tones, toXyz }) {
    const { channels, data } = below
    if (channels === 1 || !toXyz) return below
    const space = okSpaceOf(toXyz)
    const [mx, my] = [cos((hue * PI) / 180), sin((hue * PI) / 180)]
    const [tx, ty] = [cos((turn * PI) / 180), sin((turn * PI) / 180)]
    // Distance on the circle of hues is compared by its cosine; between the two it fades.
    const [near, far] = within >= 180 ? [-2, -3] : [cos(((within * (1 - SOFT)) * PI) / 180), cos((within * PI) / 180)]
    const result = new Float32Array(data.length)
    for (let i = 0; i < data.length; i += 3) {
      const [l, a, b] = space.ofLight([tones.decode(data[i]!), tones.decode(data[i + 1]!), tones.decode(data[i + 2]!)])
      const chroma = Math.sqrt(a * a + b * b)
      const towards = chroma > 0 ? (a * mx + b * my) / chroma : -1
      const inRange = Math.max(0, Math.min(1, (towards - far) / (near - far)))
      const share = inRange * (within >= 180 ? 1 : Math.min(1, chroma / NEUTRAL))
      if (share === 0) {
        result[i] = data[i]!
        result[i + 1] = data[i + 1]!
        result[i + 2] = data[i + 2]!
        continue
      }
      const times = saturation / 100
      const [wantedA, wantedB] = [times * (a * tx - b * ty), times * (a * ty + b * tx)]
      const light = space.toLight([Math.max(0, l + (share * lightness) / 100), a + share * (wantedA - a), b + share * (wantedB - b)])
      for (let c = 0; c < 3; c++) result[i + c] = tones.encode(light[c]!)
    }
    return { ...below, data: result }
  },
})

function meanOk({ pixels, cover }: ZoneView, side: 'inside' | 'outside', { tones: { decode }, toXyz }: OperationContext): [number, number, number] | null {
  const space = okSpaceOf(toXyz!)
  const sum: [number, number, number] = [0, 0, 0]
  let count = 0
  for (let i = 0; i < cover.length; i++) {
    if (!isOn(side, cover[i]!)) continue
    const lab = space.ofLight([decode(pixels.data[3 * i]!), decode(pixels.data[3 * i + 1]!), decode(pixels.data[3 * i + 2]!)])
    for (let c = 0; c < 3; c++) sum[c]! += lab[c]!
    count++
  }
  return count === 0 ? null : [sum[0] / count, sum[1] / count, sum[2] / count]
}
