import { parseArgs } from 'node:util'

/** A wrong use of the command line; exit code 2. */
export class UsageError extends Error {}

/**
 * Read arguments.
 *
 * @param positions  How many files; or at least and at most so many.
 * @param repeated   Options that may be given several times.
 */
export function parse(args: string[], options: Record<string, { type: 'string' }>, positions: number | [number, number], repeated: string[] = []) {
  const [least, most] = typeof positions === 'number' ? [positions, positions] : positions
  try {
    const { values, positionals } = parseArgs({ args, options: { ...options, ...Object.fromEntries(repeated.map((name) => [name, { type: 'string' as const, multiple: true }])) }, allowPositionals: true })
    if (positionals.length < least || positionals.length > most) throw new UsageError(`This command takes ${least === most ? least : `${least} to ${most}`} file${most === 1 ? '' : 's'}, not ${positionals.length}.`)
    return { values: values as Record<string, string | undefined>, lists: values as unknown as Record<string, string[] | undefined>, positionals }
  } catch (error) {
    throw error instanceof UsageError ? error : new UsageError(error instanceof Error ? error.message : String(error))
  }
}
