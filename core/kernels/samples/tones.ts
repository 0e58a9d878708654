import { maximumOf, type Depth, type IntegerRaster } from '../../raster/raster.js'
import { WASM } from '../generated/tones-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

interface Kernels {
  readonly memory: WebAssembly.Memory
  ofSamples(how: number, wide: number, from: number): number
  ofFloats(how: number, steps: number, from: number): number
  round(from: number, into: number, count: number, maximum: number, wide: number): void
}

const compiled = lazily<Kernels>(WASM)
const reading = new Struct([], ['from', 'into', 'channels', 'count', 'first', 'second', 'third'])

/** A table of which an entry is computed when it is first met. */
export interface LazyTable {
  /** Below 0 where an entry is not known yet. */
  readonly values: Float32Array
  /** Find out an entry; it is in `values` then. */
  compute(entry: number): void
}

/** Tables in the kernels' memory, each once though several channels share it. */
function putTables(memory: WebAssembly.Memory, layout: Layout, tables: readonly LazyTable[]): { at: number[]; fill: (c: number, entry: number) => void; write: () => void } {
  const own = [...new Set(tables)]
  const places = own.map(({ values }) => layout.claim(values.byteLength))
  const at = tables.map((table) => places[own.indexOf(table)]!)
  const inKernel = (c: number) => new Float32Array(memory.buffer, at[c]!, tables[c]!.values.length)
  return {
    at,
    write: () => own.forEach(({ values }, k) => new Float32Array(memory.buffer, places[k]!, values.length).set(values)),
    fill(c, entry) {
      const table = tables[c]!
      if (table.values[entry]! < 0) table.compute(entry)
      inKernel(c)[entry] = table.values[entry]!
    },
  }
}

/**
 * Value of every sample in the table of its channel.
 *
 * @param raster  Of 1 or 3 channels.
 * @param tables  One for each channel, with an entry for every sample there can be.
 */
export function valuesOfSamples({ data, channels }: IntegerRaster, tables: readonly LazyTable[]): Float32Array {
  const { memory, ofSamples } = compiled()
  const layout = new Layout()
  const how = layout.claim(reading.bytes)
  const { at, fill, write } = putTables(memory, layout, tables)
  const from = layout.claim(data.byteLength)
  const into = layout.claim(4 * data.length)
  reserve(memory, layout.end)
  const wide = data instanceof Uint16Array
  if (wide) new Uint16Array(memory.buffer, from, data.length).set(data)
  else new Uint8Array(memory.buffer, from, data.length).set(data)
  write()
  reading.write(memory.buffer, how, { from, into, channels, count: data.length, first: at[0]!, second: at[1] ?? 0, third: at[2] ?? 0 })
  for (let done = 0; (done = ofSamples(how, wide ? 1 : 0, done)) < data.length; ) fill(done % channels, data[done]!)
  return new Float32Array(memory.buffer, into, data.length).slice()
}

/**
 * Value of every float in the table of its channel, in a straight line between two entries; changed in place.
 *
 * @param data    0 to 1, channels interleaved.
 * @param steps   From the first entry to the one that stands for 1; one entry more lies behind it.
 * @param tables  One for each of 1 or 3 channels.
 */
export function throughTables(data: Float32Array, channels: number, steps: number, tables: readonly LazyTable[]): void {
  const { memory, ofFloats } = compiled()
  const layout = new Layout()
  const how = layout.claim(reading.bytes)
  const { at, fill, write } = putTables(memory, layout, tables)
  const values = layout.claim(data.byteLength)
  reserve(memory, layout.end)
  const inKernel = new Float32Array(memory.buffer, values, data.length)
  inKernel.set(data)
  write()
  reading.write(memory.buffer, how, { from: values, into: values, channels, count: data.length, first: at[0]!, second: at[1] ?? 0, third: at[2] ?? 0 })
  for (let done = 0; (done = ofFloats(how, steps, done)) < data.length; ) {
    const entry = Math.floor(data[done]! * steps)
    fill(done % channels, entry)
    fill(done % channels, entry + 1)
  }
  data.set(inKernel)
}

/** Floats of 0 to 1 rounded to samples of a depth. */
export function roundedFloats(data: Float32Array, depth: Depth): Uint8Array | Uint16Array {
  const { memory, round } = compiled()
  const layout = new Layout()
  const from = layout.claim(data.byteLength)
  const into = layout.claim(data.length * (depth / 8))
  reserve(memory, layout.end)
  new Float32Array(memory.buffer, from, data.length).set(data)
  round(from, into, data.length, maximumOf(depth), depth === 16 ? 1 : 0)
  return depth === 16 ? new Uint16Array(memory.buffer, into, data.length).slice() : new Uint8Array(memory.buffer, into, data.length).slice()
}
