/** Quotas of namespaces: what their pods and objects use, and what would be more than they allow. */
import { asText } from '../../core/objects'
import { parseBytes, parseCpuMilli } from '../../core/units'
import type { Cluster, Manifest, Pod, Workload } from '../world'
import { workloadOf } from './fits'
import type { Forbidden } from './forbidden'
import {
  currentHash,
  currentTemplate,
  hasReplicas,
  isWorkloadKind,
  list,
  podsOf,
  record,
  templateIn,
  templateOf,
} from './manifests'
import { countedNow } from './object-counts'
import { said } from './says'
import { sizeText, storageEntry, storageUsed } from './storage-quotas'

type Read = (given: string) => { readonly ok: boolean; readonly value?: number }
export const amount = (given: unknown, read: Read): number => {
  const parsed = typeof given === 'string' || typeof given === 'number' ? read(asText(given)) : null
  return parsed?.ok === true ? (parsed.value ?? 0) : 0
}

export const reader = (resource: string): Read =>
  resource.endsWith('cpu') ? parseCpuMilli : parseBytes

/** What containers of a template ask for of one resource, as requests or limits. */
function asked(
  template: Readonly<Record<string, unknown>>,
  what: 'requests' | 'limits',
  resource: string,
): number {
  return list(record(template['spec'])['containers']).reduce((sum: number, container) => {
    const resources = record(record(container)['resources'])
    const given =
      record(resources[what])[resource] ??
      (what === 'requests' ? record(resources['limits'])[resource] : undefined)
    return sum + amount(given, reader(resource))
  }, 0)
}

/** What a pod of a template counts for in an entry of a quota. */
function ofPod(template: Readonly<Record<string, unknown>>, entry: string): number {
  if (entry === 'pods') return 1
  const what = entry.startsWith('limits.') ? 'limits' : 'requests'
  return asked(template, what, entry.replace(/^(requests|limits)\./, ''))
}

/** How many pods a workload is meant to have. */
function intended(cluster: Cluster, workload: Workload): number {
  if (hasReplicas(workload.kind)) return workload.replicas
  return workload.kind === 'Pod' ? 1 : podsOf(cluster, workload).length
}

const isOfPods = (entry: string): boolean =>
  /^(pods|cpu|memory|(requests|limits)\.(cpu|memory|ephemeral-storage))$/.test(entry)

const quotasOf = (cluster: Cluster, namespace: string): readonly Manifest[] =>
  (cluster.objects ?? []).filter(
    ({ kind, metadata }) => kind === 'ResourceQuota' && metadata.namespace === namespace,
  )

const hardOf = (quota: Manifest): readonly (readonly [string, unknown])[] =>
  Object.entries(record(record(quota['spec'])['hard']))

const limitIn = (entry: string, limit: unknown): number =>
  amount(limit, entry === 'pods' ? parseBytes : reader(entry))

/** What the pods of a namespace that have not ended count for in an entry. */
function usedByPods(cluster: Cluster, namespace: string, entry: string): number {
  const counts = (pod: Pod): number => {
    const workload = workloadOf(cluster, pod)
    return workload ? ofPod(templateOf(workload, pod.hash), entry) : 0
  }
  return cluster.running
    .filter((pod) => pod.namespace === namespace && pod.phase !== 'Succeeded')
    .reduce((sum, pod) => sum + counts(pod), 0)
}

/** What a namespace uses of an entry now, in the API’s words. */
function usedNow(cluster: Cluster, namespace: string, entry: string): string {
  if (isOfPods(entry)) return shown(entry, usedByPods(cluster, namespace, entry))
  const ofStorage = storageEntry(entry)
  if (!ofStorage) return asText(countedNow(cluster, namespace, entry))
  const used = storageUsed(cluster, namespace, ofStorage)
  return ofStorage.of === 'bytes' ? sizeText(used) : asText(used)
}

/** How a quota stands: what it allows and what is used of it now. */
export function quotaStatus(cluster: Cluster, quota: Manifest): Record<string, unknown> {
  const { namespace = '' } = quota.metadata
  const used = hardOf(quota).map(([entry]) => [entry, usedNow(cluster, namespace, entry)])
  return { hard: record(record(quota['spec'])['hard']), used: Object.fromEntries(used) }
}

/** Why quotas forbid another pod of a workload, in the API’s words; null where they do not. */
export function podOverQuota(cluster: Cluster, workload: Workload): string | null {
  const { namespace } = workload
  const template = templateOf(workload, currentHash(workload))
  for (const quota of quotasOf(cluster, namespace)) {
    const entries = hardOf(quota)
      .filter(([entry]) => isOfPods(entry))
      .map(([entry, limit]) => ({
        entry,
        limit,
        asks: ofPod(template, entry),
        used: usedByPods(cluster, namespace, entry),
      }))
    const over = entries.filter(
      ({ entry, limit, asks, used }) => asks > 0 && used + asks > limitIn(entry, limit),
    )
    if (over.length === 0) continue
    const told = (of: (each: (typeof over)[number]) => string): string =>
      over.map((each) => `${each.entry}=${of(each)}`).join(',')
    return `exceeded quota: ${quota.metadata.name}, requested: ${told(({ entry, asks }) => shown(entry, asks))}, used: ${told(({ entry, used }) => shown(entry, used))}, limited: ${told(({ limit }) => asText(limit))}`
  }
  return null
}

/** What all workloads of a namespace are meant to use of a quota’s entry, one of them as it would be. */
function meant(
  cluster: Cluster,
  namespace: string,
  entry: string,
  coming: {
    readonly kind: string
    readonly name: string
    readonly replicas: number
    readonly template: Readonly<Record<string, unknown>>
  } | null,
): number {
  const others = cluster.workloads.filter(
    (workload) =>
      workload.namespace === namespace &&
      workload.kind !== 'CronJob' &&
      !(workload.kind === coming?.kind && workload.name === coming.name),
  )
  const existing = others.reduce(
    (sum, workload) => sum + intended(cluster, workload) * ofPod(currentTemplate(workload), entry),
    0,
  )
  return existing + (coming ? coming.replicas * ofPod(coming.template, entry) : 0)
}

const shown = (entry: string, value: number): string => {
  if (entry.endsWith('cpu')) return `${value}m`
  if (entry === 'pods' || entry.startsWith('count/')) return asText(value)
  if (value % 1024 ** 2 === 0) return `${value / 1024 ** 2}Mi`
  return asText(value)
}

/** Why the quotas of a namespace do not take a workload as it is meant to be, or null. */
export function overQuota(
  cluster: Cluster,
  manifest: Manifest,
  namespace: string,
): Forbidden | null {
  if (
    !isWorkloadKind(manifest.kind) ||
    manifest.kind === 'CronJob' ||
    manifest.kind === 'DaemonSet'
  )
    return null
  const replicas = record(manifest['spec'])['replicas']
  const coming = {
    kind: manifest.kind,
    name: manifest.metadata.name,
    replicas: typeof replicas === 'number' ? replicas : 1,
    template: templateIn(manifest),
  }
  for (const object of quotasOf(cluster, namespace)) {
    const over: string[] = []
    for (const [entry, limit] of hardOf(object)) {
      if (!isOfPods(entry)) continue
      const max = limitIn(entry, limit)
      const before = meant(cluster, namespace, entry, null)
      const after = meant(cluster, namespace, entry, coming)
      // What is over already may shrink.
      if (after > max && after > before)
        over.push(
          `requested: ${entry}=${shown(entry, after - before)}, used: ${entry}=${shown(entry, before)}, limited: ${entry}=${asText(limit)}`,
        )
    }
    if (over.length > 0)
      return {
        reason: 'quota-exceeded',
        ...said('quota-exceeded', {
          kind: manifest.kind,
          namespace,
          name: manifest.metadata.name,
          quota: object.metadata.name,
          over,
        }),
      }
  }
  return null
}
