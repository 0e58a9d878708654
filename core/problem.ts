/**
 * The one error type of Fennip: a problem as RFC 9457 describes it.
 *
 * `type` is a short stable name, `title` says what went wrong in general, `detail` names the thing at hand and
 * the remedy. The server sends it as application/problem+json, the command line prints `detail`, the browser
 * shows it.
 */
export class ProblemError extends Error {
  readonly type: string
  readonly title: string
  readonly detail: string
  readonly status: number
  readonly extra: Readonly<Record<string, unknown>>

  constructor(type: string, about: { title: string; detail: string; status?: number; extra?: Record<string, unknown> }) {
    super(`${about.title}: ${about.detail}`)
    this.name = 'ProblemError'
    this.type = type
    this.title = about.title
    this.detail = about.detail
    this.status = about.status ?? 400
    this.extra = about.extra ?? {}
  }

  toJSON(): Record<string, unknown> {
    return { ...this.extra, type: `urn:fennip:problem:${this.type}`, title: this.title, status: this.status, detail: this.detail }
  }
}
