import { describe, expect, it } from 'vitest'
import type { HttpRouteObject } from '../objects'
import { hostOf, readRoutes, routeRequest, type RouteRequest } from '.'

type Rule = NonNullable<NonNullable<NonNullable<HttpRouteObject['spec']>['rules']>>[number]
const to = (name: string, ...matches: NonNullable<Rule['matches']>): Rule => ({
  matches,
  backendRefs: [{ name }],
})
const route = (
  name: string,
  rules: readonly Rule[],
  more: { readonly hostnames?: string[]; readonly made?: string; readonly namespace?: string } = {},
): HttpRouteObject => ({
  kind: 'HTTPRoute',
  metadata: {
    name,
    namespace: more.namespace ?? 'market',
    ...(more.made === undefined ? {} : { creationTimestamp: more.made }),
  },
  spec: { ...(more.hostnames ? { hostnames: more.hostnames } : {}), rules: [...rules] },
})
const prefix = (value: string) => ({ path: { type: 'PathPrefix', value } })
const exact = (value: string) => ({ path: { type: 'Exact', value } })
const like = (value: string) => ({ path: { type: 'RegularExpression', value } })

function read(objects: readonly HttpRouteObject[]) {
  return readRoutes(objects.map((object, i) => ({ object, path: `objects[${i}]` })))
}
function ask(objects: readonly HttpRouteObject[], more: Partial<RouteRequest> = {}) {
  const routes = read(objects)
  if (!routes.ok) throw new Error(routes.says)
  return routeRequest(routes.routes, {
    host: 'desk.fernhollow.example',
    path: '/',
    method: 'GET',
    headers: {},
    query: {},
    ...more,
  })
}
const backend = (objects: readonly HttpRouteObject[], more: Partial<RouteRequest> = {}) =>
  ask(objects, more)?.backends[0]?.name

describe('a request', () => {
  it('is shared by weight; a weight of 0 is listed', () => {
    expect(
      ask([
        route('desk', [
          {
            backendRefs: [
              { name: 'v1', weight: 3 },
              { name: 'v2', weight: 1 },
              { name: 'v3', weight: 0 },
            ],
          },
        ]),
      ]),
    ).toEqual({
      route: 'market/desk',
      rule: 0,
      backends: [
        { name: 'v1', share: 0.75 },
        { name: 'v2', share: 0.25 },
        { name: 'v3', share: 0 },
      ],
    })
  })
  it('goes to the exact path, then a regular expression, then the longest prefix', () => {
    const routes = [
      route('all', [
        to('short', prefix('/a')),
        to('long', prefix('/a/b')),
        to('pattern', like('/a/b/[0-9]+')),
        to('exact', exact('/a/b/7')),
      ]),
    ]
    expect(
      ['/a', '/a/b/c', '/a/b/8', '/a/b/7', '/ab'].map((path) => backend(routes, { path })),
    ).toEqual(['short', 'long', 'pattern', 'exact', undefined])
  })
  it('meets a prefix element by element; its last slash does not count', () => {
    expect(
      ['/foo', '/foo/', '/foo/bar', '/foobar'].map((path) =>
        backend([route('r', [to('x', prefix('/foo/'))])], { path }),
      ),
    ).toEqual(['x', 'x', 'x', undefined])
  })
  it('meets a regular expression whole, and none that could run for ever', () => {
    expect(backend([route('r', [to('x', like('/a+'))])], { path: '/aaab' })).toBeUndefined()
    expect(read([route('r', [to('x', like('(a)\\1'))])])).toMatchObject({
      ok: false,
      path: 'objects[0].spec.rules[0].matches[0].path.value',
    })
    expect(
      backend([route('r', [to('x', like('/(a+)+'))])], { path: `/${'a'.repeat(5000)}b` }),
    ).toBeUndefined()
  })
  it('goes by host name before path: exact before wild, longer before shorter', () => {
    const routes = [
      route('any', [to('any', exact('/x'))]),
      route('wild', [to('wild')], { hostnames: ['*.fernhollow.example'] }),
      route('near', [to('near')], { hostnames: ['desk.fernhollow.example'] }),
    ]
    expect(backend(routes, { path: '/x' })).toBe('near')
    expect(backend(routes, { path: '/x', host: 'OTHER.fernhollow.example:8443' })).toBe('wild')
    expect(backend(routes, { path: '/x', host: 'fernhollow.example' })).toBe('any')
    expect(backend(routes, { path: '/x', host: 'a.b.fernhollow.example' })).toBe('wild')
  })
  it('then by method, number of headers, number of query parameters', () => {
    const header = (name: string) => ({ name, value: 'y' })
    const routes = [
      route('r', [
        to('plain', prefix('/')),
        to('query', { ...prefix('/'), queryParams: [header('q')] }),
        to('one', { ...prefix('/'), headers: [header('X-One')] }),
        to('two', { ...prefix('/'), headers: [header('x-one'), header('x-two')] }),
        to('post', { ...prefix('/'), method: 'POST' }),
      ]),
    ]
    expect(backend(routes)).toBe('plain')
    expect(backend(routes, { query: { q: 'y' } })).toBe('query')
    expect(backend(routes, { query: { q: 'y' }, headers: { 'x-ONE': 'y' } })).toBe('one')
    expect(backend(routes, { headers: { 'x-one': 'y', 'X-Two': 'y' } })).toBe('two')
    expect(backend(routes, { method: 'POST', headers: { 'x-one': 'y', 'x-two': 'y' } })).toBe(
      'post',
    )
    expect(backend(routes, { headers: { 'x-one': 'z' } })).toBe('plain')
  })
  it('then to the oldest route, the first by name, the first rule', () => {
    const young = route('a', [to('young')], { made: '2026-03-01T00:00:00Z' })
    const old = route('z', [to('old')], { made: '2026-01-01T00:00:00Z' })
    expect(backend([young, old])).toBe('old')
    expect(backend([route('b', [to('second')]), route('a', [to('first')])])).toBe('first')
    expect(ask([route('a', [to('first'), to('second')])])?.rule).toBe(0)
    expect(
      backend([route('b', [to('market')]), route('z', [to('climate')], { namespace: 'climate' })]),
    ).toBe('climate')
  })
  it('that nothing takes goes nowhere; without backends it has none', () => {
    expect(ask([route('r', [to('x', exact('/only'))])])).toBeNull()
    expect(ask([route('r', [{}])])).toEqual({ route: 'market/r', rule: 0, backends: [] })
    expect(ask([route('r', [{ backendRefs: [{ name: 'x', weight: 0 }] }])])?.backends).toEqual([
      { name: 'x', share: 0 },
    ])
  })
})

describe('host names', () => {
  it('lose case, port and the last dot', () =>
    expect(['Desk.Example:80', 'desk.example.', '[::1]:8443', 'desk'].map(hostOf)).toEqual([
      'desk.example',
      'desk.example',
      '[::1]',
      'desk',
    ]))
  it('with a wild card in the wrong place are named', () => {
    for (const name of ['desk.*.example', '*desk.example', '*'])
      expect(read([route('r', [], { hostnames: [name] })])).toMatchObject({
        ok: false,
        path: 'objects[0].spec.hostnames[0]',
      })
  })
})
