import type { OperationStep } from '../treatment/schema.js'
import type { OperationContext, Settings, Survey } from '../operations/operation.js'
import { operationOf } from './registry.js'
import { defaultSettings } from '../operations/settings.js'

export interface StepOptions {
  /** Area through which it is laid on; the whole picture without. */
  readonly zone?: string | undefined
  /** Why it was proposed. */
  readonly note?: string | undefined
  /** Whether what is not set is proposed from the picture, where the operation can; otherwise it takes its default. */
  readonly propose?: boolean
}

/**
 * A step of an operation with its settings; what is not set takes its default or is proposed, and what it has to look for
 * is measured.
 *
 * @param survey  The picture below the step, and its zone.
 */
export function makeOperationStep(id: string, name: string, settings: Settings, survey: Survey, context: OperationContext, { zone, note, propose = false }: StepOptions = {}): OperationStep {
  const operation = operationOf(name)
  const proposal = propose ? operation.propose?.(survey, context) : undefined
  const whole = { ...defaultSettings(operation), ...proposal?.settings, ...settings }
  const measured = operation.measure?.(survey, whole, context)
  const reason = note ?? proposal?.reason
  return {
    id, stage: operation.stage, operation: name, version: operation.version, settings: whole, strength: 1, enabled: true,
    ...(zone === undefined ? {} : { zone }), ...(measured === undefined ? {} : { measured }), ...(reason ? { note: reason.slice(0, 400) } : {}),
  }
}
