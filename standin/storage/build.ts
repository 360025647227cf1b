/** Replicated storage of the scenario as it stands at the beginning: its disks, links, volumes, and the objects that tell of them. */
import { formatAddress, parseCidr } from '../../core/addresses'
import type { Cluster, Manifest } from '../cluster-state'
import type { ScenarioCluster } from '../scenario'
import type { Site } from '../site-state'
import { driverOf, type Storage, type StorageNetwork, type StoreDisk } from './state'

type Spec = NonNullable<ScenarioCluster['storage']>

const gb = 1e9

/** `storage-1` of the scenario is `cedar-storage-1` in the cluster. */
const nodeNamed = (cluster: Cluster, name: string): string => `${cluster.name}-${name}`

function disksOf(cluster: Cluster, site: Site, spec: Spec): readonly StoreDisk[] {
  return spec.disks.flatMap(({ pool, zones, name, sizeGb, otherGb }) =>
    cluster.nodes
      .filter(
        (node) =>
          node.pool === pool &&
          (zones === undefined || zones.includes(site.zones.indexOf(node.zone))),
      )
      .map((node) => ({
        node: node.name,
        name,
        bytes: sizeGb * gb,
        otherBytes: otherGb * gb,
      })),
  )
}

function networkOf(
  cluster: Cluster,
  site: Site,
  spec: Spec['networks'][number],
  nodes: readonly string[],
): StorageNetwork {
  const network = site.networks.find((candidate) => candidate.role === spec.role)
  const range = parseCidr(network?.range ?? '')
  const small = (spec.small ?? []).map((name) => nodeNamed(cluster, name))
  return {
    name: network?.name ?? '',
    bytesPerSecond: spec.megabytesPerSecond * 1e6,
    links: nodes.map((name, nth) => ({
      node: name,
      address:
        spec.role === 'nodes' || !range.ok
          ? (cluster.nodes.find((node) => node.name === name)?.address ?? '')
          : formatAddress({
              family: range.value.family,
              value: range.value.first + BigInt(spec.firstHost + nth),
            }),
      mtu: small.includes(name) ? 1500 : (network?.mtu ?? site.mtu ?? 1500),
    })),
  }
}

/** The storage of a cluster that the scenario gives one. */
export function buildStorage(cluster: Cluster, site: Site, spec: Spec, at: number): Storage {
  const disks = disksOf(cluster, site, spec)
  const nodes = [...new Set(disks.map((disk) => disk.node))].sort()
  const networks = spec.networks.map((network) => networkOf(cluster, site, network, nodes))
  const used = networks[0]?.name ?? ''
  return {
    addOn: spec.addOn,
    plannedPercent: spec.plannedPercent,
    floorPercent: spec.floorPercent,
    atOnce: spec.atOnce,
    attachLimit: spec.attachLimit,
    classes: spec.classes,
    network: used,
    networks,
    listens: Object.fromEntries(nodes.map((node) => [node, used])),
    disks: [...disks],
    volumes: spec.volumes.map((volume) => ({
      name: volume.name,
      claim: volume.claim,
      class: volume.class,
      bytes: volume.sizeGb * gb,
      copies: volume.on.length,
      zones: spec.classes.find(({ name }) => name === volume.class)?.zones ?? 'any',
      levels: [{ at, usedBytes: volume.usedGb * gb }],
      perDayBytes: volume.perDayGb * gb,
      replicas: volume.on.map(({ node, disk }) => ({
        node: nodeNamed(cluster, node),
        disk,
        whole: true,
        since: at,
      })),
      snapshots: [],
    })),
  }
}

/** The objects by which a cluster’s API tells of its volumes: classes, volumes, and the claims they are bound to. */
export function storageObjects(storage: Storage): readonly Manifest[] {
  return [
    ...storage.classes.map((kind): Manifest => ({
      apiVersion: 'storage.k8s.io/v1',
      kind: 'StorageClass',
      metadata: { name: kind.name },
      provisioner: driverOf(storage),
      parameters: { copies: String(kind.copies), zones: kind.zones },
      allowVolumeExpansion: true,
      reclaimPolicy: 'Delete',
      volumeBindingMode: 'WaitForFirstConsumer',
    })),
    ...storage.volumes.flatMap((volume): readonly Manifest[] => {
      const size = { storage: String(volume.bytes) }
      const [namespace = '', claim = ''] = (volume.claim ?? '').split('/')
      const accessModes = [volume.zones === 'required' ? 'ReadWriteOnce' : 'ReadWriteMany']
      return [
        {
          apiVersion: 'v1',
          kind: 'PersistentVolume',
          metadata: { name: volume.name },
          spec: {
            capacity: size,
            accessModes,
            storageClassName: volume.class,
            persistentVolumeReclaimPolicy: 'Delete',
            csi: { driver: driverOf(storage), volumeHandle: volume.name },
            claimRef: { kind: 'PersistentVolumeClaim', namespace, name: claim },
          },
          status: { phase: 'Bound' },
        },
        {
          apiVersion: 'v1',
          kind: 'PersistentVolumeClaim',
          metadata: { name: claim, namespace },
          spec: {
            accessModes,
            storageClassName: volume.class,
            volumeName: volume.name,
            resources: { requests: size },
          },
          status: { phase: 'Bound', capacity: size },
        },
      ]
    }),
  ]
}
