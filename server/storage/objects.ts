import { createHash, randomUUID } from 'node:crypto'
import { Agent as HttpAgent } from 'node:http'
import { Agent as HttpsAgent } from 'node:https'
import { access, mkdir, rename, rm } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { Client } from 'minio'
import { fillFile } from '@fennip/codec/sink.js'
import type { ObjectStore, Storage } from './storage.js'

/** Objects that are fetched at once. */
const AT_ONCE = 16

/** A connection for each request: one that waited may be closed by the store in the moment in which it is used again. */
const FRESH = { keepAlive: false }

/** Files in an object store that speaks the S3 protocol; an object appears whole or not at all. */
export function objectStorage(store: ObjectStore, cache: string): Storage {
  const { bucket } = store
  const client = new Client({ endPoint: store.host, port: store.port, useSSL: store.secure, accessKey: store.accessKey, secretKey: store.secretKey, pathStyle: true, transportAgent: store.secure ? new HttpsAgent(FRESH) : new HttpAgent(FRESH) })
  // Two stores must not share copies.
  const copies = join(cache, createHash('sha256').update(`${store.host}:${store.port}/${bucket}`).digest('hex').slice(0, 12))
  const uploads = join(copies, 'uploads')
  return {
    uploads,
    async prepare() {
      await mkdir(uploads, { recursive: true })
      // Two processes may begin at once: the one that comes second finds it there.
      if (!(await client.bucketExists(bucket))) await client.makeBucket(bucket).catch(async (error: unknown) => {
        if (!(await client.bucketExists(bucket))) throw error
      })
    },
    async read(key) {
      try {
        const parts: Buffer[] = []
        for await (const part of await client.getObject(bucket, key)) parts.push(part as Buffer)
        return Buffer.concat(parts)
      } catch (error) {
        if (isMissing(error)) return null
        throw error
      }
    },
    has: (key) => client.statObject(bucket, key).then(() => true, (error: unknown) => {
      if (isMissing(error)) return false
      throw error
    }),
    async write(key, bytes) {
      await client.putObject(bucket, key, Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength), bytes.byteLength)
    },
    async writeFile(key, path) {
      await client.fPutObject(bucket, key, path)
    },
    async fill(key, fill) {
      const beside = join(copies, 'outgoing', randomUUID())
      await mkdir(dirname(beside), { recursive: true })
      try {
        await fillFile(beside, fill)
        await client.fPutObject(bucket, key, beside)
      } finally {
        await rm(beside, { force: true })
      }
    },
    async localFolder(prefix) {
      const names: string[] = []
      for await (const item of client.listObjectsV2(bucket, prefix, true)) names.push((item as { name: string }).name)
      for (let i = 0; i < names.length; i += AT_ONCE) await Promise.all(names.slice(i, i + AT_ONCE).map((name) => this.localFile(name)))
      return join(copies, prefix)
    },
    async localFile(key) {
      const copy = join(copies, key)
      // What is kept under a key of content never changes, so a copy never grows old; outputs have names of their own.
      if (!(await access(copy).then(() => true, () => false))) {
        await mkdir(dirname(copy), { recursive: true })
        // Two threads may want it at once: each fetches its own, and the last to end is kept.
        const coming = `${copy}.${randomUUID()}`
        await client.fGetObject(bucket, key, coming)
        await rename(coming, copy)
      }
      return copy
    },
    async sizeOf(prefix) {
      let [files, bytes] = [0, 0]
      for await (const item of client.listObjectsV2(bucket, prefix, true)) {
        files++
        bytes += (item as { size?: number }).size ?? 0
      }
      return { files, bytes }
    },
    async remove(prefix) {
      const names: string[] = []
      for await (const item of client.listObjectsV2(bucket, prefix, true)) names.push((item as { name: string }).name)
      for (const name of names) await client.removeObject(bucket, name)
      await rm(join(copies, prefix), { recursive: true, force: true })
    },
  }
}

const isMissing = (error: unknown) => ['NoSuchKey', 'NotFound', 'NoSuchBucket'].includes((error as { code?: string } | null)?.code ?? '')
