/** Quotas of storage: how much of it claims of a namespace ask for, by class. Source: resource quotas of the open API. */
import { asText } from '../../core/objects'
import { parseBytes } from '../../core/units'
import type { Cluster, Manifest } from '../world'
import type { Forbidden } from './forbidden'
import { objectKey, record, text } from './manifests'
import { said } from './says'

interface Entry {
  /** Null is any. */
  readonly storageClass: string | null
  readonly of: 'bytes' | 'claims'
}

const entryForm =
  /^(?:(.+)\.storageclass\.storage\.k8s\.io\/)?(requests\.storage|persistentvolumeclaims)$/

/** What an entry of a quota limits of storage; null where it limits something else. */
export function storageEntry(name: string): Entry | null {
  const [, storageClass = null, what] = entryForm.exec(name) ?? []
  // Claims of any class are counted as any other object is.
  if (what === undefined || (storageClass === null && what !== 'requests.storage')) return null
  return { storageClass, of: what === 'requests.storage' ? 'bytes' : 'claims' }
}

const bytesOf = (claim: Manifest): number => {
  const asked = record(record(record(claim['spec'])['resources'])['requests'])['storage']
  const read = parseBytes(typeof asked === 'number' ? asText(asked) : text(asked))
  return read.ok ? read.value : 0
}

const classOf = (cluster: Cluster, claim: Manifest): string =>
  text(record(claim['spec'])['storageClassName']) || (cluster.storageClass?.name ?? '')

/** What claims count for in an entry, in bytes or claims. */
function counted(cluster: Cluster, claims: readonly Manifest[], entry: Entry): number {
  const own = claims.filter(
    (claim) => entry.storageClass === null || classOf(cluster, claim) === entry.storageClass,
  )
  return entry.of === 'claims' ? own.length : own.reduce((sum, claim) => sum + bytesOf(claim), 0)
}

const claimsIn = (cluster: Cluster, namespace: string): readonly Manifest[] =>
  (cluster.objects ?? []).filter(
    ({ kind, metadata }) => kind === 'PersistentVolumeClaim' && metadata.namespace === namespace,
  )

/** What the claims of a namespace count for in an entry now. */
export const storageUsed = (cluster: Cluster, namespace: string, entry: Entry): number =>
  counted(cluster, claimsIn(cluster, namespace), entry)

export function sizeText(bytes: number): string {
  for (const [unit, of] of [
    ['Gi', 1024 ** 3],
    ['Mi', 1024 ** 2],
    ['G', 1e9],
    ['M', 1e6],
  ] as const)
    if (bytes > 0 && bytes % of === 0) return `${bytes / of}${unit}`
  return asText(bytes)
}

/** Why the quotas of a namespace do not take a claim as it would be, or null. */
export function claimOverQuota(
  cluster: Cluster,
  claim: Manifest,
  namespace: string,
): Forbidden | null {
  if (claim.kind !== 'PersistentVolumeClaim') return null
  const key = objectKey(claim)
  const claims = claimsIn(cluster, namespace)
  const claimsThen = [...claims.filter((each) => objectKey(each) !== key), claim]
  for (const quota of cluster.objects ?? []) {
    if (quota.kind !== 'ResourceQuota' || quota.metadata.namespace !== namespace) continue
    const over = Object.entries(record(record(quota['spec'])['hard'])).flatMap(([name, limit]) => {
      const entry = storageEntry(name)
      const limitBytes = parseBytes(asText(limit))
      if (!entry || !limitBytes.ok) return []
      const before = counted(cluster, claims, entry)
      const after = counted(cluster, claimsThen, entry)
      // What is over already may shrink.
      if (after <= limitBytes.value || after <= before) return []
      const shown = (value: number): string =>
        entry.of === 'bytes' ? sizeText(value) : asText(value)
      return [
        `requested: ${name}=${shown(after - before)}, used: ${name}=${shown(before)}, limited: ${name}=${asText(limit)}`,
      ]
    })
    if (over.length > 0)
      return {
        reason: 'quota-exceeded',
        ...said('quota-exceeded', {
          kind: claim.kind,
          namespace,
          name: claim.metadata.name,
          quota: quota.metadata.name,
          over,
        }),
      }
  }
  return null
}
