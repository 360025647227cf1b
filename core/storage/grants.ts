/**
 * Which namespaces may use a class, and how much of it. A namespace names its classes in an annotation; a quota bounds what
 * its claims of a class ask for together. Source: Kubernetes, Resource Quotas, “Storage resource quota”.
 */
import { storageAllowance } from '../manifests/allowances'
import { list, record, text } from '../objects'
import { compareText, parseBytes } from '../units'

export const quotaKey = (storageClass: string): string =>
  `${storageClass}.storageclass.storage.k8s.io/requests.storage`

export interface Grant {
  readonly namespace: string
  /** Whether its annotation names the class; a namespace without one may use every class. */
  readonly named: boolean
  /** What its claims of the class may ask for together; null is no bound. */
  readonly quotaBytes: number | null
  readonly usedBytes: number
}

/** Bytes of a quantity as it is written; null where it is none. */
function bytesOf(given: unknown): number | null {
  const read = parseBytes(typeof given === 'number' ? String(given) : text(given))
  return read.ok ? read.value : null
}

interface ObjectLike {
  readonly kind: string
  readonly metadata?:
    | { readonly name?: string | undefined; readonly namespace?: string | null | undefined }
    | null
    | undefined
}

export const namesIn = (annotation: string): readonly string[] =>
  annotation
    .split(',')
    .map((name) => name.trim())
    .filter((name) => name !== '')

/** The classes that a namespace is limited to; null where it is not. */
export function allowedIn(
  objects: readonly ObjectLike[],
  namespace: string,
): readonly string[] | null {
  const own = objects.find(
    (object) => object.kind === 'Namespace' && object.metadata?.name === namespace,
  )
  const annotation = record(record(own?.metadata)['annotations'])[storageAllowance]
  return typeof annotation === 'string' ? namesIn(annotation) : null
}

/** What claims of a class in a namespace ask for together (bytes). */
export const askedIn = (
  objects: readonly ObjectLike[],
  namespace: string,
  storageClass: string,
): number =>
  objects
    .filter(
      (object) =>
        object.kind === 'PersistentVolumeClaim' &&
        (object.metadata?.namespace || 'default') === namespace &&
        text(record(record(object)['spec'])['storageClassName']) === storageClass,
    )
    .reduce((sum, object) => {
      const spec = record(record(object)['spec'])
      return sum + (bytesOf(record(record(spec['resources'])['requests'])['storage']) ?? 0)
    }, 0)

/** The least that a quota of a namespace allows of a class; null where none does. */
export function quotaIn(
  objects: readonly ObjectLike[],
  namespace: string,
  storageClass: string,
): number | null {
  const bounds = objects
    .filter(
      (object) =>
        object.kind === 'ResourceQuota' && (object.metadata?.namespace || 'default') === namespace,
    )
    .flatMap((object) => {
      const hard = record(record(record(object)['spec'])['hard'])
      return bytesOf(hard[quotaKey(storageClass)]) ?? []
    })
  return bounds.length === 0 ? null : Math.min(...bounds)
}

/** The namespaces that name a class, are bounded in it, or have claims of it. */
export function grantsOf(objects: readonly ObjectLike[], storageClass: string): readonly Grant[] {
  const namespaces = new Set(
    objects.flatMap((object) => {
      if (object.kind === 'Namespace') return object.metadata?.name ?? []
      return list([object.metadata?.namespace])
        .map(text)
        .filter((name) => name !== '')
    }),
  )
  return [...namespaces]
    .sort(compareText)
    .map((namespace): Grant => {
      const allowed = allowedIn(objects, namespace)
      return {
        namespace,
        named: allowed?.includes(storageClass) === true,
        quotaBytes: quotaIn(objects, namespace, storageClass),
        usedBytes: askedIn(objects, namespace, storageClass),
      }
    })
    .filter((grant) => grant.named || grant.quotaBytes !== null || grant.usedBytes > 0)
}
