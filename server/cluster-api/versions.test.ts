/** Objects written in one version of the API and read in another, and who wrote what in which, as a client library sees it. */
import {
  AppsV1Api,
  AutoscalingV2Api,
  CoreV1Api,
  KubeConfig,
  KubernetesObjectApi,
  PatchStrategy,
  setHeaderOptions,
} from '@kubernetes/client-node'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type Opened, openForTest } from '../testing/open'

let opened: Opened
let config: KubeConfig
let core: CoreV1Api
const namespace = 'trial'

beforeAll(async () => {
  opened = await openForTest()
  await opened.gyrarch.clusterServers.listen()
  config = new KubeConfig()
  // The oldest release of the demo, which serves versions that are gone from later ones.
  config.loadFromString((await opened.gyrarch.access('burdock', {})).yaml)
  core = config.makeApiClient(CoreV1Api)
  await core.createNamespace({ body: { metadata: { name: namespace } } })
})
afterAll(() => opened.close())

describe('an autoscaler written in an earlier version', () => {
  const written = {
    apiVersion: 'autoscaling/v2beta1',
    kind: 'HorizontalPodAutoscaler',
    metadata: { name: 'desk', namespace },
    spec: {
      scaleTargetRef: { apiVersion: 'apps/v1', kind: 'Deployment', name: 'desk' },
      maxReplicas: 4,
      metrics: [{ type: 'Resource', resource: { name: 'cpu', targetAverageUtilization: 60 } }],
    },
  }

  it('is read as each version writes it, and told to the fleet as it was written', async () => {
    const objects = KubernetesObjectApi.makeApiClient(config)
    await objects.create(written)
    const now = await config
      .makeApiClient(AutoscalingV2Api)
      .readNamespacedHorizontalPodAutoscaler({ name: 'desk', namespace })
    expect(now.apiVersion).toBe('autoscaling/v2')
    expect(now.spec?.metrics?.[0]?.resource).toEqual({
      name: 'cpu',
      target: { type: 'Utilization', averageUtilization: 60 },
    })
    const before: object = await objects.read(written)
    expect(before).toMatchObject({ apiVersion: written.apiVersion, spec: written.spec })
    const shown = (await opened.gyrarch.fleet.objectsOf('burdock')) ?? []
    expect(shown.find(({ metadata }) => metadata?.name === 'desk')?.apiVersion).toBe(
      'autoscaling/v2beta1',
    )
  })

  it('is kept in the version that it is written in next', async () => {
    const autoscaling = config.makeApiClient(AutoscalingV2Api)
    await autoscaling.patchNamespacedHorizontalPodAutoscaler(
      { name: 'desk', namespace, body: { spec: { maxReplicas: 5 } } },
      setHeaderOptions('Content-Type', PatchStrategy.MergePatch),
    )
    const shown = (await opened.gyrarch.fleet.objectsOf('burdock')) ?? []
    const kept = shown.find(({ metadata }) => metadata?.name === 'desk')
    expect(kept).toMatchObject({
      apiVersion: 'autoscaling/v2',
      spec: { maxReplicas: 5, metrics: [{ resource: { target: { averageUtilization: 60 } } }] },
    })
  })
})

describe('the owners of fields', () => {
  const apply = (data: Record<string, string>, fieldManager: string) =>
    core.patchNamespacedConfigMap(
      {
        name: 'shared',
        namespace,
        fieldManager,
        body: { apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: 'shared' }, data },
      },
      setHeaderOptions('Content-Type', PatchStrategy.ServerSideApply),
    )

  it('say in which version, and when each took what it has', async () => {
    await apply({ left: '1' }, 'first')
    await opened.gyrarch.outside.advance(90)
    const { metadata } = await apply({ right: '2' }, 'second')
    const [first, second] = metadata?.managedFields ?? []
    expect([first?.manager, second?.manager]).toEqual(['first', 'second'])
    expect([first?.apiVersion, second?.apiVersion]).toEqual(['v1', 'v1'])
    expect(Number(second?.time) - Number(first?.time)).toBe(90_000)
  })
})

it('a collection that is deleted is told as the list that it was', async () => {
  const apps = config.makeApiClient(AppsV1Api)
  const gone: object = await apps.deleteCollectionNamespacedDeployment({ namespace })
  expect(gone).toMatchObject({ kind: 'DeploymentList', apiVersion: 'apps/v1' })
})
