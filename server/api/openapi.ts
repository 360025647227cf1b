/** The OpenAPI 3.1 description, made from the route table. */
import { z } from 'zod'
import { version } from '../gyrarch'
import { routes } from './routes'
import { type Route } from './route'

const schemaOf = (type: z.ZodType, io: 'input' | 'output') =>
  z.toJSONSchema(type, { io, unrepresentable: 'any' })

const errorSchema = {
  type: 'object',
  properties: {
    error: {
      type: 'object',
      properties: {
        code: {
          enum: ['invalid', 'not-found', 'conflict', 'too-large', 'forbidden', 'unavailable'],
        },
        says: { type: 'string' },
        fields: {
          type: 'array',
          items: {
            type: 'object',
            properties: { path: { type: 'string' }, says: { type: 'string' } },
          },
        },
      },
    },
  },
}

function operation(route: Route) {
  const names = [...route.path.matchAll(/:(\w+)/g)].map((match) => match[1] ?? '')
  const query = route.query ? schemaOf(route.query, 'input') : null
  const queryNames =
    query && typeof query.properties === 'object' ? Object.entries(query.properties) : []
  return {
    summary: route.says,
    parameters: [
      ...names.map((name) => ({ name, in: 'path', required: true, schema: { type: 'string' } })),
      ...queryNames.map(([name, schema]) => ({ name, in: 'query', required: false, schema })),
      ...(route.method === 'patch'
        ? [{ name: 'If-Match', in: 'header', required: true, schema: { type: 'string' } }]
        : []),
    ],
    ...(route.body
      ? {
          requestBody: {
            required: true,
            content: { 'application/json': { schema: schemaOf(route.body, 'input') } },
          },
        }
      : {}),
    responses: {
      [String(route.status ?? 200)]: {
        description: route.says,
        content:
          route.answer === 'yaml' || route.answer === 'text'
            ? {
                [route.answer === 'yaml' ? 'application/yaml' : 'application/octet-stream']: {
                  schema: { type: 'string' },
                },
              }
            : { 'application/json': { schema: schemaOf(route.answer, 'output') } },
      },
      default: {
        description: 'What is wrong, and with which field.',
        content: { 'application/json': { schema: errorSchema } },
      },
    },
  }
}

export function openApi() {
  const paths: Record<string, Record<string, unknown>> = {
    '/live': {
      get: {
        summary: 'What happens, as server-sent events: journal, state, run, clock, reset.',
        responses: {
          '200': {
            description: 'An event stream.',
            content: { 'text/event-stream': { schema: { type: 'string' } } },
          },
        },
      },
    },
  }
  for (const route of routes) {
    const path = route.path.replace(/:(\w+)/g, '{$1}')
    paths[path] = { ...paths[path], [route.method]: operation(route) }
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Gyrarch',
      version,
      description: 'The same drafts, plans, runs and computations that the screens use.',
    },
    servers: [{ url: '/api/v1' }],
    paths,
  }
}
