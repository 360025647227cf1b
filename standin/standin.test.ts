import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { allocatable } from '../core/sizing'
import { GiB } from '../core/units'
import { demoScenario } from '../server/connectors/standin/demo'
import { Engine, type LoggedCommand } from '../server/connectors/standin/engine'
import { agentAllocatable } from './cluster/nodes'
import { EventQueue } from './engine/queue'
import { buildWorld, clusterReport, faultObjection, objectsOf, Simulator, startFault } from '.'

const scenario = demoScenario()
const start = Date.parse(scenario.start)
const fresh = (nodes = 0): Simulator => new Simulator(buildWorld(scenario, 7, nodes), start)

const machine = (name: string, site = 'palisade-east', zone = 'east-1', size = 'post-4-16') => ({
  site,
  name,
  zone,
  size,
  release: '1.33.2',
  rootDiskGb: 60,
  lifetime: 'on-demand',
  cluster: 'rowan',
  apart: null,
  network: null,
  address: null,
})

/** Runs until the command has ended. */
function end(sim: Simulator, key: string) {
  for (let i = 0; i < 10_000 && sim.lookup(key)?.endedAt === null; i++) {
    sim.run(start + 1e9)
    sim.drain()
  }
  return sim.lookup(key)
}

function act(sim: Simulator, key: string, verb: string, args: Record<string, unknown>) {
  sim.command(key, verb, args)
  return end(sim, key)
}

describe('the event queue', () => {
  it('gives events by time, then in the order they came', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 20 })), (times) => {
        const queue = new EventQueue<{ at: number; seq: number }>()
        times.forEach((at, seq) => queue.push({ at, seq }))
        const out = times.map(() => queue.pop())
        expect(out).toEqual(
          times.map((at, seq) => ({ at, seq })).sort((a, b) => a.at - b.at || a.seq - b.seq),
        )
        expect(queue.pop()).toBeUndefined()
      }),
    )
  })
})

describe('the world of the scenario', () => {
  it('has its nodes, all ready, with two of bramble strained', () => {
    const sim = fresh()
    const counts = Object.keys(sim.world.clusters).map((name) => [
      name,
      clusterReport(sim, name)?.nodes.length,
    ])
    expect(Object.fromEntries(counts)).toEqual({
      alder: 6,
      cedar: 12,
      bramble: 7,
      dill: 3,
      burdock: 4,
      sorrel: 6,
    })
    const nodes = Object.keys(sim.world.clusters).flatMap(
      (name) => clusterReport(sim, name)?.nodes ?? [],
    )
    expect(
      nodes.every((node) =>
        node.conditions.some(
          (condition) => condition.type === 'Ready' && condition.status === 'True',
        ),
      ),
    ).toBe(true)
    expect(
      nodes
        .filter((node) =>
          node.conditions.some(
            (condition) => condition.type.endsWith('Pressure') && condition.status === 'True',
          ),
        )
        .map((node) => node.name),
    ).toEqual(['bramble-general-2', 'bramble-general-4'])
  })

  it('has a place for every pod, and leaves free on cedar’s general what the scenario says', () => {
    const sim = fresh()
    for (const cluster of Object.values(sim.world.clusters))
      expect(cluster.running.filter((pod) => pod.node === null)).toEqual([])
    const free = (clusterReport(sim, 'cedar')?.nodes ?? [])
      .filter((node) => node.pool === 'general')
      .map((node) => node.allocatableCpuMilli - node.requestedCpuMilli)
    expect(free.sort((a, b) => a - b)).toEqual([900, 900, 900, 1400, 1700, 1900])
  })

  it('gives no address twice', () => {
    const sim = fresh()
    for (const site of Object.values(sim.world.sites))
      expect(new Set(site.addresses.map((held) => held.address)).size).toBe(site.addresses.length)
    for (const cluster of Object.values(sim.world.clusters))
      expect(new Set(cluster.running.map((pod) => pod.ip)).size).toBe(cluster.running.length)
  })

  it('can be enlarged to at least so many nodes', () => {
    const sim = fresh(500)
    const nodes = Object.values(sim.world.clusters).reduce(
      (sum, cluster) => sum + cluster.nodes.length,
      0,
    )
    expect(nodes).toBeGreaterThanOrEqual(500)
    expect(sim.world.clusters['cedar-02']?.nodes).toHaveLength(125)
  })

  it('agrees with the core on what a node leaves for pods, though it computes it on its own', () => {
    for (const [cores, gib] of [
      [2, 4],
      [4, 16],
      [8, 32],
      [8, 64],
      [32, 256],
    ] as const) {
      const own = agentAllocatable(cores, gib * GiB)
      const core = allocatable(cores * 1000, gib * GiB)
      expect(own).toEqual({ cpuMilli: core.cpuMilli, memoryBytes: core.memoryBytes })
    }
  })

  it('lists its objects as an API does, and only to those it answers', () => {
    const sim = fresh()
    const pods = objectsOf(sim, 'cedar', { kind: 'pod', namespace: 'gathering' })
    expect(
      pods
        ?.map((pod) => (pod['metadata'] as { name: string }).name)
        .filter((name) => name.startsWith('gathering-ledger')),
    ).toEqual(['gathering-ledger-0', 'gathering-ledger-1', 'gathering-ledger-2'])
    for (const member of sim.world.clusters['cedar']?.members.slice(0, 2) ?? []) {
      const down = sim.world.sites['mossgate']?.machines.find(
        (otherMachine) => otherMachine.name === member,
      )
      if (down) down.power = 'off'
    }
    expect(objectsOf(sim, 'cedar', {})).toBeNull()
    expect(clusterReport(sim, 'cedar')?.apiAnswers).toBe(false)
  })
})

describe('machines', () => {
  it('use up what they take, and give it back', () => {
    const sim = fresh()
    const site = sim.world.sites['palisade-east']
    const before = structuredClone(site)
    expect(act(sim, 'a', 'machine.create', machine('rowan-1'))?.failure).toBeNull()
    expect(
      act(sim, 'b', 'machine.boot', { site: 'palisade-east', name: 'rowan-1' })?.result,
    ).toMatchObject({ machine: 'rowan-1' })
    expect(site?.machines.at(-1)).toMatchObject({ name: 'rowan-1', power: 'on', agent: true })
    expect(site?.addresses.length).toBe((before?.addresses.length ?? 0) + 1)
    act(sim, 'c', 'machine.delete', { site: 'palisade-east', name: 'rowan-1' })
    const { meter: metered, ...rest } = site ?? {}
    expect(rest).toEqual(before)
    expect(metered?.filter((thing) => thing.name === 'rowan-1')).toMatchObject([
      { what: 'machine', until: sim.now },
    ])
  })

  it('are refused over the quota, without stock, without image, of an unknown size', () => {
    const sim = fresh()
    const reasons = [
      act(sim, 'size', 'machine.create', machine('m', 'palisade-east', 'east-3', 'post-8-64-g1')),
      act(sim, 'image', 'machine.create', { ...machine('m'), release: '1.30.2' }),
      act(sim, 'disk', 'machine.create', { ...machine('m'), rootDiskGb: 10 }),
    ].map((op) => op?.failure?.reason)
    expect(reasons).toEqual(['size-unknown', 'image-missing', 'disk-small'])
    startFault(sim, {
      id: 'f',
      kind: 'no-stock',
      about: 'size/palisade-east/east-1/post-4-16',
      mode: 'permanent',
      left: null,
      since: start,
    })
    expect(act(sim, 'stock', 'machine.create', machine('m'))?.failure?.reason).toBe('no-stock')
    const made = Array.from(
      { length: 17 },
      (_, i) =>
        act(sim, `q${i}`, 'machine.create', machine(`q-${i}`, 'palisade-east', 'east-2'))?.failure
          ?.reason ?? 'made',
    )
    expect(made.filter((reason) => reason === 'made')).toHaveLength(16)
    expect(made.at(-1)).toBe('quota')
  })

  it('find no place in a hall past its failover reserve', () => {
    const sim = fresh()
    const made = Array.from(
      { length: 7 },
      (_, i) =>
        act(sim, `h${i}`, 'machine.create', {
          ...machine(`h-${i}`, 'mossgate', 'mossgate-a', 'rack-8'),
          rootDiskGb: 120,
        })?.failure,
    )
    expect(made.filter((failure) => failure === null)).toHaveLength(6)
    expect(made.at(-1)?.reason).toBe('no-room')
    expect(made.at(-1)?.chain[0]?.about).toBe('zone/mossgate/mossgate-a')
  })

  it('die while booting where that fault is put, and boot once it is gone', () => {
    const sim = fresh()
    act(sim, 'a', 'machine.create', machine('rowan-1'))
    startFault(sim, {
      id: 'f',
      kind: 'machine-dies',
      about: 'machine/palisade-east/rowan-1',
      mode: 'transient',
      left: 1,
      since: start,
    })
    expect(
      act(sim, 'b', 'machine.boot', { site: 'palisade-east', name: 'rowan-1' })?.failure,
    ).toMatchObject({ class: 'transient', reason: 'machine-died' })
    expect(sim.world.faults.map((fault) => fault.id)).not.toContain('f')
    expect(
      act(sim, 'c', 'machine.boot', { site: 'palisade-east', name: 'rowan-1' })?.failure,
    ).toBeNull()
  })

  it('answer a repeated key with the first result', () => {
    const sim = fresh()
    const first = act(sim, 'a', 'machine.create', machine('rowan-1'))
    sim.command('a', 'machine.create', machine('rowan-2'))
    expect(end(sim, 'a')).toBe(first)
    expect(
      sim.world.sites['palisade-east']?.machines.map((otherMachine) => otherMachine.name),
    ).not.toContain('rowan-2')
  })
})

describe('the box', () => {
  it('is never installed over data that was not said to be wiped', () => {
    const sim = fresh()
    const install = {
      site: 'glasshouse-12',
      name: 'gh12-box',
      cluster: 'elm-12',
      release: '1.33.2',
      disk: '/dev/sdb',
      wipe: null,
      card: 'enp1s0',
      address: '10.77.12.8',
      network: 'glasshouse-12',
    }
    expect(act(sim, 'a', 'box.install', install)?.failure?.reason).toBe('disk-holds-data')
    expect(
      act(sim, 'b', 'box.install', { ...install, disk: '/dev/disk/by-id/ata-FIR_480_A1' })?.failure,
    ).toBeNull()
    expect(sim.world.sites['glasshouse-12']?.boxes[0]?.disks.map((disk) => disk.holds)).toEqual([
      'fern-base 1.33.2',
      'a file system with sensor archives',
      null,
    ])
  })
})

describe('a cluster', () => {
  it('takes no node before its API answers', () => {
    const sim = fresh()
    act(sim, 'a', 'machine.create', machine('rowan-1'))
    act(sim, 'b', 'machine.boot', { site: 'palisade-east', name: 'rowan-1' })
    expect(
      act(sim, 'c', 'node.join', {
        cluster: 'rowan',
        site: 'palisade-east',
        machine: 'rowan-1',
        node: 'rowan-1',
        pool: 'p',
        zone: 'east-1',
        roles: ['worker'],
        labels: {},
        taints: [],
      })?.failure,
    ).toMatchObject({ class: 'transient', reason: 'api-down' })
  })

  it('makes a node ready only after its pod network runs, and says so in events', () => {
    const sim = fresh()
    act(sim, 'a', 'machine.create', machine('rowan-1'))
    act(sim, 'b', 'machine.boot', { site: 'palisade-east', name: 'rowan-1' })
    act(sim, 'p', 'controlplane.create', {
      site: 'palisade-east',
      cluster: 'rowan',
      tier: 'plain',
      release: '1.33.2',
    })
    act(sim, 'c', 'api.start', {
      cluster: 'rowan',
      site: 'palisade-east',
      release: '1.33.2',
      machine: null,
      managed: true,
      endpoint: 'https://198.51.100.249:443',
      pods: '10.132.0.0/18',
      services: '10.133.0.0/20',
      apiAddress: '10.133.0.1',
      dnsAddress: '10.133.0.10',
      maxPodsPerNode: 110,
    })
    act(sim, 'd', 'node.join', {
      cluster: 'rowan',
      site: 'palisade-east',
      machine: 'rowan-1',
      node: 'rowan-1',
      pool: 'p',
      zone: 'east-1',
      roles: ['worker'],
      labels: {},
      taints: [],
    })
    expect(sim.world.clusters['rowan']?.events.map((event) => event.reason)).toEqual([
      'ApiStarted',
      'Registered',
      'Started',
      'NodeReady',
    ])
    expect(act(sim, 'e', 'dns.ask', { cluster: 'rowan' })?.failure?.reason).toBe('dns-silent')
    expect(act(sim, 'f', 'addons.place', { cluster: 'rowan' })?.failure).toBeNull()
    expect(act(sim, 'g', 'dns.ask', { cluster: 'rowan' })?.failure).toBeNull()
    expect(act(sim, 'h', 'pod.try', { cluster: 'rowan', pool: 'no-such' })?.failure?.reason).toBe(
      'pods-pending',
    )
  })
})

describe('faults', () => {
  it('are refused about what is not there', () => {
    const sim = fresh()
    expect(faultObjection(sim, 'machine-unavailable', 'site/tarn-north')).toBeNull()
    expect(faultObjection(sim, 'machine-unavailable', 'site/nowhere')).toContain('nowhere')
    expect(faultObjection(sim, 'no-stock', 'size/tarn-north/north-1/post-4-16')).toContain(
      'does not offer',
    )
    expect(faultObjection(sim, 'earthquake', 'site/tarn-north')).toContain(
      'There is no fault earthquake',
    )
  })
})

describe('history', () => {
  const plan: readonly (readonly [number, string, string, Record<string, unknown>])[] = [
    [0, 'k1', 'machine.create', machine('rowan-1')],
    [0, 'k2', 'machine.create', machine('rowan-2', 'tarn-north', 'north-1', 'reed-4-16')],
    [20_000, 'k3', 'machine.create', machine('rowan-3')],
    [90_000, 'k4', 'machine.boot', { site: 'palisade-east', name: 'rowan-1' }],
    [
      95_000,
      'k5',
      'fault.put',
      {
        fault: {
          id: 'f',
          kind: 'machine-dies',
          about: 'site/palisade-east',
          mode: 'transient',
          left: 1,
          since: 0,
        },
        afterSeconds: 5,
      },
    ],
    [200_000, 'k6', 'machine.delete', { site: 'palisade-east', name: 'rowan-3' }],
  ]
  const state = (engine: Engine): unknown => engine.answer({ what: 'chunks', all: true })

  /** Lives through the plan and returns the log with its stamps. */
  function live(engine: Engine): LoggedCommand[] {
    const log: LoggedCommand[] = []
    let at = { now: start, processed: 0 }
    const runTo = (until: number): void => {
      while (at.now < until)
        at = engine.answer({ what: 'run', until, mostEvents: Infinity }) as typeof at
    }
    for (const [after, key, verb, args] of plan) {
      runTo(start + after)
      log.push({ key, verb, args, clock: at.now, processed: at.processed })
      engine.answer({ what: 'command', key, verb, args })
    }
    runTo(start + 600_000)
    return log
  }
  const begin = (): Engine => {
    const engine = new Engine()
    engine.answer({ what: 'build', scenario, seed: 7, nodes: 0, at: start })
    return engine
  }

  it('is the same to the byte for the same seed, world and stamped commands', () => {
    const [one, two] = [begin(), begin()]
    live(one)
    live(two)
    expect(state(one)).toEqual(state(two))
  })

  it('replayed from the log alone ends where the living one did', () => {
    const lived = begin()
    const log = live(lived)
    const replayed = begin()
    replayed.answer({ what: 'replay', commands: log, until: start + 600_000 })
    expect(state(replayed)).toEqual(state(lived))
  })

  it('replayed from a snapshot in the middle does too', () => {
    const lived = begin()
    const log = live(lived)
    const half = begin()
    half.answer({ what: 'replay', commands: log.slice(0, 3), until: start + 30_000 })
    const chunks = half.answer({ what: 'chunks', all: true }) as { name: string; body: string }[]
    const restored = new Engine()
    restored.answer({ what: 'restore', chunks })
    restored.answer({ what: 'replay', commands: log.slice(3), until: start + 600_000 })
    expect(state(restored)).toEqual(state(lived))
  })
})
