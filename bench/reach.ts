/** An enrolled cluster of 300 nodes and 6,000 pods, served by somebody else: how long its pages take at first sight, and what it weighs. */
import { setTimeout as pause } from 'node:timers/promises'
import type { Browser } from 'puppeteer-core'
import { openBrowser } from '../e2e/browser'
import { serve, type Served } from '../e2e/server'
import { type Figure, residentMiB } from './figure'
import type { TestObject } from '../core/placement/testing/worlds'
import { serveFixture } from './fixture-api'
import { largeCluster } from './placement'

type Json = Readonly<Record<string, unknown>>

const shapes = 60
const namespaces = 20
const made = '2026-01-05T06:00:00Z'

/** What an API keeps beside what an object says: it is most of what is sent. */
const owners = (manager: string): readonly Json[] =>
  Array.from({ length: 3 }, (_, i) => ({
    manager: `${manager}-${i}`,
    operation: 'Update',
    apiVersion: 'v1',
    time: made,
    fieldsType: 'FieldsV1',
    fieldsV1: Object.fromEntries(
      Array.from({ length: 24 }, (_, field) => [`f:field-${i}-${field}`, { 'f:value': {} }]),
    ),
  }))

function whole(object: Json, index: number): Json {
  const { metadata, spec } = object as { readonly metadata: Json; readonly spec?: Json }
  const isPod = object['kind'] === 'Pod'
  const name = String(metadata['name'])
  return {
    apiVersion: 'v1',
    ...object,
    metadata: {
      ...metadata,
      uid: `00000000-0000-4000-8000-${String(index).padStart(12, '0')}`,
      resourceVersion: String(index + 1),
      creationTimestamp: made,
      managedFields: owners('controller'),
    },
    ...(isPod
      ? {
          spec: {
            ...spec,
            serviceAccountName: 'default',
            volumes: [{ name: 'api-access', projected: { sources: [{ downwardAPI: {} }] } }],
            tolerations: ['not-ready', 'unreachable'].map((key) => ({
              key,
              operator: 'Exists',
              effect: 'NoExecute',
              tolerationSeconds: 300,
            })),
          },
          status: {
            phase: spec?.['nodeName'] === undefined ? 'Pending' : 'Running',
            conditions: ['Initialized', 'Ready', 'ContainersReady', 'PodScheduled'].map((type) => ({
              type,
              status: spec?.['nodeName'] === undefined ? 'False' : 'True',
              lastTransitionTime: made,
            })),
            containerStatuses: [{ name: 'main', ready: true, restartCount: 0, imageID: name }],
          },
        }
      : {}),
  }
}

const placeOf = ({ metadata }: { readonly metadata: Json }) => {
  const { namespace, labels } = metadata as { readonly namespace?: string; readonly labels?: Json }
  const app = labels?.['app']
  return { namespace: String(namespace), app: typeof app === 'string' ? app : '' }
}

/** The deployments and replica sets that the pods are of, and the pods with their owners. */
function owned(objects: readonly TestObject[]): readonly Json[] {
  const made = new Map<string, readonly Json[]>()
  const pods = objects.map((object) => {
    if (object.kind !== 'Pod') return object
    const { namespace, app } = placeOf(object)
    const labels = { app }
    const set = `${app}-5d9c7`
    const more = {
      template: { metadata: { labels }, spec: object['spec'] },
      selector: { matchLabels: labels },
    }
    const owner = (kind: string, name: string) => ({
      ownerReferences: [
        {
          apiVersion: 'apps/v1',
          kind,
          name,
          uid: `${kind}-${namespace}-${name}`,
          controller: true,
        },
      ],
    })
    made.set(`${namespace}/${app}`, [
      {
        kind: 'Deployment',
        apiVersion: 'apps/v1',
        metadata: { name: app, namespace, labels },
        spec: { replicas: 5, ...more },
      },
      {
        kind: 'ReplicaSet',
        apiVersion: 'apps/v1',
        metadata: { name: set, namespace, labels, ...owner('Deployment', app) },
        spec: { replicas: 5, ...more },
      },
    ])
    return { ...object, metadata: { ...object.metadata, ...owner('ReplicaSet', set) } }
  })
  return [...pods, ...[...made.values()].flat()]
}

function cluster(): readonly Json[] {
  const apps = Array.from({ length: shapes }, (_, s) => `app-${s}`)
  const spaces = Array.from({ length: namespaces }, (_, n) => `ns-${n}`)
  return [
    ...spaces.map((name) => ({ kind: 'Namespace', metadata: { name, labels: { team: name } } })),
    ...apps.map((app, i) => ({
      kind: 'Service',
      metadata: { name: app, namespace: spaces[i % namespaces] },
      spec: { selector: { app }, ports: [{ port: 80, targetPort: 8080 }] },
    })),
    ...spaces.map((namespace, i) => ({
      kind: 'NetworkPolicy',
      metadata: { name: 'callers', namespace },
      spec: {
        podSelector: { matchLabels: { app: apps[i] } },
        policyTypes: ['Ingress'],
        ingress: [
          { from: [{ namespaceSelector: { matchLabels: { team: spaces[(i + 1) % 20] } } }] },
        ],
      },
    })),
    ...owned(largeCluster(300, 6000, 0, shapes)),
  ].map(whole)
}

async function post(served: Served, path: string, body: Json): Promise<Json> {
  const response = await fetch(`${served.url}/api/v1${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  })
  return (await response.json()) as Json
}

async function enrolled(served: Served, accessFile: string): Promise<void> {
  const { id, findings } = await post(served, '/changes', {
    kind: 'cluster.enrol',
    intent: { name: 'thistle', reach: { kind: 'inbound', accessFile }, labels: {} },
  })
  const accept = (findings as readonly { readonly key: string }[]).map(({ key }) => key)
  await post(served, `/changes/${String(id)}/run`, { accept })
  for (;;) {
    const change = (await (
      await fetch(`${served.url}/api/v1/changes/${String(id)}`)
    ).json()) as Json
    if (change['state'] === 'done') return
    if (change['state'] !== 'running') throw new Error(JSON.stringify(change).slice(0, 2000))
    await pause(20)
  }
}

const manifest = `apiVersion: apps/v1
kind: Deployment
metadata: {name: lamp, namespace: ns-0}
spec:
  replicas: 40
  selector: {matchLabels: {app: lamp}}
  template:
    metadata: {labels: {app: lamp}}
    spec:
      containers:
        - {name: main, image: lamp, resources: {requests: {cpu: 500m, memory: 512Mi}}}
`

const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const from = performance.now()
  await work()
  return (performance.now() - from) / 1000
}

/** Seconds until a page can be used: its scripts run, and what it shows is there. */
async function usableAfter(browser: Browser, url: string, drawn: string): Promise<number> {
  const page = await browser.newPage()
  const taken = await seconds(async () => {
    await page.goto(url, { waitUntil: 'domcontentloaded' })
    await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes')
    await page.waitForSelector(drawn)
  })
  await page.close()
  return taken
}

/** In seconds; the rest has two. */
const aims: Readonly<Record<string, number>> = { Enrolling: 8 }

/** First visits, as whoever has just enrolled a cluster makes them. */
export async function reachFigures(): Promise<readonly Figure[]> {
  const fixture = await serveFixture(cluster())
  const served = await serve()
  const browser = await openBrowser()
  const size = '300 nodes and 6,000 pods'
  try {
    await (await fetch(`${served.url}/fleet`)).text()
    await post(served, '/clock', { speed: 0 })
    await pause(5000)
    const pid = served.process.pid ?? 0
    const before = residentMiB(pid)
    const page = (path: string, drawn: string) => usableAfter(browser, served.url + path, drawn)
    const enrolling = await seconds(() => enrolled(served, fixture.accessFile))
    const timed: readonly (readonly [string, number])[] = [
      ['Enrolling', enrolling],
      ['The cluster', await page('/clusters/thistle', 'h1')],
      ['The placement board', await page('/shape/board?aim=cluster/thistle', '.board canvas')],
      ['Policies', await page('/wire/policies?aim=cluster/thistle', 'h1')],
      [
        'A manifest draft',
        await seconds(() =>
          post(served, '/changes', {
            kind: 'manifest.apply',
            intent: { cluster: 'thistle', text: manifest },
          }),
        ),
      ],
    ]
    await pause(10_000)
    const asked = fixture.asked()
    const growth = Math.max(0, residentMiB(pid) - before)
    await pause(12_000)
    return [
      ...timed.map(([name, value]) => ({
        name: `${name} of an enrolled cluster of ${size}`,
        value,
        unit: 's' as const,
        aim: { atMost: aims[name] ?? 2 },
      })),
      {
        name: `What an enrolled cluster of ${size} weighs`,
        value: growth / 1024,
        unit: 'GiB',
        aim: { atMost: 0.3 },
        detail: `${Math.round(growth)} MiB`,
      },
      {
        name: 'Requests at an enrolled cluster in 12 quiet seconds',
        value: fixture.asked() - asked,
        unit: '/12 s',
        aim: { atMost: 40 },
      },
    ]
  } finally {
    await browser.close()
    await served.remove()
    await fixture.close()
  }
}
