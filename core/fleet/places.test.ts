import { expect, it } from 'vitest'
import { demoFleet } from '../testing/demo-fleet'
import { listedObjects } from './slices'
import { findPlaces, indexed, placesAt, placesIn } from './places'

const everything = () => {
  const view = demoFleet()
  return [
    ...view.sites.flatMap((site) => placesAt(site)),
    ...view.clusters.flatMap((cluster) =>
      placesIn(cluster, cluster.name === 'cedar' ? listedObjects(view, 'cedar') : []),
    ),
  ].map(indexed)
}
const names = (text: string, limit = 8): readonly string[] =>
  findPlaces(everything(), text, limit).map((place) => `${place.kind} ${place.name}`)

it('finds a node, a workload, a service, an address and a record by a part of the name', () => {
  expect(names('bramble-general-2')[0]).toBe('node bramble-general-2')
  expect(names('ledger').join()).toMatch(/ledger/)
  expect(names('cold-chain')).toContain('service cold-chain')
  expect(names('deployment climate-loop')[0]).toBe('deployment climate-loop')
})

it('puts the cluster before what is only in it', () => {
  expect(names('bramble')[0]).toBe('cluster bramble')
})

it('puts names that begin with the text before those that hold it', () => {
  const matches = findPlaces(
    ['zebra-oak', 'oak-1', 'soaked', 'oak'].map((name) =>
      indexed({ kind: 'node', name, where: 'x', ref: `node/x/${name}` }),
    ),
    'OAK',
    10,
  )
  expect(matches.map((place) => place.name)).toEqual(['oak', 'oak-1', 'zebra-oak', 'soaked'])
})

it('takes every word into account: in the name, the kind or where it is', () => {
  const matches = findPlaces(everything(), 'chain cedar service', 10)
  expect(matches.length).toBeGreaterThan(0)
  for (const place of matches) {
    expect(place.kind).toBe('service')
    expect(place.where).toContain('cedar')
    expect(place.name).toContain('chain')
  }
})

it('gives nothing for what nothing is called', () => {
  expect(names('no-such-thing-anywhere')).toEqual([])
})

it('gives each place a ref of its own', () => {
  const refs = everything()
    .map(({ place }) => place.ref)
    .filter((ref) => !/^(cluster|pool|node|backup|record|address)\//.test(ref))
  expect(new Set(refs).size).toBe(refs.length)
})
