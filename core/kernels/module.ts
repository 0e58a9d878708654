/** Kernels compiled to WebAssembly. */
export interface CompiledKernels<T> {
  /** Those that all in a thread share, with one memory. */
  shared(): T
  /** The same with a memory of their own, which is forgotten with them. */
  fresh(): T
}

const forgetting: (() => void)[] = []

/** Have something forgotten that holds a memory of kernels, whenever all of these are given back. */
export function forgottenWithKernels(forget: () => void): void {
  forgetting.push(forget)
}

/** Give back the memory of all kernels of this thread, which grows and never shrinks; they are made anew when asked for. Not while one is in use. */
export function forgetKernels(): void {
  for (const forget of forgetting) forget()
}

/** Kernels from base 64: compiled once a thread, when first asked for. */
export function kernelsFrom<T>(base64: string): CompiledKernels<T> {
  let compiled: WebAssembly.Module | undefined
  let kernels: T | undefined
  const fresh = () => {
    compiled ??= new WebAssembly.Module(Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0)))
    return new WebAssembly.Instance(compiled).exports as unknown as T
  }
  forgottenWithKernels(() => (kernels = undefined))
  return { fresh, shared: () => (kernels ??= fresh()) }
}

/** @returns How to get kernels that all in a thread share. */
export function lazily<T>(base64: string): () => T {
  return kernelsFrom<T>(base64).shared
}

const PAGE = 65536
/** What lies below is the module's own. */
export const FIRST_ADDRESS = 1024

/** Places in a memory, one behind the other. */
export class Layout {
  /** @param end  Behind all that was claimed. */
  constructor(public end = FIRST_ADDRESS) {}

  /** @returns Address of so many bytes, a multiple of 16. */
  claim(bytes: number): number {
    const address = this.end
    this.end += (bytes + 15) & ~15
    return address
  }
}

/**
 * What a kernel takes by its address, field by field: numbers of 64 bits, then words of 32 (addresses, counts), in the order in
 * which its class declares them.
 */
export class Struct<N extends string, W extends string> {
  readonly bytes: number

  constructor(private readonly numbers: readonly N[], private readonly words: readonly W[]) {
    this.bytes = 8 * numbers.length + 4 * words.length
  }

  /** @param at  Its address, a multiple of 8. */
  write(buffer: ArrayBuffer, at: number, values: Readonly<Record<N | W, number>>): void {
    const numbers = new Float64Array(buffer, at, this.numbers.length)
    for (let i = 0; i < numbers.length; i++) numbers[i] = values[this.numbers[i]!]
    const words = new Int32Array(buffer, at + numbers.byteLength, this.words.length)
    for (let i = 0; i < words.length; i++) words[i] = values[this.words[i]!]
  }
}

/** Make sure that a memory has so many bytes. */
export function reserve(memory: WebAssembly.Memory, bytes: number): void {
  if (memory.buffer.byteLength < bytes) memory.grow(Math.ceil((bytes - memory.buffer.byteLength) / PAGE))
}
