import { describe, expect, it } from 'vitest'
import type { ApiObject, Json } from '~/core/objects'
import { scalerOf } from './scaler'

const scaler = (metrics: readonly Json[], more: Json = {}): ApiObject => ({
  apiVersion: 'autoscaling/v2',
  kind: 'HorizontalPodAutoscaler',
  metadata: { name: 'desk', namespace: 'market' },
  spec: {
    scaleTargetRef: { apiVersion: 'apps/v1', kind: 'Deployment', name: 'desk' },
    minReplicas: 2,
    maxReplicas: 12,
    metrics,
    ...more,
  },
})
const perPod = (averageValue: unknown): Json => ({
  type: 'Pods',
  pods: { metric: { name: 'requests' }, target: { type: 'AverageValue', averageValue } },
})

describe('an autoscaler', () => {
  it.each([
    ['100', 100, 'requests, 100 a replica'],
    [100, 100, 'requests, 100 a replica'],
    ['1k', 1000, 'requests, 1,000 a replica'],
    ['500m', 0.5, 'requests, 0.5 a replica'],
  ])('with a target of %s takes %d of a replica', (given, target, follows) =>
    expect(scalerOf(scaler([perPod(given)]), 'bramble', [])).toMatchObject({ target, follows }),
  )

  it('that follows what its pods use says so, and has no target of its own', () => {
    const metrics = [
      { type: 'Resource', resource: { name: 'cpu', target: { averageUtilization: 80 } } },
    ]
    expect(scalerOf(scaler(metrics), 'bramble', [])).toMatchObject({
      target: 0,
      follows: 'cpu, 80 % of what is asked for',
    })
  })

  it('of several metrics tells the first and how many more', () => {
    const metrics = [perPod('100'), perPod('2')]
    expect(scalerOf(scaler(metrics), 'bramble', [])?.follows).toBe(
      'requests, 100 a replica, and 1 more',
    )
  })

  it.each([
    [[], 'nothing'],
    [[{ type: 'External' }], 'a metric of kind External'],
    [[{}], 'a metric of kind unknown'],
    [[perPod('a lot')], 'a metric of kind Pods'],
  ])('of %j is still told', (metrics, follows) =>
    expect(scalerOf(scaler(metrics), 'bramble', [])).toMatchObject({ follows, target: 0 }),
  )

  it('written in an earlier version is read as the newest', () => {
    const early = {
      ...scaler([]),
      apiVersion: 'autoscaling/v2beta1',
      spec: {
        scaleTargetRef: { kind: 'StatefulSet', name: 'desk' },
        maxReplicas: 3,
        metrics: [{ type: 'Pods', pods: { metricName: 'requests', targetAverageValue: '50' } }],
      },
    }
    expect(scalerOf(early, 'bramble', [])).toMatchObject({
      workload: 'StatefulSet/market/desk',
      min: 1,
      max: 3,
      target: 50,
    })
  })

  it('is nothing else', () => {
    expect(scalerOf({ ...scaler([]), kind: 'Deployment' }, 'bramble', [])).toBeNull()
  })
})
