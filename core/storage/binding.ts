/**
 * Claims bound to volumes, in the order given, each on what the ones before left: to a volume that was promised to the
 * claim, else to the smallest free one that matches, else to one that is made. Source: the open API’s PersistentVolume
 * and StorageClass reference and the binding rules it describes. O(claims × volumes).
 */
import type { Said } from '../contract/said'
import { type ClaimObject, type Misread, nodeTermTest, selectorTest } from '../objects'
import {
  type Ask,
  type Binding,
  type BoundClaim,
  type ClassStore,
  provision,
  type Store,
  type WaitingReason,
} from './provision'
import { said } from './says'
import {
  defaultClass,
  legacyClass,
  type StorageObjects,
  type Volume,
  zoneKeys,
} from './storage-objects'

export interface ClaimAsked {
  /** `namespace/name`. */
  readonly claim: string
  /** The node of its first consumer, where there is one. */
  readonly node?: string | undefined
}

export interface WaitingClaim extends Said {
  readonly claim: string
  readonly reason: WaitingReason
}

function askOf(storage: StorageObjects, asked: ClaimAsked, key: string): Ask | null {
  const claim = storage.claims.get(key)
  if (!claim) return null
  const { object, bytes } = claim
  const given = object.metadata.annotations?.[legacyClass] ?? object.spec?.storageClassName
  const namesClass = given !== null && given !== undefined
  const storageClass = namesClass
    ? storage.classes.find((candidate) => candidate.metadata.name === given)
    : defaultClass(storage.classes)
  const waits = storageClass?.volumeBindingMode === 'WaitForFirstConsumer'
  return {
    key,
    object,
    bytes,
    className: namesClass ? given : (storageClass?.metadata.name ?? ''),
    namesClass,
    storageClass,
    node: waits && asked.node !== undefined ? storage.nodes.get(asked.node) : undefined,
    waits,
  }
}

/** Whether a volume’s claimRef names the claim, by its uid too where it gives one. */
function isPromisedTo(volume: Volume, claim: ClaimObject): boolean {
  const ref = volume.object.spec?.claimRef
  return (
    ref !== null &&
    ref !== undefined &&
    ref.name === claim.metadata.name &&
    (ref.namespace || 'default') === (claim.metadata.namespace || 'default') &&
    (!ref.uid || ref.uid === claim.metadata.uid)
  )
}

const isFree = ({ used, object }: Volume): boolean =>
  !used &&
  (object.spec?.claimRef === null || object.spec?.claimRef === undefined) &&
  (object.status?.phase || 'Available') === 'Available'

const fitsSizeAndMode = (volume: Volume, ask: Ask): boolean =>
  !volume.used &&
  volume.bytes >= ask.bytes &&
  !volume.object.metadata.deletionTimestamp &&
  (volume.object.spec?.volumeMode || 'Filesystem') === (ask.object.spec?.volumeMode || 'Filesystem')

const givesAccess = (volume: Volume, ask: Ask): boolean =>
  (ask.object.spec?.accessModes ?? []).every((mode) =>
    (volume.object.spec?.accessModes ?? []).includes(mode),
  )

/** Whether the node of a class that waits can reach the volume; without such a node every volume is reached. */
function isReachable(volume: Volume, ask: Ask): boolean {
  const required = volume.object.spec?.nodeAffinity?.required
  if (!required || !ask.node) return true
  const { labels, name } = ask.node.metadata
  return (required.nodeSelectorTerms ?? []).some((term) => nodeTermTest(term)(labels ?? {}, name))
}

/** The one zone that a volume’s node affinity names, or null. */
function volumeZone(volume: Volume): string | null {
  const zones = new Set(
    (volume.object.spec?.nodeAffinity?.required?.nodeSelectorTerms ?? [])
      .flatMap((term) => term.matchExpressions ?? [])
      .filter(({ key, operator }) => zoneKeys.includes(key) && operator === 'In')
      .flatMap(({ values }) => values ?? []),
  )
  const [zone] = zones
  return zones.size === 1 ? (zone ?? null) : null
}

function boundTo(volume: Volume, ask: Ask): Binding {
  volume.used = true
  return {
    bound: {
      claim: ask.key,
      volume: volume.name,
      provisioned: false,
      zone: volumeZone(volume),
    },
  }
}

/** A claim that names its volume gets that one or none. */
function bindNamed(storage: StorageObjects, ask: Ask, volumeName: string): Binding {
  const volume = storage.volumes.find((candidate) => candidate.name === volumeName)
  if (!volume)
    return {
      reason: 'no-volume',
      ...said('claim.volume-missing', { claim: ask.key, volume: volumeName }),
    }
  const promised = isPromisedTo(volume, ask.object)
  const fits =
    fitsSizeAndMode(volume, ask) &&
    (promised || (isFree(volume) && volume.className === ask.className && givesAccess(volume, ask)))
  return fits
    ? boundTo(volume, ask)
    : { reason: 'no-volume', ...said('claim.volume-unfit', { claim: ask.key, volume: volumeName }) }
}

/** Why no volume that stands matches: the node, the access modes, or that there is none. */
function whyNoVolume(ask: Ask, candidates: readonly Volume[]): Binding {
  const accessible = candidates.filter((volume) => givesAccess(volume, ask))
  if (accessible.length > 0)
    return {
      reason: 'topology',
      ...said('claim.out-of-reach', {
        claim: ask.key,
        volumes: accessible.map(({ name }) => name),
        node: ask.node?.metadata.name ?? '',
      }),
    }
  if (candidates.length > 0)
    return {
      reason: 'access-mode',
      ...said('claim.access-mode', {
        claim: ask.key,
        modes: ask.object.spec?.accessModes ?? [],
        volumes: candidates.map(({ name }) => name),
      }),
    }
  return {
    reason: 'no-volume',
    ...said('claim.no-volume', { claim: ask.key, class: ask.className, bytes: ask.bytes }),
  }
}

function bindOne(storage: StorageObjects, ask: Ask, stores: readonly Store[] | null): Binding {
  const volumeName = ask.object.spec?.volumeName
  if (volumeName) return bindNamed(storage, ask, volumeName)
  const promised = storage.volumes.find(
    (volume) =>
      isPromisedTo(volume, ask.object) && fitsSizeAndMode(volume, ask) && isReachable(volume, ask),
  )
  if (promised) return boundTo(promised, ask)
  const { selector } = ask.object.spec ?? {}
  const isSelected = selector ? selectorTest(selector) : () => true
  const candidates =
    ask.waits && !ask.node
      ? []
      : storage.volumes.filter(
          (volume) =>
            isFree(volume) &&
            fitsSizeAndMode(volume, ask) &&
            volume.className === ask.className &&
            isSelected(volume.object.metadata.labels ?? {}),
        )
  const match = candidates.find((volume) => givesAccess(volume, ask) && isReachable(volume, ask))
  if (match) return boundTo(match, ask)
  if (!ask.storageClass && !(ask.namesClass && ask.className === ''))
    return {
      reason: 'no-class',
      ...(ask.namesClass
        ? said('claim.class-missing', { claim: ask.key, class: ask.className })
        : said('claim.no-class', { claim: ask.key })),
    }
  if (ask.waits && !ask.node)
    return {
      reason: 'first-consumer',
      ...said('claim.first-consumer', { claim: ask.key, class: ask.className }),
    }
  return provision(storage, ask, stores) ?? whyNoVolume(ask, candidates)
}

export type ClaimsBound =
  | {
      readonly ok: true
      readonly bound: readonly BoundClaim[]
      readonly waiting: readonly WaitingClaim[]
    }
  | ({ readonly ok: false } & Misread)

/**
 * Binds the claims asked about, one after another. Without `stores` room is unlimited; with them a class has room only
 * where they say so. A claim or node that is not among the objects is an error at its field.
 */
export function bindClaims(
  storage: StorageObjects,
  claims: readonly ClaimAsked[],
  classStores: readonly ClassStore[] | undefined,
): ClaimsBound {
  const stores = classStores?.map((store): Store => ({ ...store })) ?? null
  const bound: BoundClaim[] = []
  const waiting: WaitingClaim[] = []
  const asked = new Set<string>()
  for (const [index, claim] of claims.entries()) {
    const key = claim.claim.includes('/') ? claim.claim : `default/${claim.claim}`
    const ask = askOf(storage, claim, key)
    if (!ask)
      return {
        ok: false,
        path: `claims[${index}].claim`,
        says: `There is no claim ${key} among the objects. Write it as namespace/name.`,
      }
    if (asked.has(key))
      return {
        ok: false,
        path: `claims[${index}].claim`,
        says: `${key} is asked about twice. Leave one out.`,
      }
    asked.add(key)
    if (claim.node !== undefined && !storage.nodes.has(claim.node))
      return {
        ok: false,
        path: `claims[${index}].node`,
        says: `There is no node ${claim.node} among the objects.`,
      }
    const binding = bindOne(storage, ask, stores)
    if ('bound' in binding) bound.push(binding.bound)
    else waiting.push({ claim: key, ...binding })
  }
  return { ok: true, bound, waiting }
}
