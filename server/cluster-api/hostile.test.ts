/** Requests of every wrong shape at a cluster’s own API: each is answered with a Status, none by an error of the server’s own. */
import { Agent, fetch } from 'undici'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { KubeConfig } from '@kubernetes/client-node'
import { seeded } from '~/core/units'
import { type Opened, openForTest } from '../testing/open'
import { resources } from './resources'

let opened: Opened
let server = ''
let authorization = ''
let agent: Agent

beforeAll(async () => {
  opened = await openForTest()
  await opened.gyrarch.clusterServers.listen()
  const config = new KubeConfig()
  config.loadFromString((await opened.gyrarch.access('cedar')).yaml)
  const cluster = config.getCurrentCluster()
  server = cluster?.server ?? ''
  authorization = `Bearer ${config.getCurrentUser()?.token ?? ''}`
  const ca = Buffer.from(cluster?.caData ?? '', 'base64').toString()
  agent = new Agent({ connect: { ca }, allowH2: false })
})
afterAll(async () => {
  await agent.close()
  await opened.close()
})

async function ask(method: string, path: string, body?: string, contentType = 'application/json') {
  const response = await fetch(server + path, {
    method,
    dispatcher: agent,
    headers: { authorization, ...(body === undefined ? {} : { 'content-type': contentType }) },
    ...(body === undefined ? {} : { body }),
  })
  return { status: response.status, text: await response.text() }
}

const deep = `${'{"a":'.repeat(5000)}1${'}'.repeat(5000)}`
const bodies: readonly string[] = [
  '',
  'null',
  '[]',
  '"text"',
  '17',
  '{"metadata":null}',
  '{"metadata":[]}',
  '{"metadata":{"name":{}}}',
  '{"metadata":{"name":"x","labels":[1],"annotations":"y","ownerReferences":{},"finalizers":"z"}}',
  '{"metadata":{"name":"x","labels":{"a":1},"managedFields":[{"manager":1}]}}',
  '{"metadata":{"name":"x"},"spec":null}',
  '{"metadata":{"name":"x"},"spec":[1,2],"data":"text","status":7}',
  '{"metadata":{"name":"x"},"spec":{"replicas":1e308,"template":[],"selector":"y"}}',
  '{"metadata":{"name":"x"},"spec":{"template":{"spec":{"containers":{}}}}}',
  '{"metadata":{"name":"x"},"spec":{"template":{"metadata":{"labels":[]},"spec":{"containers":[null,1,"a"],"volumes":[[]]}}}}',
  '{"metadata":{"name":"__proto__"},"data":{"__proto__":"x","constructor":"y"}}',
  '{"__proto__":{"a":1},"constructor":{"prototype":{}},"metadata":{"name":"x"}}',
  '{"apiVersion":1,"kind":{},"metadata":{"name":"x"}}',
  '{"kind":"DeleteOptions","preconditions":[],"propagationPolicy":{}}',
  '{"spec":{"$patch":{},"$retainKeys":1,"containers":[{"$patch":"delete"}]}}',
  '[{"op":"add","path":"/metadata/labels","value":[]},{"op":"remove","path":"/spec"}]',
  '[{"op":"move"},{"path":"/__proto__/a"},7]',
  '[{"op":"replace","path":"","value":null}]',
  'a: &a [*a]',
  'a: &a {b: 1}\nc: *a\n<<: *a',
  '%TAG ! x\n--- {',
  '\u0000',
  deep,
]
const types = [
  'application/json',
  'application/yaml',
  'application/json-patch+json',
  'application/merge-patch+json',
  'application/strategic-merge-patch+json',
  'application/apply-patch+yaml',
  'text/plain',
]
const queries = [
  '',
  '?fieldManager=hostile&force=true',
  '?dryRun=All&fieldValidation=Strict',
  '?dryRun=Some',
  '?limit=-1&continue=%00',
  '?labelSelector=%2C%2C&fieldSelector=%3D',
  '?resourceVersion=x&watch=true&timeoutSeconds=1',
  '?propagationPolicy=Sideways&gracePeriodSeconds=a',
  `?labelSelector=${'a%2C'.repeat(3000)}b`,
]

describe('a request of a wrong shape', () => {
  it('is answered with a Status and never by an error of the server', async () => {
    const draw = seeded(18)
    const pick = <T>(list: readonly T[]): T => {
      const chosen = list[Math.floor(draw() * list.length)]
      if (chosen === undefined) throw new Error('nothing to draw from')
      return chosen
    }
    const wrong: string[] = []
    const seen = new Set<number>()
    for (let nth = 0; nth < 700; nth++) {
      const { apiGroup, version, plural, isNamespaced } = pick(resources)
      const root = apiGroup === '' ? '/api/v1' : `/apis/${apiGroup}/${version}`
      const place = isNamespaced && draw() < 0.8 ? '/namespaces/climate' : ''
      const name = pick([
        '',
        '/x',
        '/climate-loop',
        '/cedar-general-1',
        '/%00',
        '/..',
        '/constructor',
      ])
      const sub = pick(['', '', '', '/status', '/scale', '/log', '/eviction', '/nothing'])
      const path = `${root}${place}/${plural}${name}${name === '' ? '' : sub}${pick(queries)}`
      const method = pick(['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS'])
      const body = method === 'GET' ? undefined : pick(bodies)
      const type = pick(types)
      const { status, text } = await ask(method, path, body, type)
      seen.add(status)
      if (status >= 500 || (status >= 400 && !text.includes('"kind":"Status"')))
        wrong.push(
          `${method} ${path.slice(0, 120)} ${type} ${(body ?? '').slice(0, 80)}: ${status} ${text.slice(0, 120)}`,
        )
    }
    expect(wrong).toEqual([])
    // Requests that were all turned away at the first step would say nothing.
    for (const status of [200, 400, 403, 404, 405, 415, 422]) expect([...seen]).toContain(status)
    expect(opened.errors.splice(0)).toEqual([])
    // What is written by strange requests leaves the cluster readable.
    expect((await ask('GET', '/api/v1/pods?limit=1')).status).toBe(200)
    expect((await opened.gyrarch.fleet.view()).clusters.length).toBeGreaterThan(0)
  })

  it('is no error of the server where fields are called like what every object has', async () => {
    const bare = '{"toString":[0],"valueOf":1}'
    const bodies = [
      `{"apiVersion":${bare},"kind":${bare},"metadata":{"name":"x"}}`,
      `{"kind":${bare},"metadata":{"name":${bare}}}`,
      `{"metadata":{"name":"x","labels":{"a":${bare}}},"spec":{"selector":${bare},"replicas":${bare}}}`,
      `{"metadata":{"name":"x"},"spec":{"template":{"spec":{"containers":[{"name":${bare},"image":${bare},"ports":[{"containerPort":${bare}}]}]}}}}`,
    ]
    const wrong: string[] = []
    for (const resource of [
      'apps/v1/namespaces/climate/replicasets',
      'apps/v1/namespaces/climate/deployments',
    ])
      for (const body of bodies)
        for (const [method, name, type] of [
          ['POST', '', 'application/json'],
          ['PUT', '/climate-loop', 'application/json'],
          ['PUT', '/climate-loop/status', 'application/yaml'],
          ['PATCH', '/climate-loop', 'application/merge-patch+json'],
          ['PATCH', '/climate-loop', 'application/strategic-merge-patch+json'],
          ['PATCH', '/climate-loop', 'application/apply-patch+yaml'],
        ] as const) {
          const { status, text } = await ask(method, `/apis/${resource}${name}`, body, type)
          if (status < 400 || status >= 500)
            wrong.push(`${method} ${name} ${type} ${body}: ${text}`)
        }
    expect(wrong).toEqual([])
    expect(opened.errors.splice(0)).toEqual([])
  })
})
