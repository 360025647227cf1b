/** Pods, replica sets and what keeps them, as a client library of others sees them. */
import {
  AppsV1Api,
  BatchV1Api,
  CoreV1Api,
  DiscoveryV1Api,
  KubeConfig,
  PatchStrategy,
  PolicyV1Api,
  setHeaderOptions,
  type V1Job,
  type V1JobTemplateSpec,
  type V1PodTemplateSpec,
  type V1Pod,
} from '@kubernetes/client-node'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type Opened, openForTest } from '../testing/open'

let opened: Opened
let config: KubeConfig
let core: CoreV1Api
let apps: AppsV1Api
let policy: PolicyV1Api
let discovery: DiscoveryV1Api
const namespace = 'trial'
const image = 'registry.fernhollow.example/market/market-desk:2'

beforeAll(async () => {
  opened = await openForTest()
  await opened.gyrarch.clusterServers.listen()
  config = new KubeConfig()
  config.loadFromString((await opened.gyrarch.access('cedar', {})).yaml)
  core = config.makeApiClient(CoreV1Api)
  apps = config.makeApiClient(AppsV1Api)
  policy = config.makeApiClient(PolicyV1Api)
  discovery = config.makeApiClient(DiscoveryV1Api)
  await core.createNamespace({ body: { metadata: { name: namespace } } })
})
afterAll(() => opened.close())

const step = (seconds = 120) => opened.gyrarch.outside.advance(seconds)
const labelled = async (labelSelector: string) =>
  (await core.listNamespacedPod({ namespace, labelSelector })).items
const phases = async (labelSelector: string) =>
  (await labelled(labelSelector)).map(({ status }) => status?.phase)
const code = (call: Promise<unknown>) =>
  call.then(
    () => 200,
    (error: { code?: number }) => error.code,
  )
const metadataOf = ({ metadata }: V1Pod) => metadata ?? {}

const container = (cpu = '50m') => ({
  name: 'main',
  image,
  ports: [{ containerPort: 8080 }],
  resources: { requests: { cpu, memory: '32Mi' } },
})
const pod = (name: string, labels: Record<string, string>, more: object = {}): V1Pod => ({
  metadata: { name, labels },
  spec: { containers: [container()], ...more },
})
const template = (labels: Record<string, string>, cpu?: string): V1PodTemplateSpec => ({
  metadata: { labels },
  spec: { containers: [container(cpu)] },
})
const deployment = (name: string, replicas: number, cpu?: string) => ({
  metadata: { name },
  spec: {
    replicas,
    selector: { matchLabels: { app: name } },
    template: template({ app: name }, cpu),
  },
})

describe('a pod of its own', () => {
  it('runs, is told on, and is not made again when it is gone', async () => {
    await core.createNamespacedPod({ namespace, body: pod('alone', { app: 'alone' }) })
    await step()
    const [alone] = await labelled('app=alone')
    expect(alone?.status?.phase).toBe('Running')
    expect(alone?.status?.podIP).toMatch(/^10\./)
    expect(alone?.spec?.nodeName).toMatch(/^cedar-/)
    expect(alone?.metadata?.ownerReferences).toBeUndefined()
    expect(await core.readNamespacedPodLog({ name: 'alone', namespace })).toContain('\n')
    await core.deleteNamespacedPod({ name: 'alone', namespace })
    await step()
    expect(await labelled('app=alone')).toEqual([])
  })

  it('takes another label, and leaves the selection that it no longer meets', async () => {
    await core.createNamespacedPod({ namespace, body: pod('moved', { app: 'moved' }) })
    await core.patchNamespacedPod(
      { name: 'moved', namespace, body: { metadata: { labels: { app: 'elsewhere' } } } },
      setHeaderOptions('Content-Type', PatchStrategy.MergePatch),
    )
    expect(await labelled('app=moved')).toEqual([])
    expect(await labelled('app=elsewhere')).toHaveLength(1)
    await core.deleteNamespacedPod({ name: 'moved', namespace })
  })

  it('ends when it is to run once', async () => {
    const body = pod('once', { app: 'once' }, { restartPolicy: 'Never' })
    await core.createNamespacedPod({ namespace, body })
    await step(60)
    expect(await phases('app=once')).toEqual(['Running'])
    await step(300)
    expect(await phases('app=once')).toEqual(['Succeeded'])
  })

  it('is held by its budget, which says how it stands', async () => {
    await core.createNamespacedPod({ namespace, body: pod('held', { app: 'held' }) })
    await step()
    const budget = {
      metadata: { name: 'held' },
      spec: { minAvailable: 1, selector: { matchLabels: { app: 'held' } } },
    }
    await policy.createNamespacedPodDisruptionBudget({ namespace, body: budget })
    const { status } = await policy.readNamespacedPodDisruptionBudget({ name: 'held', namespace })
    expect(status).toMatchObject({
      currentHealthy: 1,
      desiredHealthy: 1,
      disruptionsAllowed: 0,
      expectedPods: 1,
    })
    const evict = () =>
      core.createNamespacedPodEviction({
        name: 'held',
        namespace,
        body: { metadata: { name: 'held' } },
      })
    expect(await code(evict())).toBe(429)
    await policy.deleteNamespacedPodDisruptionBudget({ name: 'held', namespace })
    expect(await code(evict())).toBe(200)
    await step()
    expect(await labelled('app=held')).toEqual([])
  })

  it('goes with what owns it', async () => {
    const owner = await core.createNamespacedConfigMap({
      namespace,
      body: { metadata: { name: 'owner' } },
    })
    const body = pod('owned', { app: 'owned' })
    const uid = owner.metadata?.uid ?? ''
    body.metadata = {
      ...body.metadata,
      ownerReferences: [{ apiVersion: 'v1', kind: 'ConfigMap', name: 'owner', uid }],
    }
    await core.createNamespacedPod({ namespace, body })
    await core.deleteNamespacedConfigMap({ name: 'owner', namespace })
    await step(60)
    expect(await labelled('app=owned')).toEqual([])
  })
})

describe('a replica set of its own', () => {
  const spec = (replicas: number) => ({
    replicas,
    selector: { matchLabels: { app: 'trio' } },
    template: template({ app: 'trio' }),
  })

  it('keeps as many pods as it says, beside a deployment of the same name', async () => {
    await apps.createNamespacedReplicaSet({
      namespace,
      body: { metadata: { name: 'trio' }, spec: spec(3) },
    })
    await apps.createNamespacedDeployment({
      namespace,
      body: {
        ...deployment('trio', 1),
        spec: { ...deployment('duo', 1).spec },
      },
    })
    await step()
    expect(await phases('app=trio')).toEqual(['Running', 'Running', 'Running'])
    expect(await phases('app=duo')).toEqual(['Running'])
    const [first] = await labelled('app=trio')
    expect(metadataOf(first ?? {}).ownerReferences?.[0]).toMatchObject({
      kind: 'ReplicaSet',
      name: 'trio',
    })
    expect(metadataOf(first ?? {}).labels).toEqual({ app: 'trio' })
    await core.deleteNamespacedPod({ name: metadataOf(first ?? {}).name ?? '', namespace })
    await step()
    expect(await labelled('app=trio')).toHaveLength(3)
    const { status } = await apps.readNamespacedReplicaSet({ name: 'trio', namespace })
    expect(status).toMatchObject({ replicas: 3, readyReplicas: 3, availableReplicas: 3 })
  })

  it('is scaled, and goes with its pods', async () => {
    const scale = await apps.readNamespacedReplicaSetScale({ name: 'trio', namespace })
    await apps.replaceNamespacedReplicaSetScale({
      name: 'trio',
      namespace,
      body: { ...scale, spec: { replicas: 1 } },
    })
    await step()
    expect(await labelled('app=trio')).toHaveLength(1)
    await apps.deleteNamespacedReplicaSet({ name: 'trio', namespace })
    await step()
    expect(await labelled('app=trio')).toEqual([])
    expect(await labelled('app=duo')).toHaveLength(1)
  })
})

describe('what nobody wrote', () => {
  it('is told of every object, and written back it changes nothing', async () => {
    await apps.createNamespacedDeployment({ namespace, body: deployment('plain', 1) })
    await step()
    const before = (await labelled('app=plain')).map(({ metadata }) => metadata?.name)
    const read = await apps.readNamespacedDeployment({ name: 'plain', namespace })
    expect(read.spec?.strategy?.rollingUpdate).toEqual({ maxSurge: '25%', maxUnavailable: '25%' })
    expect(read.spec?.template.spec?.containers[0]).toMatchObject({
      imagePullPolicy: 'IfNotPresent',
      ports: [{ containerPort: 8080, protocol: 'TCP' }],
    })
    read.metadata = { ...read.metadata, annotations: { 'fernhollow.example/note': 'seen' } }
    const written = await apps.replaceNamespacedDeployment({ name: 'plain', namespace, body: read })
    expect(written.metadata?.generation).toBe(1)
    await step()
    expect((await labelled('app=plain')).map(({ metadata }) => metadata?.name)).toEqual(before)
  })

  it('is told of a pod that runs, as of any', async () => {
    const [plain] = await labelled('app=plain')
    const { status } = plain ?? {}
    expect(status?.conditions?.map(({ type, status: is }) => [type, is])).toEqual([
      ['Initialized', 'True'],
      ['Ready', 'True'],
      ['ContainersReady', 'True'],
      ['PodScheduled', 'True'],
    ])
    expect(status?.qosClass).toBe('Burstable')
    expect(status?.podIPs).toEqual([{ ip: status?.podIP }])
    expect(status?.containerStatuses?.[0]).toMatchObject({ ready: true, started: true })
  })
})

describe('a job', () => {
  it('labels its pods, and says when it was complete', async () => {
    const batch = config.makeApiClient(BatchV1Api)
    const body = {
      metadata: { name: 'count' },
      spec: { template: { spec: { ...template({}).spec, restartPolicy: 'Never' } } },
    } as V1Job
    await batch.createNamespacedJob({ namespace, body })
    await step(400)
    const [counted] = await labelled('job-name=count')
    expect(counted?.status?.phase).toBe('Succeeded')
    const { spec, status } = await batch.readNamespacedJob({ name: 'count', namespace })
    expect(spec?.selector?.matchLabels?.['batch.kubernetes.io/controller-uid']).toBe(
      counted?.metadata?.labels?.['controller-uid'],
    )
    expect(status?.conditions?.map(({ type }) => type)).toEqual(['Complete'])
    expect(Number(status?.completionTime)).toBeGreaterThan(Number(status?.startTime))
  })
})

describe('a CronJob', () => {
  it('leaves its jobs behind where it is asked to, as they are', async () => {
    const batch = config.makeApiClient(BatchV1Api)
    const jobTemplate = {
      spec: { template: { spec: { ...template({}).spec, restartPolicy: 'Never' } } },
    } as V1JobTemplateSpec
    const body = { metadata: { name: 'tick' }, spec: { schedule: '*/5 * * * *', jobTemplate } }
    await batch.createNamespacedCronJob({ namespace, body })
    await step(900)
    const jobs = async () =>
      (await batch.listNamespacedJob({ namespace })).items.filter(({ metadata }) =>
        metadata?.name?.startsWith('tick-'),
      )
    const before = await jobs()
    expect(before[0]?.metadata?.ownerReferences?.[0]).toMatchObject({ kind: 'CronJob' })
    await batch.deleteNamespacedCronJob({ name: 'tick', namespace, propagationPolicy: 'Orphan' })
    await step()
    const after = await jobs()
    expect(after.map(({ status }) => status?.succeeded)).toEqual(
      before.map(({ status }) => status?.succeeded),
    )
    expect(after.map(({ metadata }) => metadata?.ownerReferences)).toEqual(
      before.map(() => undefined),
    )
  })
})

describe('a stateful set', () => {
  it('names its revision, and its pods theirs', async () => {
    const body = {
      metadata: { name: 'ledger' },
      spec: {
        serviceName: 'ledger',
        replicas: 1,
        selector: { matchLabels: { app: 'ledger' } },
        template: template({ app: 'ledger' }),
      },
    }
    await apps.createNamespacedStatefulSet({ namespace, body })
    await step()
    const { status } = await apps.readNamespacedStatefulSet({ name: 'ledger', namespace })
    const [first] = await labelled('app=ledger')
    expect(status?.currentRevision).toMatch(/^ledger-/)
    expect(status?.updateRevision).toBe(status?.currentRevision)
    expect(first?.metadata?.labels).toMatchObject({
      'controller-revision-hash': status?.currentRevision,
      'statefulset.kubernetes.io/pod-name': 'ledger-0',
    })
  })
})

describe('a deployment', () => {
  const setsOf = async (app: string) =>
    (await apps.listNamespacedReplicaSet({ namespace, labelSelector: `app=${app}` })).items

  it('takes up the earlier replica set when it goes back to its template', async () => {
    await apps.createNamespacedDeployment({ namespace, body: deployment('back', 2) })
    await step()
    const [first] = await setsOf('back')
    const replace = (cpu?: string) =>
      apps.replaceNamespacedDeployment({
        name: 'back',
        namespace,
        body: deployment('back', 2, cpu),
      })
    await replace('60m')
    await step(300)
    await replace()
    await step(300)
    const sets = await setsOf('back')
    expect(sets).toHaveLength(2)
    const again = sets.find(({ metadata }) => metadata?.uid === first?.metadata?.uid)
    expect(again?.metadata?.annotations?.['deployment.kubernetes.io/revision']).toBe('3')
    expect(again?.metadata?.creationTimestamp).toEqual(first?.metadata?.creationTimestamp)
    expect(again?.status?.readyReplicas).toBe(2)
    const events = await core.listNamespacedEvent({
      namespace,
      fieldSelector: 'reason=ScalingReplicaSet,involvedObject.name=back',
    })
    const name = again?.metadata?.name ?? ''
    const message = `Scaled up replica set ${name} to 2`
    // Once for each time it was taken up last.
    expect(events.items.filter((event) => event.message === message)).toHaveLength(1)
    expect(events.items).toHaveLength(2)
  })

  it('makes its replica set again when that is deleted', async () => {
    const before = (await labelled('app=back')).map(({ metadata }) => metadata?.name)
    const [current] = (await setsOf('back')).filter(({ spec }) => spec?.replicas === 2)
    await apps.deleteNamespacedReplicaSet({ name: current?.metadata?.name ?? '', namespace })
    await step()
    const after = (await labelled('app=back')).map(({ metadata }) => metadata?.name)
    expect(after).toHaveLength(2)
    expect(after.some((name) => before.includes(name))).toBe(false)
  })

  it('leaves its replica sets and pods behind where it is asked to', async () => {
    await apps.createNamespacedDeployment({ namespace, body: deployment('left', 2) })
    await step()
    const names = (await labelled('app=left')).map(({ metadata }) => metadata?.name)
    await apps.deleteNamespacedDeployment({ name: 'left', namespace, propagationPolicy: 'Orphan' })
    await step()
    const pods = await labelled('app=left')
    expect(pods.map(({ metadata }) => metadata?.name)).toEqual(names)
    const [set] = await setsOf('left')
    expect(set?.metadata?.ownerReferences).toBeUndefined()
    expect(pods[0]?.metadata?.ownerReferences?.[0]?.name).toBe(set?.metadata?.name)
    await apps.deleteNamespacedReplicaSet({
      name: set?.metadata?.name ?? '',
      namespace,
      propagationPolicy: 'Orphan',
    })
    await step()
    expect((await labelled('app=left')).map(({ metadata }) => metadata?.ownerReferences)).toEqual([
      undefined,
      undefined,
    ])
    await core.deleteCollectionNamespacedPod({ namespace, labelSelector: 'app=left' })
    await step()
    expect(await labelled('app=left')).toEqual([])
  })
})

describe('a quota', () => {
  it('says what is used, and pods beyond it are refused to their controller', async () => {
    await core.createNamespace({ body: { metadata: { name: 'tight' } } })
    await core.createNamespacedResourceQuota({
      namespace: 'tight',
      body: {
        metadata: { name: 'cores' },
        spec: { hard: { 'requests.cpu': '250m', pods: '10', configmaps: '5' } },
      },
    })
    await core.createNamespacedConfigMap({
      namespace: 'tight',
      body: { metadata: { name: 'one-of-five' } },
    })
    await apps.createNamespacedDeployment({
      namespace: 'tight',
      body: deployment('wide', 3, '100m'),
    })
    await step()
    const { status } = await core.readNamespacedResourceQuota({ name: 'cores', namespace: 'tight' })
    expect(status?.used).toEqual({ 'requests.cpu': '200m', pods: '2', configmaps: '1' })
    const read = await apps.readNamespacedDeployment({ name: 'wide', namespace: 'tight' })
    const failure = read.status?.conditions?.find(({ type }) => type === 'ReplicaFailure')
    expect(failure?.message).toContain(
      'exceeded quota: cores, requested: requests.cpu=100m, used: requests.cpu=200m, limited: requests.cpu=250m',
    )
  })
})

describe('a quota of storage', () => {
  const claim = (name: string, storage: string, storageClassName?: string) =>
    core.createNamespacedPersistentVolumeClaim({
      namespace: 'stored',
      body: {
        metadata: { name },
        spec: {
          accessModes: ['ReadWriteOnce'],
          resources: { requests: { storage } },
          ...(storageClassName === undefined ? {} : { storageClassName }),
        },
      },
    })

  it('counts what claims ask for, of all classes and of one', async () => {
    const ofOne = 'cellar-three.storageclass.storage.k8s.io/requests.storage'
    await core.createNamespace({ body: { metadata: { name: 'stored' } } })
    await core.createNamespacedResourceQuota({
      namespace: 'stored',
      body: {
        metadata: { name: 'room' },
        spec: { hard: { 'requests.storage': '10Gi', [ofOne]: '2Gi' } },
      },
    })
    await claim('first', '5Gi', 'hall-copies')
    await claim('second', '1Gi', 'cellar-three')
    expect(await code(claim('third', '2Gi', 'cellar-three'))).toBe(403)
    expect(await code(claim('fourth', '5Gi', 'hall-copies'))).toBe(403)
    const { status } = await core.readNamespacedResourceQuota({ name: 'room', namespace: 'stored' })
    expect(status?.used).toEqual({ 'requests.storage': '6Gi', [ofOne]: '1Gi' })
  })
})

describe('endpoint slices', () => {
  const addressesBehind = async (service: string) =>
    (
      await discovery.listNamespacedEndpointSlice({
        namespace,
        labelSelector: `kubernetes.io/service-name=${service}`,
      })
    ).items.flatMap(({ endpoints }) => (endpoints ?? []).flatMap(({ addresses }) => addresses))

  it('follow the selector of a service, whichever label it asks for, with an address or without', async () => {
    await core.createNamespacedPod({ namespace, body: pod('behind', { tier: 'front' }) })
    const service = (name: string, more: object) =>
      core.createNamespacedService({
        namespace,
        body: {
          metadata: { name },
          spec: { selector: { tier: 'front' }, ports: [{ port: 80, targetPort: 8080 }], ...more },
        },
      })
    await service('fronted', {})
    await service('bare', { clusterIP: 'None' })
    await step()
    const [behind] = await labelled('tier=front')
    const address = [behind?.status?.podIP]
    expect(await addressesBehind('fronted')).toEqual(address)
    expect(await addressesBehind('bare')).toEqual(address)
  })
})
