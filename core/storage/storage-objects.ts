/** The storage objects of a cluster, as binding reads them: classes, claims and volumes with their sizes, and nodes. */
import type {
  ClaimObject,
  Located,
  Misread,
  NodeObject,
  StorageClassObject,
  VolumeObject,
} from '../objects'
import { compareText, parseBytes } from '../units'

export interface Volume {
  readonly name: string
  readonly object: VolumeObject
  readonly bytes: number
  readonly className: string
  used: boolean
}

export interface StorageObjects {
  readonly classes: readonly StorageClassObject[]
  readonly claims: ReadonlyMap<string, { readonly object: ClaimObject; readonly bytes: number }>
  readonly volumes: readonly Volume[]
  readonly nodes: ReadonlyMap<string, NodeObject>
}

export const zoneKeys = ['topology.kubernetes.io/zone', 'failure-domain.beta.kubernetes.io/zone']
/** The annotation that named a class before there was a field for it. */
export const legacyClass = 'volume.beta.kubernetes.io/storage-class'
const defaultMarks = [
  'storageclass.kubernetes.io/is-default-class',
  'storageclass.beta.kubernetes.io/is-default-class',
]
/** The zone a node is in by its label, or null. */
export const nodeZone = (node: NodeObject | undefined): string | null =>
  zoneKeys.map((key) => node?.metadata.labels?.[key]).find((zone) => zone !== undefined) ?? null

/** Reads the storage objects out of an export; a size that is no quantity, or a name that is given twice, is named. */
export function readStorage(
  located: readonly Located[],
): { readonly ok: true; readonly storage: StorageObjects } | ({ readonly ok: false } & Misread) {
  const classes = new Map<string, StorageClassObject>()
  const claims = new Map<string, { object: ClaimObject; bytes: number }>()
  const volumes = new Map<string, Volume>()
  const nodes = new Map<string, NodeObject>()
  for (const { pointer, object } of located) {
    const path = `objects${pointer.replace(/\/(\d+)/g, '[$1]').replace(/\//g, '.')}`
    const twice = (what: string) => ({
      ok: false as const,
      path: `${path}.metadata.name`,
      says: `There are two ${what}. Leave one out.`,
    })
    const sizeOf = (given: string | number | undefined) => parseBytes(String(given ?? 0))
    switch (object.kind) {
      case 'StorageClass': {
        const storageClass = object as StorageClassObject
        const { name } = storageClass.metadata
        if (classes.has(name)) return twice(`classes ${name}`)
        classes.set(name, storageClass)
        break
      }
      case 'Node': {
        const node = object as NodeObject
        if (nodes.has(node.metadata.name)) return twice(`nodes ${node.metadata.name}`)
        nodes.set(node.metadata.name, node)
        break
      }
      case 'PersistentVolumeClaim': {
        const claim = object as ClaimObject
        const key = `${claim.metadata.namespace || 'default'}/${claim.metadata.name}`
        if (claims.has(key)) return twice(`claims ${key}`)
        const size = sizeOf(claim.spec?.resources?.requests?.['storage'])
        if (!size.ok)
          return { ok: false, path: `${path}.spec.resources.requests.storage`, says: size.says }
        claims.set(key, { object: claim, bytes: size.value })
        break
      }
      case 'PersistentVolume': {
        const volume = object as VolumeObject
        const { name } = volume.metadata
        if (volumes.has(name)) return twice(`volumes ${name}`)
        const size = sizeOf(volume.spec?.capacity?.['storage'])
        if (!size.ok) return { ok: false, path: `${path}.spec.capacity.storage`, says: size.says }
        volumes.set(name, {
          name,
          object: volume,
          bytes: size.value,
          className:
            volume.metadata.annotations?.[legacyClass] ?? volume.spec?.storageClassName ?? '',
          used: false,
        })
        break
      }
    }
  }
  return {
    ok: true,
    storage: {
      classes: [...classes.values()],
      claims,
      volumes: [...volumes.values()].sort(
        (a, b) => a.bytes - b.bytes || compareText(a.name, b.name),
      ),
      nodes,
    },
  }
}

/** The default class: of several the newest, then by name. */
export function defaultClass(
  classes: readonly StorageClassObject[],
): StorageClassObject | undefined {
  const createdAt = ({ metadata }: StorageClassObject): number =>
    Date.parse(metadata.creationTimestamp ?? '') || 0
  return classes
    .filter(({ metadata }) => defaultMarks.some((mark) => metadata.annotations?.[mark] === 'true'))
    .sort((a, b) => createdAt(b) - createdAt(a) || compareText(a.metadata.name, b.metadata.name))[0]
}
