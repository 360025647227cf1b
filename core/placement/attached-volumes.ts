/**
 * Volumes behind the claims of pods: where they let a pod run, which are in use, and how many more of each driver a node
 * can attach.
 */
import {
  nodeTermTest,
  requirementTest,
  type ClaimObject,
  type CsiNodeObject,
  type NodeObject,
  type StorageClassObject,
  type VolumeObject,
} from '../objects'
import type { Shape } from './shape'

export interface VolumeFacts {
  readonly claims: readonly ClaimObject[]
  readonly volumes: readonly VolumeObject[]
  readonly classes: readonly StorageClassObject[]
  readonly csiNodes: readonly CsiNodeObject[]
}

const zoneLabels = [
  'topology.kubernetes.io/zone',
  'failure-domain.beta.kubernetes.io/zone',
  'topology.kubernetes.io/region',
  'failure-domain.beta.kubernetes.io/region',
]
type NodeTest = (labels: Readonly<Record<string, string>>, name: string) => boolean

/** Counts by key; what comes to 0 is not kept. */
export function bump<Key>(map: Map<Key, number>, key: Key, by: number): void {
  const now = (map.get(key) ?? 0) + by
  if (now === 0) map.delete(key)
  else map.set(key, now)
}

export class AttachedVolumes {
  private readonly claimsInUse = new Map<string, number>()
  private readonly volumes: VolumeFacts
  private readonly claimOf: ReadonlyMap<string, ClaimObject>
  private readonly volumeOf: ReadonlyMap<string, VolumeObject>
  private readonly classOf: ReadonlyMap<string, StorageClassObject>
  private readonly attachLimits = new Map<string, ReadonlyMap<string, number>>()
  private readonly attached: Map<string, Map<string, number>>[] = []

  constructor(volumes: VolumeFacts) {
    this.volumes = volumes
    this.claimOf = new Map(
      volumes.claims.map((claim) => [
        `${claim.metadata.namespace || 'default'}/${claim.metadata.name}`,
        claim,
      ]),
    )
    this.volumeOf = new Map(volumes.volumes.map((volume) => [volume.metadata.name, volume]))
    this.classOf = new Map(
      volumes.classes.map((storageClass) => [storageClass.metadata.name, storageClass]),
    )
    for (const csi of volumes.csiNodes) {
      const limits = (csi.spec?.drivers ?? []).flatMap((driver) =>
        driver.allocatable?.count === null || driver.allocatable?.count === undefined
          ? []
          : [[driver.name, driver.allocatable.count] as const],
      )
      if (limits.length > 0) this.attachLimits.set(csi.metadata.name, new Map(limits))
    }
  }

  /** A node on which nothing is attached yet. */
  addNode(index: number): void {
    this.attached[index] = new Map()
  }

  dropNodesFrom(index: number): void {
    this.attached.length = index
  }

  /** A pod that holds claims, but on a node that is not among those given. */
  holdElsewhere(shape: Shape): void {
    for (const claim of shape.claims) bump(this.claimsInUse, claim, 1)
  }

  /** A pod of that shape has come to a node, or gone from it. */
  change(shape: Shape, node: number, by: 1 | -1): void {
    for (const claim of shape.claims) {
      bump(this.claimsInUse, claim, by)
      const attachment = this.attachment(claim)
      if (!attachment) continue
      const here = this.attached[node]
      const volumes = here?.get(attachment.driver) ?? new Map<string, number>()
      here?.set(attachment.driver, volumes)
      bump(volumes, attachment.volume, by)
    }
  }

  /** Driver and volume behind a claim, as far as they are known. */
  private attachment(
    claimKey: string,
  ): { readonly driver: string; readonly volume: string } | null {
    if (this.attachLimits.size === 0) return null
    const claim = this.claimOf.get(claimKey)
    if (!claim) return null
    const volume = claim.spec?.volumeName ? this.volumeOf.get(claim.spec.volumeName) : undefined
    if (volume)
      return volume.spec?.csi
        ? {
            driver: volume.spec.csi.driver,
            volume: volume.spec.csi.volumeHandle ?? volume.metadata.name,
          }
        : null
    const provisioner = this.classOf.get(claim.spec?.storageClassName ?? '')?.provisioner
    return provisioner ? { driver: provisioner, volume: claimKey } : null
  }

  /** Which nodes the volumes of a shape keep it from; null where it has none. */
  test(shape: Shape, nodes: readonly NodeObject[]): ((node: number) => boolean) | null {
    if (shape.claims.length === 0) return null
    const tests: NodeTest[] = []
    const wanted = new Map<string, Set<string>>()
    for (const key of shape.claims) {
      const claim = this.claimOf.get(key)
      if (!claim) return () => false
      if (
        claim.spec?.accessModes?.includes('ReadWriteOncePod') &&
        (this.claimsInUse.get(key) ?? 0) > 0
      )
        return () => false
      const test = this.claimTest(claim)
      if (!test) return () => false
      tests.push(test)
      const attachment = this.attachment(key)
      if (attachment)
        wanted.set(
          attachment.driver,
          (wanted.get(attachment.driver) ?? new Set()).add(attachment.volume),
        )
    }
    return (index) => {
      const node = nodes[index]
      if (!node || !tests.every((test) => test(node.metadata.labels ?? {}, node.metadata.name)))
        return false
      const limits = this.attachLimits.get(node.metadata.name)
      if (!limits) return true
      for (const [driver, volumes] of wanted) {
        const limit = limits.get(driver)
        if (limit === undefined) continue
        const here = this.attached[index]?.get(driver)
        let more = 0
        for (const volume of volumes) if (!here?.has(volume)) more++
        if (more > 0 && (here?.size ?? 0) + more > limit) return false
      }
      return true
    }
  }

  /** Where one claim lets its pod run; null is nowhere. */
  private claimTest(claim: ClaimObject): NodeTest | null {
    if (claim.spec?.volumeName) {
      const volume = this.volumeOf.get(claim.spec.volumeName)
      if (!volume) return null
      const required = volume.spec?.nodeAffinity?.required
      const terms = required ? (required.nodeSelectorTerms ?? []).map(nodeTermTest) : null
      const zoned = zoneLabels.flatMap((key) => {
        const value = volume.metadata.labels?.[key]
        return value === undefined ? [] : [{ key, values: new Set(value.split('__')) }]
      })
      return (labels, name) => {
        if (terms !== null && !terms.some((holds) => holds(labels, name))) return false
        // A node that names no zone at all is in none that could be wrong.
        if (zoned.length === 0 || !zoneLabels.some((key) => Object.hasOwn(labels, key))) return true
        return zoned.every(({ key, values }) => values.has(labels[key] ?? ''))
      }
    }
    const named =
      claim.spec?.storageClassName ??
      claim.metadata.annotations?.['volume.beta.kubernetes.io/storage-class']
    const storageClass =
      named === undefined
        ? this.volumes.classes.find(
            (storageClass) =>
              storageClass.metadata.annotations?.['storageclass.kubernetes.io/is-default-class'] ===
              'true',
          )
        : this.classOf.get(named)
    if (storageClass?.volumeBindingMode !== 'WaitForFirstConsumer') return null
    const topologies = storageClass.allowedTopologies ?? []
    if (topologies.length === 0) return () => true
    const terms = topologies.map((term) =>
      (term.matchLabelExpressions ?? []).map(({ key, values }) =>
        requirementTest({ key, operator: 'In', values: values ?? [] }),
      ),
    )
    return (labels) => terms.some((tests) => tests.every((test) => test(labels)))
  }
}
