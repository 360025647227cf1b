/** The storage of one cluster as its objects tell it: claims with their volumes, who uses them, and the classes with their holes. */
import { list, ofKind, readObjects, record, type StorageClassObject, text } from '../objects'
import { compareText } from '../units'
import { bindClaims } from './binding'
import { type Grant, grantsOf } from './grants'
import { readStorage, type StorageObjects, zoneKeys } from './storage-objects'

export interface ClaimRow {
  /** `namespace/name`. */
  readonly claim: string
  readonly class: string
  readonly bytes: number
  readonly accessModes: readonly string[]
  /** Null while it is bound to none. */
  readonly volume: string | null
  readonly zone: string | null
  /** Pods that use it, as `namespace/name`, and the nodes they are on. */
  readonly pods: readonly { readonly pod: string; readonly node: string | null }[]
  /** Why it waits; null where it is bound. */
  readonly waits: string | null
}

export interface ClassRow {
  readonly name: string
  readonly provisioner: string
  readonly waitsForConsumer: boolean
  readonly isDefault: boolean
  /** Zones it makes volumes in; null is any. */
  readonly zones: readonly string[] | null
  /** Zones of the cluster’s nodes in which it makes none. */
  readonly lacks: readonly string[]
  readonly claims: number
  readonly bytes: number
  /** Namespaces that name it, are bounded in it, or have claims of it. */
  readonly grants: readonly Grant[]
}

export interface StorageOverview {
  readonly claims: readonly ClaimRow[]
  readonly classes: readonly ClassRow[]
}

const defaultMark = 'storageclass.kubernetes.io/is-default-class'

const classZones = ({ allowedTopologies }: StorageClassObject): readonly string[] | null => {
  const terms = allowedTopologies ?? []
  if (terms.length === 0) return null
  return [
    ...new Set(
      terms
        .flatMap((term) => term.matchLabelExpressions ?? [])
        .filter(({ key }) => zoneKeys.includes(key))
        .flatMap(({ values }) => values ?? []),
    ),
  ].sort(compareText)
}

/** For each claim the pods that use it. */
function users(objects: readonly { readonly kind: string }[]) {
  const pods = ofKind(objects, 'Pod')
  const byClaim = new Map<string, { pod: string; node: string | null }[]>()
  for (const pod of pods) {
    const namespace = pod.metadata.namespace || 'default'
    for (const volume of list(record(pod.spec)['volumes'])) {
      const name = text(record(record(volume)['persistentVolumeClaim'])['claimName'])
      if (name === '') continue
      const key = `${namespace}/${name}`
      const entry = { pod: `${namespace}/${pod.metadata.name}`, node: pod.spec?.nodeName ?? null }
      byClaim.set(key, [...(byClaim.get(key) ?? []), entry])
    }
  }
  return byClaim
}

function claimRows(
  storage: StorageObjects,
  usedBy: ReadonlyMap<string, ClaimRow['pods']>,
): readonly ClaimRow[] {
  const keys = [...storage.claims.keys()].sort(compareText)
  const bound = bindClaims(
    storage,
    keys.map((claim) => {
      const node = usedBy.get(claim)?.find((user) => user.node !== null)?.node
      return node && storage.nodes.has(node) ? { claim, node } : { claim }
    }),
    undefined,
  )
  const zoneOf = new Map(bound.ok ? bound.bound.map(({ claim, zone }) => [claim, zone]) : [])
  const waits = new Map(bound.ok ? bound.waiting.map(({ claim, says }) => [claim, says]) : [])
  return keys.flatMap((claim) => {
    const entry = storage.claims.get(claim)
    if (!entry) return []
    const { spec } = entry.object
    const volume = spec?.volumeName || null
    return {
      claim,
      class: spec?.storageClassName ?? '',
      bytes: entry.bytes,
      accessModes: spec?.accessModes ?? [],
      volume,
      zone: volume === null ? null : (zoneOf.get(claim) ?? null),
      pods: usedBy.get(claim) ?? [],
      waits: volume === null ? (waits.get(claim) ?? 'It is about to be bound.') : null,
    }
  })
}

/** Reads the storage out of a cluster’s objects; null where they do not read as the open API has them. */
export function storageOverview(given: readonly unknown[]): StorageOverview | null {
  const read = readObjects(given)
  const storage = read.wrong ? null : readStorage(read.located)
  if (!storage?.ok) return null
  const objects = read.located.map(({ object }) => object)
  const claims = claimRows(storage.storage, users(objects))
  const nodeZones = [
    ...new Set(
      ofKind(objects, 'Node').flatMap((node) =>
        zoneKeys.flatMap((key) => node.metadata.labels?.[key] ?? []),
      ),
    ),
  ].sort(compareText)
  return {
    claims,
    classes: storage.storage.classes
      .map((storageClass): ClassRow => {
        const zones = classZones(storageClass)
        const own = claims.filter((claim) => claim.class === storageClass.metadata.name)
        return {
          name: storageClass.metadata.name,
          provisioner: storageClass.provisioner ?? '',
          waitsForConsumer: storageClass.volumeBindingMode === 'WaitForFirstConsumer',
          isDefault: storageClass.metadata.annotations?.[defaultMark] === 'true',
          zones,
          lacks: zones === null ? [] : nodeZones.filter((zone) => !zones.includes(zone)),
          claims: own.length,
          bytes: own.reduce((sum, claim) => sum + claim.bytes, 0),
          grants: grantsOf(objects, storageClass.metadata.name),
        }
      })
      .sort((a, b) => compareText(a.name, b.name)),
  }
}
