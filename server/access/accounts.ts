import { randomBytes, randomUUID, scrypt, timingSafeEqual } from 'node:crypto'
import type { Account, Role } from '@fennip/core/accounts.js'
import { ProblemError } from '@fennip/core/problem.js'
import type { Database } from '../database/database.js'
import { notify } from '../events.js'

/** Cost of the hash: 2^17 rounds with blocks of 8 take 128 MB and some tenths of a second (OWASP Password Storage Cheat Sheet, scrypt; from memory). */
const COST = { N: 2 ** 17, r: 8, p: 1, maxmem: 256 * 2 ** 20 }
const HASH_BYTES = 32

const derive = (password: string, salt: Buffer): Promise<Buffer> =>
  new Promise((resolve, reject) => scrypt(password.normalize('NFKC'), salt, HASH_BYTES, COST, (error, key) => (error ? reject(error) : resolve(key))))

/** @returns Salt and hash (scrypt, RFC 7914) as text. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16)
  return `${salt.toString('base64')}:${(await derive(password, salt)).toString('base64')}`
}

export async function isPassword(password: string, kept: string): Promise<boolean> {
  const [salt, hash] = kept.split(':').map((part) => Buffer.from(part, 'base64')) as [Buffer, Buffer]
  return timingSafeEqual(await derive(password, salt), hash)
}

/** A hash that no password has: an unknown name takes as long as a wrong password. */
const NOBODY = `${Buffer.alloc(16).toString('base64')}:${Buffer.alloc(HASH_BYTES).toString('base64')}`

const accountOf = ({ id, name, role }: Account): Account => ({ id, name, role })

/** @returns The account, or null when name or password is wrong. */
export async function signedIn(database: Database, name: string, password: string): Promise<Account | null> {
  const row = (await database('accounts').where('name', name.trim()).first()) as (Account & { password: string }) | undefined
  const isRight = await isPassword(password, row?.password ?? NOBODY)
  return row && isRight ? accountOf(row) : null
}

export async function readAccount(database: Database, id: string): Promise<Account | null> {
  const row = (await database('accounts').where('id', id).first()) as Account | undefined
  return row ? accountOf(row) : null
}

export async function listAccounts(database: Database): Promise<Account[]> {
  return ((await database('accounts').orderBy('name')) as Account[]).map(accountOf)
}

/** @throws {ProblemError} when the name is taken. */
export async function addAccount(database: Database, name: string, password: string, role: Role): Promise<Account> {
  const account = { id: randomUUID(), name: name.trim(), role }
  if (account.name === '') throw new ProblemError('name-missing', { title: 'The name is missing', detail: 'An account needs a name that is not empty.', status: 422 })
  const inserted = (await database('accounts').insert({ ...account, password: await hashPassword(password) }).onConflict('name').ignore().returning('id')) as unknown[]
  if (inserted.length === 0) throw new ProblemError('name-taken', { title: 'The name is taken', detail: `There is an account ${account.name} already. Choose another name.`, status: 409 })
  return account
}

/** Change a password. Sessions of the account go on. */
export async function changePassword(database: Database, id: string, password: string): Promise<void> {
  await database('accounts').where({ id }).update({ password: await hashPassword(password) })
}

/** Remove an account; its sessions end with it. @throws {ProblemError} for an unknown one, and for the last owner. */
export async function removeAccount(database: Database, id: string): Promise<void> {
  await database.transaction(async (change) => {
    const owners = (await change('accounts').where('role', 'owner').forUpdate().select('id')) as { id: string }[]
    if (owners.length === 1 && owners[0]!.id === id) throw new ProblemError('last-owner', { title: 'This is the last owner', detail: 'Without an owner nobody could change anything. Make another owner first.', status: 409 })
    if ((await change('accounts').where({ id }).delete()) === 0) throw new ProblemError('account-unknown', { title: 'There is no such account', detail: 'It was removed already.', status: 404 })
    await notify(change, { type: 'account-removed', account: id })
  })
}
