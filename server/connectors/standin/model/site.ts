/** A site of the model: as it was reported. What it keeps to itself (what will fail, whom it lets in) is not in it. */
import { parseAddress, parseCidr } from '~/core/addresses'
import type { MachineView, SiteView } from '~/core/fleet'
import type { Site } from '~/standin'
import type { ObservedFleet } from './observed-fleet'

type Machine = Site['machines'][number]

/** What nodes tell of the machines that they are. */
export interface NodeOnMachine {
  readonly release: string
  readonly isReady: boolean
  readonly gpus: number
  readonly createdAt: number
}

/** Nodes by `cluster/machine`. */
export type NodesOnMachines = ReadonlyMap<string, NodeOnMachine>

function networkAt(site: SiteView, address: string | null): string {
  const at = parseAddress(address ?? '')
  const holder = site.networks.find(({ range }) => {
    const read = parseCidr(range)
    if (!at.ok || !read.ok || read.value.family !== at.value.family) return false
    return read.value.first <= at.value.value && at.value.value <= read.value.last
  })
  return (
    (holder ?? site.networks.find(({ role }) => role === 'nodes') ?? site.networks[0])?.name ?? ''
  )
}

function modelMachine(
  site: SiteView,
  machine: MachineView,
  node: NodeOnMachine | undefined,
  now: number,
): Machine {
  return {
    name: machine.name,
    zone: machine.zone,
    host: machine.host,
    size: machine.size,
    cores: machine.cores,
    memoryBytes: machine.memoryBytes,
    diskGb: machine.diskGb,
    gpus: node?.gpus ?? 0,
    lifetime: machine.lifetime,
    release: node?.release ?? '',
    cluster: machine.cluster ?? '',
    apart: machine.apart ?? null,
    network: networkAt(site, machine.address),
    box: site.boxes.find(({ usedBy }) => usedBy === machine.name)?.name ?? null,
    power: machine.power,
    // A node that is not ready is one whose agent is not heard.
    agent: machine.power === 'on' && (node?.isReady ?? true),
    address: machine.address,
    createdAt: node?.createdAt ?? now,
  }
}

/** A copy whose lists may be altered. */
type Own<T> = { -readonly [K in keyof T]: T[K] extends readonly (infer Item)[] ? Item[] : T[K] }
const ownCopy = <T extends object>(value: T): Own<T> => structuredClone(value) as Own<T>

export function modelSite(view: ObservedFleet, site: SiteView, nodes: NodesOnMachines): Site {
  const { registry, observedAt: _at, ...told } = site
  const now = Date.parse(view.now)
  const machines = site.machines.map((machine) =>
    modelMachine(site, machine, nodes.get(`${machine.cluster ?? ''}/${machine.name}`), now),
  )
  const gpus = new Map(machines.map((machine) => [machine.size, machine.gpus]))
  return ownCopy({
    ...told,
    ...(registry ? { registryHost: registry.host } : {}),
    bootDataCutAt: null,
    credentials: [],
    managedFrom: site.controlPlanes[0]?.address ?? null,
    soldOut: site.sizes.flatMap(({ name, soldOut }) => soldOut.map((zone) => `${zone}/${name}`)),
    sizes: site.sizes.map(({ soldOut: _sold, ...size }) => ({
      ...size,
      gpus: gpus.get(size.name) ?? 0,
    })),
    machines,
    boxes: site.boxes.map((box) => ({ ...box, disks: [...box.disks] })),
  })
}
