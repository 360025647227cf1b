/** A site of the scenario as it stands at the beginning. */

import { GiB } from '../core/units'
import type { ScenarioSite, Scenario, ScenarioCluster } from './scenario'
import type { Machine, Site } from './site-state'
import { leaseFrom, enterAddress } from './sites/addresses'

/** Without fields that are there but undefined. */
export const plain = (given: unknown): unknown => JSON.parse(JSON.stringify(given))
/** A hall’s hosts; at the edge each machine that stands is its own. */
function hostsOf(site: ScenarioSite): Site['hosts'] {
  const { hosts } = site
  if (!hosts)
    return site.boxes.map((box) => ({
      name: box.name,
      zone: box.zone,
      cores: box.cores,
      memoryBytes: box.memoryGiB * GiB,
      diskGb: box.disks.reduce((sum, disk) => sum + disk.sizeGb, 0),
      idleWatts: box.idleWatts,
      fullWatts: box.fullWatts,
    }))
  return site.zones.flatMap((zone) =>
    Array.from({ length: hosts.perZone }, (_, i) => ({
      name: `${hosts.prefix}-${zone.split('-').pop() ?? zone}-${i + 1}`,
      zone,
      cores: hosts.cores,
      memoryBytes: hosts.memoryGiB * GiB,
      diskGb: hosts.diskGb,
      idleWatts: hosts.idleWatts,
      fullWatts: hosts.fullWatts,
    })),
  )
}

const boxesOf = (site: ScenarioSite): Site['boxes'] =>
  site.boxes.map((box) => ({
    name: box.name,
    zone: box.zone,
    arch: box.arch,
    cores: box.cores,
    memoryBytes: box.memoryGiB * GiB,
    disks: structuredClone(box.disks),
    cards: box.cards,
    prepared: box.prepared,
    ...(box.inside ? { inside: box.inside } : {}),
    usedBy: null,
  }))

const sizesOf = (site: ScenarioSite): Site['sizes'] =>
  site.sizes.map((size) => ({
    name: size.name,
    cores: size.cores,
    memoryBytes: size.memoryGiB * GiB,
    diskGb: size.diskGb,
    hourly: size.hourly,
    gpus: size.gpus,
    zones: size.zones ?? site.zones,
  }))

export function buildSite(site: ScenarioSite, scenario: Scenario): Site {
  return {
    name: site.name,
    title: site.title,
    kind: site.kind,
    arch: site.arch,
    domain: site.domain,
    connected: site.connected,
    zones: [...site.zones],
    overcommit: site.overcommit,
    reservePerZone: site.reservePerZone,
    quotaCores: site.quotaCores,
    quotaBalancers: site.quotaBalancers,
    quotaAddresses: site.quotaAddresses,
    routes: structuredClone(site.routes),
    nameServers: site.nameServers.map((address) => ({ address, answers: true })),
    timeServers: site.timeServers.map((name) => ({ name, answers: true })),
    nameDomain: site.nameDomain,
    ...(site.registryHost === undefined ? {} : { registryHost: site.registryHost }),
    records: structuredClone(site.records),
    storageClasses: site.storageClasses.map(({ name, zones }) => ({
      name,
      zones: zones ?? site.zones,
    })),
    bootData: site.bootData,
    bootDataCutAt: null,
    published: [],
    balancers: [],
    credentials: [],
    firewall: plain(site.firewall) as Site['firewall'] & object,
    translations: plain(site.translations) as Site['translations'] & object,
    ...(site.egress === undefined ? {} : { egress: site.egress }),
    ...(site.mtu === undefined ? {} : { mtu: site.mtu }),
    networks: site.networks.map(
      (network) => JSON.parse(JSON.stringify(network)) as Site['networks'][number],
    ),
    sizes: sizesOf(site),
    images: site.images.map((release) => ({
      name: scenario.image.name,
      release,
      arch: site.arch,
      minimumDiskGb: scenario.image.minimumDiskGb,
    })),
    hosts: hostsOf(site),
    boxes: boxesOf(site),
    machines: [],
    addresses: [],
    disks: [],
    managedTiers: site.managedTiers,
    managedFrom: site.managedFrom,
    controlPlanes: [],
    prices: scenario.prices,
    soldOut: [],
  }
}

/** Puts a machine that has stood for long onto the emptiest host of its zone, with address and disk. */
export function standMachine(
  site: Site,
  cluster: ScenarioCluster,
  name: string,
  zone: string,
  sizeName: string,
  lifetime: Machine['lifetime'],
  address: string | null,
  role: 'control-plane' | 'worker',
  at: number,
  busy: Map<string, number>,
): Machine {
  const size = site.sizes.find((size) => size.name === sizeName)
  if (!size)
    throw new Error(
      `the scenario gives ${name} the size ${sizeName}, which ${site.name} does not offer`,
    )
  const apart = role === 'control-plane' ? cluster.name : null
  const used = (host: string): number => busy.get(host) ?? 0
  const clash = (host: string): boolean =>
    apart !== null &&
    site.machines.some((machine) => machine.host === host && machine.apart === apart)
  const host = site.hosts
    .filter((host) => host.zone === zone && !clash(host.name))
    .sort((a, b) => used(a.name) - used(b.name) || (a.name < b.name ? -1 : 1))[0]
  if (host) busy.set(host.name, used(host.name) + size.cores)
  const network =
    site.networks.find((network) =>
      site.kind === 'cloud'
        ? network.zone === zone
        : network.role === (role === 'control-plane' ? 'management' : 'nodes'),
    ) ?? site.networks[0]
  const given = address ?? (network ? leaseFrom(site, network) : null)
  const diskGb = size.diskGb || 30
  const machine: Machine = {
    name,
    zone,
    host: host?.name ?? null,
    size: size.name,
    cores: size.cores,
    memoryBytes: size.memoryBytes,
    diskGb,
    gpus: size.gpus,
    lifetime,
    release: cluster.release,
    cluster: cluster.name,
    apart,
    network: network?.name ?? '',
    box: null,
    power: 'on',
    agent: true,
    address: given,
    createdAt: at,
  }
  site.machines.push(machine)
  site.disks.push({
    name: `${name}-root`,
    sizeGb: diskGb,
    machine: name,
    cluster: cluster.name,
    zone,
  })
  if (given !== null && address === null && network)
    enterAddress(site, {
      address: given,
      network: network.name,
      for: name,
      cluster: cluster.name,
      how: 'dhcp',
    })
  return machine
}
