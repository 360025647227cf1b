import { describe, expect, it } from 'vitest'
import { lossesOfStorage, volumeState } from '../../core/storage'
import { demoScenario } from '../../server/connectors/standin/demo'
import { buildWorld, clusterReport, objectsOf, Simulator, startFault, endFault } from '..'

const scenario = demoScenario()
const start = Date.parse(scenario.start)
const fresh = (): Simulator => new Simulator(buildWorld(scenario, 7), start)

function storageOf(sim: Simulator) {
  const storage = clusterReport(sim, 'cedar')?.storage
  if (!storage) throw new Error('cedar keeps volumes')
  return storage
}

const volumeOf = (sim: Simulator, name: string) => {
  const volume = storageOf(sim).volumes.find((candidate) => candidate.name === name)
  if (!volume) throw new Error(`no volume ${name}`)
  return volume
}

/** Runs until the command has ended. */
function act(sim: Simulator, key: string, verb: string, args: Record<string, unknown>) {
  sim.command(key, verb, args)
  for (let i = 0; i < 10_000 && sim.lookup(key)?.endedAt === null; i++) {
    sim.run(sim.now + 600_000)
    sim.drain()
  }
  return sim.lookup(key)
}

const fault = (kind: 'disk-lost' | 'disk-full' | 'disk-slow' | 'machine-off', about: string) => ({
  id: `${kind} ${about}`,
  kind,
  about,
  mode: 'permanent' as const,
  left: null,
  since: start,
})

/** From the first byte copied to the last copy whole, in seconds; and what is whole and lost then. */
function rebuilt(sim: Simulator, hours = 24) {
  let first = Infinity
  let last = 0
  for (let at = sim.now; at < start + hours * 3_600_000; at += 30_000) {
    sim.run(at)
    for (const volume of storageOf(sim).volumes)
      for (const copy of volume.replicas)
        if (copy.state === 'copying' && copy.from !== null) {
          first = Math.min(first, Date.parse(copy.since))
          last = Math.max(last, Date.parse(copy.until ?? ''))
        }
    if (last > 0 && at > last + 120_000) break
  }
  sim.drain()
  return { seconds: last === 0 ? 0 : (last - first) / 1000, storage: storageOf(sim) }
}

describe('the storage of the demo', () => {
  it('plans some 60 % and uses some 41 % of the storage nodes’ disks, above the floor', () => {
    const sim = fresh()
    const storage = storageOf(sim)
    const disks = storage.disks.filter((disk) => disk.node.includes('storage'))
    const bytes = disks.reduce((sum, disk) => sum + disk.bytes, 0)
    const planned = storage.volumes.flatMap((volume) =>
      volume.replicas.filter((copy) => copy.node.includes('storage')).map(() => volume.bytes),
    )
    expect(planned.reduce((a, b) => a + b, 0) / bytes).toBeCloseTo(0.6, 1)
    expect(1 - disks.reduce((sum, disk) => sum + disk.freeBytes, 0) / bytes).toBeCloseTo(0.41, 1)
    for (const disk of storage.disks)
      expect(disk.freeBytes / disk.bytes).toBeGreaterThan(storage.floorPercent / 100)
  })

  it('has every volume whole, served beside the pods that use it', () => {
    const sim = fresh()
    expect(storageOf(sim).volumes.map(volumeState)).toEqual(Array(6).fill('whole'))
    expect(volumeOf(sim, 'gathering-ledger-0').attached).toEqual([
      { node: 'cedar-general-1', pod: 'gathering/gathering-ledger-0' },
    ])
    expect(volumeOf(sim, 'seed-photos').attached.map(({ node }) => node)).toEqual([
      'cedar-general-1',
      'cedar-general-2',
    ])
  })

  it('has claims and volumes in its API as the storage tells them', () => {
    const sim = fresh()
    const objects = objectsOf(sim, 'cedar', {}) ?? []
    const bound = objects.filter((object) => object['kind'] === 'PersistentVolumeClaim')
    expect(bound).toHaveLength(6)
    const names = objects
      .filter((object) => object['kind'] === 'PersistentVolume')
      .map((object) => (object['metadata'] as { name: string }).name)
    expect(names.sort()).toEqual(
      storageOf(sim)
        .volumes.map(({ name }) => name)
        .sort(),
    )
  })
})

describe('a lost node', () => {
  it.each(['cedar-general-1', 'cedar-general-5', 'cedar-storage-1', 'cedar-storage-3'])(
    'costs what was predicted, and is made good in the time predicted: %s',
    (node) => {
      const sim = fresh()
      const predicted = lossesOfStorage(storageOf(sim)).find((loss) => loss.disk === node)
      if (!predicted) throw new Error('no prediction')
      startFault(sim, fault('machine-off', `machine/mossgate/${node}`))
      // Heard to be gone, before anything was copied.
      sim.run(start + 55_000)
      const silent = storageOf(sim)
      const stateIs = (state: string) =>
        silent.volumes
          .filter((volume) => volumeState(volume) === state)
          .map(({ name }) => name)
          .sort()
      expect(stateIs('lost')).toEqual([...predicted.lost].sort())
      expect(stateIs('degraded')).toEqual([...predicted.degraded].sort())
      const run = rebuilt(sim)
      if (predicted.seconds === 0) expect(run.seconds).toBe(0)
      else expect(Math.abs(run.seconds / predicted.seconds - 1)).toBeLessThan(0.05)
      const short = run.storage.volumes
        .filter((volume) => predicted.degraded.includes(volume.name))
        .filter((volume) => volumeState(volume) !== 'whole')
      expect(short.length === 0).toBe(predicted.whole)
    },
  )

  it('that comes back in time takes its copies up again, and nothing is copied', () => {
    const sim = fresh()
    const off = fault('machine-off', 'machine/mossgate/cedar-general-1')
    startFault(sim, off)
    sim.run(start + 60_000)
    expect(volumeState(volumeOf(sim, 'gathering-ledger-1'))).toBe('degraded')
    endFault(sim, off.id)
    sim.run(start + 600_000)
    expect(volumeState(volumeOf(sim, 'gathering-ledger-1'))).toBe('whole')
  })
})

describe('a lost volume', () => {
  const readyOf = (sim: Simulator, app: string): readonly string[] =>
    (objectsOf(sim, 'cedar', { kind: 'Pod' }) ?? [])
      .filter((pod) => (pod['metadata'] as { labels?: { app?: string } }).labels?.app === app)
      .map((pod) => {
        const { conditions } = pod['status'] as { conditions: { type: string; status: string }[] }
        return conditions.find(({ type }) => type === 'Ready')?.status ?? ''
      })

  it('leaves its pods running and not ready, until a copy answers again', () => {
    const sim = fresh()
    const lost = fault('disk-lost', 'disk/cedar/cedar-storage-3/bay-1')
    expect(readyOf(sim, 'watering-planner')).toEqual(['True', 'True'])
    startFault(sim, lost)
    expect(volumeState(volumeOf(sim, 'planner-cache'))).toBe('lost')
    expect(readyOf(sim, 'watering-planner')).toEqual(['False', 'False'])
    expect(readyOf(sim, 'gathering-ledger')).toEqual(['True', 'True', 'True'])
    endFault(sim, lost.id)
    expect(readyOf(sim, 'watering-planner')).toEqual(['True', 'True'])
  })
})

describe('disks', () => {
  it('that do not answer have their copies made elsewhere', () => {
    const sim = fresh()
    startFault(sim, fault('disk-lost', 'disk/cedar/cedar-general-1/bay-1'))
    expect(volumeOf(sim, 'gathering-ledger-1').replicas[0]).toMatchObject({
      state: 'gone',
      reason: 'its disk does not answer',
    })
    const { storage } = rebuilt(sim)
    const volume = storage.volumes.find(({ name }) => name === 'gathering-ledger-1')
    expect(volume?.replicas.map(({ node }) => node).sort()).toEqual([
      'cedar-general-2',
      'cedar-storage-1',
      'cedar-storage-3',
    ])
  })

  it('that are slow make copying take as much longer', () => {
    const fast = fresh()
    startFault(fast, fault('disk-lost', 'disk/cedar/cedar-general-1/bay-1'))
    const usual = rebuilt(fast).seconds
    const slow = fresh()
    startFault(slow, fault('disk-slow', 'disk/cedar/cedar-storage-1/bay-1'))
    startFault(slow, fault('disk-lost', 'disk/cedar/cedar-general-1/bay-1'))
    expect(rebuilt(slow, 30).seconds / usual).toBeCloseTo(8, 0)
  })

  it('that are full lose their copies to others', () => {
    const sim = fresh()
    startFault(sim, fault('disk-full', 'disk/cedar/cedar-general-4/bay-1'))
    expect(volumeOf(sim, 'gathering-ledger-2').replicas[0]?.reason).toBe(
      'no space left on its disk',
    )
    expect(storageOf(sim).disks.find((disk) => disk.node === 'cedar-general-4')?.freeBytes).toBe(0)
  })

  it('are taken out only once they are empty', () => {
    const sim = fresh()
    const at = { cluster: 'cedar', node: 'cedar-general-1', disk: 'bay-1' }
    expect(act(sim, 'out', 'disk.remove', at)?.failure?.reason).toBe('disk-holds')
    act(sim, 'close', 'disk.set', { ...at, retiring: true })
    const moved = act(sim, 'move', 'volume.move', {
      cluster: 'cedar',
      volume: 'gathering-ledger-1',
      from: { node: at.node, disk: at.disk },
      to: { node: 'cedar-general-4', disk: 'bay-1' },
    })
    expect(moved?.failure).toBeNull()
    expect(act(sim, 'out again', 'disk.remove', at)?.failure).toBeNull()
    expect(volumeState(volumeOf(sim, 'gathering-ledger-1'))).toBe('whole')
  })
})

describe('the network that copies travel', () => {
  it('is refused where the largest packets of one node do not arrive at another', () => {
    const sim = fresh()
    const ping = { cluster: 'cedar', network: 'mossgate storage' }
    const refused = act(sim, 'ping', 'storage.ping', ping)
    expect(refused?.failure).toMatchObject({ reason: 'packet-too-large' })
    expect(refused?.failure?.chain[0]?.about).toBe('node/cedar/cedar-storage-3')
    act(sim, 'link', 'storage.link', { ...ping, node: 'cedar-storage-3', mtu: 9000 })
    expect(act(sim, 'ping again', 'storage.ping', ping)).toMatchObject({
      failure: null,
      result: { pairs: 42 },
    })
  })

  it('is not changed under volumes that are served, and the refusal names them', () => {
    const sim = fresh()
    const failure = act(sim, 'switch', 'storage.network', {
      cluster: 'cedar',
      network: 'mossgate storage',
    })?.failure
    expect(failure?.reason).toBe('volume-attached')
    expect(failure?.chain.map(({ about }) => about)).toContain(
      'pod/cedar/gathering/gathering-ledger-0',
    )
  })
})

describe('volumes', () => {
  it('only grow, and their objects tell the new size', () => {
    const sim = fresh()
    const volume = { cluster: 'cedar', volume: 'cold-chain-log' }
    expect(act(sim, 'less', 'volume.set', { ...volume, bytes: 1e9 })?.failure?.reason).toBe(
      'volume-shrinks',
    )
    act(sim, 'more', 'volume.set', { ...volume, bytes: 60e9 })
    const claim = (objectsOf(sim, 'cedar', { kind: 'PersistentVolumeClaim' }) ?? []).find(
      (object) => (object['metadata'] as { name: string }).name === 'cold-chain-log',
    )
    expect(claim?.['status']).toMatchObject({ capacity: { storage: '60000000000' } })
  })

  it('go back to what a snapshot held, once nothing serves them', () => {
    const sim = fresh()
    const of = { cluster: 'cedar', volume: 'seed-photos', snapshot: 'monday' }
    const taken = act(sim, 'take', 'snapshot.take', of)?.result
    sim.run(start + 48 * 3_600_000)
    expect(volumeOf(sim, 'seed-photos').usedBytes).toBeGreaterThan(Number(taken?.['usedBytes']))
    expect(act(sim, 'too soon', 'snapshot.restore', of)?.failure?.reason).toBe('volume-attached')
    act(sim, 'stop', 'objects.apply', {
      cluster: 'cedar',
      objects: [
        {
          apiVersion: 'apps/v1',
          kind: 'Deployment',
          metadata: { name: 'cold-chain', namespace: 'gathering' },
          spec: { replicas: 0 },
        },
      ],
      force: ['Deployment/gathering/cold-chain /spec/replicas'],
    })
    expect(act(sim, 'restore', 'snapshot.restore', of)?.failure).toBeNull()
    expect(volumeOf(sim, 'seed-photos').usedBytes).toBe(taken?.['usedBytes'])
  })

  it('grow as the scenario says, by the line through what was seen', () => {
    const { samples } = volumeOf(fresh(), 'seed-photos')
    const [first, last] = [samples[0], samples.at(-1)]
    expect(((last?.usedBytes ?? 0) - (first?.usedBytes ?? 0)) / 29 / 1e9).toBeCloseTo(3.1, 0)
  })
})
