/** The clusters’ own API, asked by a client library of others. */
import {
  ApiException,
  AppsV1Api,
  AuthorizationV1Api,
  CoreV1Api,
  EventsV1Api,
  KubeConfig,
  makeInformer,
  PatchStrategy,
  PolicyV1Api,
  setHeaderOptions,
  type V1ConfigMap,
  V1MicroTime,
  VersionApi,
} from '@kubernetes/client-node'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { draftAndRun, type Opened, openForTest } from '../testing/open'

let opened: Opened
let config: KubeConfig
let core: CoreV1Api
let apps: AppsV1Api

async function configOf(cluster: string, seconds?: number): Promise<KubeConfig> {
  const file = new KubeConfig()
  file.loadFromString((await opened.gyrarch.access(cluster, { seconds })).yaml)
  return file
}

beforeAll(async () => {
  opened = await openForTest()
  await opened.gyrarch.clusterServers.listen()
  config = await configOf('cedar')
  core = config.makeApiClient(CoreV1Api)
  apps = config.makeApiClient(AppsV1Api)
  await core.createNamespace({ body: { metadata: { name: 'trial' } } })
})
afterAll(() => opened.close())

const namespace = 'trial'

/** Names of a kind, as the fleet shows them. */
const shown = async (kind: string) =>
  ((await opened.gyrarch.fleet.objectsOf('cedar')) ?? [])
    .filter((object) => object.kind === kind)
    .map(({ metadata }) => metadata?.name)

const clusterOf = (file: KubeConfig) => file.getCurrentCluster() ?? file.clusters[0] ?? fail()
const userOf = (file: KubeConfig) => file.getCurrentUser() ?? fail()
function fail(): never {
  throw new Error('the file lacks a part')
}

/** The Status that a call is refused with. */
async function refusal(call: Promise<unknown>) {
  const error: unknown = await call.then(
    () => null,
    (thrown: unknown) => thrown,
  )
  if (!(error instanceof ApiException)) throw new Error('it was not refused', { cause: error })
  // The library keeps no body of an answer of 401.
  const unauthorized = { code: 401, reason: '', message: '' }
  const status = (error.code === 401 ? unauthorized : JSON.parse(String(error.body))) as {
    readonly code: number
    readonly reason: string
    readonly message: string
    readonly details?: {
      readonly kind?: string
      readonly causes?: readonly { readonly reason: string; readonly field?: string }[]
    }
  }
  expect(status.code).toBe(error.code)
  return status
}

const deployment = (name: string, replicas = 2) => ({
  metadata: { name, labels: { app: name } },
  spec: {
    replicas,
    selector: { matchLabels: { app: name } },
    template: {
      metadata: { labels: { app: name } },
      spec: {
        containers: [
          {
            name: 'web',
            image: 'registry.fernhollow.example/market/market-desk:2',
            resources: { requests: { cpu: '10m', memory: '16Mi' } },
          },
        ],
      },
    },
  },
})
const configMap = (name: string, data: Record<string, string>): V1ConfigMap => ({
  apiVersion: 'v1',
  kind: 'ConfigMap',
  metadata: { name },
  data,
})
const apply = (name: string, data: Record<string, string>, fieldManager: string, force = false) =>
  core.patchNamespacedConfigMap(
    { name, namespace, body: configMap(name, data), fieldManager, force },
    setHeaderOptions('Content-Type', PatchStrategy.ServerSideApply),
  )

describe('reading', () => {
  it('tells its version, and lists what the fleet shows of it', async () => {
    const { release } = await opened.gyrarch.cluster('cedar')
    expect((await config.makeApiClient(VersionApi).getCode()).gitVersion).toBe(`v${release}`)
    const nodes = (await core.listNode()).items.map(({ metadata }) => metadata?.name)
    expect(nodes).toEqual(await shown('Node'))
  })

  it('lists in chunks that are one picture, whatever happens in between', async () => {
    const all = (await core.listPodForAllNamespaces()).items.map(({ metadata }) => metadata?.uid)
    const first = await core.listPodForAllNamespaces({ limit: 20 })
    expect(first.metadata?.remainingItemCount).toBe(all.length - 20)
    await core.createNamespacedConfigMap({ namespace, body: configMap('between', {}) })
    const gone = first.items[0]?.metadata
    await core.deleteNamespacedPod({ name: gone?.name ?? '', namespace: gone?.namespace ?? '' })
    const uids = first.items.map(({ metadata }) => metadata?.uid)
    let next = first.metadata?._continue
    while (next) {
      const chunk = await core.listPodForAllNamespaces({ limit: 20, _continue: next })
      expect(chunk.metadata?.resourceVersion).toBe(first.metadata?.resourceVersion)
      uids.push(...chunk.items.map(({ metadata }) => metadata?.uid))
      next = chunk.metadata?._continue
    }
    expect(uids).toEqual(all)
    expect((await refusal(core.listNode({ _continue: 'bm90IG91cnM' }))).code).toBe(400)
  })

  it('selects by labels and fields, and refuses others', async () => {
    const select = async (labelSelector: string) =>
      (await core.listNode({ labelSelector })).items.length
    const all = (await core.listNode()).items.length
    const general = await select('gyrarch/pool=general')
    expect(general).toBeGreaterThan(0)
    expect(await select('gyrarch/pool!=general')).toBe(all - general)
    expect(await select('gyrarch/pool in (general, control-plane),!nothing')).toBeGreaterThan(
      general,
    )
    expect(await select('gyrarch/pool notin (general)')).toBe(all - general)
    const fieldSelector = 'spec.nodeName=cedar-general-1,status.phase=Running'
    const { items } = await core.listPodForAllNamespaces({ fieldSelector })
    expect(new Set(items.map(({ spec }) => spec?.nodeName))).toEqual(new Set(['cedar-general-1']))
    expect((await refusal(core.listNode({ labelSelector: '!!x' }))).code).toBe(400)
    expect((await refusal(core.listNode({ fieldSelector: 'spec.color=red' }))).code).toBe(400)
  })

  it('is for the token of this cluster, while it lasts', async () => {
    const short = await configOf('cedar', 1)
    await short.makeApiClient(CoreV1Api).listNode()
    await new Promise((done) => setTimeout(done, 1100))
    expect((await refusal(short.makeApiClient(CoreV1Api).listNode())).code).toBe(401)
    const mixed = new KubeConfig()
    const foreign = await configOf('alder')
    mixed.loadFromClusterAndUser(clusterOf(config), userOf(foreign))
    expect((await refusal(mixed.makeApiClient(CoreV1Api).listNode())).code).toBe(401)
    const review = await config
      .makeApiClient(AuthorizationV1Api)
      .createSelfSubjectAccessReview({ body: { spec: { resourceAttributes: { verb: 'list' } } } })
    expect(review.status?.allowed).toBe(true)
  })
})

describe('writing', () => {
  it('creates, replaces, patches and deletes, with a version for each', async () => {
    const made = await core.createNamespacedConfigMap({
      namespace,
      body: configMap('one', { a: '1' }),
    })
    const versionOf = (object: V1ConfigMap) => Number(object.metadata?.resourceVersion)
    const taken = await refusal(
      core.createNamespacedConfigMap({ namespace, body: configMap('one', {}) }),
    )
    expect(taken).toMatchObject({
      code: 409,
      reason: 'AlreadyExists',
      details: { kind: 'configmaps' },
    })
    const body = { ...made, data: { a: '2' } }
    const replaced = await core.replaceNamespacedConfigMap({ name: 'one', namespace, body })
    expect(versionOf(replaced)).toBeGreaterThan(versionOf(made))
    const stale = await refusal(core.replaceNamespacedConfigMap({ name: 'one', namespace, body }))
    expect(stale.reason).toBe('Conflict')
    const merged = await core.patchNamespacedConfigMap(
      { name: 'one', namespace, body: { data: { a: null, b: '3' } } },
      setHeaderOptions('Content-Type', PatchStrategy.MergePatch),
    )
    expect(merged.data).toEqual({ b: '3' })
    expect(merged.metadata?.uid).toBe(made.metadata?.uid)
    await core.deleteNamespacedConfigMap({ name: 'one', namespace })
    expect((await refusal(core.readNamespacedConfigMap({ name: 'one', namespace }))).code).toBe(404)
  })

  it('applies fields of several managers, told who stands against it', async () => {
    await apply('shared', { a: '1', b: '1' }, 'alpha')
    const conflict = await refusal(apply('shared', { a: '2' }, 'beta'))
    expect([conflict.code, conflict.details?.causes]).toEqual([
      409,
      [{ reason: 'FieldManagerConflict', message: 'conflict with "alpha"', field: '.data.a' }],
    ])
    await apply('shared', { a: '2' }, 'beta', true)
    // Both want it as it is: it stays when one of them no longer does.
    await apply('shared', { a: '2', b: '1' }, 'alpha')
    expect((await apply('shared', { b: '1' }, 'alpha')).data).toEqual({ a: '2', b: '1' })
    expect((await apply('shared', {}, 'alpha')).data).toEqual({ a: '2' })
  })

  it('says by field what is wrong, and tries what is only to be tried', async () => {
    const body = { ...deployment('web'), spec: { ...deployment('web').spec, replicas: -1 } }
    const wrong = await refusal(apps.createNamespacedDeployment({ namespace, body }))
    expect(wrong).toMatchObject({ code: 422, reason: 'Invalid' })
    expect(wrong.details?.causes).toMatchObject([
      { reason: 'FieldValueInvalid', field: 'spec.replicas' },
    ])
    await apps.createNamespacedDeployment({ namespace, body: deployment('web'), dryRun: 'All' })
    const missing = await refusal(apps.readNamespacedDeployment({ name: 'web', namespace }))
    expect(missing.message).toBe('deployments.apps "web" not found')
  })

  it('has pods made, scaled, and evicted as their budget lets them go', async () => {
    await apps.createNamespacedDeployment({ namespace, body: deployment('web') })
    await opened.gyrarch.outside.advance(120)
    const pods = async () =>
      (await core.listNamespacedPod({ namespace, labelSelector: 'app=web' })).items
    expect((await pods()).map(({ status }) => status?.phase)).toEqual(['Running', 'Running'])
    const ready = (await apps.readNamespacedDeployment({ name: 'web', namespace })).status
    expect(ready?.conditions?.map(({ type, status }) => [type, status])).toEqual([
      ['Available', 'True'],
      ['Progressing', 'True'],
    ])
    const scale = await apps.readNamespacedDeploymentScale({ name: 'web', namespace })
    await apps.replaceNamespacedDeploymentScale({
      name: 'web',
      namespace,
      body: { ...scale, spec: { replicas: 3 } },
    })
    await opened.gyrarch.outside.advance(120)
    const [first] = await pods()
    expect(await pods()).toHaveLength(3)
    const log = await core.readNamespacedPodLog({ name: first?.metadata?.name ?? '', namespace })
    expect(log.split('\n').length).toBeGreaterThan(3)
    await config.makeApiClient(PolicyV1Api).createNamespacedPodDisruptionBudget({
      namespace,
      body: {
        metadata: { name: 'keep' },
        spec: { minAvailable: 3, selector: { matchLabels: { app: 'web' } } },
      },
    })
    const name = first?.metadata?.name ?? ''
    const evict = () =>
      core.createNamespacedPodEviction({ name, namespace, body: { metadata: { name } } })
    const held = await refusal(evict())
    expect([held.code, held.details?.causes?.[0]?.reason]).toEqual([429, 'DisruptionBudget'])
    await config
      .makeApiClient(PolicyV1Api)
      .deleteNamespacedPodDisruptionBudget({ name: 'keep', namespace })
    await evict()
    expect((await pods()).map(({ metadata }) => metadata?.name)).not.toContain(name)
  })

  it('is refused by quotas of its namespace, by name', async () => {
    await core.createNamespacedResourceQuota({
      namespace,
      body: { metadata: { name: 'few' }, spec: { hard: { secrets: '1' } } },
    })
    await core.createNamespacedSecret({ namespace, body: { metadata: { name: 'first' } } })
    const over = await refusal(
      core.createNamespacedSecret({ namespace, body: { metadata: { name: 'second' } } }),
    )
    expect(over).toMatchObject({ code: 403, reason: 'Forbidden' })
    expect(over.message).toContain('exceeded quota: few')
  })

  it('waits for finalizers, and takes along what is owned', async () => {
    const body = { metadata: { name: 'held', finalizers: ['fernhollow.example/wait'] } }
    const owner = await core.createNamespacedConfigMap({ namespace, body })
    const { uid = '' } = owner.metadata ?? {}
    const ownerReferences = [{ apiVersion: 'v1', kind: 'ConfigMap', name: 'held', uid }]
    await core.createNamespacedConfigMap({
      namespace,
      body: { metadata: { name: 'owned', ownerReferences } },
    })
    await core.deleteNamespacedConfigMap({ name: 'held', namespace })
    const held = await core.readNamespacedConfigMap({ name: 'held', namespace })
    expect(held.metadata?.deletionTimestamp).toBeDefined()
    await core.patchNamespacedConfigMap(
      { name: 'held', namespace, body: { metadata: { finalizers: null } } },
      setHeaderOptions('Content-Type', PatchStrategy.MergePatch),
    )
    expect((await refusal(core.readNamespacedConfigMap({ name: 'held', namespace }))).code).toBe(
      404,
    )
  })
})

describe('an event', () => {
  it('is the same one in either group of the API, whichever it is written to', async () => {
    const events = config.makeApiClient(EventsV1Api)
    const regarding = { apiVersion: 'v1', kind: 'ConfigMap', namespace, name: 'noted' }
    await events.createNamespacedEvent({
      namespace,
      body: {
        metadata: { name: 'noted.1' },
        eventTime: new V1MicroTime('2026-03-02T06:00:00.000Z'),
        reportingController: 'gatherer.fernhollow.example',
        reportingInstance: 'gatherer-1',
        action: 'Noting',
        reason: 'Noted',
        type: 'Normal',
        regarding,
        note: 'it was looked at',
      },
    })
    const earlier = await core.readNamespacedEvent({ namespace, name: 'noted.1' })
    expect(earlier).toMatchObject({ involvedObject: regarding, message: 'it was looked at' })
    const later = await events.readNamespacedEvent({ namespace, name: 'noted.1' })
    expect(later).toMatchObject({ regarding, note: 'it was looked at', reason: 'Noted' })
    const listed = await core.listNamespacedEvent({
      namespace,
      fieldSelector: 'involvedObject.name=noted',
    })
    expect(listed.items.map(({ metadata }) => metadata.name)).toEqual(['noted.1'])
  })
})

describe('both doors', () => {
  it('an informer sees what a run changes, and Gyrarch sees what a client writes', async () => {
    const seen = new Set<string>()
    const market = await configOf('bramble')
    const list = market.makeApiClient(CoreV1Api)
    const informer = makeInformer(market, '/api/v1/namespaces/market/pods', () =>
      list.listNamespacedPod({ namespace: 'market' }),
    )
    informer.on('add', ({ metadata }) => void seen.add(metadata?.name ?? ''))
    await informer.start()
    const before = seen.size
    const restart = {
      cluster: 'bramble',
      namespace: 'market',
      kind: 'Deployment',
      name: 'price-feed',
    }
    expect((await draftAndRun(opened.gyrarch, 'workload.restart', restart)).state).toBe('done')
    await vi.waitUntil(() => seen.size > before, { timeout: 5000 })
    await informer.stop()

    await core.createNamespacedConfigMap({ namespace, body: configMap('by-hand', { a: '1' }) })
    expect(await shown('ConfigMap')).toContain('by-hand')
  })

  it('a watch that begins too long ago is told so', async () => {
    const late = await refusal(core.listNode({ watch: true, resourceVersion: '1' }))
    expect([late.code, late.reason]).toEqual([410, 'Expired'])
  })
})
