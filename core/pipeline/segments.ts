import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'
import type { Operation, OperationContext, TonePart } from '../operations/operation.js'
import { OPERATION_STAGES, type Area, type OperationStep } from '../treatment/schema.js'
import { operationOf } from './registry.js'
import { compileTone, type ToneProgram } from './tone-program.js'

export interface Link {
  readonly step: OperationStep
  readonly operation: Operation
}

/** One filter. */
export interface FilterSegment {
  readonly kind: 'filter'
  readonly link: Link
  /** Names what it makes of all that stands before it, at full strength and without its zone. */
  readonly filterKey: string
  /** Names what stands before it. */
  readonly belowKey: string
}

/** A run of links that is rendered at once: fused tone, or one filter. */
export type Segment = { readonly kind: 'tone'; readonly program: ToneProgram; readonly blend: OperationStep | null } | FilterSegment

/**
 * What is rendered at once, in order.
 *
 * @param links  Without those that change the frame.
 * @param areas  Zones by their identifiers.
 */
export function segmentsOf(links: readonly Link[], context: OperationContext, areas: ReadonlyMap<string, Area>): Segment[] {
  const segments: Segment[] = []
  let parts: TonePart[] = []
  // What a segment shows depends on itself and on all before it.
  let key = ''
  const flush = () => {
    if (parts.length > 0) segments.push({ kind: 'tone', program: compileTone(parts, context), blend: null })
    parts = []
  }
  for (const link of links) {
    const { step, operation } = link
    const { note: _note, id: _id, ...decisions } = step
    const { strength: _strength, zone: _zone, ...filter } = decisions
    const belowKey = key
    const filterKey = operation.form === 'tone' ? '' : hashOf(`${key} ${JSON.stringify(filter)}`)
    key = hashOf(`${key} ${JSON.stringify(decisions)} ${step.zone === undefined ? '' : keyOf(areas.get(step.zone))}`)
    if (operation.form !== 'tone') {
      flush()
      segments.push({ kind: 'filter', link, filterKey, belowKey })
      continue
    }
    const own = operation.parts(step.settings, step.measured, context)
    if (step.strength === 1 && step.zone === undefined) parts.push(...own)
    else {
      flush()
      segments.push({ kind: 'tone', program: compileTone(own, context), blend: step })
    }
  }
  flush()
  return segments
}

const areaKeys = new WeakMap<Area, string>()

/** A name for the content of a zone. */
export function keyOf(area: Area | undefined): string {
  if (!area) return 'none'
  let key = areaKeys.get(area)
  if (!key) areaKeys.set(area, (key = hashOf(JSON.stringify([area.parts, area.softEdgePx, area.movedPx ?? 0, area.inverted ?? false]))))
  return key
}

const hashOf = (text: string): string => bytesToHex(sha256(utf8ToBytes(text))).slice(0, 24)

/** Steps that are on, stage by stage, inside a stage in the user's order, with their operations. */
export function linksOf(steps: readonly OperationStep[]): Link[] {
  return OPERATION_STAGES.flatMap((stage) => steps.filter((step) => step.enabled && step.strength > 0 && step.stage === stage)).map((step) => ({ step, operation: operationOf(step.operation, step.version) }))
}

export function reachOf({ step, operation }: Link, level: number): number {
  return operation.form === 'area' ? operation.reach(step.settings, step.measured, level) : 0
}
