import { randomUUID } from 'node:crypto'
import { open, rename, rm } from 'node:fs/promises'
import { diskProblem } from './disk.js'

/** Where an encoder puts its bytes, in order; a few may be set again when what they say is known. */
export interface Sink {
  readonly length: number
  write(bytes: Uint8Array): Promise<void>
  /** Set bytes that were written before. */
  rewrite(at: number, bytes: Uint8Array): Promise<void>
}

/** Collects everything in memory. */
export class MemorySink implements Sink {
  private readonly parts: Uint8Array[] = []
  private rewritten: { at: number; bytes: Uint8Array }[] = []
  length = 0

  async write(bytes: Uint8Array): Promise<void> {
    this.parts.push(bytes)
    this.length += bytes.length
  }

  async rewrite(at: number, bytes: Uint8Array): Promise<void> {
    this.rewritten.push({ at, bytes })
  }

  bytes(): Uint8Array {
    const result = new Uint8Array(this.length)
    let at = 0
    for (const part of this.parts) {
      result.set(part, at)
      at += part.length
    }
    for (const { at: place, bytes } of this.rewritten) result.set(bytes, place)
    return result
  }
}

/**
 * Fill a file so that there is either all of it or none: written beside, flushed, then renamed.
 *
 * @throws {ProblemError} when the disk is full.
 */
export async function fillFile(path: string, fill: (sink: Sink) => Promise<void>): Promise<void> {
  // Several threads may write the same file at once: each has its own beside it.
  const beside = `${path}.${randomUUID()}.part`
  try {
    const file = await open(beside, 'wx')
    try {
      let length = 0
      await fill({
        get length() {
          return length
        },
        async write(bytes) {
          for (let done = 0; done < bytes.length; ) done += (await file.write(bytes, done, bytes.length - done, length + done)).bytesWritten
          length += bytes.length
        },
        async rewrite(at, bytes) {
          await file.write(bytes, 0, bytes.length, at)
        },
      })
      await file.sync()
    } finally {
      await file.close()
    }
    await rename(beside, path)
  } catch (error) {
    await rm(beside, { force: true })
    throw diskProblem(error, path)
  }
}

/** Put bytes into a file: all of them or none. */
export const writeFileWhole = (path: string, bytes: Uint8Array): Promise<void> => fillFile(path, (sink) => sink.write(bytes))
