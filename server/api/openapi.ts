/** The OpenAPI 3.1 description, made from the route table. */
import { z } from 'zod'
import { breath } from '../breath'
import { version } from '../gyrarch'
import { finding, plan } from './change-shape'
import { routes } from './routes'
import { atQuery, type Route } from './route'

const schemaOf = (type: z.ZodType, io: 'input' | 'output') =>
  z.toJSONSchema(type, { io, unrepresentable: 'any' })

const errorShape = z.object({
  error: z.object({
    code: z.enum(['invalid', 'not-found', 'conflict', 'too-large', 'forbidden', 'unavailable']),
    says: z.string(),
    fields: z.array(z.object({ path: z.string(), says: z.string() })),
  }),
  /** Where a plan has changed since it was read: the plan as it is now. */
  plan: plan.nullable().optional(),
  planDigest: z.string().nullable().optional(),
  findings: z.array(finding).optional(),
})

const ofText = { schema: { type: 'string' } }
const ofBytes = { schema: { type: 'string', format: 'binary' } }

/** Media types of which no text can be shown. */
const isBinary = (type: string): boolean => /tar|iso/.test(type)

const contentOf = (route: Route) => ({
  ...(route.answer ? { 'application/json': { schema: schemaOf(route.answer, 'output') } } : {}),
  ...Object.fromEntries(
    (route.texts ?? []).map((type) => [type, isBinary(type) ? ofBytes : ofText]),
  ),
})

function bodyOf(route: Route, body: z.ZodType) {
  const schema = schemaOf(body, 'input')
  // Several documents of YAML, or one object or a list in JSON.
  if (route.manifest === true)
    return { 'application/yaml': ofText, 'application/json': { schema: { type: 'object' } } }
  return {
    'application/json': { schema },
    ...(route.yaml === true ? { 'application/yaml': { schema } } : {}),
  }
}

/** A name for programs that are made from the description: `postChangesByIdRun`. */
const operationId = ({ method, path }: Route): string =>
  method +
  path
    .split('/')
    .map((part) => (part.startsWith(':') ? `-by-${part.slice(1)}` : `-${part}`))
    .join('')
    .replace(/[^a-zA-Z]+(\w)/g, (_, letter: string) => letter.toUpperCase())

function operation(route: Route) {
  const names = [...route.path.matchAll(/:(\w+)/g)].map((match) => match[1] ?? '')
  const queryNames = [...(route.query ? [route.query] : []), ...(route.past ? [atQuery] : [])]
    .map((type) => schemaOf(type, 'input'))
    .flatMap(({ properties }) => Object.entries(properties ?? {}))
  return {
    operationId: operationId(route),
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
            required: !route.path.startsWith('/changes/:id/'),
            content: bodyOf(route, route.body),
          },
        }
      : {}),
    responses: {
      [String(route.status ?? 200)]: {
        description: route.says,
        content: contentOf(route),
      },
      default: {
        description: 'What is wrong, and with which field.',
        content: { 'application/json': { schema: schemaOf(errorShape, 'output') } },
      },
    },
  }
}

/** Others have their turn between two operations: the schemas of all of them take a third of a second. */
export async function openApi() {
  const paths: Record<string, Record<string, unknown>> = {
    '/live': {
      get: {
        operationId: 'getLive',
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
    await breath()
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
