/** What a client is told beside the answer it asked for: warnings, and events. */
import { AppsV1Api, CoreV1Api, KubeConfig } from '@kubernetes/client-node'
import { Agent, fetch } from 'undici'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { type Opened, openForTest } from '../testing/open'

let opened: Opened
let config: KubeConfig
let agent: Agent

beforeAll(async () => {
  opened = await openForTest()
  await opened.gyrarch.clusterServers.listen()
  config = new KubeConfig()
  config.loadFromString((await opened.gyrarch.access('cedar')).yaml)
  const authority = config.getCurrentCluster()?.caData ?? ''
  agent = new Agent({ connect: { ca: Buffer.from(authority, 'base64').toString() } })
  await config.makeApiClient(CoreV1Api).createNamespace({
    body: {
      metadata: { name: 'trial', labels: { 'pod-security.kubernetes.io/warn': 'restricted' } },
    },
  })
})
afterAll(async () => {
  await agent.close()
  await opened.close()
})

const deployment = (name: string, securityContext: object, image: string) => ({
  apiVersion: 'apps/v1',
  kind: 'Deployment',
  metadata: { name, namespace: 'trial' },
  spec: {
    replicas: 2,
    selector: { matchLabels: { app: name } },
    template: {
      metadata: { labels: { app: name } },
      spec: { containers: [{ name: 'main', image, securityContext }] },
    },
  },
})

async function create(body: object) {
  const response = await fetch(
    `${config.getCurrentCluster()?.server ?? ''}/apis/apps/v1/namespaces/trial/deployments`,
    {
      method: 'POST',
      dispatcher: agent,
      headers: {
        authorization: `Bearer ${config.getCurrentUser()?.token ?? ''}`,
        'content-type': 'application/json',
      },
      body: JSON.stringify(body),
    },
  )
  await response.text()
  return { status: response.status, warning: response.headers.get('warning') }
}

const imageThere = async (): Promise<string> => {
  const { items } = await config.makeApiClient(CoreV1Api).listPodForAllNamespaces()
  return items.find(({ status }) => status?.phase === 'Running')?.spec?.containers[0]?.image ?? ''
}

it('warns of pods that break the level a namespace warns at, and takes them', async () => {
  const image = await imageThere()
  const open = await create(deployment('open', {}, image))
  expect(open.status).toBe(201)
  expect(open.warning).toContain('299 - "would violate PodSecurity \\"restricted:latest\\"')
  expect(open.warning).toContain('runAsNonRoot')
  const safe = { allowPrivilegeEscalation: false, runAsNonRoot: true }
  expect(await create(deployment('safe', safe, image))).toEqual({ status: 201, warning: null })
})

it('tells of pods that were given a node, and of deployments that were scaled, within an hour of the last', async () => {
  const core = config.makeApiClient(CoreV1Api)
  const apps = config.makeApiClient(AppsV1Api)
  await opened.gyrarch.outside.advance(120)
  const events = async () =>
    (await core.listNamespacedEvent({ namespace: 'trial' })).items.map(
      ({ reason, involvedObject, message }) => [reason, involvedObject.kind, message],
    )
  const { items } = await apps.listNamespacedReplicaSet({ namespace: 'trial' })
  const names = items.map(({ metadata }) => metadata?.name ?? '')
  const own = names.find((name) => name.startsWith('open-')) ?? ''
  const seen = await events()
  expect(seen).toContainEqual([
    'ScalingReplicaSet',
    'Deployment',
    `Scaled up replica set ${own} to 2`,
  ])
  expect(seen.filter(([reason]) => reason === 'Scheduled')).toHaveLength(4)
  expect(seen.filter(([reason]) => reason === 'Started')).toHaveLength(4)
  await opened.gyrarch.outside.advance(3700)
  // Nothing happened meanwhile: the same is told. One more pod, and what is an hour older is told no more.
  const scheduled = async () =>
    (await opened.gyrarch.observe.events('cedar')).filter(({ reason }) => reason === 'Scheduled')
  expect(await scheduled()).toHaveLength(4)
  await apps.patchNamespacedDeployment({
    name: 'open',
    namespace: 'trial',
    body: [{ op: 'replace', path: '/spec/replicas', value: 3 }],
  })
  await opened.gyrarch.outside.advance(120)
  expect(await scheduled()).toHaveLength(1)
})

it('takes up the earlier replica set of a deployment whose template is as it was, under a new revision', async () => {
  const apps = config.makeApiClient(AppsV1Api)
  const image = await imageThere()
  await create(deployment('turned', {}, image))
  const sets = async () =>
    new Map(
      (await apps.listNamespacedReplicaSet({ namespace: 'trial' })).items
        .filter(({ metadata }) => metadata?.name?.startsWith('turned-'))
        .map(({ metadata, spec }) => [
          metadata?.name ?? '',
          [metadata?.annotations?.['deployment.kubernetes.io/revision'], spec?.replicas],
        ]),
    )
  const settle = async (replicas: number, note: string) => {
    const body = deployment('turned', {}, image)
    const template = { ...body.spec.template, metadata: { labels: { app: 'turned', note } } }
    await apps.replaceNamespacedDeployment({
      name: 'turned',
      namespace: 'trial',
      body: { ...body, spec: { ...body.spec, replicas, template } },
    })
    await opened.gyrarch.outside.advance(300)
  }
  await settle(2, 'first')
  const [first = ''] = [...(await sets())].flatMap(([name, [, replicas]]) =>
    replicas === 2 ? [name] : [],
  )
  const before = Number((await sets()).get(first)?.[0])
  await settle(2, 'second')
  expect((await sets()).get(first)).toEqual([String(before), 0])
  await settle(2, 'first')
  expect((await sets()).get(first)).toEqual([String(before + 2), 2])
})
