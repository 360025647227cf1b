import { describe, expect, it } from 'vitest'
import { collisions, addressBook } from '~/core/fleet'
import { openForTest } from '../testing/open'
import { demoClusters, demoScenario } from '../connectors/standin/demo'
import { demoCatalogue, demoRecords } from './scenario'

const scenario = demoScenario()

describe('the demo scenario', () => {
  it('names only sites, sizes, releases, zones and pools that it lists itself', () => {
    const sites = new Map(scenario.sites.map((site) => [site.name, site]))
    const releases = new Set(demoCatalogue().releases.map((release) => release.version))
    for (const site of scenario.sites) {
      for (const image of site.images) expect(releases, `${site.name} ${image}`).toContain(image)
      for (const network of site.networks)
        if (network.zone !== undefined) expect(site.zones).toContain(network.zone)
      for (const size of site.sizes)
        for (const zone of size.zones ?? []) expect(site.zones).toContain(zone)
    }
    for (const cluster of scenario.clusters) {
      const site = sites.get(cluster.site)
      expect(site, cluster.name).toBeDefined()
      expect(releases).toContain(cluster.release)
      const sizes = new Set(site?.sizes.map((size) => size.name))
      for (const pool of cluster.pools) expect(sizes).toContain(pool.size)
      for (const driven of cluster.drives)
        expect(scenario.clusters.map((otherCluster) => otherCluster.name)).toContain(driven)
    }
    for (const workload of scenario.workloads) {
      const cluster = scenario.clusters.find((cluster) => cluster.name === workload.cluster)
      if (workload.pool !== null)
        expect(cluster?.pools.map((pool) => pool.name)).toContain(workload.pool)
    }
  })

  it('gives each own control plane a floating address, one for each machine and a spare', () => {
    for (const { controlPlane } of scenario.clusters)
      if (controlPlane.kind === 'own')
        expect(controlPlane.addresses).toHaveLength(controlPlane.count + 2)
  })

  it('enlarges to at least as many nodes as asked for, each copy in a routing domain of its own', async () => {
    const clusters = demoClusters(scenario, 300)
    const nodes = clusters.reduce(
      (sum, cluster) =>
        sum +
        (cluster.controlPlane.kind === 'own' ? cluster.controlPlane.count : 0) +
        cluster.pools.reduce((pools, pool) => pools + pool.count, 0),
      0,
    )
    expect(nodes).toBeGreaterThanOrEqual(300)
    expect(
      clusters.filter((cluster) => cluster.name.startsWith('cedar')).map((cluster) => cluster.name),
    ).toEqual(['cedar', 'cedar-02', 'cedar-03', 'cedar-04'])
    expect(clusters.find((cluster) => cluster.name === 'cedar-02')).toMatchObject({
      site: 'mossgate-02',
      guarded: false,
    })
  })

  it('is loaded once: records that exist are left alone', async () => {
    const opened = await openForTest()
    const before = await opened.gyrarch.fleet.view()
    expect(before.catalogue).toHaveLength(demoCatalogue().releases.length)
    expect(before.sshKeys).toEqual(demoRecords().sshKeys.map((key) => key.name))
    expect(before.credentials.map(({ site, checked }) => [site, checked?.good])).toEqual([
      ['palisade-east', true],
      ['tarn-north', true],
    ])
    expect(collisions(addressBook(before))).toEqual([])
    await opened.close()
  })
})
