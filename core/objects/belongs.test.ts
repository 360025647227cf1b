import { describe, expect, it } from 'vitest'
import { podsOfWorkload, slicesOfService, targetPort } from './belongs'
import type { ApiObject } from './read'

const object = (
  kind: string,
  name: string,
  owner?: readonly [kind: string, name: string],
  more: Record<string, unknown> = {},
  labels: Record<string, string> = {},
): ApiObject => ({
  kind,
  metadata: {
    name,
    namespace: 'market',
    labels,
    ...(owner ? { ownerReferences: [{ kind: owner[0], name: owner[1], controller: true }] } : {}),
  },
  ...more,
})
const names = (objects: readonly ApiObject[], workload: string): readonly string[] =>
  podsOfWorkload(objects, workload).map((pod) => pod.metadata.name)

describe('pods of a workload', () => {
  const objects = [
    object('ReplicaSet', 'desk-7f', ['Deployment', 'desk']),
    object('Pod', 'desk-7f-b', ['ReplicaSet', 'desk-7f']),
    object('Pod', 'desk-7f-a', ['ReplicaSet', 'desk-7f']),
    object('Pod', 'desk-v2-9c-a', ['ReplicaSet', 'desk-v2-9c'], {}, { 'pod-template-hash': '9c' }),
    object('Pod', 'desk-store-0', ['StatefulSet', 'desk-store']),
    object('Job', 'desk-count-1', ['CronJob', 'desk-count']),
    object('Pod', 'desk-count-1-x', ['Job', 'desk-count-1']),
    object('Pod', 'desk-alone'),
  ]
  it('are found by their owners: names that begin alike are others’', () => {
    expect(names(objects, 'market/desk')).toEqual(['desk-7f-a', 'desk-7f-b'])
    expect(names(objects, 'market/desk-store')).toEqual(['desk-store-0'])
    expect(names(objects, 'market/desk-count')).toEqual(['desk-count-1-x'])
  })
  it('are found where their replica set is not among the objects', () =>
    expect(names(objects, 'market/desk-v2')).toEqual(['desk-v2-9c-a']))
  it('are none of another namespace, and none for a pod that nobody owns', () => {
    expect(names(objects, 'default/desk')).toEqual([])
    expect(names(objects, 'market/desk-alone')).toEqual([])
  })
})

describe('what is behind a service', () => {
  const slice = (
    name: string,
    service: string,
    ports: readonly Record<string, unknown>[],
  ): ApiObject =>
    object(
      'EndpointSlice',
      name,
      undefined,
      { ports, endpoints: [] },
      { 'kubernetes.io/service-name': service },
    )
  const objects = [
    object('Service', 'desk', undefined, {
      spec: {
        ports: [
          { name: 'web', port: 80 },
          { name: 'numbers', port: 81 },
        ],
      },
    }),
    slice('desk-v2-1', 'desk-v2', [{ name: 'web', port: 9000 }]),
    slice('desk-1', 'desk', [
      { name: 'numbers', port: 9101 },
      { name: 'web', port: 8080 },
    ]),
  ]
  it('is told by its label, not by names that begin alike', () =>
    expect(
      slicesOfService(objects, 'market/desk').map((eachSlice) => eachSlice.metadata.name),
    ).toEqual(['desk-1']))
  it('listens on the port of that name', () => {
    expect(targetPort(objects, 'market/desk', 80)).toBe(8080)
    expect(targetPort(objects, 'market/desk', 81)).toBe(9101)
    expect(targetPort(objects, 'market/desk', 82)).toBe(82)
    expect(targetPort(objects, 'market/none', 82)).toBe(82)
  })
})
