/** The world of walks is made once for what a picture is made of, whatever the picture is wrapped in. */
import { expect, it } from 'vitest'
import { bareSite, withObjectList } from '../fleet'
import { bareFleet } from '../testing/bare'
import { demoFleet } from '../testing/demo-fleet'
import { preparingWorld, readyWorldOf, walkWorldOf, worldWork } from './from-fleet'

const bare = bareFleet({ sites: [bareSite('mossgate', 'hall', 'fernhollow')] })

it('is the same object while sites, clusters and lists are', () => {
  const before = worldWork.prepared
  const first = readyWorldOf(bare)
  expect(readyWorldOf({ ...bare, now: '2026-03-02T06:05:00Z' })).toBe(first)
  expect(readyWorldOf({ ...bare, version: 2, workedOn: ['cluster/cedar'] })).toBe(first)
  expect(worldWork.prepared - before).toBe(1)
})

it('is made anew when a site is another, and goes back to what it was', () => {
  const first = readyWorldOf(bare)
  const candidate = {
    ...bare,
    sites: [{ ...bareSite('mossgate', 'hall', 'fernhollow'), mtu: 1400 }],
  }
  expect(readyWorldOf(candidate)).not.toBe(first)
  expect(readyWorldOf(bare)).toBe(first)
})

it('does not mind lists of clusters that are not there', () =>
  expect(readyWorldOf(withObjectList(bare, 'cedar', []))).toBe(readyWorldOf(bare)))

it('reads a cluster again only where it, its site or its objects are others', () => {
  const fleet = demoFleet()
  expect([...preparingWorld(fleet)]).toEqual(fleet.clusters.map(({ name }) => name))
  const first = walkWorldOf(fleet)
  const [cluster] = fleet.clusters
  const emptied = walkWorldOf(withObjectList(fleet, cluster?.name ?? '', []))
  expect(emptied.clusters.map((each, i) => each === first.clusters[i])).toEqual(
    fleet.clusters.map(({ name }) => name !== cluster?.name),
  )
  const [site, ...others] = fleet.sites
  if (!site) throw new Error('the demo has sites')
  const touched = { ...fleet, sites: [{ ...site, mtu: 1400 }, ...others] }
  const second = walkWorldOf(touched)
  expect(second).not.toBe(first)
  const isSame = second.clusters.map((cluster, i) => cluster === first.clusters[i])
  expect(isSame).toEqual(fleet.clusters.map((cluster) => cluster.site !== site.name))
})
