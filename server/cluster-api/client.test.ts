/** The clusters’ own API, asked by a client library of others. */
import { KubeConfig, CoreV1Api, AppsV1Api, VersionApi, ApiException, makeInformer } from '@kubernetes/client-node'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type Opened, openForTest } from '../testing/open'

let opened: Opened
const configOf = async (cluster: string): Promise<KubeConfig> => {
  const config = new KubeConfig()
  config.loadFromString((await opened.gyrarch.access(cluster)).yaml)
  return config
}

beforeAll(async () => {
  opened = await openForTest()
  await opened.gyrarch.clusterServers.listen()
})
afterAll(() => opened.close())

describe('a client with an access file', () => {
  it('reads the version, nodes and pods', async () => {
    const config = await configOf('cedar')
    expect((await config.makeApiClient(VersionApi).getCode()).gitVersion).toMatch(/^v1\.\d+/)
    const core = config.makeApiClient(CoreV1Api)
    const { items } = await core.listNode()
    expect(items.length).toBeGreaterThan(3)
    const pods = await core.listPodForAllNamespaces({ limit: 5 })
    expect(pods.items).toHaveLength(5)
    console.log(pods.metadata, items[0]?.metadata)
  })
})
void AppsV1Api; void ApiException; void makeInformer
