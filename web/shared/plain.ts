/** A copy without what the screen's reactivity adds: workers and the server take plain objects. */
export function plain<T>(value: T): T {
  return JSON.parse(JSON.stringify(value)) as T
}
