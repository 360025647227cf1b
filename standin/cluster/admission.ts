/** What an API refuses before it takes an object: a namespace that is not there, quotas, limits, the level of its pods’ security. */
import { asText } from '../../core/objects'
import { overCounted } from './object-counts'
import type { Forbidden } from './forbidden'
import type { Cluster, Manifest } from '../world'
import { isWorkloadKind, list, record, templateIn, text, withPodSpec } from './manifests'
import { security } from './pod-security'
import { amount, overQuota, reader } from './quotas'
import { said } from './says'
import { claimOverQuota } from './storage-quotas'

const clusterWide = new Set([
  'Namespace',
  'Node',
  'PersistentVolume',
  'StorageClass',
  'PriorityClass',
  'ClusterRole',
  'ClusterRoleBinding',
  'IngressClass',
  'CustomResourceDefinition',
  'ValidatingAdmissionPolicy',
  'ValidatingAdmissionPolicyBinding',
  'ValidatingWebhookConfiguration',
  'MutatingWebhookConfiguration',
  'RuntimeClass',
  'CSINode',
  'CSIDriver',
  'APIService',
])

export const isClusterWide = (kind: string): boolean => clusterWide.has(kind)

const objectsOfKind = (cluster: Cluster, kind: string, namespace: string): readonly Manifest[] =>
  (cluster.objects ?? []).filter(
    (object) => object.kind === kind && object.metadata.namespace === namespace,
  )

function limits(cluster: Cluster, manifest: Manifest, namespace: string): Forbidden | null {
  if (!isWorkloadKind(manifest.kind)) return null
  for (const object of objectsOfKind(cluster, 'LimitRange', namespace)) {
    for (const limit of list(record(object['spec'])['limits']).map(record)) {
      if (limit['type'] !== 'Container') continue
      for (const container of list(record(templateIn(manifest)['spec'])['containers']).map(
        record,
      )) {
        const resources = record(container['resources'])
        for (const [resource, most] of Object.entries(record(limit['max']))) {
          const given =
            record(resources['limits'])[resource] ?? record(resources['requests'])[resource]
          if (
            given !== undefined &&
            amount(given, reader(resource)) > amount(most, reader(resource))
          )
            return {
              reason: 'limit-exceeded',
              ...said('limit-exceeded.forbidden-maximum-usage', {
                kind: manifest.kind,
                namespace,
                name: manifest.metadata.name,
                resource,
                limit: asText(most),
                container: text(container['name']),
                given: asText(given),
              }),
            }
        }
        for (const [resource, least] of Object.entries(record(limit['min']))) {
          const given =
            record(resources['requests'])[resource] ?? record(resources['limits'])[resource]
          if (
            given !== undefined &&
            amount(given, reader(resource)) < amount(least, reader(resource))
          )
            return {
              reason: 'limit-exceeded',
              ...said('limit-exceeded.forbidden-minimum-usage', {
                kind: manifest.kind,
                namespace,
                name: manifest.metadata.name,
                resource,
                least: asText(least),
                container: text(container['name']),
                given: asText(given),
              }),
            }
        }
      }
    }
  }
  return null
}

/** What a namespace’s annotation allows, as a list; null where it says nothing. */
function allowed(
  cluster: Cluster,
  namespace: string,
  annotation: string,
): readonly string[] | null {
  const own = (cluster.objects ?? []).find(
    (object) => object.kind === 'Namespace' && object.metadata.name === namespace,
  )
  const said = own?.metadata.annotations?.[annotation]
  return said === undefined
    ? null
    : said
        .split(',')
        .map((name) => name.trim())
        .filter((trim) => trim !== '')
}

const sizeLabel = 'node.kubernetes.io/instance-type'

/** Keeps the pods of a template to machines of the sizes its namespace may use. */
function keptToSizes(cluster: Cluster, manifest: Manifest): Manifest {
  const sizes =
    isWorkloadKind(manifest.kind) && manifest.kind !== 'CronJob'
      ? allowed(cluster, manifest.metadata.namespace ?? 'default', 'gyrarch/machine-sizes')
      : null
  if (!sizes) return manifest
  const pod = record(templateIn(manifest)['spec'])
  const affinity = record(pod['affinity'])
  const node = record(affinity['nodeAffinity'])
  const required = record(node['requiredDuringSchedulingIgnoredDuringExecution'])
  const term = { key: sizeLabel, operator: 'In', values: sizes }
  const given = list(required['nodeSelectorTerms']).map(record)
  const isOurs = (entry: unknown): boolean =>
    record(entry)['key'] === sizeLabel && record(entry)['operator'] === 'In'
  const terms = (given.length > 0 ? given : [{}]).map((entry) => ({
    ...entry,
    matchExpressions: [
      ...list(record(entry)['matchExpressions']).filter((candidate) => !isOurs(candidate)),
      term,
    ],
  }))
  return withPodSpec(manifest, {
    ...pod,
    affinity: {
      ...affinity,
      nodeAffinity: {
        ...node,
        requiredDuringSchedulingIgnoredDuringExecution: { ...required, nodeSelectorTerms: terms },
      },
    },
  })
}

/** A claim of a class that its namespace may not use. */
function classes(cluster: Cluster, manifest: Manifest, namespace: string): Forbidden | null {
  const may = allowed(cluster, namespace, 'gyrarch/storage-classes')
  if (!may) return null
  const claims =
    manifest.kind === 'PersistentVolumeClaim'
      ? [record(manifest['spec'])]
      : list(record(manifest['spec'])['volumeClaimTemplates']).map((entry) =>
          record(record(entry)['spec']),
        )
  for (const claim of claims) {
    const name = text(claim['storageClassName']) || (cluster.storageClass?.name ?? '')
    if (!may.includes(name))
      return {
        reason: 'class-forbidden',
        ...said('class-forbidden', {
          kind: manifest.kind,
          namespace,
          name: manifest.metadata.name,
          may: may.join(', ') || '(none)',
          storageClass: name || 'the default one',
        }),
      }
  }
  return null
}

/** A claim that names no class is of the default one, where there is one. */
function ofDefaultClass(cluster: Cluster, claim: Manifest): Manifest {
  const spec = record(claim['spec'])
  const usual = cluster.storageClass?.name
  return usual === undefined || spec['storageClassName'] !== undefined
    ? claim
    : { ...claim, spec: { ...spec, storageClassName: usual } }
}

/** Gives containers the defaults of the namespace’s limits, and pods the machine sizes it allows. */
export function withDefaults(cluster: Cluster, given: Manifest): Manifest {
  if (given.kind === 'PersistentVolumeClaim') return ofDefaultClass(cluster, given)
  const manifest = keptToSizes(cluster, given)
  if (!isWorkloadKind(manifest.kind) || manifest.kind === 'CronJob') return manifest
  const defaults = objectsOfKind(cluster, 'LimitRange', manifest.metadata.namespace ?? 'default')
    .flatMap((object) => list(record(object['spec'])['limits']).map(record))
    .filter((limit) => limit['type'] === 'Container')
  if (defaults.length === 0) return manifest
  const pod = record(templateIn(manifest)['spec'])
  const containers = list(pod['containers']).map((container) => {
    const resources = record(record(container)['resources'])
    return defaults.reduce<Readonly<Record<string, unknown>>>(
      (entry, limit) => ({
        ...entry,
        resources: {
          ...record(entry['resources']),
          requests: {
            ...record(limit['defaultRequest']),
            ...record(record(entry['resources'])['requests']),
          },
          limits: { ...record(limit['default']), ...record(record(entry['resources'])['limits']) },
        },
      }),
      { ...record(container), resources },
    )
  })
  return withPodSpec(manifest, { ...pod, containers })
}

/** Why the API does not take an object, or null. */
export function forbids(
  cluster: Cluster,
  manifest: Manifest,
  coming: ReadonlySet<string>,
  /** Taken whatever its pods are: they are refused one by one. */
  isController = false,
): Forbidden | null {
  const namespace = isClusterWide(manifest.kind) ? null : (manifest.metadata.namespace ?? 'default')
  if (namespace === null) return null
  if (!cluster.namespaces.includes(namespace) && !coming.has(namespace))
    return {
      reason: 'namespace-missing',
      ...said('namespace-missing', {
        namespace,
        kind: manifest.kind,
        name: manifest.metadata.name,
      }),
    }
  if (isController)
    return classes(cluster, manifest, namespace) ?? overCounted(cluster, manifest, namespace)
  return (
    classes(cluster, manifest, namespace) ??
    security(cluster, manifest, namespace) ??
    limits(cluster, manifest, namespace) ??
    overQuota(cluster, manifest, namespace) ??
    claimOverQuota(cluster, manifest, namespace) ??
    overCounted(cluster, manifest, namespace)
  )
}
