import { throughTables, valuesOfSamples, type LazyTable } from '../kernels/samples/tones.js'
import type { OperationContext, TonePart } from '../operations/operation.js'
import { depthOf, maximumOf, type FloatRaster, type IntegerRaster } from '../raster/raster.js'
import { floatOf, toFloat } from '../render/samples.js'

/** Steps of a table over encoded values; 8 and 16 bit samples fall on whole steps. */
const STEPS = 65535

/** A function over encoded values, computed step by step when a step is first met: an 8 bit picture has only 256 of them. */
class ToneTable implements LazyTable {
  readonly values = new Float32Array(STEPS + 2).fill(-1)
  private readonly ofSamples = new Map<number, LazyTable>()

  constructor(private readonly functions: readonly ((encoded: number) => number)[]) {}

  compute(step: number): void {
    let value = Math.min(step, STEPS) / STEPS
    for (const change of this.functions) value = change(value)
    // Rounded as it is kept: the first pixel that asks must get what all later ones get.
    this.values[step] = Math.fround(Math.max(0, Math.min(1, value)))
  }

  /** Value of an encoded value, in a straight line between two steps. */
  private at(encoded: number): number {
    const at = encoded * STEPS
    const step = Math.floor(at)
    for (const entry of at === step ? [step] : [step, step + 1]) if (this.values[entry]! < 0) this.compute(entry)
    const low = this.values[step]!
    return at === step ? low : low + (this.values[step + 1]! - low) * (at - step)
  }

  /** The same for every sample there can be: one look instead of a float and two looks. */
  bySample(maximum: number): LazyTable {
    let table = this.ofSamples.get(maximum)
    if (!table) {
      const values = new Float32Array(maximum + 1).fill(-1)
      table = { values, compute: (sample) => (values[sample] = this.at(floatOf(sample, maximum))) }
      this.ofSamples.set(maximum, table)
    }
    return table
  }
}

type Stage = { readonly tables: readonly ToneTable[] } | { readonly rows: readonly number[] }

/** Tone operations fused into tables and matrices. */
export interface ToneProgram {
  /** What becomes of pixels; floats are changed in place. Values stay between 0 and 1. */
  run(raster: IntegerRaster | FloatRaster): FloatRaster
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
    run(raster) {
      const [first] = stages
      const isSampled = first && 'tables' in first && !(raster.data instanceof Float32Array)
      const made = isSampled ? { ...raster, data: valuesOfSamples(raster as IntegerRaster, first.tables.map((table) => table.bySample(maximumOf(depthOf(raster))))) } : toFloat(raster)
      for (const stage of isSampled ? stages.slice(1) : stages) {
        if ('tables' in stage) throughTables(made.data, channels, STEPS, stage.tables)
        else applyMatrix(made.data, stage.rows, tones)
      }
      return made
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

function applyMatrix(data: Float32Array, rows: readonly number[], { decode, encode }: OperationContext['tones']): void {
  const [a, b, c, d, e, f, g, h, k] = rows as [number, number, number, number, number, number, number, number, number]
  for (let i = 0; i < data.length; i += 3) {
    const [x, y, z] = [decode(data[i]!), decode(data[i + 1]!), decode(data[i + 2]!)]
    data[i] = encode(a * x + b * y + c * z)
    data[i + 1] = encode(d * x + e * y + f * z)
    data[i + 2] = encode(g * x + h * y + k * z)
  }
}
