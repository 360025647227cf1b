import { describe, expect, it } from 'vitest'
import { inVersion } from './in-version'

const scaler = (apiVersion: string, metrics: readonly object[]) => ({
  apiVersion,
  kind: 'HorizontalPodAutoscaler',
  metadata: { name: 'desk' },
  spec: { maxReplicas: 5, metrics },
})

const flat = [
  { type: 'Resource', resource: { name: 'cpu', targetAverageUtilization: 60 } },
  { type: 'Resource', resource: { name: 'memory', targetAverageValue: '1Gi' } },
  {
    type: 'Pods',
    pods: {
      metricName: 'calls',
      selector: { matchLabels: { door: 'front' } },
      targetAverageValue: '20',
    },
  },
  {
    type: 'Object',
    object: {
      metricName: 'queue',
      target: { kind: 'Service', name: 'desk' },
      targetValue: '100',
    },
  },
  {
    type: 'External',
    external: {
      metricName: 'orders',
      metricSelector: { matchLabels: { at: 'market' } },
      targetValue: '7',
    },
  },
]
const nested = [
  {
    type: 'Resource',
    resource: { name: 'cpu', target: { type: 'Utilization', averageUtilization: 60 } },
  },
  {
    type: 'Resource',
    resource: { name: 'memory', target: { type: 'AverageValue', averageValue: '1Gi' } },
  },
  {
    type: 'Pods',
    pods: {
      metric: { name: 'calls', selector: { matchLabels: { door: 'front' } } },
      target: { type: 'AverageValue', averageValue: '20' },
    },
  },
  {
    type: 'Object',
    object: {
      metric: { name: 'queue' },
      describedObject: { kind: 'Service', name: 'desk' },
      target: { type: 'Value', value: '100' },
    },
  },
  {
    type: 'External',
    external: {
      metric: { name: 'orders', selector: { matchLabels: { at: 'market' } } },
      target: { type: 'Value', value: '7' },
    },
  },
]

describe('an autoscaler', () => {
  it('is written as each version writes its metrics, there and back', () => {
    const old = scaler('autoscaling/v2beta1', flat)
    const now = scaler('autoscaling/v2', nested)
    expect(inVersion(old, 'autoscaling/v2')).toEqual(now)
    expect(inVersion(now, 'autoscaling/v2beta1')).toEqual(old)
  })

  it('keeps its metrics between versions that write them alike', () => {
    const before = scaler('autoscaling/v2beta2', nested)
    expect(inVersion(before, 'autoscaling/v2')).toEqual(scaler('autoscaling/v2', nested))
    expect(inVersion(before, 'autoscaling/v2beta2')).toBe(before)
  })
})

describe('an endpoint slice', () => {
  const slice = (apiVersion: string, endpoint: object) => ({
    apiVersion,
    kind: 'EndpointSlice',
    endpoints: [{ addresses: ['10.4.0.7'], ...endpoint }],
  })

  it('tells where its endpoints are as each version does', () => {
    const now = slice('discovery.k8s.io/v1', { nodeName: 'cedar-general-1', zone: 'mossgate-a' })
    const old = inVersion(now, 'discovery.k8s.io/v1beta1')
    expect(old['endpoints']).toEqual([
      {
        addresses: ['10.4.0.7'],
        nodeName: 'cedar-general-1',
        topology: {
          'kubernetes.io/hostname': 'cedar-general-1',
          'topology.kubernetes.io/zone': 'mossgate-a',
        },
      },
    ])
    expect(inVersion(old, 'discovery.k8s.io/v1')).toEqual(now)
  })
})

it('what differs by name alone changes its name alone', () => {
  const budget = { apiVersion: 'policy/v1', kind: 'PodDisruptionBudget', spec: { minAvailable: 1 } }
  expect(inVersion(budget, 'policy/v1beta1')).toEqual({ ...budget, apiVersion: 'policy/v1beta1' })
})
