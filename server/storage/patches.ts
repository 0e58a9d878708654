import { gunzipSync, gzipSync } from 'node:zlib'
import { packPatch, unpackPatch } from '@fennip/core/render/patch-code.js'
import { patchKeys } from '@fennip/core/render/patch-keys.js'
import type { Patch } from '@fennip/core/render/patch.js'
import type { Plan } from '@fennip/core/treatment/schema.js'
import { patchKey, type Storage } from './storage.js'

/** Mends as pixels, kept by their address. */

const memory = new Map<string, Patch>()
const REMEMBERED = 4000
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
  if (memory.size > REMEMBERED) memory.clear()
  for (const [key, patch] of kept) memory.set(key, patch)
  return kept
}

/** Patches that damage leaves unread are made anew, so several may be on their way to the disk at once. */
export async function writePatches(storage: Storage, patches: readonly Patch[]): Promise<void> {
  for (let i = 0; i < patches.length; i += AT_ONCE) {
    await Promise.all(patches.slice(i, i + AT_ONCE).map((patch) => storage.write(patchKey(patch.key), gzipSync(packPatch(patch), { level: 1 }))))
  }
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
