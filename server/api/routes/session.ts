import * as validators from '@fennip/core/treatment/generated/validators.js'
import { ProblemError } from '@fennip/core/problem.js'
import { addAccount, changePassword, listAccounts, removeAccount, signedIn } from '../../access/accounts.js'
import { AccountBody, PasswordBody, SignInBody, type AccountRequest, type PasswordRequest } from '../bodies.js'
import { parameter, type Route, type RouteTools } from '../route.js'

/** Signing in and out, and the accounts of a Fennip that is open to a network. */
export function sessionRoutes({ database, access }: RouteTools): Route[] {
  return [
    { method: 'get', path: '/session', summary: 'Whether signing in is required, and who is signed in', access: 'anyone', success: 200, handle: async (request) => ({ required: access.isRequired, account: request.user ?? null, isFirst: (await access.codeForFirst()) !== null }) },
    { method: 'post', path: '/session', summary: 'Sign in', access: 'anyone', body: SignInBody, validate: validators.validateSignInBody, success: 200, handle: async (request) => ({ account: await access.signIn(request) }) },
    { method: 'delete', path: '/session', summary: 'Sign out', access: 'anyone', success: 200, handle: async (request) => {
      await access.signOut(request)
      return { account: null }
    } },
    { method: 'post', path: '/session/password', summary: 'Change the own password', access: 'account', body: PasswordBody, validate: validators.validatePasswordBody, success: 200, handle: async (request) => {
      const { password, newPassword } = request.body as PasswordRequest
      const account = request.user && (await signedIn(database, request.user.name, password))
      if (!account) throw new ProblemError('sign-in-failed', { title: 'That is not right', detail: 'The present password is wrong; it stays as it is.', status: 403 })
      await changePassword(database, account.id, newPassword)
      return { changed: true }
    } },
    { method: 'get', path: '/accounts', summary: 'All accounts', access: 'owner', success: 200, handle: async () => ({ accounts: await listAccounts(database) }) },
    { method: 'post', path: '/accounts', summary: 'Make an account; the first, an owner, with the code that the server wrote to its log', access: 'anyone', body: AccountBody, validate: validators.validateAccountBody, success: 201, handle: async (request) => {
      const { name, password, role, code } = request.body as AccountRequest
      const first = await access.codeForFirst()
      if (first === null) access.check(request, 'owner')
      else if (code !== first) throw new ProblemError('code-wrong', { title: 'The code is wrong', detail: 'The first account is made with the code that the server wrote to its log when it started.', status: 403 })
      return { account: await addAccount(database, name, password, first === null ? role : 'owner') }
    } },
    { method: 'delete', path: '/accounts/{account}', summary: 'Remove an account', access: 'owner', success: 200, handle: async (request) => {
      await removeAccount(database, parameter(request, 'account'))
      return { removed: true }
    } },
  ]
}
