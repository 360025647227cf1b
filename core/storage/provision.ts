/** Volumes made for claims: where a class may make one, and whether its store has room there. */
import type { Said } from '../contract/said'
import type { ClaimObject, Labels, NodeObject, StorageClassObject } from '../objects'
import { compareText } from '../units'
import { said } from './says'
import { nodeZone, type StorageObjects, zoneKeys } from './storage-objects'

/** Where volumes of a class can be made, and how much more of them. */
export interface ClassStore {
  readonly class: string
  readonly zone: string | null
  readonly freeBytes: number
}

export interface BoundClaim {
  readonly claim: string
  /** Null for a volume that is made. */
  readonly volume: string | null
  readonly provisioned: boolean
  readonly zone: string | null
}

export const waitingReasons = [
  'first-consumer',
  'no-class',
  'no-volume',
  'no-room',
  'topology',
  'access-mode',
] as const
export type WaitingReason = (typeof waitingReasons)[number]

export type Binding = { readonly bound: BoundClaim } | ({ readonly reason: WaitingReason } & Said)

/** The provisioner of classes whose volumes are made by hand. */
const byHand = 'kubernetes.io/no-provisioner'

/** A claim as it is to be bound. */
export interface Ask {
  readonly key: string
  readonly object: ClaimObject
  readonly bytes: number
  /** What it names or gets by default; `""` where there is none. */
  readonly className: string
  readonly namesClass: boolean
  readonly storageClass: StorageClassObject | undefined
  /** The node of the consumer a class waits for; undefined where the class does not wait. */
  readonly node: NodeObject | undefined
  readonly waits: boolean
}

type TopologyTerm = NonNullable<StorageClassObject['allowedTopologies']>[number]

const termAllows = (term: TopologyTerm, labels: Labels): boolean =>
  (term.matchLabelExpressions ?? []).length > 0 &&
  (term.matchLabelExpressions ?? []).every(({ key, values }) => {
    const keys = zoneKeys.includes(key) ? zoneKeys : [key]
    return keys.some((alias) => (values ?? []).includes(labels[alias] ?? '\0'))
  })

/** Whether a class may make a volume for a node: any of its topologies, or none given. */
function allowsNode(storageClass: StorageClassObject, node: NodeObject): boolean {
  const terms = storageClass.allowedTopologies ?? []
  return terms.length === 0 || terms.some((term) => termAllows(term, node.metadata.labels ?? {}))
}

/** The zones in which a class may make volumes: those it names, else those of its stores and of the nodes. */
function allowedZones(
  storage: StorageObjects,
  storageClass: StorageClassObject,
  stores: readonly Store[] | null,
): readonly (string | null)[] {
  const terms = storageClass.allowedTopologies ?? []
  const nodeZones = (term: TopologyTerm | null): readonly (string | null)[] =>
    [...storage.nodes.values()]
      .filter((node) => term === null || termAllows(term, node.metadata.labels ?? {}))
      .map(nodeZone)
  if (terms.length === 0) {
    const own = (stores ?? []).filter((store) => store.class === storageClass.metadata.name)
    return stores ? own.map((store) => store.zone) : nodeZones(null)
  }
  return terms.flatMap((term) => {
    const zones = (term.matchLabelExpressions ?? [])
      .filter(({ key }) => zoneKeys.includes(key))
      .flatMap(({ values }) => values ?? [])
    return zones.length > 0 ? zones : nodeZones(term)
  })
}

export interface Store {
  readonly class: string
  readonly zone: string | null
  freeBytes: number
}

/** Makes a volume, or says why none is made; null where the class makes none for such a claim. */
export function provision(
  storage: StorageObjects,
  ask: Ask,
  stores: readonly Store[] | null,
): Binding | null {
  const { storageClass, object } = ask
  const provisioner = storageClass?.provisioner
  const selects = object.spec?.selector !== null && object.spec?.selector !== undefined
  if (!storageClass || !provisioner || provisioner === byHand || selects) return null
  if (ask.node && !allowsNode(storageClass, ask.node))
    return {
      reason: 'topology' as const,
      ...said('claim.topology', {
        claim: ask.key,
        class: ask.className,
        node: ask.node.metadata.name,
      }),
    }
  const zones = ask.waits ? [nodeZone(ask.node)] : allowedZones(storage, storageClass, stores)
  const rooms = zones.map((zone) => ({
    zone,
    store: stores?.find((store) => store.class === ask.className && store.zone === zone),
  }))
  const roomIn = (store: Store | undefined): number => {
    if (!stores) return Infinity
    return store?.freeBytes ?? -1
  }
  const [roomiest] = [...rooms].sort((a, b) => {
    const [left, right] = [roomIn(a.store), roomIn(b.store)]
    if (left !== right) return right > left ? 1 : -1
    return compareText(a.zone ?? '', b.zone ?? '')
  })
  if (stores && (!roomiest || roomIn(roomiest.store) < ask.bytes))
    return {
      reason: 'no-room' as const,
      ...said('claim.no-room', {
        claim: ask.key,
        class: ask.className,
        zone: roomiest?.zone ?? null,
        bytes: ask.bytes,
      }),
    }
  if (roomiest?.store) roomiest.store.freeBytes -= ask.bytes
  return {
    bound: { claim: ask.key, volume: null, provisioned: true, zone: roomiest?.zone ?? null },
  }
}
