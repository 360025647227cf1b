/** Quotas that count objects: so many of a kind in a namespace, and no more. */
import { asText, record, resourcesOf } from '../../core/objects'
import type { Cluster, Manifest } from '../cluster-state'
import { manifestOf, objectKey } from './manifests'
import { said } from './says'

/** Kinds that a quota counts by their plain name; all others by `count/` and their group. */
const byName = new Set([
  'configmaps',
  'persistentvolumeclaims',
  'replicationcontrollers',
  'resourcequotas',
  'secrets',
  'services',
])

function entriesOf({ apiVersion, kind }: Pick<Manifest, 'apiVersion' | 'kind'>): readonly string[] {
  const plural = resourcesOf(kind)
  const group = apiVersion.includes('/') ? `.${apiVersion.split('/')[0] ?? ''}` : ''
  return [...(byName.has(plural) ? [plural] : []), `count/${plural}${group}`]
}

/** How many objects of a namespace count for an entry of a quota. */
export function countedNow(cluster: Cluster, namespace: string, entry: string): number {
  const counts = (object: Pick<Manifest, 'apiVersion' | 'kind'>): boolean =>
    entriesOf(object).includes(entry)
  const written = (cluster.objects ?? []).filter(
    (object) => object.metadata.namespace === namespace && counts(object),
  )
  const workloads = cluster.workloads.filter(
    (workload) => workload.namespace === namespace && counts(manifestOf(workload)),
  )
  return written.length + workloads.length
}

/** Why a namespace takes no further object of a kind; null where it does, or where the object is there already. */
export function overCounted(cluster: Cluster, manifest: Manifest, namespace: string) {
  const objects = cluster.objects ?? []
  const isHere = (object: Manifest): boolean => object.metadata.namespace === namespace
  const key = objectKey(manifest)
  const isThere =
    objects.some((object) => objectKey(object) === key) ||
    cluster.workloads.some((each) => `${each.kind}/${each.namespace}/${each.name}` === key)
  if (isThere) return null
  const used =
    objects.filter((object) => object.kind === manifest.kind && isHere(object)).length +
    cluster.workloads.filter((each) => each.kind === manifest.kind && each.namespace === namespace)
      .length
  for (const quota of objects) {
    if (quota.kind !== 'ResourceQuota' || !isHere(quota)) continue
    const hard = record(record(quota['spec'])['hard'])
    const over = entriesOf(manifest)
      .filter((entry) => hard[entry] !== undefined && used + 1 > Number(hard[entry]))
      .map(
        (entry) =>
          `requested: ${entry}=1, used: ${entry}=${used}, limited: ${entry}=${asText(hard[entry])}`,
      )
    if (over.length > 0) {
      const { kind, metadata } = manifest
      return {
        reason: 'quota-exceeded' as const,
        ...said('quota-exceeded', {
          kind,
          namespace,
          name: metadata.name,
          quota: quota.metadata.name,
          over,
        }),
      }
    }
  }
  return null
}
