/** Exports of clusters with one thing wrong, for tests. */
import { diagnose } from '../diagnose'

export const now = '2026-03-02T06:00:00Z'
export const ago = (minutes: number): string =>
  new Date(Date.parse(now) - minutes * 60_000).toISOString()

export type Parts = Readonly<Record<string, unknown>>

export const pod = (parts: { spec?: Parts; status?: Parts; metadata?: Parts } = {}) => ({
  apiVersion: 'v1',
  kind: 'Pod',
  metadata: {
    name: 'api',
    namespace: 'market',
    uid: 'u1',
    creationTimestamp: ago(600),
    labels: { app: 'api' },
    ...parts.metadata,
  },
  spec: {
    nodeName: 'n1',
    containers: [{ name: 'api', image: 'r/api:1', ports: [{ containerPort: 8080, name: 'web' }] }],
    ...parts.spec,
  },
  status: {
    phase: 'Pending',
    conditions: [{ type: 'Ready', status: 'False', reason: 'ContainersNotReady' }],
    ...parts.status,
  },
})

export const event = (reason: string, message: string, parts: Parts = {}) => ({
  apiVersion: 'v1',
  kind: 'Event',
  type: 'Warning',
  reason,
  message,
  involvedObject: { kind: 'Pod', namespace: 'market', name: 'api', uid: 'u1' },
  lastTimestamp: ago(2),
  ...parts,
})

export const waiting = (reason: string, message: string, more: Parts = {}) =>
  pod({
    status: {
      containerStatuses: [
        {
          name: 'api',
          ready: false,
          restartCount: 0,
          state: { waiting: { reason, message } },
          ...more,
        },
      ],
    },
  })

export const unplaced = (message: string, spec: Parts = {}) =>
  pod({
    spec: { nodeName: undefined, ...spec },
    status: {
      conditions: [{ type: 'PodScheduled', status: 'False', reason: 'Unschedulable', message }],
    },
  })

export const node = (conditions: readonly Parts[], spec: Parts = {}) => ({
  apiVersion: 'v1',
  kind: 'Node',
  metadata: { name: 'n1', uid: 'n-uid', creationTimestamp: ago(9000) },
  spec,
  status: { conditions },
})

export const firstOf = (
  objects: readonly unknown[],
  about = 'pod/market/api',
  logs: readonly { readonly from: string; readonly lines: readonly string[] }[] = [],
) => {
  const diagnosis = diagnose({ objects, logs, about, now })
  const [cause] = diagnosis?.causes ?? []
  return cause ? [cause.cause, cause.about] : [diagnosis?.symptom === '' ? 'well' : 'none', null]
}
