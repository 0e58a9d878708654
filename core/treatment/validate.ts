import type { ValidateFunction } from 'ajv'
import { ProblemError } from '../problem.js'
import { validateFinds, validateTreatment } from './generated/validators.js'
import type { FindsDocument, Treatment } from './schema.js'

/**
 * Check a document against its schema.
 *
 * @param name  What the document is called in the message.
 * @throws {ProblemError} naming the place that does not fit.
 */
export function checkDocument<T>(validate: ValidateFunction, value: unknown, name: string, status = 422): T {
  if (validate(value)) return value as T
  const first = validate.errors?.[0]
  const place = first?.instancePath ? first.instancePath : 'the top'
  throw new ProblemError('document-invalid', {
    title: 'The document does not fit its schema',
    detail: `${name}: at ${place} it ${first?.message ?? 'is not valid'}.`,
    status,
  })
}

export const readTreatment = (value: unknown, name: string): Treatment => checkDocument<Treatment>(validateTreatment, value, name)
export const readFinds = (value: unknown, name: string): FindsDocument => checkDocument<FindsDocument>(validateFinds, value, name)
