/** CronJobs: at each due time a job is made, and the next time is queued. Source of the times: cron expressions in an IANA time zone. */
import { isCronZone, nextCron, readCron } from '../../core/objects'
import type { Sim } from '../engine/sim'
import type { Cluster, Workload } from '../world'
import { isPodOf, jobsOf, manifestOf, record as fields, text, workloadFrom } from './manifests'
import { fillWorkload } from './controllers'
import { record } from './pod-events'
import { loads } from './placing'

/** The next time (ms) at which a schedule is due, or null for one that does not parse. */
export function nextDue(schedule: string, timeZone: string, after: number): number | null {
  const read = readCron(schedule)
  return read.ok && isCronZone(timeZone) ? nextCron(read.schedule, timeZone, after) : null
}

const key = (workload: Workload): string => `${workload.namespace}/${workload.name}`

/** Queues the next time of a CronJob. */
export function queueCron(sim: Sim, cluster: Cluster, workload: Workload): void {
  const spec = fields(manifestOf(workload)['spec'])
  const due =
    spec['suspend'] === true
      ? null
      : nextDue(text(spec['schedule']), text(spec['timeZone']) || 'UTC', sim.now)
  if (due !== null)
    sim.schedule(due - sim.now, { kind: 'cron', cluster: cluster.name, workload: key(workload) })
}

export function cronDue(sim: Sim, clusterName: string, name: string): void {
  const cluster = sim.cluster(clusterName)
  const cron = cluster?.workloads.find(
    (workload) => workload.kind === 'CronJob' && key(workload) === name,
  )
  if (!cluster || !cron) return
  const manifest = manifestOf(cron)
  const spec = fields(manifest['spec'])
  const running = jobsOf(cluster, cron)
  const isBusy = running.some((job) =>
    cluster.running.some((pod) => isPodOf(pod, job) && pod.phase !== 'Succeeded'),
  )
  if (!(isBusy && spec['concurrencyPolicy'] === 'Forbid')) {
    const jobName = `${cron.name}-${Math.floor(sim.now / 60_000)}`
    const template = fields(fields(spec['jobTemplate'])['spec'])
    const job = workloadFrom(
      {
        apiVersion: 'batch/v1',
        kind: 'Job',
        metadata: {
          name: jobName,
          namespace: cron.namespace,
          ownerReferences: [
            { apiVersion: 'batch/v1', kind: 'CronJob', name: cron.name, controller: true },
          ],
        },
        spec: template,
      },
      sim.now,
      undefined,
    )
    // The last three that ended well are kept.
    const ended = running
      .filter(
        (workload) =>
          !cluster.running.some((pod) => isPodOf(pod, workload) && pod.phase !== 'Succeeded'),
      )
      .slice(0, -2)
    cluster.workloads = [...cluster.workloads.filter((workload) => !ended.includes(workload)), job]
    cluster.running = cluster.running.filter(
      (pod) => !ended.some((workload) => isPodOf(pod, workload)),
    )
    record(
      sim,
      cluster,
      'Normal',
      'SuccessfulCreate',
      `job/${cron.namespace}/${jobName}`,
      `made by ${cron.name}`,
    )
    fillWorkload(sim, cluster, job, loads(cluster))
  }
  queueCron(sim, cluster, cron)
}
