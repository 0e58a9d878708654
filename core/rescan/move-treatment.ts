import { describeSettings } from '../operations/settings.js'
import { operationOf } from '../pipeline/registry.js'
import type { Size } from '../operations/operation.js'
import { atan2, PI } from '../numbers/exact-math.js'
import { roundTo } from '../round.js'
import { roundedShape } from '../shape/shape.js'
import type { Area, AreaPart, OperationStep, Original, Step, Treatment } from '../treatment/schema.js'
import { placeIn, scaleOf, shapeIn, wayIn, type Similarity } from './similarity.js'
import type { SeenPlace } from './compare-places.js'

/** A treatment in another scan, and what of it has to be looked at. */
export interface MovedTreatment {
  readonly treatment: Treatment
  /** Flaws whose mends do not fit: outside, or something else is seen there. Their mends are taken out and they are open. */
  readonly unfit: readonly string[]
  /** Flaws whose mend gives light back: it is fitted anew, since another scan has other tones. */
  readonly refit: readonly string[]
  /** Steps that look at the picture: what they measured has to be measured anew. */
  readonly remeasure: readonly string[]
}

/**
 * Carry a treatment to another scan of the same print: every shape, source, zone and setting moved.
 *
 * @param seen  What was found of each flaw in the other scan; those without one lie as the similarity says.
 */
export function moveTreatment(treatment: Treatment, to: Original, similarity: Similarity, seen: ReadonlyMap<string, SeenPlace>): MovedTreatment {
  const scale = scaleOf(similarity)
  const from = treatment.original
  const unfit = new Set(treatment.flaws.filter(({ id }) => seen.get(id)?.fits === false).map(({ id }) => id))
  const refit = new Set(treatment.steps.filter(({ flaw, method }) => method === 'lift' && !unfit.has(flaw)).map(({ flaw }) => flaw))
  const shiftOf = (flaw: string) => seen.get(flaw)?.shift ?? [0, 0]
  const flaws = treatment.flaws.map((flaw) => ({ ...flaw, shape: roundedShape(shapeIn(similarity, flaw.shape, shiftOf(flaw.id))), state: unfit.has(flaw.id) || refit.has(flaw.id) ? ('open' as const) : flaw.state === 'settled' ? ('mended' as const) : flaw.state }))
  const steps = treatment.steps.filter(({ flaw }) => !unfit.has(flaw) && !refit.has(flaw)).map((step): Step => {
    const { telltales: _told, ...rest } = step
    const shift = shiftOf(step.flaw)
    return {
      ...rest, shape: roundedShape(shapeIn(similarity, step.shape, shift)), softEdgePx: roundTo(Math.min(500, step.softEdgePx * scale), 2),
      ...(step.source ? { source: { ...step.source, ...sourceWay(similarity, step.source.dx, step.source.dy) } } : {}),
      ...(step.avoid ? { avoid: step.avoid.map((shape) => roundedShape(shapeIn(similarity, shape))) } : {}),
    }
  })
  const operations = (treatment.operations ?? []).map((step) => movedStep(step, similarity, from, to))
  return {
    treatment: {
      ...treatment, original: to, flaws, steps,
      ...(treatment.areas ? { areas: treatment.areas.map((area) => movedArea(area, similarity)) } : {}),
      ...(treatment.operations ? { operations } : {}),
      ...(treatment.remarks ? { remarks: treatment.remarks.map((remark) => ({ ...remark, ...placed(similarity, remark) })) } : {}),
    },
    unfit: [...unfit], refit: [...refit], remeasure: operations.filter(({ measured }) => measured !== undefined).map(({ id }) => id),
  }
}

function placed(similarity: Similarity, { x, y }: { x: number; y: number }): { x: number; y: number } {
  const [px, py] = placeIn(similarity, x, y)
  return { x: roundTo(px, 2), y: roundTo(py, 2) }
}

function sourceWay(similarity: Similarity, dx: number, dy: number): { dx: number; dy: number } {
  const [right, down] = wayIn(similarity, dx, dy)
  return { dx: Math.round(right), dy: Math.round(down) }
}

function movedArea(area: Area, similarity: Similarity): Area {
  const scale = scaleOf(similarity)
  return { ...area, softEdgePx: Math.min(500, area.softEdgePx * scale), ...(area.movedPx === undefined ? {} : { movedPx: Math.max(-200, Math.min(200, area.movedPx * scale)) }), parts: area.parts.map((part): AreaPart => {
    const soft = part.softEdgePx === undefined ? {} : { softEdgePx: Math.min(4000, part.softEdgePx * scale) }
    if ('shape' in part) return { ...part, ...soft, shape: roundedShape(shapeIn(similarity, part.shape)) }
    if ('slope' in part) {
      const { slope } = part
      return { ...part, ...soft, slope: slope.type === 'linear' ? { ...slope, from: placeIn(similarity, ...slope.from), to: placeIn(similarity, ...slope.to) } : { ...slope, ...placed(similarity, slope), innerPx: slope.innerPx * scale, outerPx: slope.outerPx * scale } }
    }
    // Ranges follow the tones of the scan, and a grey picture is stretched over it.
    return { ...part, ...soft }
  }) }
}

type Moving = (settings: Record<string, unknown>, similarity: Similarity, from: Size, to: Size) => Record<string, unknown>
const pathOf = (similarity: Similarity, points: unknown) => (points as number[][]).map(([x, y, ...rest]) => [...placeIn(similarity, x!, y!).map((value) => roundTo(value, 2)), ...rest])
const path: Moving = ({ points }, similarity) => ({ points: pathOf(similarity, points) })
const degreesOf = ({ a, b }: Similarity) => (atan2(b, a) * 180) / PI

/** Settings that are places; lengths in pixels are scaled by their unit. */
const PLACES: Readonly<Record<string, Moving>> = {
  heal: path, clone: path, fill: path, lift: path, edge: path, 'sharpen-edge': path,
  texture: (settings, similarity, from, to) => {
    const [sourceX, sourceY] = wayIn(similarity, Number(settings.sourceX), Number(settings.sourceY))
    return { ...path(settings, similarity, from, to), sourceX: Math.round(sourceX), sourceY: Math.round(sourceY) }
  },
  perspective: ({ corners }, similarity) => ({ corners: pathOf(similarity, corners) }),
  draw: ({ strokes }, similarity) => ({ strokes: (strokes as { points: number[][]; widthPx: number }[]).map((stroke) => ({ ...stroke, points: pathOf(similarity, stroke.points), widthPx: roundTo(Math.max(0.5, stroke.widthPx * scaleOf(similarity)), 2) })) }),
  bring: ({ rightPx, downPx }, similarity) => {
    const [right, down] = wayIn(similarity, Number(rightPx), Number(downPx))
    return { rightPx: Math.round(right), downPx: Math.round(down) }
  },
  neutral: ({ x, y }, similarity) => placed(similarity, { x: Number(x), y: Number(y) }),
  turn: ({ degrees }, similarity) => ({ degrees: roundTo(Number(degrees) - degreesOf(similarity), 2) }),
  // In pixels of the turned picture, which lies about the middle.
  crop: ({ x, y, width, height }, similarity, from, to) => {
    const scale = scaleOf(similarity)
    const [mx, my] = placeIn(similarity, from.width / 2, from.height / 2)
    const [w, h] = [Number(width) || from.width - Number(x), Number(height) || from.height - Number(y)]
    const left = Math.max(0, Math.round((Number(x) - from.width / 2) * scale + mx))
    const top = Math.max(0, Math.round((Number(y) - from.height / 2) * scale + my))
    return { x: left, y: top, width: Math.max(1, Math.min(to.width - left, Math.round(w * scale))), height: Math.max(1, Math.min(to.height - top, Math.round(h * scale))) }
  },
}

function movedStep(step: OperationStep, similarity: Similarity, from: Size, to: Size): OperationStep {
  const operation = operationOf(step.operation)
  const scale = scaleOf(similarity)
  const settings: Record<string, unknown> = { ...step.settings }
  const moved = PLACES[step.operation]?.(settings, similarity, from, to) ?? {}
  for (const { name, unit, type, minimum, maximum } of describeSettings(operation)) {
    if (name in moved || unit !== 'px' || (type !== 'number' && type !== 'integer') || step.operation === 'size') continue
    const value = Math.max(minimum, Math.min(maximum, Number(settings[name]) * scale))
    settings[name] = type === 'integer' ? Math.round(value) : roundTo(value, 3)
  }
  return { ...step, settings: { ...settings, ...moved } }
}
