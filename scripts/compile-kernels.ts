import asc from 'assemblyscript/asc'
import { fileURLToPath } from 'node:url'

/** Compile a file of kernels from AssemblyScript to WebAssembly with SIMD. @returns The module in base 64. */
export async function compileKernels(file: URL): Promise<string> {
  const path = fileURLToPath(file)
  let binary: Uint8Array | null = null
  const { error, stderr } = await asc.main(
    [path, '--outFile', 'kernels.wasm', '--optimizeLevel', '3', '--noAssert', '--runtime', 'stub', '--enable', 'simd', '--initialMemory', '1', '--baseDir', '/'],
    { writeFile: (_name, contents) => { binary = contents as Uint8Array } },
  )
  if (error || !binary) throw new Error(`${path}: ${error?.message ?? 'nothing compiled'}\n${stderr.toString()}`)
  return Buffer.from(binary).toString('base64')
}
