import { describe, expect, it } from 'vitest'
import type { StorageReport } from '../../contract'
import { type FleetView, wholeView } from '../../fleet'
import { kindNamed } from '../../kinds'
import { demoFleet, withCalls } from '../../testing/demo-fleet'
import { linkOn, lossesOfStorage } from '..'

const view = withCalls(demoFleet(), 'cedar')

function draftOf(kind: string, intent: object) {
  const read = kindNamed(kind)?.read({ cluster: 'cedar', ...intent })
  if (!read?.ok) throw new Error(`the intent of ${kind} does not read`)
  return read.draft
}

const findings = (kind: string, intent: object, at: FleetView = view) =>
  draftOf(kind, intent).findings(at)
const rules = (kind: string, intent: object, at: FleetView = view): readonly string[] =>
  findings(kind, intent, at).map((finding) => `${finding.level} ${finding.rule}`)
const steps = (kind: string, intent: object, at: FleetView = view) =>
  draftOf(kind, intent).plan(at).steps

function storageIn(at: FleetView): StorageReport {
  const storage = at.clusters.find((cluster) => cluster.name === 'cedar')?.storage
  if (!storage) throw new Error('cedar keeps volumes')
  return storage
}

function after(kind: string, intent: object, at: FleetView = view): FleetView {
  const next = draftOf(kind, intent).after(at)
  if (!next) throw new Error(`${kind} does not say what comes of it`)
  return wholeView(next)
}

const toStorage = { network: 'mossgate storage' }
const link = { node: 'cedar-storage-3', network: 'mossgate storage', mtu: 9000 }

describe('moving copies to another network', () => {
  it('stops on a link that takes less than the others send, and offers to set it', () => {
    const [mtu] = findings('storage.network', toStorage).filter(
      (finding) => finding.rule === 'network.mtu',
    )
    expect(mtu?.says).toBe(
      'The link of cedar-storage-3 to mossgate storage takes packets of 1500 bytes, the others send 9000: large writes would vanish.',
    )
    expect(mtu?.remedies.map(({ change }) => change)).toEqual([
      { kind: 'storage.link', intent: { cluster: 'cedar', ...link } },
    ])
  })

  it('stops on every volume that is served, naming pods, workload and owner, and offers to detach in the same run', () => {
    const attached = findings('storage.network', toStorage).filter(
      (finding) => finding.rule === 'network.attached',
    )
    expect(attached.map(({ about }) => about)).toEqual([
      'volume/cedar/cold-chain-log',
      'volume/cedar/seed-photos',
      'volume/cedar/gathering-ledger-0',
      'volume/cedar/gathering-ledger-1',
      'volume/cedar/gathering-ledger-2',
      'volume/cedar/planner-cache',
    ])
    const ledger = attached.find(({ about }) => about?.endsWith('ledger-0'))
    expect(ledger?.says).toContain('gathering/gathering-ledger-0 of gathering/gathering-ledger')
    expect(ledger?.because.map(({ says }) => says)).toEqual([
      'gathering/gathering-ledger-0 uses gathering-ledger-0 on cedar-general-1',
      'gathering/gathering-ledger: gathering-team',
    ])
    expect(ledger?.remedies).toHaveLength(1)
  })

  it('has nothing against it once the link is set and what holds volumes is to be stopped', () => {
    expect(
      rules('storage.network', { ...toStorage, detach: true }, after('storage.link', link)),
    ).toEqual(['caution network.stops'])
  })

  it('pings, stops in order, restarts node by node, starts again in reverse, and looks where connections come from', () => {
    const ids = steps('storage.network', { ...toStorage, detach: true }).map(({ id }) => id)
    expect(ids).toEqual([
      'ping',
      'stop:gathering/cold-chain',
      'stop:gathering/gathering-ledger',
      'stop:irrigation/watering-planner',
      'detached',
      'network',
      ...[
        'general-1',
        'general-2',
        'general-4',
        'general-5',
        'storage-1',
        'storage-2',
        'storage-3',
      ].map((node) => `restart:cedar-${node}`),
      'start:irrigation/watering-planner',
      'rollout:Deployment/irrigation/watering-planner',
      'start:gathering/gathering-ledger',
      'rollout:StatefulSet/gathering/gathering-ledger',
      'start:gathering/cold-chain',
      'rollout:Deployment/gathering/cold-chain',
      'watch',
    ])
  })

  it('is proven by where new connections come from', () => {
    const done = after('storage.network', { ...toStorage, detach: true })
    const draft = draftOf('storage.network', { ...toStorage, detach: true })
    const seen = (from: string, to: string) =>
      draft
        .prove(done, { watch: { connections: [{ volume: 'seed-photos', from, to }] } })
        .map(({ holds }) => holds)
    const on = (node: string, network = 'mossgate storage') =>
      linkOn(storageIn(done), network, node)?.address ?? ''
    expect(seen(on('cedar-storage-1'), on('cedar-storage-2'))).toEqual([true, true, true])
    expect(seen(on('cedar-storage-1', 'mossgate nodes'), on('cedar-storage-2'))).toEqual([
      true,
      false,
      true,
    ])
    expect(draft.prove(done, {}).map(({ holds }) => holds)).toEqual([true, false, true])
  })

  it('names the networks there are where another is named, or none', () => {
    expect(rules('storage.network', { network: 'mossgate frontage' })).toEqual([
      'stop network.known',
    ])
    expect(findings('storage.network', { network: '' })[0]?.because[0]?.says).toBe(
      'nodes have links to mossgate nodes and mossgate storage',
    )
    expect(rules('storage.network', { network: 'mossgate nodes' })).toEqual(['note network.same'])
  })

  it('is nothing for a cluster without such storage', () => {
    expect(rules('storage.network', { cluster: 'bramble', ...toStorage })).toEqual([
      'stop storage.none',
    ])
  })

  it('sets no link above what its network carries', () => {
    expect(rules('storage.link', { ...link, mtu: 9216 })).toEqual(['stop link.mtu'])
    expect(rules('storage.link', { ...link, node: 'cedar-general-3' })).toEqual(['stop link.node'])
  })
})

describe('volumes', () => {
  it('do not shrink, and grow only into room that is not promised', () => {
    const volume = 'gathering-ledger-0'
    expect(rules('volume.resize', { volume, gigabytes: 100 })).toEqual(['stop volume.shrinks'])
    expect(rules('volume.resize', { volume, gigabytes: 400 })).toEqual([])
    const [room] = findings('volume.resize', { volume, gigabytes: 700 })
    expect(room?.rule).toBe('volume.room')
    // The tightest of its disks has 1,200 GB, of which 840 are promised.
    expect(room?.remedies[0]?.says).toBe('Grow it to 560 GB')
  })

  it('are kept in more copies where there is a disk for each', () => {
    expect(rules('volume.copies', { volume: 'planner-cache', copies: 3 })).toEqual([])
    const [short] = findings('volume.copies', { volume: 'gathering-ledger-0', copies: 4 })
    expect(short?.rule).toBe('volume.short')
    expect(short?.because.map(({ says }) => says)).toContain(
      '4 disks: its zone holds a copy already',
    )
    expect(rules('volume.copies', { volume: 'seed-photos', copies: 1 })).toEqual([
      'caution copies.single',
    ])
  })

  it('move only from where they are to a disk that may take them', () => {
    const volume = 'gathering-ledger-1'
    const from = 'cedar-general-1/bay-1'
    expect(rules('volume.move', { volume, from, to: 'cedar-general-4/bay-1' })).toEqual([])
    expect(rules('volume.move', { volume, from, to: 'cedar-general-2/bay-1' })).toEqual([
      'stop target.refuses',
    ])
    const [zone] = findings('volume.move', { volume, from, to: 'cedar-general-5/bay-1' })
    expect(zone?.says).toContain('its zone holds a copy already')
    expect(zone?.remedies[0]?.says).toBe('Move it to cedar-storage-1/bay-1')
    expect(rules('volume.move', { volume, from: 'cedar-general-4/bay-1', to: from })).toEqual([
      'stop copy.known',
    ])
  })
})

describe('snapshots', () => {
  const taken = after('snapshot.take', { volume: 'seed-photos', snapshot: 'monday' })

  it('have names of their own', () => {
    const again = { volume: 'seed-photos', snapshot: 'monday' }
    expect(findings('snapshot.take', again, taken)[0]?.remedies[0]?.says).toBe('Call it monday-2')
  })

  it('are put back only under nothing that runs, and say what is lost', () => {
    const restore = { volume: 'seed-photos', snapshot: 'monday' }
    const later = { ...taken, now: '2026-03-02T09:00:00.000Z' }
    expect(rules('snapshot.restore', restore, later)).toEqual([
      'stop restore.attached',
      'caution snapshot.loses',
    ])
    const [loses] = findings('snapshot.restore', { ...restore, detach: true }, later)
    expect(loses?.says).toBe(
      'Everything written to seed-photos in the 3 h since monday is lost. It is kept as another snapshot first.',
    )
    expect(rules('snapshot.restore', { ...restore, snapshot: 'friday' }, later)).toEqual([
      'stop snapshot.known',
    ])
  })
})

describe('disks', () => {
  it('are retired once their copies have another place, each named', () => {
    const disk = { node: 'cedar-general-1', disk: 'bay-1' }
    const [emptied] = findings('disk.retire', disk)
    expect(emptied?.because.map(({ says }) => says)).toEqual([
      'gathering-ledger-1 to cedar-storage-1/bay-1',
    ])
    expect(steps('disk.retire', disk).map(({ id }) => id)).toEqual([
      'close',
      'move:gathering-ledger-1',
      'remove',
    ])
    expect(
      lossesOfStorage(storageIn(after('disk.retire', disk))).map((loss) => loss.disk),
    ).not.toContain('cedar-general-1/bay-1')
  })

  it('stay where a copy would find no other', () => {
    const stuck = findings('disk.retire', { node: 'cedar-storage-3', disk: 'bay-1' })
    expect(stuck.filter(({ level }) => level === 'stop').map(({ about }) => about)).toEqual([
      'volume/cedar/gathering-ledger-0',
      'volume/cedar/gathering-ledger-1',
      'volume/cedar/gathering-ledger-2',
    ])
  })

  it('that are added make room for what found none', () => {
    const disk = { node: 'cedar-general-3', disk: 'bay-1', gigabytes: 1200 }
    const more = after('disk.add', disk)
    expect(
      findings('disk.retire', { node: 'cedar-storage-3', disk: 'bay-1' }, more).map(
        ({ level }) => level,
      ),
    ).toEqual(['caution'])
    expect(rules('disk.add', { ...disk, node: 'nowhere' })).toEqual(['stop disk.node'])
  })
})

describe('classes', () => {
  const any = { name: 'cellar-any', copies: 2, zones: 'any', binding: 'Immediate', only: [] }

  it('need a zone with disks for each copy that must have its own', () => {
    const [copies] = findings('storage.class', { ...any, copies: 4, zones: 'required' })
    expect(copies?.says).toBe(
      '4 copies, each in a zone of its own, need as many zones with disks; there are 3.',
    )
    expect(copies?.remedies.map(({ says }) => says)).toEqual([
      'Keep 3 copies',
      'Prefer different zones, but do not require them',
    ])
  })

  it('with a hole say where pods would wait', () => {
    const only = ['mossgate-a', 'mossgate-b']
    const [hole] = findings('storage.class', { ...any, only })
    expect(hole?.says).toContain('makes no volume in mossgate-c')
    expect(rules('storage.class', { ...any, only: ['mossgate-d'] })).toEqual(['stop class.zones'])
  })

  it('do not change once they are made', () => {
    expect(rules('storage.class', { ...any, name: 'cellar-three' })).toEqual(['stop class.name'])
    expect(rules('storage.class', any)).toEqual([])
  })
})

describe('a namespace', () => {
  const grant = { namespace: 'gathering', class: 'cellar-three', gigabytes: 900 }

  it('is bounded no lower than what it asks for already', () => {
    const [used] = findings('storage.grant', { ...grant, gigabytes: 500 })
    expect(used?.says).toContain('600 GB')
    expect(used?.remedies.map(({ says }) => says)).toEqual(['Bound it at 600 GB'])
    expect(rules('storage.grant', grant)).toEqual(['caution grant.owned'])
  })

  it('that could use everything goes on using what it uses', () => {
    const [note] = findings('storage.grant', { ...grant, namespace: 'irrigation' })
    expect(note?.says).toContain('may use cellar-three and cellar-two')
  })

  it('and a class that are not there are named', () => {
    expect(rules('storage.grant', { ...grant, namespace: 'nowhere', class: 'gold' })).toEqual([
      'stop grant.namespace',
      'stop grant.class',
    ])
  })
})
