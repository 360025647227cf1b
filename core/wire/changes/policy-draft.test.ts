import { describe, expect, it } from 'vitest'
import type { TrafficView } from '../../fleet'
import type { ApiObject } from '../../objects'
import { labelsOfWorkload, policyFromCalls } from './policy-draft'

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
