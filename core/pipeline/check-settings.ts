import { Ajv, type ValidateFunction } from 'ajv'
import { ProblemError } from '../problem.js'
import type { OperationStep } from '../treatment/schema.js'
import type { Operation } from '../operations/operation.js'
import { operationOf } from './registry.js'

/** Checks of settings, compiled when they are first needed: in Node alone, since a page may not make code from text. */
const ajv = new Ajv({ allErrors: false, strict: true, strictTuples: false, keywords: ['unit', 'step'] })
const compiled = new WeakMap<object, ValidateFunction>()

/** Check the settings of an operation. @throws {ProblemError} naming the setting and its range. */
export function checkSettings(operation: Operation, settings: unknown, what: string): void {
  let validate = compiled.get(operation.settings)
  if (!validate) {
    validate = ajv.compile(operation.settings)
    compiled.set(operation.settings, validate)
  }
  if (validate(settings)) return
  const first = validate.errors?.[0]
  const place = first?.instancePath.slice(1) || String((first?.params as { additionalProperty?: string; missingProperty?: string } | undefined)?.additionalProperty ?? (first?.params as { missingProperty?: string } | undefined)?.missingProperty ?? 'settings')
  throw new ProblemError('setting-invalid', { title: 'A setting does not fit', detail: `${what}: ${place} ${first?.message ?? 'is not valid'}. ${operation.name} is described by: fennip operations ${operation.name}.`, status: 422 })
}

/** Check steps of the chain: known operations of their stage, settings within their ranges. */
export function checkOperationSteps(steps: readonly OperationStep[]): void {
  for (const step of steps) {
    const operation = operationOf(step.operation, step.version)
    checkSettings(operation, step.settings, `Step ${step.id}`)
  }
}
