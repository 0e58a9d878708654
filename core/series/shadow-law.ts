import type { ChartMark, SensorChart } from './chart-schema.js'

/**
 * How a shadow follows the aperture.
 *
 * Dust lies a little before the sensor, so its shadow is blurred by the cone of light: radius of blur = distance /
 * (2 x f-number). The light it takes is spread over the larger shadow, so the share lost in the middle falls as the
 * square of the radius grows: 30 % at f/22 is about 2 % at f/5.6 for small dust (Willson and others 2005; Zhou and Lin
 * 2007; Dirik, Sencar and Memon 2008).
 */
export function shadowAt(mark: Pick<ChartMark, 'core' | 'light'>, chart: Pick<SensorChart, 'spread'>, aperture: number): { r: number; lost: number } {
  const blur = chart.spread / aperture
  const r = Math.sqrt(mark.core * mark.core + blur * blur)
  return { r, lost: Math.min(DARKEST, mark.light / (r * r)) }
}

/** Nothing on a sensor takes all light. */
const DARKEST = 0.97

/** A shadow as it was measured in one frame, in pixels of the chart. */
export interface MeasuredShadow {
  readonly aperture: number
  readonly r: number
  /** Share of the light lost in the middle. */
  readonly lost: number
  readonly weight: number
}

/** Without frames at several apertures this share of a shadow's radius is taken for the dust's own (common practice). */
const USUAL_CORE = 0.6
/** A mark that weighs more than this has no more say. */
const MOST_SAY = 40

/**
 * The law of a sensor's marks: the spread they share and each one's core and light.
 *
 * The square of the radius is that of the core plus (spread / f-number) squared, so over all frames of all marks one
 * straight line a mark with one common slope: least squares by weight.
 */
export function fitShadowLaw(marks: readonly (readonly MeasuredShadow[])[]): { spread: number; marks: { core: number; light: number }[] } {
  const say = ({ weight }: MeasuredShadow) => Math.min(MOST_SAY, weight) ** 2
  let product = 0
  let squares = 0
  for (const shadows of marks) {
    const total = shadows.reduce((sum, shadow) => sum + say(shadow), 0)
    if (shadows.length < 2 || total === 0) continue
    const meanOf = (value: (shadow: MeasuredShadow) => number) => shadows.reduce((sum, shadow) => sum + say(shadow) * value(shadow), 0) / total
    const u = (shadow: MeasuredShadow) => 1 / (shadow.aperture * shadow.aperture)
    const middle = meanOf(u)
    const square = meanOf(({ r }) => r * r)
    for (const shadow of shadows) {
      // A larger shadow's square is less sure by as much as it is larger.
      const sure = say(shadow) / Math.max(1, shadow.r * shadow.r)
      product += sure * (u(shadow) - middle) * (shadow.r * shadow.r - square)
      squares += sure * (u(shadow) - middle) ** 2
    }
  }
  const told = squares > 0 && product > 0
  const spread = told ? Math.sqrt(product / squares) : usualSpread(marks)
  return {
    spread,
    marks: marks.map((shadows) => {
      let total = 0
      let core = 0
      let light = 0
      for (const shadow of shadows) {
        total += say(shadow)
        core += say(shadow) * (shadow.r * shadow.r - (spread / shadow.aperture) ** 2)
        light += say(shadow) * shadow.lost * shadow.r * shadow.r
      }
      return { core: Math.sqrt(Math.max(0.25, core / Math.max(1e-9, total))), light: Math.max(1e-6, light / Math.max(1e-9, total)) }
    }),
  }
}

function usualSpread(marks: readonly (readonly MeasuredShadow[])[]): number {
  const all = marks.flat().map(({ r, aperture }) => r * aperture * Math.sqrt(1 - USUAL_CORE * USUAL_CORE)).sort((a, b) => a - b)
  // The smallest shadows are nearly all blur.
  return all.length === 0 ? 0 : all[Math.floor(0.2 * all.length)]!
}
