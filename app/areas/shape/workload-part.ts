/** A part of a workload as it is to be applied: of each kind that pods are made from, at the place where it has it. */
import type { Json } from '~/core/objects'

const apiVersions: Readonly<Record<string, string>> = {
  Deployment: 'apps/v1',
  StatefulSet: 'apps/v1',
  DaemonSet: 'apps/v1',
  CronJob: 'batch/v1',
}

/** What of a workload is to be another. */
export interface WorkloadPart {
  readonly replicas?: number
  /** Of the pods it makes. */
  readonly pod?: Json
}

/**
 * The object to apply for a workload of `Kind/namespace/name`; null for those that cannot be changed once they are
 * there: a job’s pods, and pods of their own.
 */
export function workloadPart(workload: string, { replicas, pod }: WorkloadPart): Json | null {
  const [kind = '', namespace = '', name = ''] = workload.split('/')
  const apiVersion = apiVersions[kind]
  if (apiVersion === undefined) return null
  const template = pod === undefined ? {} : { template: { spec: pod } }
  return {
    apiVersion,
    kind,
    metadata: { name, namespace },
    spec:
      kind === 'CronJob'
        ? { jobTemplate: { spec: template } }
        : { ...(replicas === undefined ? {} : { replicas }), ...template },
  }
}
