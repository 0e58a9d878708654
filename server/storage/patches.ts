import { gunzipSync, gzipSync } from 'node:zlib'
import { LRUCache } from 'lru-cache'
import { packPatch, unpackPatch } from '@fennip/core/mend/patches/patch-code.js'
import { patchKeys } from '@fennip/core/mend/patches/patch-keys.js'
import type { Patch } from '@fennip/core/mend/patches/patch.js'
import type { Plan } from '@fennip/core/treatment/schema.js'
import { patchKey, type Storage } from './storage.js'

/** Mends as pixels, kept by their address. */

/** A thread remembers so many bytes of them: thousands of specks, or a few large stains. */
const REMEMBERED = 128 * 2 ** 20
const memory = new LRUCache<string, Patch>({ maxSize: REMEMBERED, sizeCalculation: sizeOf })

/** Give back the memory of patches that are remembered. */
export const forgetPatches = (): void => memory.clear()

/** So many patches are fetched or kept at once. */
const AT_ONCE = 16

/** Those patches of a plan that are kept, by their keys, in the order of the plan. */
export async function keptPatches(storage: Storage, plan: Plan): Promise<Map<string, Patch>> {
  const kept = new Map<string, Patch>()
  const keys = patchKeys(plan).map(({ key }) => key)
  for (let i = 0; i < keys.length; i += AT_ONCE) {
    const some = keys.slice(i, i + AT_ONCE)
    const patches = await Promise.all(some.map((key) => memory.get(key) ?? readPatch(storage, key)))
    patches.forEach((patch, n) => patch && kept.set(some[n]!, patch))
  }
  remember([...kept.values()])
  return kept
}

function remember(patches: readonly Patch[]): void {
  for (const patch of patches) memory.set(patch.key, patch)
}

function sizeOf({ pixels, touched, levels }: Patch): number {
  return pixels.data.byteLength + touched.byteLength + levels.reduce((sum, { change }) => sum + change.byteLength, 0)
}

/** Patches that damage leaves unread are made anew, so several may be on their way to the disk at once. */
export async function writePatches(storage: Storage, patches: readonly Patch[]): Promise<void> {
  for (let i = 0; i < patches.length; i += AT_ONCE) {
    await Promise.all(patches.slice(i, i + AT_ONCE).map((patch) => storage.write(patchKey(patch.key), gzipSync(packPatch(patch), { level: 1 }))))
  }
  remember(patches)
}

/** A patch that cannot be read is made anew. */
async function readPatch(storage: Storage, key: string): Promise<Patch | undefined> {
  const bytes = await storage.read(patchKey(key))
  try {
    return bytes ? unpackPatch(gunzipSync(bytes)) : undefined
  } catch {
    return undefined
  }
}
