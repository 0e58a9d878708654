/** Kernels compiled to WebAssembly, from base 64; they bring their own memory, which is forgotten with them. */
export function instantiate<T>(base64: string): T {
  return new WebAssembly.Instance(new WebAssembly.Module(Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0)))).exports as unknown as T
}

/** @returns How to get such kernels: instantiated once a thread, when first asked for. */
export function lazily<T>(base64: string): () => T {
  let kernels: T | undefined
  return () => (kernels ??= instantiate<T>(base64))
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

/** Make sure that a memory has so many bytes. */
export function reserve(memory: WebAssembly.Memory, bytes: number): void {
  if (memory.buffer.byteLength < bytes) memory.grow(Math.ceil((bytes - memory.buffer.byteLength) / PAGE))
}
