/** Requests made from the API’s own description and from the pages’ addresses, most of them a little or very wrong. */
import { ask } from './served.mjs'

/** What belongs nowhere, in every type that JSON has. */
export const hostile = [
  null,
  true,
  -1,
  0,
  1e308,
  2 ** 53,
  '',
  ' ',
  '\u0000',
  'a\nb',
  '../../etc/passwd',
  "'; DROP TABLE changes; --",
  '<script>alert(1)</script>',
  '=cmd()',
  '\ud800',
  '🦆'.repeat(50),
  'x'.repeat(100_000),
  '__proto__',
  'constructor',
  '(a+)+$',
  '10.0.0.0/8',
  '::/0',
  '999.1.1.1/40',
  '2026-02-30T25:61:00Z',
  [],
  [[[[[[[[]]]]]]]],
  {},
  { __proto__: null, toString: 1 },
  Array.from({ length: 1000 }, () => 0),
]
/** Names that stand for something in the demo. */
const names = ['bramble', 'cedar', 'dill', 'tarn-north', 'mossgate', 'c-1', '1', 'demo', 'general']

/** A value as a schema asks for it, wrong in places. */
function valueOf(schema, chance, depth = 0) {
  if (chance.is(0.08) || depth > 8) return chance.pick(hostile)
  const { type, enum: choices, anyOf, oneOf, const: only, properties, items } = schema ?? {}
  if (only !== undefined) return only
  if (choices) return chance.pick(choices)
  const either = anyOf ?? oneOf
  if (either) return valueOf(chance.pick(either), chance, depth + 1)
  switch (Array.isArray(type) ? chance.pick(type) : type) {
    case 'string':
      return chance.is(0.5)
        ? chance.pick(names)
        : chance.pick(hostile.filter((it) => typeof it === 'string'))
    case 'integer':
    case 'number':
      return chance.pick([0, 1, 3, 50, schema.minimum ?? -5, schema.maximum ?? 1e9, 0.5])
    case 'boolean':
      return chance.is(0.5)
    case 'array':
      return Array.from({ length: chance.below(4) }, () => valueOf(items, chance, depth + 1))
    case 'object': {
      const made = {}
      for (const [name, of] of Object.entries(properties ?? {}))
        if (!chance.is(0.15)) made[name] = valueOf(of, chance, depth + 1)
      if (chance.is(0.05)) made[chance.pick(['__proto__', 'extra', ''])] = 1
      return made
    }
    default:
      return chance.pick(hostile)
  }
}

/** A part of an address: a name of the demo, or what belongs nowhere. */
export const word = (chance) =>
  encodeURIComponent(
    chance.is(0.6)
      ? chance.pick(names)
      : String(chance.pick(hostile.filter((it) => typeof it === 'string')))
          .slice(0, 500)
          .toWellFormed(),
  )

/** The clock is moved by whoever measures. */
const leftOut = new Set(['/clock', '/live'])

export async function operationsOf(served) {
  const { json } = await ask(served, 'GET', '/openapi.json')
  return Object.entries(json.paths).flatMap(([path, methods]) =>
    Object.entries(methods)
      .filter(
        ([method]) => ['get', 'post', 'patch', 'delete'].includes(method) && !leftOut.has(path),
      )
      .map(([method, operation]) => ({ method: method.toUpperCase(), path, operation })),
  )
}

/** One request of the API: its answer’s status, and what was asked. */
export async function fuzzApi(served, operations, chance) {
  const { method, path, operation } = chance.pick(operations)
  const query = (operation.parameters ?? [])
    .filter((parameter) => parameter.in === 'query' && chance.is(0.5))
    .map(({ name }) => `${name}=${word(chance)}`)
    .join('&')
  const filled =
    path.replaceAll(/\{[^}]+\}/g, () => word(chance)) + (query === '' ? '' : `?${query}`)
  const schema = operation.requestBody?.content?.['application/json']?.schema
  const body =
    method === 'GET' || (!schema && chance.is(0.7))
      ? undefined
      : chance.is(0.05)
        ? chance.pick(['{', '[', '"', '{"a":}', '\u0000', '{"a":"\\ud800"}', 'null', ''])
        : JSON.stringify(valueOf(schema ?? {}, chance))
  const answer = await ask(
    served,
    method,
    filled,
    body,
    chance.is(0.05) ? { 'content-type': 'application/yaml' } : {},
  )
  return { status: answer.status, says: `${method} ${filled} ${(body ?? '').slice(0, 300)}` }
}

const pages = [
  ['/fleet', '/ground', '/ground/addresses', '/ground/names', '/raise', '/shape', '/shape/board'],
  ['/shape/manifests', '/shape/workloads', '/shape/windows', '/shape/spend', '/wire', '/wire/walk'],
  [
    '/store',
    '/store/registries',
    '/renew',
    '/renew/audit',
    '/renew/rehearse',
    '/mend',
    '/mend/practice',
    '/journal',
  ],
  ['/keys', '/faults', '/do/draft', '/clusters/bramble', '/changes/c-1', '/raise/c-1', '/mend/k-1'],
].flat()
const fields = ['do', 'aim', 'site', 'cluster', 'name', 'text', 'intent', 'at', 'on', 'tab', 'kind']

/** One request of a page, its data, or its action. */
export async function fuzzPage(served, chance) {
  const path = chance.pick(pages) + (chance.is(0.5) ? '.data' : '')
  const query = Array.from(
    { length: chance.below(3) },
    () => `${chance.pick(fields)}=${word(chance)}`,
  )
  const url = `${served.url}${path}?${query.join('&')}`
  const sent = chance.is(0.5)
  const isJson = chance.is(0.5)
  const values = Object.fromEntries(
    Array.from({ length: chance.below(5) }, () => [chance.pick(fields), chance.pick(hostile)]),
  )
  const text = (value) => (typeof value === 'string' ? value : JSON.stringify(value)).toWellFormed()
  const body = isJson
    ? JSON.stringify(values)
    : Object.entries(values)
        .map(([name, value]) => `${name}=${encodeURIComponent(text(value))}`)
        .join('&')
  try {
    const response = await fetch(url, {
      redirect: 'manual',
      ...(sent
        ? {
            method: 'POST',
            body,
            headers: {
              'content-type': isJson ? 'application/json' : 'application/x-www-form-urlencoded',
            },
          }
        : {}),
    })
    await response.text()
    return {
      status: response.status,
      says: `${sent ? 'POST' : 'GET'} ${url} ${sent ? body.slice(0, 300) : ''}`,
    }
  } catch (error) {
    return { status: 0, says: `${url}: ${String(error)}` }
  }
}
