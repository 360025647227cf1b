import { expect, it } from 'vitest'
import { withRenamedOwners } from './renamed-paths'

const service = {
  apiVersion: 'v1',
  kind: 'Service',
  metadata: { name: 'names', namespace: 'platform', finalizers: ['a', 'b'] },
  spec: {
    ports: [
      { port: 443, name: 'secure' },
      { port: 53, protocol: 'UDP', name: 'names' },
    ],
  },
}
const autoscaler = {
  apiVersion: 'autoscaling/v2',
  kind: 'HorizontalPodAutoscaler',
  metadata: { name: 'desk', namespace: 'market' },
  spec: { metrics: [{ type: 'Pods', pods: { metric: { name: 'requests' } } }] },
}

it('renames the owners of ports, finalizers and metrics; all else stays', () => {
  const stored = {
    name: 'cedar',
    objects: [service, autoscaler],
    owners: {
      'Service/platform/names': {
        '/spec/ports/[port=443]/name': 'team-files',
        '/spec/ports/[port=53]/protocol': 'gyrarch',
        '/metadata/finalizers': 'keeper',
        '/spec/selector/app': 'team-files',
      },
      'HorizontalPodAutoscaler/market/desk': {
        '/spec/metrics/[type=Pods]/type': 'team-files',
        '/spec/metrics/[type=Pods]/pods/metric/name': 'team-files',
      },
      'Deployment/market/desk': { '/spec/replicas': 'team-files' },
    },
  }
  expect(withRenamedOwners(stored)).toEqual({
    ...stored,
    owners: {
      'Service/platform/names': {
        '/spec/ports/[port=443,protocol=TCP]/name': 'team-files',
        '/spec/ports/[port=53,protocol=UDP]/protocol': 'gyrarch',
        '/metadata/finalizers/[=a]': 'keeper',
        '/metadata/finalizers/[=b]': 'keeper',
        '/spec/selector/app': 'team-files',
      },
      'HorizontalPodAutoscaler/market/desk': { '/spec/metrics': 'team-files' },
      'Deployment/market/desk': { '/spec/replicas': 'team-files' },
    },
  })
})

it('changes nothing the second time, and nothing in a cluster without owners', () => {
  const renamed = withRenamedOwners({
    objects: [service],
    owners: { 'Service/platform/names': { '/spec/ports/[port=53]/name': 'gyrarch' } },
  })
  expect(withRenamedOwners(renamed)).toEqual(renamed)
  expect(withRenamedOwners({ name: 'dill' })).toEqual({ name: 'dill' })
})
