/** Services that ask for an address outside: the lowest free one of the pool, or the reason why there is none. */
import { expect, it } from 'vitest'
import { demoScenario } from '../../server/connectors/standin/demo'
import { buildWorld } from '../build'
import { Simulator } from '../engine/simulator'
import { settleFronts } from './fronts'
import { behindFronts } from './node-ports'
import { send } from './path'

function world() {
  const scenario = demoScenario()
  const sim = new Simulator(buildWorld(scenario, 1), Date.parse(scenario.start))
  const cluster = sim.cluster('cedar')
  const site = sim.site('mossgate')
  if (!cluster || !site) throw new Error('the demo has no cedar at mossgate')
  cluster.objects = [
    ...(cluster.objects ?? []),
    ...['desk', 'feed'].map((name) => ({
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name, namespace: 'market' },
      spec: { type: 'LoadBalancer', ports: [{ port: 443 }, { port: 80 }] },
    })),
  ]
  return { sim, cluster, site }
}

it('give each its own address once, with all its ports, and take it back with the service', () => {
  const { sim, cluster, site } = world()
  settleFronts(sim, cluster)
  const made = () =>
    site.balancers.filter((balancer) => balancer.made === true && balancer.cluster === 'cedar')
  const first = made()
  expect(first.map(({ service, port, ports }) => [service, port, ports])).toEqual([
    ['market/desk', 443, [80]],
    ['market/feed', 443, [80]],
  ])
  expect(new Set(first.map(({ address }) => address)).size).toBe(2)
  settleFronts(sim, cluster)
  expect(made()).toEqual(first)
  cluster.objects = (cluster.objects ?? []).filter((object) => object.metadata.name !== 'desk')
  settleFronts(sim, cluster)
  expect(made().map(({ service }) => service)).toEqual(['market/feed'])
})

it('wait with the reason, said once, where the site allows no more', () => {
  const { sim, cluster, site } = world()
  site.quotaBalancers = site.balancers.length
  settleFronts(sim, cluster)
  settleFronts(sim, cluster)
  expect(cluster.frontsWaiting?.['market/desk']).toMatch(/allows \d+ load balancers/)
  expect(cluster.events.filter((event) => event.about === 'service/market/desk')).toHaveLength(1)
})

it('get theirs as soon as the site has one to give, without anybody writing again', () => {
  const { sim, cluster, site } = world()
  site.quotaBalancers = site.balancers.length
  settleFronts(sim, cluster)
  expect(Object.keys(cluster.frontsWaiting ?? {})).toEqual(['market/desk', 'market/feed'])
  site.quotaBalancers = site.balancers.length + 1
  sim.touchSite('mossgate')
  sim.settle()
  expect(Object.keys(cluster.frontsWaiting ?? {})).toEqual(['market/feed'])
  expect(site.balancers.some((balancer) => balancer.service === 'market/desk')).toBe(true)
  site.quotaBalancers = null
  sim.touchSite('mossgate')
  sim.settle()
  expect(cluster.frontsWaiting).toEqual({})
})

it('pass by nodes that a health check does not reach, and end where none answers', () => {
  const { sim, cluster, site } = world()
  const nodes = behindFronts(site, cluster)
  const [first, second] = [...nodes].sort((a, b) => (a.name < b.name ? -1 : 1))
  const service = cluster.serviceList.find(({ name }) => name === 'ingress')
  if (!first || !second || !service) throw new Error('the demo has no nodes behind a front')
  site.balancers = [
    ...site.balancers,
    {
      name: 'lamp',
      address: '10.20.40.90',
      port: 443,
      cluster: 'cedar',
      service: 'platform/ingress',
    },
  ]
  const sent = () => send(sim.world, { address: '10.20.16.50' }, '10.20.40.90', 443)
  const silence = (node: (typeof nodes)[number]): void => {
    node.conditions = node.conditions.map((condition) =>
      condition.type === 'Ready' ? { ...condition, status: 'Unknown' } : condition,
    )
  }
  expect([sent().arrived, sent().packet.source]).toEqual([true, first.address])
  silence(first)
  expect([sent().arrived, sent().packet.source]).toEqual([true, second.address])
  for (const node of nodes) silence(node)
  expect([sent().arrived, sent().at]).toEqual([false, 'front'])
})
