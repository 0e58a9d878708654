import type { RequestHandler } from 'express'
import { ProblemError } from '@fennip/core/problem.js'
import type { Settings } from '../settings.js'

/**
 * Refuse requests that name another host (so that no foreign page can reach a server on loopback through a name of its
 * own) and requests sent by pages of another origin.
 */
export function guardOrigin(settings: Settings): RequestHandler {
  const hosts = new Set([`127.0.0.1:${settings.port}`, `localhost:${settings.port}`, `[::1]:${settings.port}`, `${settings.host}:${settings.port}`, ...settings.allowedHosts])
  return (request, _response, next) => {
    const host = request.headers.host ?? ''
    const origin = request.headers.origin
    if (!hosts.has(host)) next(new ProblemError('host-refused', { title: 'This address is not served', detail: `Requests to ${host} are not answered here. Use the address that the start command printed.`, status: 403 }))
    else if (origin !== undefined && !hosts.has(origin.replace(/^https?:\/\//, ''))) next(new ProblemError('origin-refused', { title: 'Requests from other pages are refused', detail: `The page ${origin} may not use this server.`, status: 403 }))
    else next()
  }
}
