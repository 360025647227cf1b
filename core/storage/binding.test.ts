import { describe, expect, it } from 'vitest'
import { readObjects } from '../objects'
import { bindClaims, type ClaimAsked } from './binding'
import type { ClassStore } from './provision'
import { readStorage } from './storage-objects'

const zone = 'topology.kubernetes.io/zone'
type Fields = Readonly<Record<string, unknown>>

const storageClass = (name: string, fields: Fields = {}, metadata: Fields = {}) => ({
  kind: 'StorageClass',
  metadata: { name, ...metadata },
  provisioner: 'root-cellar.example',
  ...fields,
})
const waits = { volumeBindingMode: 'WaitForFirstConsumer' }
const node = (name: string, at: string) => ({
  kind: 'Node',
  metadata: { name, labels: { [zone]: at } },
})
const volume = (name: string, size: string, spec: Fields = {}, fields: Fields = {}) => ({
  kind: 'PersistentVolume',
  metadata: { name, ...(fields['metadata'] as Fields | undefined) },
  spec: {
    capacity: { storage: size },
    accessModes: ['ReadWriteOnce'],
    storageClassName: 'cellar',
    ...spec,
  },
  ...(fields['status'] ? { status: fields['status'] } : {}),
})
const claim = (name: string, size: string, spec: Fields = {}, metadata: Fields = {}) => ({
  kind: 'PersistentVolumeClaim',
  metadata: { name, namespace: 'gathering', ...metadata },
  spec: {
    accessModes: ['ReadWriteOnce'],
    resources: { requests: { storage: size } },
    storageClassName: 'cellar',
    ...spec,
  },
})
const inZone = (at: string) => ({
  nodeAffinity: {
    required: {
      nodeSelectorTerms: [{ matchExpressions: [{ key: zone, operator: 'In', values: [at] }] }],
    },
  },
})
const byHand = (fields: Fields = {}) =>
  storageClass('cellar', { provisioner: 'kubernetes.io/no-provisioner', ...fields })

function bind(
  objects: readonly unknown[],
  claims: readonly ClaimAsked[] = [{ claim: 'gathering/ledger' }],
  stores?: readonly ClassStore[],
) {
  const read = readObjects(objects)
  expect(read.wrong).toBeNull()
  const storage = readStorage(read.located)
  if (!storage.ok) throw new Error(storage.says)
  const bound = bindClaims(storage.storage, claims, stores)
  if (!bound.ok) throw new Error(`${bound.path}: ${bound.says}`)
  return {
    bound: bound.bound.map(({ volume: name, zone: at }) => [name, at]),
    waiting: bound.waiting.map(({ reason }) => reason),
  }
}

describe('a claim', () => {
  it('takes the smallest volume that matches, then the first by name', () => {
    const objects = [
      byHand(),
      volume('large', '300Gi'),
      volume('b', '200Gi'),
      volume('a', '200Gi'),
      volume('small', '100Gi'),
      claim('ledger', '150Gi'),
    ]
    expect(bind(objects)).toEqual({ bound: [['a', null]], waiting: [] })
  })

  it('leaves to later claims what it does not take', () => {
    const objects = [byHand(), volume('a', '10Gi'), claim('one', '5Gi'), claim('two', '5Gi')]
    expect(bind(objects, [{ claim: 'gathering/one' }, { claim: 'gathering/two' }])).toEqual({
      bound: [['a', null]],
      waiting: ['no-volume'],
    })
  })

  it.each<[string, Fields, Fields]>([
    ['another class', { storageClassName: 'fast' }, {}],
    ['a block device', { volumeMode: 'Block' }, {}],
    ['taken by another claim', { claimRef: { namespace: 'gathering', name: 'x' } }, {}],
    ['going', {}, { metadata: { deletionTimestamp: '2026-03-02T06:00:00Z' } }],
    ['released', {}, { status: { phase: 'Released' } }],
  ])('passes over a volume that is %s', (_, spec, fields) => {
    const objects = [byHand(), volume('a', '10Gi', spec, fields), claim('ledger', '5Gi')]
    expect(bind(objects)).toEqual({ bound: [], waiting: ['no-volume'] })
  })

  it('gets the volume that names it before its first consumer, whatever the class', () => {
    const claimRef = { namespace: 'gathering', name: 'ledger' }
    const objects = [
      storageClass('cellar', waits),
      volume('promised', '10Gi', { claimRef, storageClassName: 'old', ...inZone('mossgate-a') }),
      claim('ledger', '5Gi'),
    ]
    expect(bind(objects)).toEqual({ bound: [['promised', 'mossgate-a']], waiting: [] })
    const small = [storageClass('cellar', waits), volume('promised', '1Gi', { claimRef })]
    expect(bind([...small, claim('ledger', '5Gi')]).waiting).toEqual(['first-consumer'])
    const uid = volume('promised', '10Gi', { claimRef: { ...claimRef, uid: 'u-1' } })
    expect(bind([byHand(), uid, claim('ledger', '5Gi', {}, { uid: 'u-2' })]).bound).toEqual([])
    expect(bind([byHand(), uid, claim('ledger', '5Gi', {}, { uid: 'u-1' })]).bound).toEqual([
      ['promised', null],
    ])
  })

  it('that names its volume gets that one or none', () => {
    const named = claim('ledger', '5Gi', { volumeName: 'b' })
    const fits = [storageClass('cellar'), volume('a', '5Gi'), volume('b', '9Gi'), named]
    expect(bind(fits).bound).toEqual([['b', null]])
    expect(bind([storageClass('cellar'), volume('a', '5Gi'), named]).waiting).toEqual(['no-volume'])
  })

  it('uses the newest default class where it names none, and none where it names ""', () => {
    const isDefault = (created: string) => ({
      annotations: { 'storageclass.kubernetes.io/is-default-class': 'true' },
      creationTimestamp: created,
    })
    const classes = [
      storageClass('old', {}, isDefault('2026-01-01T00:00:00Z')),
      storageClass('new', {}, isDefault('2026-02-01T00:00:00Z')),
    ]
    const volumes = [
      volume('of-old', '9Gi', { storageClassName: 'old' }),
      volume('of-new', '9Gi', { storageClassName: 'new' }),
      volume('of-none', '9Gi', { storageClassName: '' }),
    ]
    const unnamed = claim('ledger', '5Gi', { storageClassName: null })
    expect(bind([...classes, ...volumes, unnamed]).bound).toEqual([['of-new', null]])
    expect(bind([...volumes, unnamed]).bound).toEqual([['of-none', null]])
    expect(bind([unnamed]).waiting).toEqual(['no-class'])
    const empty = claim('ledger', '5Gi', { storageClassName: '' })
    expect(bind([...classes, ...volumes, empty]).bound).toEqual([['of-none', null]])
    expect(bind([...classes, empty]).waiting).toEqual(['no-volume'])
  })

  it('of a class that is not there is bound to a volume that names the class', () => {
    expect(bind([volume('a', '9Gi'), claim('ledger', '5Gi')]).bound).toEqual([['a', null]])
    expect(bind([claim('ledger', '5Gi')]).waiting).toEqual(['no-class'])
  })

  it('waits for its first consumer, and is then bound where that runs', () => {
    const objects = [
      storageClass('cellar', waits),
      volume('a', '9Gi', inZone('mossgate-b')),
      node('n1', 'mossgate-a'),
      node('n2', 'mossgate-b'),
      claim('ledger', '5Gi'),
    ]
    expect(bind(objects).waiting).toEqual(['first-consumer'])
    const at = (name: string) => [{ claim: 'gathering/ledger', node: name }]
    expect(bind(objects, at('n2')).bound).toEqual([['a', 'mossgate-b']])
    expect(bind(objects, at('n1')).bound).toEqual([[null, 'mossgate-a']])
    expect(bind([byHand(waits), ...objects.slice(1)], at('n1')).waiting).toEqual(['topology'])
  })

  it('of an immediate class does not look at nodes', () => {
    const objects = [
      byHand(),
      volume('a', '9Gi', inZone('mossgate-b')),
      node('n1', 'mossgate-a'),
      claim('ledger', '5Gi'),
    ]
    expect(bind(objects, [{ claim: 'gathering/ledger', node: 'n1' }]).bound).toEqual([
      ['a', 'mossgate-b'],
    ])
  })

  it('is made a volume in the allowed zone with the most room, and takes that room', () => {
    const objects = [
      storageClass('cellar', {
        allowedTopologies: [
          { matchLabelExpressions: [{ key: zone, values: ['mossgate-a', 'mossgate-b'] }] },
        ],
      }),
      claim('one', '6k'),
      claim('two', '6k'),
      claim('three', '6k'),
    ]
    const stores = [
      { class: 'cellar', zone: 'mossgate-a', freeBytes: 7000 },
      { class: 'cellar', zone: 'mossgate-b', freeBytes: 9000 },
      { class: 'cellar', zone: 'mossgate-c', freeBytes: 90_000 },
    ]
    const asked = ['one', 'two', 'three'].map((name) => ({ claim: `gathering/${name}` }))
    expect(bind(objects, asked, stores)).toEqual({
      bound: [
        [null, 'mossgate-b'],
        [null, 'mossgate-a'],
      ],
      waiting: ['no-room'],
    })
  })

  it('is made nothing where the class is not allowed at its node, or it selects volumes', () => {
    const only = {
      ...waits,
      allowedTopologies: [{ matchLabelExpressions: [{ key: zone, values: ['mossgate-b'] }] }],
    }
    const objects = [storageClass('cellar', only), node('n1', 'mossgate-a'), claim('ledger', '5Gi')]
    expect(bind(objects, [{ claim: 'gathering/ledger', node: 'n1' }]).waiting).toEqual(['topology'])
    const selects = claim('ledger', '5Gi', { selector: { matchLabels: { use: 'ledger' } } })
    expect(bind([storageClass('cellar'), selects]).waiting).toEqual(['no-volume'])
  })

  it('says that access modes are what stands in the way', () => {
    const many = claim('ledger', '5Gi', { accessModes: ['ReadWriteMany'] })
    expect(bind([byHand(), volume('a', '9Gi'), many]).waiting).toEqual(['access-mode'])
  })

  it('that is asked about must be among the objects, and its node too', () => {
    const read = readObjects([claim('ledger', '5Gi')])
    const storage = readStorage(read.located)
    if (!storage.ok) throw new Error(storage.says)
    const asked = [{ claim: 'gathering/ledger', node: 'n9' }]
    expect(bindClaims(storage.storage, [{ claim: 'x' }], undefined)).toMatchObject({
      path: 'claims[0].claim',
    })
    expect(bindClaims(storage.storage, asked, undefined)).toMatchObject({ path: 'claims[0].node' })
    expect(readStorage(readObjects([claim('ledger', '5 potatoes')]).located)).toMatchObject({
      path: 'objects[0].spec.resources.requests.storage',
    })
  })
})
