/**
 * Which HTTPRoute takes a request. Precedence as the specification orders it: host name before path, then method,
 * headers, query, age, name, place in the list. Source: Gateway API v1, HTTPRouteSpec.hostnames and HTTPRouteRule.matches.
 */
import { RE2JS } from 're2js'
import type { HttpRouteObject } from '../objects'

export interface RouteRequest {
  readonly host: string
  readonly path: string
  readonly method: string
  readonly headers: Readonly<Record<string, string>>
  readonly query: Readonly<Record<string, string>>
}

export interface RoutedTo {
  readonly route: string
  readonly rule: number
  readonly backends: readonly { readonly name: string; readonly share: number }[]
}

type RuleObject = NonNullable<NonNullable<NonNullable<HttpRouteObject['spec']>['rules']>>[number]
type MatchObject = NonNullable<RuleObject['matches']>[number]
type NamedValue = NonNullable<MatchObject['headers']>[number]

interface Test {
  /** 3 exact, 2 regular expression, 1 prefix. */
  readonly pathRank: number
  readonly pathLength: number
  readonly path: (path: string) => boolean
  readonly method: string | null
  readonly headers: readonly { readonly name: string; readonly test: (value: string) => boolean }[]
  readonly query: readonly { readonly name: string; readonly test: (value: string) => boolean }[]
}

export interface ReadyRoute {
  readonly key: string
  readonly made: number
  readonly hostnames: readonly string[]
  readonly rules: readonly {
    readonly tests: readonly Test[]
    readonly backends: readonly { readonly name: string; readonly weight: number }[]
  }[]
}

export type RoutesRead =
  | { readonly ok: true; readonly routes: readonly ReadyRoute[] }
  | { readonly ok: false; readonly path: string; readonly says: string }

class Wrong extends Error {
  readonly path: string
  constructor(path: string, says: string) {
    super(says)
    this.path = path
  }
}

/** Whole match by an engine whose time grows with the length of the text alone. */
function expression(text: string, path: string): (value: string) => boolean {
  try {
    const compiled = RE2JS.compile(text)
    return (value) => compiled.matches(value)
  } catch {
    throw new Wrong(
      path,
      `“${text.slice(0, 60)}” is no regular expression that runs in linear time: no look-around and no back-references.`,
    )
  }
}

const withoutSlash = (text: string): string =>
  text.length > 1 && text.endsWith('/') ? text.replace(/\/+$/, '') || '/' : text

function pathTest(
  given: MatchObject['path'],
  at: string,
): Pick<Test, 'path' | 'pathRank' | 'pathLength'> {
  const type = given?.type ?? 'PathPrefix'
  const value = given?.value ?? '/'
  if (type !== 'RegularExpression' && !value.startsWith('/'))
    throw new Wrong(`${at}.path.value`, `A path begins with a slash: “/${value.slice(0, 60)}”.`)
  if (type === 'Exact')
    return { pathRank: 3, pathLength: value.length, path: (path) => path === value }
  if (type === 'RegularExpression')
    return { pathRank: 2, pathLength: value.length, path: expression(value, `${at}.path.value`) }
  if (type !== 'PathPrefix')
    throw new Wrong(
      `${at}.path.type`,
      `“${type.slice(0, 40)}” is no way to match a path: Exact, PathPrefix or RegularExpression.`,
    )
  const prefix = withoutSlash(value)
  return {
    pathRank: 1,
    pathLength: prefix.length,
    path: (path) => prefix === '/' || path === prefix || path.startsWith(`${prefix}/`),
  }
}

/** Only the first of several entries of one name counts. */
function valueTests(
  given: readonly NamedValue[] | null | undefined,
  fold: (name: string) => string,
  at: string,
): Test['headers'] {
  const seen = new Set<string>()
  return (given ?? []).flatMap((entry, i) => {
    const name = fold(entry.name)
    if (seen.has(name)) return []
    seen.add(name)
    const { value } = entry
    return [
      {
        name,
        test:
          entry.type === 'RegularExpression'
            ? expression(value, `${at}[${i}].value`)
            : (text: string): boolean => text === value,
      },
    ]
  })
}

const lower = (text: string): string => text.toLowerCase()
const same = (text: string): string => text

function readRoute(object: HttpRouteObject, at: string): ReadyRoute {
  const made = Date.parse(object.metadata.creationTimestamp ?? '')
  for (const [i, name] of (object.spec?.hostnames ?? []).entries()) {
    if (name.slice(1).includes('*') || (name.startsWith('*') && !name.startsWith('*.')))
      throw new Wrong(
        `${at}.spec.hostnames[${i}]`,
        `“${name.slice(0, 80)}” has its wild card in the wrong place: it stands alone as the first label, like *.fernhollow.example.`,
      )
  }
  return {
    key: `${object.metadata.namespace ?? 'default'}/${object.metadata.name}`,
    made: Number.isNaN(made) ? Infinity : made,
    hostnames: (object.spec?.hostnames ?? []).map((name) => lower(name).replace(/\.$/, '')),
    rules: (object.spec?.rules ?? []).map((rule, i) => {
      const matches: readonly MatchObject[] =
        (rule.matches ?? []).length > 0 ? (rule.matches ?? []) : [{}]
      return {
        tests: matches.map((match, j): Test => {
          const here = `${at}.spec.rules[${i}].matches[${j}]`
          return {
            ...pathTest(match.path, here),
            method: match.method ?? null,
            headers: valueTests(match.headers, lower, `${here}.headers`),
            query: valueTests(match.queryParams, same, `${here}.queryParams`),
          }
        }),
        backends: (rule.backendRefs ?? []).map((backend) => ({
          name: backend.name,
          weight: backend.weight ?? 1,
        })),
      }
    }),
  }
}

/** Reads routes; the first thing wrong with one is named by its path below `paths`. */
export function readRoutes(
  objects: readonly { readonly object: HttpRouteObject; readonly path: string }[],
): RoutesRead {
  try {
    return { ok: true, routes: objects.map(({ object, path }) => readRoute(object, path)) }
  } catch (error) {
    if (error instanceof Wrong) return { ok: false, path: error.path, says: error.message }
    throw error
  }
}

/** Host name without case and port. */
export function hostOf(text: string): string {
  const six = /^(\[[^\]]*\])(?::\d*)?$/.exec(text)
  return lower(six?.[1] ?? text.replace(/:\d*$/, '')).replace(/\.$/, '')
}

/** How well a route’s host names meet a host: characters of the best one that is no wild card, then of the best one at all; null where none does. */
function hostRank(hostnames: readonly string[], host: string): readonly [number, number] | null {
  if (hostnames.length === 0) return [0, 0]
  let exact = 0
  let any = 0
  let met = false
  for (const name of hostnames) {
    const wild = name.startsWith('*.')
    if (wild ? !(host.endsWith(name.slice(1)) && host.length > name.length - 1) : host !== name)
      continue
    met = true
    any = Math.max(any, name.length)
    if (!wild) exact = Math.max(exact, name.length)
  }
  return met ? [exact, any] : null
}

function holds(
  test: Test,
  request: RouteRequest,
  headers: ReadonlyMap<string, string>,
  query: ReadonlyMap<string, string>,
): boolean {
  if (!test.path(request.path)) return false
  if (test.method !== null && test.method !== request.method) return false
  const all = (wanted: Test['headers'], given: ReadonlyMap<string, string>): boolean =>
    wanted.every(({ name, test: meets }) => {
      const value = given.get(name)
      return value !== undefined && meets(value)
    })
  return all(test.headers, headers) && all(test.query, query)
}

/** The route and rule that take a request, with each backend’s share of 1; null if none does. */
export function routeRequest(
  routes: readonly ReadyRoute[],
  request: RouteRequest,
): RoutedTo | null {
  const host = hostOf(request.host)
  const headers = new Map(
    Object.entries(request.headers).map(([name, value]) => [lower(name), value]),
  )
  const query = new Map(Object.entries(request.query))
  let best: {
    readonly rank: readonly (number | string)[]
    readonly route: ReadyRoute
    readonly rule: number
  } | null = null
  for (const route of routes) {
    const rank = hostRank(route.hostnames, host)
    if (!rank) continue
    for (const [i, rule] of route.rules.entries()) {
      for (const test of rule.tests) {
        if (!holds(test, request, headers, query)) continue
        // Smaller is better, compared from left to right.
        const order = [
          -rank[0],
          -rank[1],
          -test.pathRank,
          -test.pathLength,
          test.method === null ? 1 : 0,
          -test.headers.length,
          -test.query.length,
          route.made,
          route.key,
          i,
        ]
        if (best === null || before(order, best.rank)) best = { rank: order, route, rule: i }
      }
    }
  }
  if (!best) return null
  const backends = best.route.rules[best.rule]?.backends ?? []
  const sum = backends.reduce((total, backend) => total + backend.weight, 0)
  return {
    route: best.route.key,
    rule: best.rule,
    backends: backends.map(({ name, weight }) => ({ name, share: sum === 0 ? 0 : weight / sum })),
  }
}

function before(a: readonly (number | string)[], b: readonly (number | string)[]): boolean {
  for (const [i, left] of a.entries()) {
    const right = b[i] ?? 0
    if (left !== right) return left < right
  }
  return false
}
