/** What pods, jobs and the like tell of themselves in the open API, where it follows from what a stand-in tells. */
import { list, record, text } from '~/core/objects'

type Json = Readonly<Record<string, unknown>>

const quantities = (container: Json, of: 'limits' | 'requests'): Json =>
  record(record(container['resources'])[of])

/** How a pod is treated when its node runs short. Source: the API reference, quality of service. */
function qosOf(spec: Json): string {
  const containers = [...list(spec['containers']), ...list(spec['initContainers'])].map(record)
  const asksFor = (container: Json): number =>
    Object.keys(quantities(container, 'limits')).length +
    Object.keys(quantities(container, 'requests')).length
  if (containers.every((container) => asksFor(container) === 0)) return 'BestEffort'
  const isBounded = containers.every((container) =>
    ['cpu', 'memory'].every((resource) => {
      const limit = quantities(container, 'limits')[resource]
      const request = quantities(container, 'requests')[resource] ?? limit
      return limit !== undefined && String(limit) === String(request)
    }),
  )
  return isBounded ? 'Guaranteed' : 'Burstable'
}

/** The conditions of a pod, with those that follow from the others. */
function conditionsOf(pod: Json): readonly Json[] {
  const made = record(pod['metadata'])['creationTimestamp']
  const given = list(record(pod['status'])['conditions']).map(record)
  const of = (type: string): Json | undefined => given.find((entry) => entry['type'] === type)
  const placed = of('PodScheduled')
  const ready = of('Ready')
  if (!placed || !ready) return given
  const timed = (entry: Json): Json => ({ lastTransitionTime: made, ...entry })
  const isPlaced = placed['status'] === 'True'
  return [
    ...(isPlaced ? [timed({ type: 'Initialized', status: 'True' })] : []),
    timed(ready),
    ...(isPlaced ? [timed({ ...ready, type: 'ContainersReady' })] : []),
    timed(placed),
  ]
}

const containerOf =
  (pod: Json) =>
  (entry: unknown): Json => {
    const container = record(entry)
    const isStarted = text(container['imageID']) !== ''
    const uid = text(record(pod['metadata'])['uid'])
    return {
      ...(isStarted
        ? { containerID: `runtime://${uid.replaceAll('-', '')}${text(container['name'])}` }
        : {}),
      started: isStarted && record(container['state'])['running'] !== undefined,
      ...container,
    }
  }

/** A pod with what everybody’s pods tell. */
export function wholePod(pod: Json): Json {
  const status = record(pod['status'])
  const address = text(status['podIP'])
  const host = text(status['hostIP'])
  const containers = status['containerStatuses']
  return {
    ...pod,
    status: {
      ...status,
      ...(address === '' ? {} : { podIPs: [{ ip: address }] }),
      ...(host === '' ? {} : { hostIPs: [{ ip: host }] }),
      qosClass: qosOf(record(pod['spec'])),
      conditions: conditionsOf(pod),
      ...(Array.isArray(containers) ? { containerStatuses: containers.map(containerOf(pod)) } : {}),
    },
  }
}

/** Labels that a job puts on its pods, and asks for. */
export const jobLabels = (name: string, uid: string): Readonly<Record<string, string>> => ({
  'batch.kubernetes.io/controller-uid': uid,
  'batch.kubernetes.io/job-name': name,
  'controller-uid': uid,
  'job-name': name,
})

/** A job with the selector that it made for itself, and how it ended. */
export function wholeJob(job: Json): Json {
  const metadata = record(job['metadata'])
  const spec = record(job['spec'])
  const status = record(job['status'])
  const uid = text(metadata['uid'])
  const at = status['completionTime']
  return {
    ...job,
    spec: {
      selector: { matchLabels: { 'batch.kubernetes.io/controller-uid': uid } },
      ...spec,
    },
    status: {
      startTime: metadata['creationTimestamp'],
      ...status,
      ...(at === undefined
        ? {}
        : {
            conditions: [
              { type: 'Complete', status: 'True', lastProbeTime: at, lastTransitionTime: at },
            ],
          }),
    },
  }
}

export const count = (value: unknown): number => (typeof value === 'number' ? value : 0)

export function wholeStatefulSet(set: Json): Json {
  const status = record(set['status'])
  const updated = count(status['updatedReplicas'])
  const isRolled = updated === count(status['replicas'])
  return {
    ...set,
    status: {
      availableReplicas: count(status['readyReplicas']),
      currentReplicas: isRolled ? updated : count(status['replicas']) - updated,
      ...(isRolled ? { currentRevision: status['updateRevision'] } : {}),
      collisionCount: 0,
      ...status,
    },
  }
}

export function wholeDaemonSet(set: Json): Json {
  const status = record(set['status'])
  const wanted = count(status['desiredNumberScheduled'])
  const ready = count(status['numberReady'])
  return {
    ...set,
    status: {
      currentNumberScheduled: wanted,
      numberMisscheduled: 0,
      numberAvailable: ready,
      ...(wanted > ready ? { numberUnavailable: wanted - ready } : {}),
      ...status,
    },
  }
}

/** A disruption budget, whose conditions say since when. */
export function wholeBudget(budget: Json): Json {
  const status = record(budget['status'])
  const lastTransitionTime = record(budget['metadata'])['creationTimestamp']
  return {
    ...budget,
    status: {
      ...status,
      conditions: list(status['conditions']).map((entry) => ({
        message: '',
        lastTransitionTime,
        ...record(entry),
      })),
    },
  }
}
