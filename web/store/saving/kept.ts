import { openDB, type DBSchema, type IDBPDatabase } from 'idb'
import type { MethodName } from '@fennip/core/mend/methods.js'
import type { Shape } from '@fennip/core/shape/shape.js'
import type { Operation } from '@fennip/core/treatment/schema.js'

/** One gesture of the restorer, on its way to the server. */
export interface Gesture {
  readonly id: string
  readonly picture: string
  /** Revision that was on screen when it was made. */
  readonly madeOn: number
  readonly label: string
  readonly operations: Operation[]
}

/** What was drawn and has no mend yet: the mend is still being chosen. */
export interface Drawn {
  /** Of the flaw that it becomes. */
  readonly id: string
  readonly picture: string
  readonly shape: Shape
  readonly method: MethodName | 'auto'
  readonly strength: number
}

interface Tables extends DBSchema {
  gestures: { key: number; value: Gesture & { order?: number }; indexes: { id: string } }
  drawn: { key: string; value: Drawn }
}

/**
 * What is not saved on the server, kept in the browser so that it survives a reload (IndexedDB, W3C; by the package idb).
 * Where the browser keeps nothing, it is held in memory alone.
 */
export class Kept {
  private readonly database: Promise<IDBPDatabase<Tables> | null>

  constructor() {
    this.database = typeof indexedDB === 'undefined' ? Promise.resolve(null) : openDB<Tables>('fennip', 1, {
      upgrade(database) {
        const gestures = database.createObjectStore('gestures', { keyPath: 'order', autoIncrement: true })
        gestures.createIndex('id', 'id', { unique: true })
        database.createObjectStore('drawn', { keyPath: 'id' })
      },
    }).catch(() => null)
  }

  /** Whether anything survives a reload. */
  async survives(): Promise<boolean> {
    return (await this.database) !== null
  }

  /** All gestures, in the order in which they were made. */
  async gestures(): Promise<Gesture[]> {
    return (await (await this.database)?.getAll('gestures')) ?? []
  }

  async drawn(): Promise<Drawn[]> {
    return (await (await this.database)?.getAll('drawn')) ?? []
  }

  /** Keep a gesture, and let go of what it was drawn as, in one. */
  async keepGesture(gesture: Gesture, drawn: string | null): Promise<void> {
    const database = await this.database
    if (!database) return
    const transaction = database.transaction(['gestures', 'drawn'], 'readwrite')
    void transaction.objectStore('gestures').add(gesture)
    if (drawn) void transaction.objectStore('drawn').delete(drawn)
    // Asked for now, so that it is kept though the page goes the next moment.
    transaction.commit()
    await transaction.done
  }

  async dropGesture(id: string): Promise<void> {
    const database = await this.database
    if (!database) return
    const transaction = database.transaction('gestures', 'readwrite')
    const key = await transaction.store.index('id').getKey(id)
    if (key !== undefined) await transaction.store.delete(key)
    await transaction.done
  }

  async keepDrawn(drawn: Drawn): Promise<void> {
    const database = await this.database
    if (!database) return
    const transaction = database.transaction('drawn', 'readwrite')
    void transaction.store.put(drawn)
    transaction.commit()
    await transaction.done
  }

  async dropDrawn(id: string): Promise<void> {
    await (await this.database)?.delete('drawn', id)
  }
}
