/** Pods that an API refuses to their controllers, and those that wait because many are made. */
import type { Sim } from '../engine/sim'
import { webhookAgainst } from '../traffic/webhooks'
import type { Cluster, Workload } from '../world'
import { currentHash, record as fields, templateOf } from './manifests'
import { podForbidden } from './pods-forbidden'
import { record } from './pod-events'

/** How long until a controller whose pods were refused tries again (ms). */
export const makeAgainMs = 30_000

/** What events about a workload are about. */
export const workloadAbout = ({ kind, namespace, name }: Workload): string =>
  `${kind.toLowerCase()}/${namespace}/${name}`

/** Whether an API refuses the pods of a workload; if so its controller says so once and tries again later. */
export function refusedPods(sim: Sim, cluster: Cluster, workload: Workload): boolean {
  const template = templateOf(workload, currentHash(workload))
  const objection = webhookAgainst(
    sim,
    cluster,
    {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: {
        name: workload.name,
        namespace: workload.namespace,
        labels: fields(fields(template['metadata'])['labels']) as Record<string, string>,
      },
      spec: template['spec'],
    },
    'CREATE',
  )
  const forbidden = objection === null ? podForbidden(cluster, workload) : null
  const about = workloadAbout(workload)
  if (objection === null && forbidden === null) {
    if (workload.refused !== undefined)
      record(sim, cluster, 'Normal', 'SuccessfulCreate', about, `Created pods of ${workload.name}`)
    delete workload.refused
    return false
  }
  const refused = forbidden ?? JSON.stringify(objection?.params)
  if (workload.refused !== refused)
    record(
      sim,
      cluster,
      'Warning',
      'FailedCreate',
      about,
      `Error creating: ${forbidden ?? objection?.says ?? ''}`,
    )
  if (workload.refused === undefined)
    sim.schedule(makeAgainMs, { kind: 'fill', cluster: cluster.name, workload: about })
  workload.refused = refused
  return true
}

/** As many pods a controller makes at once; the rest come a moment later. */
export const mostAtOnce = 500
const nextBatchMs = 1000

/** A controller that has just made a batch makes the next in a moment. */
export function waitForBatch(sim: Sim, cluster: Cluster, workload: Workload): void {
  workload.batchAt = sim.now + nextBatchMs
  const about = workloadAbout(workload)
  sim.schedule(nextBatchMs, { kind: 'fill', cluster: cluster.name, workload: about })
}
