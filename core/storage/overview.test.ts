import { describe, expect, it } from 'vitest'
import { storageOverview } from './overview'

const zone = 'topology.kubernetes.io/zone'
const objects = [
  {
    kind: 'StorageClass',
    metadata: {
      name: 'hall-fast',
      annotations: { 'storageclass.kubernetes.io/is-default-class': 'true' },
    },
    provisioner: 'disks.mossgate.example',
    volumeBindingMode: 'WaitForFirstConsumer',
    allowedTopologies: [
      { matchLabelExpressions: [{ key: zone, values: ['mossgate-b', 'mossgate-a'] }] },
    ],
  },
  ...['a', 'b', 'c'].map((letter) => ({
    kind: 'Node',
    metadata: { name: `n-${letter}`, labels: { [zone]: `mossgate-${letter}` } },
  })),
  {
    kind: 'PersistentVolume',
    metadata: { name: 'pv-1' },
    spec: {
      capacity: { storage: '200G' },
      accessModes: ['ReadWriteOnce'],
      storageClassName: 'hall-fast',
      claimRef: { namespace: 'gathering', name: 'ledger' },
      nodeAffinity: {
        required: {
          nodeSelectorTerms: [
            { matchExpressions: [{ key: zone, operator: 'In', values: ['mossgate-b'] }] },
          ],
        },
      },
    },
  },
  ...['ledger', 'photos'].map((name) => ({
    kind: 'PersistentVolumeClaim',
    metadata: { name, namespace: 'gathering' },
    spec: {
      accessModes: ['ReadWriteOnce'],
      resources: { requests: { storage: '200G' } },
      storageClassName: 'hall-fast',
      ...(name === 'ledger' ? { volumeName: 'pv-1' } : {}),
    },
  })),
  {
    kind: 'Pod',
    metadata: { name: 'ledger-0', namespace: 'gathering' },
    spec: { nodeName: 'n-b', volumes: [{ persistentVolumeClaim: { claimName: 'ledger' } }] },
  },
]

describe('the storage of a cluster', () => {
  const overview = storageOverview(objects)

  it('names the volume of a claim, its zone, and who uses it', () => {
    expect(overview?.claims[0]).toEqual({
      claim: 'gathering/ledger',
      class: 'hall-fast',
      bytes: 200e9,
      accessModes: ['ReadWriteOnce'],
      volume: 'pv-1',
      zone: 'mossgate-b',
      pods: [{ pod: 'gathering/ledger-0', node: 'n-b' }],
      waits: null,
    })
  })

  it('says why a claim waits', () => {
    expect(overview?.claims[1]).toMatchObject({ claim: 'gathering/photos', volume: null, pods: [] })
    expect(overview?.claims[1]?.waits).toContain('waits for the first pod')
  })

  it('finds the zones of nodes in which a class makes nothing', () => {
    expect(overview?.classes).toEqual([
      {
        name: 'hall-fast',
        provisioner: 'disks.mossgate.example',
        waitsForConsumer: true,
        isDefault: true,
        zones: ['mossgate-a', 'mossgate-b'],
        lacks: ['mossgate-c'],
        claims: 2,
        bytes: 400e9,
        grants: [{ namespace: 'gathering', named: false, quotaBytes: null, usedBytes: 400e9 }],
      },
    ])
  })

  it('is nothing where the objects do not read', () => {
    expect(storageOverview([{ kind: 7 }])).toBeNull()
  })
})
