import type { Schema } from 'joi';
import { addressOf, type Route } from './route';

/** How a schema of the contract is written in JSON Schema; given in, so that the server itself does not carry the converter. */
export type ToJsonSchema = (schema: Schema) => object;

/** The description of the interface (OpenAPI 3.1), made from the routes that the server mounts. */
export function describeApi(routes: readonly Route[], toJson: ToJsonSchema): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const r of routes) {
    const path = `/api${addressOf(r).replace(/:(\w+)/g, '{$1}')}`;
    const names = [...path.matchAll(/\{(\w+)\}/g)].map((m) => m[1]);
    // the upload protocol uses several methods on one address
    for (const method of r.method === 'all' ? ['post', 'head', 'patch'] : [r.method]) {
      (paths[path] ??= {})[method] = {
        summary: r.what,
        'x-access': r.access,
        ...(r.access === 'open' ? { security: [] } : {}),
        ...(names.length > 0 ? { parameters: names.map((name) => ({ name, in: 'path', required: true, schema: { type: 'string' } })) } : {}),
        ...(r.body ? { requestBody: { required: true, content: { 'application/json': { schema: toJson(r.body) } } } } : {}),
        responses: { '2XX': { description: 'done' }, default: { description: 'a problem', content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } } } },
      };
    }
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Mesure', version: '1', description: 'A change needs the header x-csrf-token, which the session gives. Every error is an RFC 9457 problem.' },
    security: [{ session: [] }],
    paths: Object.fromEntries(Object.entries(paths).sort(([a], [b]) => a.localeCompare(b))),
    components: {
      securitySchemes: { session: { type: 'apiKey', in: 'cookie', name: '__Host-mesure' } },
      schemas: {
        Problem: {
          type: 'object',
          required: ['title', 'status', 'code', 'detail'],
          properties: {
            title: { type: 'string' },
            status: { type: 'integer' },
            code: { type: 'string' },
            detail: { type: 'string' },
            instance: { type: 'string', description: 'the request id' },
            fields: { type: 'array', items: { type: 'object', properties: { field: { type: 'string' }, message: { type: 'string' } } } },
          },
        },
      },
    },
  };
}
