import { ProblemError } from '@fennip/core/problem.js'
import { isStorable } from '@fennip/core/text.js'

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i
/** Parts of addresses that are identifiers of rows. */
const ROW_IDENTIFIERS = ['job', 'picture', 'run', 'batch', 'sensor', 'account']

/** Check the identifiers in an address. @throws {ProblemError} naming the part. */
export function checkAddress(parameters: Readonly<Record<string, unknown>>): void {
  for (const name of ROW_IDENTIFIERS) {
    const value = parameters[name]
    if (value !== undefined && !UUID.test(String(value))) throw new ProblemError('address-invalid', { title: 'The address is not valid', detail: `The ${name} in the address is not an identifier.`, status: 404 })
  }
}

/**
 * Check that every text in a request can be stored.
 *
 * @throws {ProblemError} naming the place of text with U+0000 or half of a surrogate pair.
 */
export function checkStorable(value: unknown, place = ''): void {
  if (typeof value === 'string') {
    if (!isStorable(value)) throw new ProblemError('text-invalid', { title: 'A text cannot be stored', detail: `The text at ${place || 'the top'} holds a character that is none (U+0000 or half of a surrogate pair). Take it out.`, status: 400 })
  } else if (Array.isArray(value)) {
    for (const [i, item] of value.entries()) checkStorable(item, `${place}/${i}`)
  } else if (value !== null && typeof value === 'object') {
    for (const [name, item] of Object.entries(value)) {
      checkStorable(name, `${place}/?`)
      checkStorable(item, `${place}/${name}`)
    }
  }
}
