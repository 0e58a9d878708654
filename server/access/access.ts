import connectPgSimple from 'connect-pg-simple'
import { randomInt } from 'node:crypto'
import type { Express, Request, RequestHandler } from 'express'
import { rateLimit } from 'express-rate-limit'
import session from 'express-session'
import passport from 'passport'
import { Strategy } from 'passport-local'
import pg from 'pg'
import type { Account } from '@fennip/core/accounts.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { Access } from '../api/route.js'
import type { Database } from '../database/database.js'
import type { Settings } from '../settings.js'
import { listAccounts, readAccount, signedIn } from './accounts.js'

declare global {
  // eslint-disable-next-line @typescript-eslint/no-namespace -- how the types of Express are extended
  namespace Express {
    // eslint-disable-next-line @typescript-eslint/no-empty-object-type
    interface User extends Account {}
  }
}

/** A session that is not used ends after so long, in milliseconds. */
const SESSION_ENDS_AFTER = 12 * 3600 * 1000
/** Failed attempts to sign in that one address has in a quarter of an hour. */
const MOST_ATTEMPTS = 10

/** Who may do what. On loopback nobody signs in; opened to a network, everybody does. */
export class AccessControl {
  readonly isRequired: boolean
  private readonly passport = new passport.Passport()
  private readonly pool: pg.Pool | null
  private readonly firstCode: string

  constructor(private readonly database: Database, private readonly settings: Settings) {
    this.isRequired = settings.signIn
    this.firstCode = settings.firstCode || String(randomInt(1e8)).padStart(8, '0')
    this.pool = this.isRequired ? new pg.Pool({ connectionString: settings.databaseUrl, max: 2 }) : null
    this.pool?.on('error', () => undefined)
    this.passport.use(new Strategy({ usernameField: 'name' }, (name, password, done) => {
      signedIn(database, name, password).then((account) => done(null, account ?? false), done)
    }))
    this.passport.serializeUser((account, done) => done(null, account.id))
    // An account that was removed has no session any more.
    this.passport.deserializeUser((id: string, done) => {
      readAccount(database, id).then((account) => done(null, account ?? false), done)
    })
  }

  /** What every request goes through. */
  mount(app: Express): void {
    if (!this.pool) return
    const PgStore = connectPgSimple(session)
    app.set('trust proxy', this.settings.trustProxy)
    app.use('/api', session({
      name: 'fennip', secret: this.settings.sessionSecret, resave: false, saveUninitialized: false, rolling: true,
      store: new PgStore({ pool: this.pool, tableName: 'sessions' }),
      cookie: { httpOnly: true, secure: true, sameSite: 'strict', maxAge: SESSION_ENDS_AFTER },
    }))
    app.use('/api', this.passport.initialize() as RequestHandler, this.passport.session() as RequestHandler)
    // Passwords are guessed where one signs in, the code for the first account where accounts are made.
    app.post(['/api/session', '/api/accounts'], rateLimit({
      windowMs: 15 * 60_000, limit: MOST_ATTEMPTS, skipSuccessfulRequests: true, standardHeaders: 'draft-8', legacyHeaders: false,
      handler: (_request, _response, next) => next(new ProblemError('too-many-attempts', { title: 'Too many attempts', detail: 'A password or code was wrong too often from this address. Wait a quarter of an hour.', status: 429 })),
    }))
  }

  /** @throws {ProblemError} 401 for who is not signed in, 403 for who may not. */
  readonly check = (request: Request, access: Access): void => {
    if (!this.isRequired || access === 'anyone') return
    if (access === 'operator' && this.settings.metricsToken !== '' && request.headers.authorization === `Bearer ${this.settings.metricsToken}`) return
    if (!request.user) throw new ProblemError('not-signed-in', { title: 'You are not signed in', detail: 'Sign in to go on. What you changed and is not saved yet is kept in this browser until then.', status: 401 })
    if (access !== 'account' && request.user.role !== 'owner') throw new ProblemError('only-owners', { title: 'You may look, not change', detail: `The account ${request.user.name} is one for viewing. Ask an owner of this Fennip for what you need.`, status: 403 })
  }

  /** Sign the request's browser in. A new session is begun, so that one known before is worth nothing. @throws {ProblemError} when name or password is wrong. */
  async signIn(request: Request): Promise<Account> {
    const account = await new Promise<Account | false>((resolve, reject) => {
      const authenticate = this.passport.authenticate('local', (error: unknown, found: Account | false) => (error ? reject(error as Error) : resolve(found))) as RequestHandler
      void authenticate(request, request.res!, (error?: unknown) => reject(error as Error))
    })
    if (!account) throw new ProblemError('sign-in-failed', { title: 'That is not right', detail: 'Name or password is wrong. Mind capital letters.', status: 403 })
    await new Promise<void>((resolve, reject) => request.logIn(account, (error?: unknown) => (error ? reject(error as Error) : resolve())))
    return account
  }

  async signOut(request: Request): Promise<void> {
    if (!this.isRequired) return
    await new Promise<void>((resolve, reject) => request.session.destroy((error?: unknown) => (error ? reject(error as Error) : resolve())))
  }

  /** The code with which the first owner is made, while there is none. */
  async codeForFirst(): Promise<string | null> {
    return this.isRequired && (await listAccounts(this.database)).length === 0 ? this.firstCode : null
  }

  async stop(): Promise<void> {
    await this.pool?.end()
  }
}
