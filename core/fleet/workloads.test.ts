import { describe, expect, it } from 'vitest'
import type { ApiObject } from '../objects'
import { workloadsIn } from './workloads'

const image = 'registry.fernhollow.example/market/market-desk:2'
const template = { spec: { containers: [{ name: 'main', image }] } }

const made = (kind: string, name: string, more: Record<string, unknown> = {}): ApiObject =>
  ({
    apiVersion: 'apps/v1',
    kind,
    ...more,
    metadata: { namespace: 'market', name, ...(more['metadata'] as object | undefined) },
  }) as ApiObject

const ownedBy = (kind: string, name: string) => ({
  ownerReferences: [{ apiVersion: 'apps/v1', kind, name, controller: true }],
})

function pod(
  name: string,
  owner: readonly [kind: string, name: string] | null,
  status: Record<string, unknown> = {},
) {
  return made('Pod', name, {
    apiVersion: 'v1',
    metadata: owner ? ownedBy(...owner) : {},
    spec: { nodeName: 'cedar-general-1', ...template.spec },
    status: {
      phase: 'Running',
      conditions: [{ type: 'Ready', status: 'True' }],
      containerStatuses: [{ image, imageID: `x@sha256:${'a'.repeat(64)}`, restartCount: 2 }],
      ...status,
    },
  })
}

describe('workloads among objects', () => {
  it('have the pods of their replica sets, with what stands between', () => {
    const [desk, ...more] = workloadsIn([
      made('Deployment', 'desk', { spec: { replicas: 2, template } }),
      made('ReplicaSet', 'desk-1', { metadata: ownedBy('Deployment', 'desk'), spec: { template } }),
      pod('desk-1-a', ['ReplicaSet', 'desk-1']),
      pod('desk-1-b', ['ReplicaSet', 'desk-1'], { conditions: [] }),
    ])
    expect(more).toEqual([])
    expect(desk).toMatchObject({
      key: 'Deployment/market/desk',
      wanted: 2,
      ready: 1,
      state: 'working',
      images: [image],
    })
    expect(desk?.pods.map(({ by, restarts }) => [by, restarts])).toEqual([
      ['desk-1', 2],
      ['desk-1', 2],
    ])
  })

  it('are broken where none is ready and a pod says why, and come first', () => {
    const waiting = { reason: 'ImagePullBackOff', message: 'it is not there' }
    const workloads = workloadsIn([
      made('Deployment', 'alright', { spec: { replicas: 0, template } }),
      made('StatefulSet', 'ledger', { spec: { replicas: 1, template } }),
      pod('ledger-0', ['StatefulSet', 'ledger'], {
        conditions: [],
        containerStatuses: [{ image, state: { waiting } }],
      }),
    ])
    expect(workloads.map(({ name, state }) => [name, state])).toEqual([
      ['ledger', 'broken'],
      ['alright', 'well'],
    ])
    expect(workloads[0]?.says).toContain('ImagePullBackOff: it is not there')
  })

  it('count a pod and a replica set that nothing keeps, and no others of these', () => {
    const workloads = workloadsIn([
      pod('alone', null),
      pod('ended', null, { phase: 'Succeeded', conditions: [] }),
      made('ReplicaSet', 'trio', { spec: { replicas: 3, template } }),
      pod('trio-a', ['ReplicaSet', 'trio']),
      made('ReplicaSet', 'desk-1', { metadata: ownedBy('Deployment', 'desk') }),
    ])
    expect(workloads.map(({ key, wanted, ready, state }) => [key, wanted, ready, state])).toEqual([
      ['ReplicaSet/market/trio', 3, 1, 'working'],
      ['Pod/market/alone', 1, 1, 'well'],
      ['Pod/market/ended', 0, 0, 'well'],
    ])
    expect(workloads[1]?.images).toEqual([image])
  })

  it('that run by the clock rest, and jobs are ready as far as they have ended', () => {
    const workloads = workloadsIn([
      made('CronJob', 'nightly', {
        spec: {
          schedule: '0 1 * * *',
          timeZone: 'Europe/Berlin',
          jobTemplate: { spec: { template } },
        },
      }),
      made('Job', 'count', { spec: { completions: 3, template }, status: { succeeded: 2 } }),
    ])
    expect(workloads.map(({ name, state, ready }) => [name, state, ready])).toEqual([
      ['count', 'working', 2],
      ['nightly', 'resting', 0],
    ])
    expect(workloads[1]?.says).toContain('Europe/Berlin')
  })

  it('that run by the clock have the pods of the jobs that they made, which are none beside them', () => {
    const [nightly, ...more] = workloadsIn([
      made('CronJob', 'nightly', { spec: { schedule: '0 1 * * *', jobTemplate: {} } }),
      made('Job', 'nightly-1', { metadata: ownedBy('CronJob', 'nightly') }),
      pod('nightly-1-a', ['Job', 'nightly-1']),
    ])
    expect(more).toEqual([])
    expect(nightly?.pods.map(({ key, by }) => [key, by])).toEqual([
      ['market/nightly-1-a', 'nightly-1'],
    ])
  })
})
