import type { OperationContext, TonePart } from '../operations/operation.js'
import { depthOf, maximumOf, type FloatRaster, type IntegerRaster } from '../raster/raster.js'
import { floatOf, toFloat } from '../render/samples.js'

/** Steps of a table over encoded values; 8 and 16 bit samples fall on whole steps. */
const STEPS = 65535

/** A function over encoded values, computed step by step when a step is first met: an 8 bit picture has only 256 of them. */
class ToneTable {
  /** Value of each step; below 0 where it is not computed yet. */
  readonly values = new Float32Array(STEPS + 2).fill(-1)
  private readonly ofSamples = new Map<number, Float32Array>()

  constructor(private readonly functions: readonly ((encoded: number) => number)[]) {}

  compute(step: number): number {
    let value = Math.min(step, STEPS) / STEPS
    for (const change of this.functions) value = change(value)
    // Rounded as it is kept: the first pixel that asks must get what all later ones get.
    return (this.values[step] = Math.fround(Math.max(0, Math.min(1, value))))
  }

  /** Value of an encoded value, in a straight line between two steps. */
  at(encoded: number): number {
    const at = encoded * STEPS
    const step = at | 0
    let low = this.values[step]!
    if (low < 0) low = this.compute(step)
    if (at === step) return low
    let high = this.values[step + 1]!
    if (high < 0) high = this.compute(step + 1)
    return low + (high - low) * (at - step)
  }

  /** A place for the value of every sample there can be; below 0 where it is not known yet. */
  bySample(maximum: number): Float32Array {
    let table = this.ofSamples.get(maximum)
    if (!table) this.ofSamples.set(maximum, (table = new Float32Array(maximum + 1).fill(-1)))
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
      const made = isSampled ? fromSamples(raster as IntegerRaster, first.tables) : toFloat(raster)
      for (const stage of isSampled ? stages.slice(1) : stages) {
        if ('tables' in stage) applyTables(made.data, channels, stage.tables)
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

function applyTables(data: Float32Array, channels: number, tables: readonly ToneTable[]): void {
  for (let c = 0; c < channels; c++) {
    const table = tables[c]!
    for (let i = c; i < data.length; i += channels) data[i] = table.at(data[i]!)
  }
}

/** The same of samples: one look in a table instead of a float and two looks. */
function fromSamples(raster: IntegerRaster, tables: readonly ToneTable[]): FloatRaster {
  const { width, height, channels, data } = raster
  const maximum = maximumOf(depthOf(raster))
  const result = new Float32Array(data.length)
  for (let c = 0; c < channels; c++) {
    const table = tables[c]!
    const values = table.bySample(maximum)
    for (let i = c; i < data.length; i += channels) {
      const sample = data[i]!
      let value = values[sample]!
      if (value < 0) value = values[sample] = Math.fround(table.at(floatOf(sample, maximum)))
      result[i] = value
    }
  }
  return { width, height, channels, data: result }
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
