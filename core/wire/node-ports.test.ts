import { describe, expect, it } from 'vitest'
import { prepareWorld, walk, walkAnswer, walkWorldSchema, type ReadyWorld, type WalkQuery } from '.'
import { wired, type Wired } from './testing/worlds'

function ready(change: (world: Wired) => void = () => undefined): ReadyWorld {
  const copy = structuredClone(wired)
  change(copy)
  for (const cluster of copy.clusters)
    cluster.objects = cluster.objects.filter((object) => object['kind'] !== 'NetworkPolicy')
  const read = prepareWorld(walkWorldSchema.parse(copy))
  if (!read.ok) throw new Error(`${read.path}: ${read.says}`)
  return read.world
}

function go(from: WalkQuery['from'], address: string, port: number, world: ReadyWorld) {
  const read = walk(world, { from, to: { address }, port, protocol: 'TCP' })
  if (!read.ok) throw new Error(read.says)
  return walkAnswer(read.walk)
}

const neighbour = { node: 'bramble-2', cluster: 'bramble' } as const
const listening = (world: Wired): void => {
  for (const cluster of world.clusters)
    for (const node of cluster.nodes)
      Object.assign(node, { listens: [{ port: 22 }, { port: 10_250, protocol: 'tcp' }] })
}
const local = (world: Wired): void => {
  const service = world.clusters[0]?.objects.find((object) => object['kind'] === 'Service') as {
    spec: Record<string, unknown>
  }
  service.spec['externalTrafficPolicy'] = 'Local'
}

describe('a port of a node', () => {
  it('that nothing listens on is refused there, by its name', () => {
    const answer = go(neighbour, '10.44.0.11', 9999, ready(listening))
    expect(answer.decided).toEqual({ hop: 'acceptance', by: 'bramble-1' })
    expect(answer.hops.at(-1)?.says).toBe('bramble-1 does not listen on 9999/TCP.')
    expect(go(neighbour, '10.44.0.11', 10_250, ready(listening)).verdict).toBe('delivered')
  })

  it('is taken where nobody knows what listens', () => {
    expect(go(neighbour, '10.44.0.11', 9999, ready()).verdict).toBe('delivered')
  })

  it('that is a service’s is handed on to a pod, under the node’s address', () => {
    const answer = go(neighbour, '10.44.0.11', 30_443, ready(listening))
    expect(answer.verdict).toBe('delivered')
    const front = answer.hops.filter(({ hop }) => hop === 'front')
    expect(front).toHaveLength(1)
    expect(front[0]).toMatchObject({
      by: 'market/ledger-view',
      after: { source: '10.44.0.11', destination: '10.124.1.5', port: 8443 },
    })
  })

  it('takes only the endpoints of that node, with the source as it came, where traffic stays local', () => {
    const answer = go(
      neighbour,
      '10.44.0.11',
      30_443,
      ready((world) => {
        listening(world)
        local(world)
      }),
    )
    expect(answer.hops.find(({ hop }) => hop === 'front')?.after).toMatchObject({
      source: '10.44.0.12',
      destination: '10.124.0.6',
    })
    const empty = ready((world) => {
      local(world)
      const slice = world.clusters[0]?.objects.find(
        (object) => object['kind'] === 'EndpointSlice',
      ) as { endpoints: { nodeName?: string }[] }
      slice.endpoints = slice.endpoints.filter(({ nodeName }) => nodeName === 'bramble-2')
    })
    expect(go(neighbour, '10.44.0.11', 30_443, empty).decided).toEqual({
      hop: 'front',
      by: 'market/ledger-view',
    })
  })
})

describe('a virtual address', () => {
  it('leads to its members alone', () => {
    const members = (names: readonly string[]) =>
      ready((world) => {
        for (const site of world.sites)
          for (const front of site.fronts) Object.assign(front, { members: names })
      })
    const first = (world: ReadyWorld) =>
      go({ address: '192.0.2.9' }, '198.51.100.7', 443, world).hops.find(
        ({ hop }) => hop === 'front',
      )?.after?.destination
    expect(first(ready())).toBe('10.44.0.11')
    expect(first(members(['bramble-2']))).toBe('10.44.0.12')
    expect(go({ address: '192.0.2.9' }, '198.51.100.7', 443, members([])).decided.hop).toBe('front')
  })
})
