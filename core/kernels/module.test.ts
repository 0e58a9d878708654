import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { basename } from 'node:path'
import { fileURLToPath } from 'node:url'
import { describe, expect, it } from 'vitest'
import { FIRST_ADDRESS, Layout, reserve, Struct } from './module.js'

describe('kernels', () => {
  const folder = fileURLToPath(new URL('.', import.meta.url))
  const sources = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.as.ts'))
  it('are compiled where they have a module beside them, which is the only one that takes them', () => {
    const withModule = sources.filter((file) => existsSync(folder + file.replace('.as.ts', '.ts')))
    expect(withModule.length).toBeGreaterThan(12)
    for (const file of withModule) {
      const name = basename(file, '.as.ts')
      const compiled = readFileSync(`${folder}generated/${name}-wasm.ts`, 'utf8')
      expect(compiled).toContain(`core/kernels/${file}`)
      expect(readFileSync(folder + file.replace('.as.ts', '.ts'), 'utf8')).toContain(`'../generated/${name}-wasm.js'`)
    }
  })
  it('that have none are parts of others', () => {
    const text = sources.map((file) => readFileSync(folder + file, 'utf8')).join('\n')
    for (const file of sources.filter((one) => !existsSync(folder + one.replace('.as.ts', '.ts')))) expect(text).toContain(`/${basename(file, '.ts')}'`)
  })
})

describe('memory of kernels', () => {
  it('is given out in places that do not overlap, each at a multiple of 16, above what is the module\'s own', () => {
    const layout = new Layout()
    const sizes = [1, 16, 17, 4000, 3, 8]
    const places = sizes.map((bytes) => layout.claim(bytes))
    expect(places[0]).toBe(FIRST_ADDRESS)
    places.forEach((at, k) => {
      expect(at % 16).toBe(0)
      expect(at + sizes[k]!).toBeLessThanOrEqual(places[k + 1] ?? layout.end)
    })
  })
  it('grows to what is asked for, and no more when it is there', () => {
    const memory = new WebAssembly.Memory({ initial: 1 })
    reserve(memory, 65537)
    expect(memory.buffer.byteLength).toBe(2 * 65536)
    reserve(memory, 100)
    expect(memory.buffer.byteLength).toBe(2 * 65536)
  })
  it('holds a struct as numbers of 64 bits, then words of 32, in the order of its fields whatever the order of the values', () => {
    const struct = new Struct(['share', 'least'], ['from', 'count', 'last'])
    const buffer = new ArrayBuffer(64)
    struct.write(buffer, 8, { count: 7, least: -0.5, last: 9, from: 1024, share: 2.25 })
    expect(struct.bytes).toBe(2 * 8 + 3 * 4)
    const view = new DataView(buffer)
    expect([view.getFloat64(8, true), view.getFloat64(16, true), view.getInt32(24, true), view.getInt32(28, true), view.getInt32(32, true)]).toEqual([2.25, -0.5, 1024, 7, 9])
    expect([view.getFloat64(0, true), view.getInt32(36, true)]).toEqual([0, 0])
  })
})
