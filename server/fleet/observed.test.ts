/** Work instead of time: what is asked of the outside grows with what has changed there, not with how much there is. */
import { expect, it } from 'vitest'
import { gyrarchForAll, type Opened } from '~/server/testing/open'
import { Fleet, type FleetSources } from './fleet'

let opened: Opened
gyrarchForAll((made) => {
  opened = made
})

/** Sources that note which sites and clusters are asked. */
function counted(sources: FleetSources): { readonly sources: FleetSources; asked: string[] } {
  const count: { sources: FleetSources; asked: string[] } = { sources, asked: [] }
  count.sources = {
    siteNames: () => sources.siteNames(),
    peers: () => sources.peers(),
    objects: (cluster, wanted) => sources.objects(cluster, wanted),
    meter: (site) => sources.meter(site),
    traffic: (cluster) => sources.traffic(cluster),
    events: (cluster) => sources.events(cluster),
    usage: (cluster) => sources.usage(cluster),
    site: (name) => {
      count.asked.push(`site:${name}`)
      return sources.site(name)
    },
    cluster: (name) => {
      count.asked.push(`cluster:${name}`)
      return sources.cluster(name)
    },
  }
  return count
}

it('asks for a slice once for each time that it changes, and for no other', async () => {
  const count = counted(opened.gyrarch.observe)
  const fleet = new Fleet(count.sources, opened.gyrarch.outside.clock)
  const view = await fleet.view()
  expect(count.asked).toHaveLength(view.sites.length + view.clusters.length)

  count.asked = []
  await fleet.view()
  expect(count.asked).toEqual([])

  fleet.touch(['cluster:cedar', 'cluster:cedar'])
  await fleet.view()
  await fleet.view()
  expect(count.asked).toEqual(['cluster:cedar'])

  count.asked = []
  fleet.touch(['site:mossgate'])
  await fleet.view()
  expect(count.asked).toEqual(['site:mossgate'])
})
