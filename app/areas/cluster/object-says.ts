/** What a listed object says of itself, in one line. */

export interface ApiObject {
  readonly kind?: string
  readonly metadata?: {
    readonly name?: string
    readonly namespace?: string
    readonly creationTimestamp?: string
  }
  readonly spec?: {
    readonly nodeName?: string
    readonly replicas?: number
    readonly clusterIP?: string
    readonly ports?: readonly { readonly port?: number }[]
  }
  readonly status?: {
    readonly phase?: string
    readonly podIP?: string
    readonly readyReplicas?: number
    readonly numberReady?: number
    readonly desiredNumberScheduled?: number
    readonly conditions?: readonly {
      readonly type: string
      readonly status: string
      readonly message?: string
    }[]
  }
}

/** What an object says of itself in a few words. */
export function objectSays({ kind, spec, status }: ApiObject): string {
  switch (kind) {
    case 'Pod': {
      const waits = status?.conditions?.find(
        (condition) => condition.type === 'PodScheduled',
      )?.message
      return [status?.phase, spec?.nodeName, status?.podIP, waits].filter(Boolean).join(' · ')
    }
    case 'Deployment':
    case 'StatefulSet':
      return `${status?.readyReplicas ?? 0} of ${spec?.replicas ?? 0} ready`
    case 'DaemonSet':
      return `${status?.numberReady ?? 0} of ${status?.desiredNumberScheduled ?? 0} ready`
    case 'Service':
      return `${spec?.clusterIP ?? ''}:${spec?.ports?.[0]?.port ?? ''}`
    case 'Node':
      return status?.conditions?.find((condition) => condition.type === 'Ready')?.status === 'True'
        ? 'ready'
        : 'not ready'
    default:
      return status?.phase ?? ''
  }
}
