import { describe, expect, it } from 'vitest'
import type { TrafficView } from '../../fleet'
import type { ApiObject } from '../../objects'
import { readObjects } from '../../objects'
import { readPolicyWorld } from '..'
import { labelsOfWorkload, letInBy, policyFromCalls } from './policy-draft'

const pod = (
  name: string,
  workload: string,
  namespace: string,
  labels: Record<string, string>,
) => ({
  apiVersion: 'v1',
  kind: 'Pod',
  metadata: {
    name,
    namespace,
    labels: { ...labels, 'pod-template-hash': '7f' },
    ownerReferences: [{ kind: 'StatefulSet', name: workload, controller: true }],
  },
})
const slice = {
  apiVersion: 'discovery.k8s.io/v1',
  kind: 'EndpointSlice',
  metadata: {
    name: 'ledger-1',
    namespace: 'market',
    labels: { 'kubernetes.io/service-name': 'ledger' },
  },
  ports: [{ port: 8443 }],
}
const objects: readonly ApiObject[] = [
  pod('ledger-0', 'ledger', 'market', { app: 'ledger' }),
  pod('desk-0', 'desk', 'market', { app: 'desk' }),
  pod('loop-0', 'loop', 'climate', { app: 'loop' }),
  pod('bare-0', 'bare', 'market', {}),
  slice,
]
const call = (from: string): TrafficView => ({
  from,
  to: 'market/ledger',
  port: 443,
  method: 'GET',
  path: '/',
  medianMs: 4,
  spans: [],
})

describe('labels of a workload', () => {
  it('are those of its pods, without what its controller adds', () =>
    expect(labelsOfWorkload(objects, 'market/ledger')).toEqual({ app: 'ledger' }))
  it('are none where its pods cannot be told apart, or are not there', () => {
    expect(labelsOfWorkload(objects, 'market/bare')).toBeNull()
    expect(labelsOfWorkload(objects, 'market/nobody')).toBeNull()
  })
})

describe('a policy out of calls', () => {
  it('lets in the ticked callers alone, on the port behind the service', () =>
    expect(policyFromCalls(objects, 'market/ledger', [call('market/desk')])).toEqual({
      podSelector: { matchLabels: { app: 'ledger' } },
      policyTypes: ['Ingress'],
      ingress: [
        {
          from: [{ podSelector: { matchLabels: { app: 'desk' } } }],
          ports: [{ protocol: 'TCP', port: 8443 }],
        },
      ],
    }))
  it('names the namespace of callers from elsewhere, and addresses outside as blocks', () => {
    const policy = policyFromCalls(objects, 'market/ledger', [
      call('climate/loop'),
      call('10.88.4.20'),
      call('fd00::1'),
    ])
    expect(policy?.['ingress']).toMatchObject([
      {
        from: [
          {
            namespaceSelector: { matchLabels: { 'kubernetes.io/metadata.name': 'climate' } },
            podSelector: { matchLabels: { app: 'loop' } },
          },
        ],
      },
      { from: [{ ipBlock: { cidr: '10.88.4.20/32' } }] },
      { from: [{ ipBlock: { cidr: 'fd00::1/128' } }] },
    ])
  })
  it('lets nobody in where nothing is ticked, and is none where its pods cannot be told apart', () => {
    expect(policyFromCalls(objects, 'market/ledger', [])?.['ingress']).toEqual([])
    expect(policyFromCalls(objects, 'market/bare', [])).toBeNull()
  })
})

describe('a caller that is left out', () => {
  const policy = (name: string, app: string, peer: string) => ({
    apiVersion: 'networking.k8s.io/v1',
    kind: 'NetworkPolicy',
    metadata: { name, namespace: 'market' },
    spec: {
      podSelector: { matchLabels: { app } },
      policyTypes: ['Ingress'],
      ingress: [{ from: [{ podSelector: { matchLabels: { app: peer } } }] }],
    },
  })
  const lets = (from: string, ...policies: readonly object[]): readonly string[] => {
    const namespace = { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'market' } }
    const world = readPolicyWorld(
      readObjects([...objects, namespace, ...policies]).located,
      'objects',
      [],
    )
    return letInBy(world, objects, call(from))
  }

  it('is let in by nobody where nothing isolates whom it calls, or what does is for others', () => {
    expect(lets('market/desk')).toEqual([])
    expect(lets('market/desk', policy('for-bare', 'ledger', 'bare'))).toEqual([])
    expect(lets('market/desk', policy('of-loop', 'loop', 'desk'))).toEqual([])
  })

  it('is let in by every policy that says so', () =>
    expect(
      lets('market/desk', policy('a', 'ledger', 'desk'), policy('b', 'ledger', 'bare')),
    ).toEqual(['market/a']))

  it('is looked for by its address where it is no workload', () =>
    expect(lets('192.0.2.7', policy('a', 'ledger', 'desk'))).toEqual([]))
})
