/** Fields that the open API has and that follow from what a stand-in tells: conditions, revisions, hashes of templates. */
import { defaulted, list, record, text } from '~/core/objects'
import { isoTime } from '~/core/units'
import {
  count,
  jobLabels,
  wholeBudget,
  wholeDaemonSet,
  wholeJob,
  wholePod,
  wholeStatefulSet,
} from './served-status'

type Json = Readonly<Record<string, unknown>>

/** Heartbeats are told this seldom, as nodes write their status that seldom when nothing else has changed. */
const heartbeatMs = 300_000

/** What every node tells of itself, where the stand-ins tell the release alone. */
function wholeInfo(node: Json): Json {
  const metadata = record(node['metadata'])
  const id = text(metadata['uid'])
  const labels = record(metadata['labels'])
  const release = text(record(record(node['status'])['nodeInfo'])['kubeletVersion'])
  return {
    architecture: text(labels['kubernetes.io/arch']) || 'amd64',
    bootID: id,
    containerRuntimeVersion: '',
    kernelVersion: '',
    kubeProxyVersion: release,
    kubeletVersion: release,
    machineID: id.replaceAll('-', ''),
    operatingSystem: 'linux',
    osImage: '',
    systemUUID: id,
    ...record(record(node['status'])['nodeInfo']),
  }
}

function withSeldomHeartbeats(node: Json, now: number): Json {
  const status = record(node['status'])
  const lastHeartbeatTime = isoTime(Math.floor(now / heartbeatMs) * heartbeatMs)
  const conditions = list(status['conditions']).map((entry) => ({
    ...record(entry),
    lastHeartbeatTime,
  }))
  return { ...node, status: { ...status, conditions, nodeInfo: wholeInfo(node) } }
}

const hashLabel = 'pod-template-hash'
const revisionNote = 'deployment.kubernetes.io/revision'

/** What follows for one object from the others. */
export interface Derived {
  /** The newest revision of each deployment, by `namespace/name`. */
  readonly revisions: ReadonlyMap<string, string>
  /** Replica sets that a deployment keeps, as `namespace/name`. */
  readonly sets: ReadonlySet<string>
  /** The newest template of each stateful set, by `namespace/name`. */
  readonly templates: ReadonlyMap<string, string>
}

/** Labels that a controller puts on its pods: a deployment the hash that its replica set is named after. */
function labelsBy(owner: Json, namespace: string, { sets, templates }: Derived): Json {
  const name = text(owner['name'])
  const key = `${namespace}/${name}`
  switch (owner['kind']) {
    case 'ReplicaSet':
      return sets.has(key) ? { [hashLabel]: name.slice(name.lastIndexOf('-') + 1) } : {}
    case 'StatefulSet':
      return { 'controller-revision-hash': templates.get(key) ?? name }
    case 'Job':
      return jobLabels(name, text(owner['uid']))
    default:
      return {}
  }
}

function withLabels(pod: Json, derived: Derived): Json {
  const metadata = record(pod['metadata'])
  const owner = list(metadata['ownerReferences'])
    .map(record)
    .find(({ controller }) => controller === true)
  if (!owner) return pod
  const labels = {
    ...labelsBy(owner, text(metadata['namespace']), derived),
    ...record(metadata['labels']),
  }
  return { ...pod, metadata: { ...metadata, labels } }
}

/** How many of its pods a deployment may lack, as it says. */
function mayLack(spec: Json, replicas: number): number {
  const given = record(record(spec['strategy'])['rollingUpdate'])['maxUnavailable'] ?? '25%'
  return typeof given === 'number'
    ? given
    : Math.floor((parseInt(text(given), 10) * replicas) / 100)
}

function conditionsOf(deployment: Json): readonly Json[] {
  const spec = record(deployment['spec'])
  const status = record(deployment['status'])
  const given = list(status['conditions']).map(record)
  const replicas = count(spec['replicas'] ?? 1)
  const ready = count(status['availableReplicas'])
  const isAvailable = ready >= replicas - mayLack(spec, replicas)
  const isComplete =
    count(status['updatedReplicas']) === replicas &&
    count(status['replicas']) === replicas &&
    ready === replicas
  return [
    {
      type: 'Available',
      status: isAvailable ? 'True' : 'False',
      reason: isAvailable ? 'MinimumReplicasAvailable' : 'MinimumReplicasUnavailable',
      message: `Deployment ${isAvailable ? 'has' : 'does not have'} minimum availability.`,
    },
    {
      type: 'Progressing',
      status: given.length > 0 ? 'False' : 'True',
      reason: isComplete ? 'NewReplicaSetAvailable' : 'ReplicaSetUpdated',
      message: isComplete
        ? 'The newest replica set has successfully progressed.'
        : 'Pods are being replaced.',
    },
    ...given,
  ]
}

function withConditions(deployment: Json, revision: string | undefined): Json {
  const metadata = record(deployment['metadata'])
  return {
    ...deployment,
    metadata: {
      ...metadata,
      annotations: {
        ...record(metadata['annotations']),
        ...(revision === undefined ? {} : { [revisionNote]: revision }),
      },
    },
    status: { ...record(deployment['status']), conditions: conditionsOf(deployment) },
  }
}

/** What follows from the replica sets and stateful sets among objects. */
export function derivedFrom(objects: Iterable<Json>): Derived {
  const revisions = new Map<string, string>()
  const sets = new Set<string>()
  const templates = new Map<string, string>()
  for (const object of objects) {
    const metadata = record(object['metadata'])
    if (object['kind'] === 'StatefulSet')
      templates.set(
        `${text(metadata['namespace'])}/${text(metadata['name'])}`,
        text(record(object['status'])['updateRevision']),
      )
    if (object['kind'] !== 'ReplicaSet') continue
    const revision = text(record(metadata['annotations'])[revisionNote])
    const owner = list(metadata['ownerReferences'])
      .map(record)
      .find(({ kind }) => kind === 'Deployment')
    if (!owner) continue
    const namespace = text(metadata['namespace'])
    const key = `${namespace}/${text(owner['name'])}`
    sets.add(`${namespace}/${text(metadata['name'])}`)
    if (Number(revision) > Number(revisions.get(key) ?? 0)) revisions.set(key, revision)
  }
  return { revisions, sets, templates }
}

/** An object with the fields that follow from others, and what its writer did not say; `now` in ms. */
export function finished(given: Json, now: number, derived: Derived): Json {
  const object = defaulted(given)
  const { namespace, name } = record(object['metadata'])
  switch (object['kind']) {
    case 'Node':
      return withSeldomHeartbeats(object, now)
    case 'Pod':
      return wholePod(withLabels(object, derived))
    case 'Deployment':
      return withConditions(object, derived.revisions.get(`${text(namespace)}/${text(name)}`))
    case 'StatefulSet':
      return wholeStatefulSet(object)
    case 'DaemonSet':
      return wholeDaemonSet(object)
    case 'Job':
      return wholeJob(object)
    case 'PodDisruptionBudget':
      return wholeBudget(object)
    default:
      return object
  }
}
