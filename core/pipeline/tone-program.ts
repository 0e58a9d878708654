import type { OperationContext, TonePart } from '../operations/operation.js'
import type { FloatRaster } from '../raster/raster.js'

/** Steps of a table over encoded values; 8 and 16 bit samples fall on whole steps. */
const STEPS = 65535

/** A function over encoded values, computed step by step when a step is first met: an 8 bit picture has only 256 of them. */
class ToneTable {
  /** Value of each step; below 0 where it is not computed yet. */
  readonly values = new Float32Array(STEPS + 2).fill(-1)

  constructor(private readonly functions: readonly ((encoded: number) => number)[]) {}

  compute(step: number): number {
    let value = Math.min(step, STEPS) / STEPS
    for (const change of this.functions) value = change(value)
    // Rounded as it is kept: the first pixel that asks must get what all later ones get.
    return (this.values[step] = Math.fround(Math.max(0, Math.min(1, value))))
  }
}

type Stage = { readonly tables: readonly ToneTable[] } | { readonly rows: readonly number[] }

/** Tone operations fused into tables and matrices. */
export interface ToneProgram {
  /** Change pixels in place; values stay between 0 and 1. */
  run(raster: FloatRaster): void
}

/**
 * Fuse the parts of consecutive tone operations: functions of channels become one table, matrices stand between them.
 *
 * @param parts  In order; nothing of them is rounded in between.
 */
export function compileTone(parts: readonly TonePart[], context: OperationContext): ToneProgram {
  const { channels, tones } = context
  const stages: Stage[] = []
  for (let i = 0; i < parts.length; ) {
    const part = parts[i]!
    if (part.kind === 'matrix') {
      stages.push({ rows: part.rows })
      i++
      continue
    }
    const run: (typeof part)[] = []
    for (let next = parts[i]; next?.kind === 'channels'; next = parts[++i]) run.push(next)
    stages.push({ tables: tablesOf(run.map(({ functions }) => functions), channels) })
  }
  return {
    run({ data }) {
      for (const stage of stages) {
        if ('tables' in stage) applyTables(data, channels, stage.tables)
        else applyMatrix(data, stage.rows, tones)
      }
    },
  }
}

function tablesOf(runs: readonly (readonly ((value: number) => number)[])[], channels: number): ToneTable[] {
  const tables: ToneTable[] = []
  for (let c = 0; c < channels; c++) {
    // Channels that are changed alike share their table.
    const isLikeFirst = c > 0 && runs.every((run) => run[c] === run[0])
    tables.push(isLikeFirst ? tables[0]! : new ToneTable(runs.map((run) => run[c]!)))
  }
  return tables
}

function applyTables(data: Float32Array, channels: number, tables: readonly ToneTable[]): void {
  for (let c = 0; c < channels; c++) {
    const table = tables[c]!
    const { values } = table
    for (let i = c; i < data.length; i += channels) {
      const at = data[i]! * STEPS
      const step = Math.floor(at)
      let low = values[step]!
      if (low < 0) low = table.compute(step)
      if (at === step) {
        data[i] = low
        continue
      }
      let high = values[step + 1]!
      if (high < 0) high = table.compute(step + 1)
      data[i] = low + (high - low) * (at - step)
    }
  }
}

function applyMatrix(data: Float32Array, rows: readonly number[], { decode, encode }: OperationContext['tones']): void {
  const [a, b, c, d, e, f, g, h, k] = rows as [number, number, number, number, number, number, number, number, number]
  for (let i = 0; i < data.length; i += 3) {
    const [x, y, z] = [decode(data[i]!), decode(data[i + 1]!), decode(data[i + 2]!)]
    data[i] = encode(a * x + b * y + c * z)
    data[i + 1] = encode(d * x + e * y + f * z)
    data[i + 2] = encode(g * x + h * y + k * z)
  }
}
