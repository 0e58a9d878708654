import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { startServices, type Services } from '../../scripts/services.js'
import { hashPassword, isPassword } from '../access/accounts.js'
import { readSettings } from '../settings.js'

/** A Fennip that is open to a network: behind a proxy that ends the encryption, as docs/deploy.md has it. */
const home = mkdtempSync(join(tmpdir(), 'fennip-access-'))
const CODE = '31415926'
const OWNER = { name: 'archive', password: 'seven pylons in fog' }
const VIEWER = { name: 'printer', password: 'upper station light' }
let services: Services

interface Answer { status: number; body: Record<string, unknown>; cookie: string | null; text: string; headers: Headers }
async function ask(method: string, path: string, options: { body?: unknown; cookie?: string | null; headers?: Record<string, string>; plain?: boolean } = {}): Promise<Answer> {
  const response = await fetch(services.address + path, {
    method,
    headers: { ...(options.plain ? {} : { 'x-forwarded-proto': 'https' }), ...(options.body === undefined ? {} : { 'content-type': 'application/json' }), ...(options.cookie ? { cookie: options.cookie } : {}), ...options.headers },
    ...(options.body === undefined ? {} : { body: JSON.stringify(options.body) }),
  })
  const text = await response.text()
  let body: Record<string, unknown> = {}
  try {
    body = JSON.parse(text) as Record<string, unknown>
  } catch {
    // Metrics are no JSON.
  }
  return { status: response.status, body, cookie: response.headers.getSetCookie()[0] ?? null, text, headers: response.headers }
}
const signIn = async (who: { name: string; password: string }) => (await ask('POST', '/api/session', { body: who })).cookie

beforeAll(async () => {
  services = await startServices({ home, logLevel: 'silent', environment: { FENNIP_HOST: '0.0.0.0', FENNIP_ALLOWED_HOSTS: 'archive.example', FENNIP_SESSION_SECRET: 's'.repeat(32), FENNIP_FIRST_CODE: CODE, FENNIP_METRICS_TOKEN: 'scrape' } })
})
afterAll(async () => {
  await services.remove()
})

describe('an open Fennip', () => {
  it('answers nothing to who is not signed in, whatever the route', async () => {
    const { paths } = (await ask('GET', '/api/openapi.json')).body as { paths: Record<string, Record<string, unknown>> }
    const open = new Set(['get /api/health', 'get /api/session', 'post /api/session', 'delete /api/session', 'post /api/accounts'])
    let tried = 0
    for (const [path, methods] of Object.entries(paths)) {
      for (const method of Object.keys(methods)) {
        if (open.has(`${method} ${path}`)) continue
        const answer = await ask(method.toUpperCase(), path.replaceAll(/\{\w+\}/g, '00000000-0000-0000-0000-000000000000'), method === 'post' ? { body: {} } : {})
        expect(answer.status, `${method} ${path}`).toBe(401)
        expect(answer.body.type).toBe('urn:fennip:problem:not-signed-in')
        tried++
      }
    }
    expect(tried).toBeGreaterThan(45)
  })

  it('lets the first owner be made with the code alone, and once', async () => {
    expect((await ask('GET', '/api/session')).body).toEqual({ required: true, account: null, isFirst: true })
    expect((await ask('POST', '/api/accounts', { body: { ...OWNER, role: 'owner' } })).body.type).toBe('urn:fennip:problem:code-wrong')
    expect((await ask('POST', '/api/accounts', { body: { ...OWNER, role: 'owner', code: CODE } })).status).toBe(201)
    expect((await ask('POST', '/api/accounts', { body: { name: 'other', password: 'long enough here', role: 'owner', code: CODE } })).status).toBe(401)
    expect((await ask('POST', '/api/accounts', { body: { name: 'short', password: 'short', role: 'viewer', code: CODE } })).status).toBe(400)
  })

  it('keeps a session in a cookie that no script and no plain connection can read', async () => {
    const signed = await ask('POST', '/api/session', { body: OWNER })
    expect(signed.body.account).toMatchObject({ name: 'archive', role: 'owner' })
    expect(signed.cookie).toMatch(/HttpOnly/)
    expect(signed.cookie).toMatch(/Secure/)
    expect(signed.cookie).toMatch(/SameSite=Strict/)
    expect((await ask('POST', '/api/session', { body: OWNER, plain: true })).cookie).toBeNull()
    const again = await signIn(OWNER)
    expect(again).not.toBe(signed.cookie)
    // A cookie with another signature is none.
    expect((await ask('GET', '/api/jobs', { cookie: signed.cookie!.replace(/\.[^;]+/, '.forged') })).status).toBe(401)
    expect((await ask('GET', '/api/jobs', { cookie: signed.cookie })).status).toBe(200)
    await ask('DELETE', '/api/session', { cookie: signed.cookie })
    expect((await ask('GET', '/api/jobs', { cookie: signed.cookie })).status).toBe(401)
    expect((await ask('GET', '/api/jobs', { cookie: again })).status).toBe(200)
  })

  it('lets a viewer look and change nothing, and ends the session with the account', async () => {
    const owner = await signIn(OWNER)
    const { account } = (await ask('POST', '/api/accounts', { cookie: owner, body: { ...VIEWER, role: 'viewer' } })).body as { account: { id: string } }
    expect((await ask('POST', '/api/accounts', { cookie: owner, body: { ...VIEWER, role: 'viewer' } })).body.type).toBe('urn:fennip:problem:name-taken')
    const viewer = await signIn(VIEWER)
    expect((await ask('GET', '/api/jobs', { cookie: viewer })).status).toBe(200)
    for (const [method, path, body] of [['POST', '/api/jobs', { title: 'x' }], ['POST', '/api/accounts', { name: 'x', password: 'x'.repeat(12), role: 'owner' }], ['GET', '/api/accounts'], ['POST', '/api/uploads', {}], ['DELETE', `/api/accounts/${account.id}`]] as const) {
      const answer = await ask(method, path, { cookie: viewer, body })
      expect(answer.status, `${method} ${path}`).toBe(403)
    }
    expect((await ask('POST', '/api/jobs', { cookie: owner, body: { title: 'Jubilee book' } })).status).toBe(201)
    expect((await ask('POST', '/api/session/password', { cookie: viewer, body: { password: 'wrong', newPassword: 'another long one' } })).status).toBe(403)
    expect((await ask('POST', '/api/session/password', { cookie: viewer, body: { password: VIEWER.password, newPassword: 'another long one' } })).status).toBe(200)
    expect((await ask('DELETE', `/api/accounts/${account.id}`, { cookie: owner })).status).toBe(200)
    expect((await ask('GET', '/api/jobs', { cookie: viewer })).status).toBe(401)
    const { accounts } = (await ask('GET', '/api/accounts', { cookie: owner })).body as { accounts: { id: string; name: string }[] }
    expect(accounts.map(({ name }) => name)).toEqual(['archive'])
    expect((await ask('DELETE', `/api/accounts/${accounts[0]!.id}`, { cookie: owner })).body.type).toBe('urn:fennip:problem:last-owner')
  })

  it('ends the stream of events of an account that is removed, and of no other', async () => {
    const owner = await signIn(OWNER)
    const made = await ask('POST', '/api/accounts', { cookie: owner, body: { ...VIEWER, name: 'guest', role: 'viewer' } })
    expect(made.status).toBe(201)
    const guest = await signIn({ ...VIEWER, name: 'guest' })
    const stream = async (cookie: string | null) => {
      const answer = await fetch(`${services.address}/api/events`, { headers: { 'x-forwarded-proto': 'https', cookie: cookie!.split(';')[0]! } })
      expect(answer.status).toBe(200)
      const reader = answer.body!.getReader()
      let isOver = false
      void (async () => {
        while (!(await reader.read()).done);
        isOver = true
      })().catch(() => (isOver = true))
      return { isOver: () => isOver, leave: () => reader.cancel() }
    }
    const [theirs, ours] = [await stream(guest), await stream(owner)]
    expect((await ask('DELETE', `/api/accounts/${(made.body as { account: { id: string } }).account.id}`, { cookie: owner })).status).toBe(200)
    await expect.poll(theirs.isOver).toBe(true)
    expect(ours.isOver()).toBe(false)
    await ours.leave()
  })

  it('tells an operator how it does, by token or as an owner', async () => {
    expect((await ask('GET', '/api/health')).status).toBe(200)
    expect((await ask('GET', '/api/metrics', { headers: { authorization: 'Bearer other' } })).status).toBe(401)
    const { text, headers } = await ask('GET', '/api/metrics', { headers: { authorization: 'Bearer scrape' } })
    expect(headers.get('content-type')).toContain('version=0.0.4')
    // The text format: every line is a comment, or a name with labels and a number (Prometheus, exposition formats).
    for (const line of text.trim().split('\n')) expect(line).toMatch(/^(#.*|[a-z0-9_]+(\{[^}]*\})? (-?[\d.e+-]+|NaN|\+Inf)|)$/)
    expect(text).toMatch(/fennip_oldest_waiting_seconds 0/)
    expect(text).toMatch(/fennip_http_request_seconds_count\{method="POST",resource="jobs",status="201"\} 1/)
  })

  it('refuses an address that failed ten times, and says how long', async () => {
    for (let i = 0; i < 9; i++) await ask('POST', '/api/session', { body: { name: 'archive', password: `guess ${i}` }, headers: { 'x-forwarded-for': '203.0.113.9' } })
    expect((await ask('POST', '/api/session', { body: { name: 'archive', password: 'wrong' }, headers: { 'x-forwarded-for': '203.0.113.9' } })).body.type).toBe('urn:fennip:problem:sign-in-failed')
    const late = await ask('POST', '/api/session', { body: OWNER, headers: { 'x-forwarded-for': '203.0.113.9' } })
    expect(late.status).toBe(429)
    expect(late.body.type).toBe('urn:fennip:problem:too-many-attempts')
    expect((await ask('POST', '/api/session', { body: OWNER })).status).toBe(200)
    // A code cannot be guessed there either.
    expect((await ask('POST', '/api/accounts', { body: { ...OWNER, role: 'owner', code: '1' }, headers: { 'x-forwarded-for': '203.0.113.9' } })).status).toBe(429)
  })
})

describe('settings and passwords', () => {
  it('of a network are refused without a secret, with the remedy', () => {
    expect(() => readSettings({ FENNIP_HOST: '0.0.0.0' })).toThrow(/openssl rand -hex 32/)
    expect(readSettings({ FENNIP_HOST: '0.0.0.0', FENNIP_SESSION_SECRET: 'x'.repeat(32) }).signIn).toBe(true)
    expect(readSettings({}).signIn).toBe(false)
    expect(() => readSettings({ FENNIP_THREADS: 'many' })).toThrow(/FENNIP_THREADS.*from 1 to 256/s)
    expect(() => readSettings({ FENNIP_LOG: 'loud' })).toThrow(/one of fatal/)
  })
  it('are kept as salted hashes', async () => {
    const [a, b] = await Promise.all([hashPassword('seven pylons'), hashPassword('seven pylons')])
    expect(a).not.toBe(b)
    expect(await Promise.all([isPassword('seven pylons', a), isPassword('Seven pylons', a)])).toEqual([true, false])
  })
})
