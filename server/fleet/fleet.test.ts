import { describe, expect, it } from 'vitest'
import { gyrarchForAll, type Opened } from '../testing/open'
import { type ClusterReport, type SiteReport, Unheard } from '~/core/contract'
import { Fleet, type FleetSources } from './fleet'

let opened: Opened
gyrarchForAll((eachOpened) => {
  opened = eachOpened
})

/** The real outside, with a count of what is asked and a switch that makes a cluster unreachable. */
function watched() {
  const { outside } = opened.gyrarch
  const request: string[] = []
  const unreachable = new Set<string>()
  const faulty = new Set<string>()
  const observed: FleetSources = {
    siteNames: () => outside.siteNames(),
    site: (name): Promise<SiteReport | null> => {
      request.push(`site:${name}`)
      return outside.site(name)
    },
    objects: (cluster) => outside.objects(cluster, {}),
    meter: (site) => outside.meter(site),
    traffic: (cluster) => outside.traffic(cluster),
    events: (cluster) => outside.events(cluster),
    usage: (cluster) => outside.usage(cluster),
    peers: () => outside.peers(),
    cluster: async (name): Promise<ClusterReport | null> => {
      request.push(`cluster:${name}`)
      if (faulty.has(name)) throw new TypeError('told is not a function')
      if (unreachable.has(name)) throw new Unheard('no route')
      return outside.cluster(name)
    },
  }
  return { asked: request, unreachable, faulty, fleet: new Fleet(observed, outside.clock) }
}

describe('the picture of the fleet', () => {
  it('is observed once, then only where something changed, and shares the rest', async () => {
    const { asked, fleet } = watched()
    const first = await fleet.view()
    expect(asked).toHaveLength(first.sites.length + first.clusters.length)
    asked.length = 0
    expect((await fleet.view()).version).toBe(first.version)
    expect(asked).toEqual([])
    fleet.touch(['cluster:dill', 'site:tarn-north'])
    const second = await fleet.view()
    expect([...asked].sort()).toEqual(['cluster:dill', 'site:tarn-north'])
    expect(second.version).toBe(first.version + 1)
    expect(second.clusters.find((cluster) => cluster.name === 'cedar')).toBe(
      first.clusters.find((cluster) => cluster.name === 'cedar'),
    )
    expect(second.clusters.find((cluster) => cluster.name === 'dill')).not.toBe(
      first.clusters.find((cluster) => cluster.name === 'dill'),
    )
  })

  it('joins calls that overlap', async () => {
    const { asked, fleet } = watched()
    await Promise.all([fleet.view(), fleet.view(), fleet.view()])
    expect(new Set(asked).size).toBe(asked.length)
  })

  it('is never the one before for those who ask while it is being looked at', async () => {
    const { fleet } = watched()
    const before = await fleet.view()
    fleet.touch(['site:tarn-north'])
    const [first, second] = await Promise.all([fleet.view(), fleet.view()])
    expect([first.version, second.version]).toEqual([before.version + 1, before.version + 1])
  })

  it('does not take a fault of ours for silence, and looks again once it is mended', async () => {
    const { asked, faulty, fleet } = watched()
    const before = await fleet.view()
    faulty.add('dill')
    fleet.touch(['cluster:dill', 'site:tarn-north'])
    await expect(fleet.view()).rejects.toThrow('not a function')
    expect(fleet.last().unheard).toEqual({})
    faulty.delete('dill')
    asked.length = 0
    const after = await fleet.view()
    expect([...asked].sort()).toEqual(['cluster:dill', 'site:tarn-north'])
    expect(after.version).toBeGreaterThan(before.version)
  })

  it('keeps what an unreachable cluster told last, and since when it is silent', async () => {
    const { unreachable, fleet } = watched()
    const before = await fleet.view()
    unreachable.add('dill')
    fleet.touch(['cluster:dill'])
    const silent = await fleet.view()
    expect(Object.keys(silent.unheard)).toEqual(['dill'])
    unreachable.clear()
    fleet.touch(['cluster:dill'])
    const after = await fleet.view()
    expect(after.unheard).toEqual({})
    expect(after.clusters.find((cluster) => cluster.name === 'dill')?.pools).toEqual(
      before.clusters.find((cluster) => cluster.name === 'dill')?.pools,
    )
  })

  it('has an address ledger in which nothing of one domain overlaps but what lies inside on purpose', async () => {
    const { ledger, sites } = await watched().fleet.view()
    expect(
      ledger.filter((entry) => entry.domain === 'kilnlane').map((entry) => entry.name),
    ).toEqual(['kilnlane', 'sorrel pods', 'sorrel services'])
    expect(ledger.find((entry) => entry.name === 'bramble pods')).toEqual({
      domain: 'fernhollow',
      range: '10.124.0.0/16',
      name: 'bramble pods',
      holder: 'bramble',
      kind: 'pods',
    })
    expect(new Set(sites.map((site) => site.domain))).toEqual(new Set(['fernhollow', 'kilnlane']))
  })
})
