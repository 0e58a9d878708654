import type { Route } from './route.js'

/** OpenAPI 3.1 description of the list. */
export function describeOpenApi(routes: readonly Route[]): Record<string, unknown> {
  const paths: Record<string, Record<string, unknown>> = {}
  for (const route of routes) {
    const parameters = [...route.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({ name, in: 'path', required: true, schema: { type: 'string' } }))
    ;(paths[`/api${route.path}`] ??= {})[route.method] = {
      summary: route.summary,
      // Open to a network, everything else needs an account; changing needs an owner's.
      ...(route.access === 'anyone' ? { security: [] } : route.access === 'operator' ? { security: [{ account: [] }, { operator: [] }] } : {}),
      ...(parameters.length > 0 ? { parameters } : {}),
      ...(route.body ? { requestBody: { required: true, content: { 'application/json': { schema: route.body } } } } : {}),
      responses: {
        [route.success]: { description: 'Done', content: { [route.produces ?? 'application/json']: {} } },
        default: { description: 'A problem as RFC 9457 describes it', content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } } },
      },
    }
  }
  paths['/api/uploads'] = {
    post: { summary: 'Begin a resumable upload (tus 1.0.0); metadata filename and job', responses: { 201: { description: 'Begun' } } },
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Fennip', version: '0.1.0', description: 'Finds and mends flaws in photographs.' },
    security: [{ account: [] }],
    paths,
    components: {
      securitySchemes: { account: { type: 'apiKey', in: 'cookie', name: 'fennip', description: 'The session of an account. On loopback none is needed.' }, operator: { type: 'http', scheme: 'bearer' } },
      schemas: {
        Problem: { type: 'object', required: ['type', 'title', 'status', 'detail'], properties: { type: { type: 'string' }, title: { type: 'string' }, status: { type: 'integer' }, detail: { type: 'string' } } },
      },
    },
  }
}
