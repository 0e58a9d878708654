import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { ProblemError } from '@fennip/core/problem.js'
import type { Operation } from '@fennip/core/treatment/schema.js'
import { api } from '../../shared/api.js'
import { Kept, type Drawn, type Gesture } from './kept.js'

/** How long to wait before what could not be sent is sent again, in milliseconds. */
const AGAIN = 1500

/** Told of what became of a gesture. */
export interface Outcome {
  saved?(gesture: Gesture, revision: number, rebased: boolean): void
  refused?(gesture: Gesture, problem: ProblemError): void
}

/** Whether a failure may go by itself: the server or its database is not there, a disk is full, or a session has ended. */
export const isPassing = (error: unknown): boolean => !(error instanceof ProblemError) || error.status >= 500 || error.status === 401

/**
 * Gestures on their way to the server: kept in the browser, sent in order whatever page is open, and sent again with
 * the same identifier until the server has answered.
 */
export const useOutbox = defineStore('outbox', () => {
  const kept = new Kept()
  const queue = shallowRef<readonly Gesture[]>([])
  const drawn = shallowRef<readonly Drawn[]>([])
  const trouble = ref<string | null>(null)
  /** Newest revision that this browser knows of each picture. */
  const revisions = new Map<string, number>()
  const outcomes = new Set<Outcome>()
  const unsent = new Set<string>()
  let sending = false
  let loaded: Promise<void> | null = null

  /** Take up what an earlier page left behind. */
  function load(): Promise<void> {
    loaded ??= (async () => {
      const [gestures, shapes] = await Promise.all([kept.gestures(), kept.drawn()])
      const known = new Set(queue.value.map(({ id }) => id))
      queue.value = [...gestures.filter(({ id }) => !known.has(id)), ...queue.value]
      drawn.value = [...shapes.filter(({ id }) => !drawn.value.some((other) => other.id === id)), ...drawn.value]
      void send()
    })()
    return loaded
  }

  /** Queue a gesture. It is in the browser's keeping when the promise settles. */
  async function push(picture: string, madeOn: number, label: string, operations: Operation[], drawnAs: string | null = null): Promise<Gesture> {
    const gesture: Gesture = { id: crypto.randomUUID(), picture, madeOn, label, operations }
    queue.value = [...queue.value, gesture]
    if (drawnAs) drawn.value = drawn.value.filter(({ id }) => id !== drawnAs)
    await kept.keepGesture(gesture, drawnAs).catch(() => undefined)
    void send()
    return gesture
  }

  async function send(): Promise<void> {
    if (sending) return
    sending = true
    try {
      while (queue.value.length > 0) {
        const gesture = queue.value[0]!
        unsent.delete(gesture.id)
        try {
          const revision = Math.max(gesture.madeOn, revisions.get(gesture.picture) ?? 0)
          const saved = await api.edit(gesture.picture, revision, gesture.label, gesture.operations, gesture.id)
          know(gesture.picture, saved.revision)
          // It waits until its revision is told in the same turn: an undo in between would be sent with the old one.
          await kept.dropGesture(gesture.id).catch(() => undefined)
          queue.value = queue.value.filter((other) => other !== gesture)
          trouble.value = null
          for (const outcome of outcomes) outcome.saved?.(gesture, saved.revision, saved.rebased)
        } catch (error) {
          if (!isPassing(error)) {
            // Refused for good: this one alone; those behind it are judged by themselves.
            await drop(gesture)
            trouble.value = null
            for (const outcome of outcomes) outcome.refused?.(gesture, error as ProblemError)
            continue
          }
          trouble.value = error instanceof ProblemError ? error.title : 'Something went wrong'
          await new Promise((resolve) => setTimeout(resolve, AGAIN))
        }
      }
    } finally {
      sending = false
    }
  }

  async function drop(gesture: Gesture): Promise<void> {
    queue.value = queue.value.filter((other) => other !== gesture)
    await kept.dropGesture(gesture.id).catch(() => undefined)
  }

  /** Take the newest gesture of a picture back before it is sent. @returns Null when none waits that is not on its way. */
  async function takeBack(picture: string): Promise<Gesture | null> {
    const last = queue.value.filter((gesture) => gesture.picture === picture).at(-1)
    if (!last || last === queue.value[0]) return null
    await drop(last)
    return last
  }

  /** Note a revision that this browser has seen whole. */
  function know(picture: string, revision: number): void {
    revisions.set(picture, Math.max(revision, revisions.get(picture) ?? 0))
  }

  async function keepDrawn(shape: Drawn): Promise<void> {
    drawn.value = [...drawn.value.filter(({ id }) => id !== shape.id), shape]
    await kept.keepDrawn(shape).catch(() => undefined)
  }

  async function dropDrawn(id: string): Promise<void> {
    drawn.value = drawn.value.filter((other) => other.id !== id)
    await kept.dropDrawn(id).catch(() => undefined)
  }

  const waitingOf = (picture: string) => queue.value.filter((gesture) => gesture.picture === picture)
  const drawnOf = (picture: string) => drawn.value.filter((shape) => shape.picture === picture)
  const count = computed(() => queue.value.length + drawn.value.length)

  /** What is said of it, always true. */
  const words = computed(() => {
    if (count.value === 0) return 'All saved'
    return trouble.value ? `Not saved: ${trouble.value.toLowerCase()}. ${count.value} ${count.value === 1 ? 'change is' : 'changes are'} kept in this browser` : 'Saving'
  })

  function onOutcome(outcome: Outcome): () => void {
    outcomes.add(outcome)
    return () => outcomes.delete(outcome)
  }

  return { queue, drawn, trouble, count, words, load, push, takeBack, know, keepDrawn, dropDrawn, waitingOf, drawnOf, onOutcome, survives: () => kept.survives() }
})
