/** Claims and their volumes: bound at once or with the first pod that needs them, by class and zone; given back with the claim. */
import { parseBytes } from '../../core/units'
import type { Sim } from '../engine/sim'
import { store } from '../sites/store'
import type { Cluster, Manifest, Node, Pod, Site, Workload } from '../world'
import { attachedTo } from '../storage/attached'
import { driverOf } from '../storage/state'
import { provision, storageClassNamed, unprovision } from '../storage/provision'
import { claimNamed, claimsOf } from './claims'
import { list, record as fields, text } from './manifests'
import { record } from './pod-events'

const zoneLabel = 'topology.kubernetes.io/zone'

interface StorageClass {
  readonly name: string
  readonly waits: boolean
  /** Null is any. */
  readonly zones: readonly string[] | null
}

/** The class of a name, or the default one where a claim names none. */
function classOf(cluster: Cluster, name: string | undefined): StorageClass | null {
  const written = (cluster.objects ?? []).filter((object) => object.kind === 'StorageClass')
  const read = (object: Manifest): StorageClass => {
    const zones = list(object['allowedTopologies'])
      .flatMap((entry) => list(fields(entry)['matchLabelExpressions']))
      .map(fields)
      .filter((entry) => entry['key'] === zoneLabel)
      .flatMap((entry) => list(entry['values']).map(text))
    return {
      name: object.metadata.name,
      waits: object['volumeBindingMode'] === 'WaitForFirstConsumer',
      zones: zones.length === 0 ? null : zones,
    }
  }
  if (cluster.storageClass && (name === undefined || name === cluster.storageClass.name))
    return { name: cluster.storageClass.name, waits: true, zones: cluster.storageClass.zones }
  const volume = written.find((object) =>
    name === undefined
      ? object.metadata.annotations?.['storageclass.kubernetes.io/is-default-class'] === 'true'
      : object.metadata.name === name,
  )
  return volume ? read(volume) : null
}

export const volumeName = (claim: Manifest): string => text(fields(claim['spec'])['volumeName'])

const volumeOf = (cluster: Cluster, claim: Manifest): Manifest | undefined =>
  (cluster.objects ?? []).find(
    (object) => object.kind === 'PersistentVolume' && object.metadata.name === volumeName(claim),
  )

function zoneOf(volume: Manifest | undefined): string | null {
  const terms = list(
    fields(fields(fields(volume?.['spec'])['nodeAffinity'])['required'])['nodeSelectorTerms'],
  )
  return text(list(fields(list(fields(terms[0])['matchExpressions'])[0])['values'])[0]) || null
}

/** Whether another node does not let go of a pod’s volume, by a fault about its workload; if so it is told. */
export function isVolumeHeld(sim: Sim, cluster: Cluster, workload: Workload, pod: Pod): boolean {
  const about = `workload/${cluster.name}/${workload.namespace}/${workload.name}`
  if (!sim.world.faults.some((fault) => fault.kind === 'volume-held' && fault.about === about))
    return false
  const volume = claimsOf(workload, pod)
    .map((name) => claimNamed(cluster, pod.namespace, name))
    .map((claim) => (claim ? volumeName(claim) : ''))
    .find((name) => name !== '')
  if (volume === undefined) return false
  record(
    sim,
    cluster,
    'Warning',
    'FailedAttachVolume',
    `pod/${pod.namespace}/${pod.name}`,
    `Multi-Attach error for volume "${volume}" Volume is already exclusively attached to one node and can't be attached to another`,
  )
  return true
}

/** Why a node cannot reach a pod’s volumes, or null. */
export function volumeRefusals(
  cluster: Cluster,
  workload: Workload,
  pod: Pod,
): (node: Node) => string | null {
  const needs = claimsOf(workload, pod).map((name) => {
    const claim = claimNamed(cluster, pod.namespace, name)
    if (!claim) return { refuses: `claim ${name} not found`, zones: null }
    if (volumeName(claim) !== '') {
      const zone = zoneOf(volumeOf(cluster, claim))
      return { refuses: null, zones: zone === null ? null : [zone] }
    }
    const given = fields(claim['spec'])['storageClassName']
    const kind = classOf(cluster, typeof given === 'string' ? given : undefined)
    return kind?.waits === true
      ? { refuses: null, zones: kind.zones }
      : { refuses: 'unbound claim', zones: null }
  })
  const { storage } = cluster
  const attached = storage && needs.length > 0 ? attachedTo(cluster, storage) : []
  return (node) => {
    if (
      storage &&
      attached.filter((entry) => entry.node === node.name).length + needs.length >
        storage.attachLimit
    )
      return 'exceed max volume count'
    for (const { refuses, zones } of needs) {
      if (refuses !== null) return refuses
      if (zones && !zones.includes(node.labels[zoneLabel] ?? node.zone))
        return 'volume node affinity'
    }
    return null
  }
}

/** How many GB a store has left for volumes of a zone; a cloud’s has no end. */
function roomGb(site: Site, zone: string | null): number {
  if (site.kind !== 'hall') return Infinity
  const zones = zone === null ? site.zones : [zone]
  return Math.max(
    ...zones.map((name) => {
      const { usableGb, usedGb } = store(site, name)
      return usableGb - usedGb
    }),
  )
}

/** Whether the store takes a claim; if not, the claim waits and an event says why. */
function hasRoom(sim: Sim, cluster: Cluster, claim: Manifest, zone: string | null): boolean {
  const site = sim.site(cluster.site)
  const size = parseBytes(
    text(fields(fields(fields(claim['spec'])['resources'])['requests'])['storage']),
  )
  const left = site ? roomGb(site, zone) : Infinity
  if (!size.ok || size.value / 1e9 <= left) return true
  const where = zone === null ? '' : ` of ${zone}`
  refuse(sim, cluster, claim, `the store${where} has ${Math.floor(left)} GB left`)
  return false
}

/** Tells once why no volume is made for a claim. */
function refuse(sim: Sim, cluster: Cluster, claim: Manifest, why: string): void {
  const about = `persistentvolumeclaim/${claim.metadata.namespace ?? 'default'}/${claim.metadata.name}`
  const told = cluster.events.some(
    (event) => event.about === about && event.reason === 'ProvisioningFailed',
  )
  if (!told) record(sim, cluster, 'Warning', 'ProvisioningFailed', about, why)
}

const inZone = (zone: string) => ({
  nodeAffinity: {
    required: {
      nodeSelectorTerms: [
        { matchExpressions: [{ key: zoneLabel, operator: 'In', values: [zone] }] },
      ],
    },
  },
})

/** Binds a claim to a new volume in a zone: a disk of the site’s. */
function bind(
  sim: Sim,
  cluster: Cluster,
  claim: Manifest,
  kind: StorageClass,
  zone: string | null,
): void {
  if (!storageClassNamed(cluster, kind.name) && !hasRoom(sim, cluster, claim, zone)) return
  const spec = fields(claim['spec'])
  const size = text(fields(fields(spec['resources'])['requests'])['storage'])
  const bytes = parseBytes(size)
  const name = `pv-${cluster.name}-${claim.metadata.namespace ?? 'default'}-${claim.metadata.name}`
  const claimKey = `${claim.metadata.namespace ?? 'default'}/${claim.metadata.name}`
  const replicated = storageClassNamed(cluster, kind.name)
  if (
    replicated &&
    !provision(sim, cluster, {
      name,
      claim: claimKey,
      class: kind.name,
      bytes: bytes.ok ? bytes.value : 0,
    })
  ) {
    refuse(sim, cluster, claim, `no disk takes ${size} in ${kind.name}`)
    return
  }
  const volume: Manifest = {
    apiVersion: 'v1',
    kind: 'PersistentVolume',
    metadata: { name },
    spec: {
      capacity: { storage: size },
      accessModes: list(spec['accessModes']),
      storageClassName: kind.name,
      persistentVolumeReclaimPolicy: 'Delete',
      claimRef: {
        kind: 'PersistentVolumeClaim',
        namespace: claim.metadata.namespace,
        name: claim.metadata.name,
      },
      ...(replicated && cluster.storage
        ? { csi: { driver: driverOf(cluster.storage), volumeHandle: name } }
        : {}),
      ...(zone === null || replicated ? {} : inZone(zone)),
    },
    status: { phase: 'Bound' },
  }
  const bound: Manifest = {
    ...claim,
    spec: { ...spec, storageClassName: kind.name, volumeName: name },
    status: { phase: 'Bound', capacity: { storage: size } },
  }
  cluster.objects = [
    ...(cluster.objects ?? []).map((object) => (object === claim ? bound : object)),
    volume,
  ]
  const site = sim.site(cluster.site)
  if (site && bytes.ok && !replicated) {
    site.disks = [
      ...site.disks,
      {
        name,
        sizeGb: Math.ceil(bytes.value / 1e9),
        machine: null,
        cluster: cluster.name,
        ...(zone === null ? {} : { zone }),
      },
    ]
    sim.touchSite(site.name)
  }
  sim.touchCluster(cluster.name)
}

/** Claims of a pod that has just been given a node: those that waited for it are bound in its zone. */
export function bindFor(sim: Sim, cluster: Cluster, workload: Workload, pod: Pod): void {
  const node = cluster.nodes.find((node) => node.name === pod.node)
  for (const name of node ? claimsOf(workload, pod) : []) {
    const claim = claimNamed(cluster, pod.namespace, name)
    if (!claim || volumeName(claim) !== '') continue
    const given = fields(claim['spec'])['storageClassName']
    const kind = classOf(cluster, typeof given === 'string' ? given : undefined)
    if (kind) bind(sim, cluster, claim, kind, node?.zone ?? null)
  }
}

/** Claims of an immediate class are bound as soon as they are there, in the first zone of the class. */
export function bindAtOnce(sim: Sim, cluster: Cluster): void {
  for (const claim of (cluster.objects ?? []).filter(
    (object) => object.kind === 'PersistentVolumeClaim' && volumeName(object) === '',
  )) {
    const given = fields(claim['spec'])['storageClassName']
    const kind =
      given === '' ? null : classOf(cluster, typeof given === 'string' ? given : undefined)
    if (kind && !kind.waits) bind(sim, cluster, claim, kind, kind.zones?.[0] ?? null)
  }
}

/** A claim’s volume goes with it, as its class reclaims it. */
export function reclaim(sim: Sim, cluster: Cluster, claim: Manifest): void {
  const name = volumeName(claim)
  if (name === '') return
  cluster.objects = (cluster.objects ?? []).filter(
    (object) => !(object.kind === 'PersistentVolume' && object.metadata.name === name),
  )
  unprovision(cluster, name)
  const site = sim.site(cluster.site)
  if (!site) return
  site.disks = site.disks.filter((disk) => disk.name !== name)
  sim.touchSite(site.name)
}
