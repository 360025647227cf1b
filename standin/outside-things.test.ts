/** Things at sites and in clusters that are undone, run out or are refused. */
import { describe, expect, it } from 'vitest'
import { demoScenario } from '../server/connectors/standin/demo'
import { buildWorld, Simulator } from '.'

const scenario = demoScenario()
const start = Date.parse(scenario.start)
const fresh = (): Simulator => new Simulator(buildWorld(scenario, 3), start)

function act(sim: Simulator, verb: string, args: Record<string, unknown>) {
  const key = `${verb}/${sim.processed}/${JSON.stringify(args).length}`
  sim.command(key, verb, args)
  for (let i = 0; i < 1000 && sim.lookup(key)?.endedAt === null; i++) {
    sim.run(start + 1e9)
    sim.drain()
  }
  const op = sim.lookup(key)
  if (!op) throw new Error(`${verb} left no trace`)
  return op
}

describe('addresses', () => {
  const request = (address: string, cluster = 'rowan') => ({
    site: 'mossgate',
    cluster,
    addresses: [{ address, network: 'mossgate management', for: 'rowan API' }],
  })

  it('are held once: the same holder may ask again, another may not', () => {
    const sim = fresh()
    expect(act(sim, 'address.hold', request('10.20.0.60')).failure).toBeNull()
    expect(act(sim, 'address.hold', request('10.20.0.60')).failure).toBeNull()
    expect(act(sim, 'address.hold', request('10.20.0.60', 'sedge')).failure).toMatchObject({
      class: 'permanent',
      reason: 'address-taken',
      chain: [{ about: 'address/mossgate/10.20.0.60' }],
    })
    expect(
      sim.world.sites['mossgate']?.addresses.filter((held) => held.address === '10.20.0.60'),
    ).toHaveLength(1)
  })

  it('given back are free, leased ones stay with their machine', () => {
    const sim = fresh()
    const lease =
      sim.world.sites['mossgate']?.addresses.find((held) => held.how === 'dhcp')?.address ?? ''
    act(sim, 'address.hold', request('10.20.0.60'))
    act(sim, 'address.release', { site: 'mossgate', addresses: ['10.20.0.60', lease] })
    const left = sim.world.sites['mossgate']?.addresses.map((held) => held.address) ?? []
    expect([left.includes('10.20.0.60'), left.includes(lease)]).toEqual([false, true])
  })

  it('of a network that is not there are refused', () => {
    expect(
      act(fresh(), 'address.hold', {
        ...request('10.20.0.60'),
        addresses: [{ address: '10.20.0.60', network: 'attic', for: 'x' }],
      }).failure?.reason,
    ).toBe('no-network')
  })
})

describe('managed control planes', () => {
  const order = (cluster: string) => ({
    site: 'tarn-north',
    cluster,
    tier: 'assured',
    release: '1.33.2',
  })
  it('get addresses counting down from the site’s first, and give them back', () => {
    const sim = fresh()
    expect(act(sim, 'controlplane.create', order('rush')).result).toEqual({
      endpoint: 'https://203.0.113.249:443',
    })
    expect(act(sim, 'controlplane.create', order('sedge')).result).toEqual({
      endpoint: 'https://203.0.113.248:443',
    })
    act(sim, 'controlplane.delete', order('rush'))
    expect(act(sim, 'controlplane.create', order('alnus')).result).toEqual({
      endpoint: 'https://203.0.113.249:443',
    })
  })
  it('are not sold in halls', () =>
    expect(
      act(fresh(), 'controlplane.create', { ...order('rush'), site: 'mossgate' }).failure?.reason,
    ).toBe('no-tier'))
})

describe('undoing what is not there', () => {
  it.each([
    ['machine.delete', { site: 'mossgate', name: 'lost' }],
    ['machine.stop', { site: 'mossgate', name: 'lost' }],
    ['box.clear', { site: 'glasshouse-12', name: 'lost' }],
    ['address.release', { site: 'lost', addresses: ['10.0.0.1'] }],
    ['controlplane.delete', { site: 'tarn-north', cluster: 'lost' }],
    ['api.stop', { cluster: 'lost' }],
    ['node.remove', { cluster: 'lost', node: 'lost' }],
    ['cluster.close', { cluster: 'lost' }],
    ['image.remove', { site: 'mossgate', release: '9.9.9' }],
  ])('%s is no failure', (verb, args) => expect(act(fresh(), verb, args).failure).toBeNull())

  it('doing what nobody understands is one', () =>
    expect(act(fresh(), 'machine.polish', {}).failure).toMatchObject({
      class: 'permanent',
      reason: 'unknown-verb',
    }))
})

describe('a cluster’s nodes', () => {
  it('take their pods with them, and a control plane without its majority stops answering', () => {
    const sim = fresh()
    const before = sim.world.clusters['cedar']?.running.length ?? 0
    const on =
      sim.world.clusters['cedar']?.running.filter((pod) => pod.node === 'cedar-general-1').length ??
      0
    act(sim, 'node.remove', { cluster: 'cedar', node: 'cedar-general-1' })
    const left = sim.world.clusters['cedar']?.running ?? []
    expect(left.some((pod) => pod.node === 'cedar-general-1')).toBe(false)
    // Their controllers make them anew, but for the three that every node has one of; what finds no room waits.
    expect(left.length).toBe(before - 3)
    expect(
      left
        .filter((pod) => pod.node === null)
        .every((pod) => pod.waits?.includes('Insufficient cpu')),
    ).toBe(true)
    expect(on).toBeGreaterThan(3)
    act(sim, 'machine.stop', { site: 'mossgate', name: 'cedar-cp-1' })
    expect(act(sim, 'dns.ask', { cluster: 'cedar' }).failure).toBeNull()
    act(sim, 'machine.stop', { site: 'mossgate', name: 'cedar-cp-2' })
    expect(act(sim, 'dns.ask', { cluster: 'cedar' }).failure).toMatchObject({
      class: 'transient',
      reason: 'api-down',
    })
  })

  it('of a pool take a trial pod that tolerates their taints, and none that asks for a pool without nodes', () => {
    const sim = fresh()
    expect(act(sim, 'pod.try', { cluster: 'cedar', pool: 'storage' }).result).toMatchObject({
      ran: true,
    })
    expect(
      act(sim, 'pod.try', { cluster: 'bramble', pool: 'overnight-spot' }).failure,
    ).toMatchObject({
      reason: 'pods-pending',
      chain: [
        { says: expect.stringContaining("didn't match Pod's node affinity/selector") as string },
      ],
    })
  })

  it('are refused once the pod range has no block left', () => {
    const sim = fresh()
    const cluster = sim.world.clusters['dill']
    if (!cluster) throw new Error('the scenario lacks dill')
    // A /18 of /24 blocks holds 64 nodes.
    cluster.nodes = Array.from({ length: 64 }, (_, i) => ({
      ...(cluster.nodes[0] ?? { name: '' }),
      name: `n-${i}`,
    })) as typeof cluster.nodes
    const join = {
      cluster: 'dill',
      site: 'tarn-north',
      machine: 'dill-base-1',
      node: 'late',
      pool: 'base',
      zone: 'north-1',
      roles: ['worker'],
      labels: {},
      taints: [],
    }
    expect(act(sim, 'node.join', join).failure?.reason).toBe('pod-range-full')
  })
})
