/** Faults that can be put into the stand-ins, and what each does to the world. */
import { said } from './says'
import { formatAddress, parseRange } from '../core/addresses'
import { uniform } from './engine/random'
import type { Sim } from './engine/sim'
import { hostDies, machineAt, powerLost, spotNotice } from './sites/power'
import type { Fault, FaultKind, OperationFailure, Site } from './world'

export interface PossibleFault {
  readonly fault: FaultKind
  readonly says: string
  /** How `about` is written. */
  readonly about: string
}

export const possibleFaults: readonly PossibleFault[] = [
  {
    fault: 'machine-unavailable',
    says: 'The machine service answers “unavailable”.',
    about: 'site/<site>',
  },
  {
    fault: 'image-missing',
    says: 'The base image of a release is gone.',
    about: 'image/<site>/<release>',
  },
  {
    fault: 'size-withdrawn',
    says: 'A zone stops offering a machine size.',
    about: 'size/<site>/<zone>/<size>',
  },
  {
    fault: 'no-stock',
    says: 'A zone has no machine of a size left.',
    about: 'size/<site>/<zone>/<size>',
  },
  {
    fault: 'quota-lowered',
    says: 'The quota is cut down to what is in use.',
    about: 'site/<site>',
  },
  {
    fault: 'hosts-out',
    says: 'All hosts of a zone are taken out for work: they keep what they hold and take nothing new.',
    about: 'zone/<site>/<zone>',
  },
  {
    fault: 'store-full',
    says: 'A zone’s disk store is filled up by disks that nobody owns.',
    about: 'zone/<site>/<zone>',
  },
  {
    fault: 'pool-empty',
    says: 'Every address of a network’s DHCP range is leased to things that are gone.',
    about: 'network/<site>/<network>',
  },
  {
    fault: 'dhcp-silent',
    says: 'The DHCP server of a network does not answer.',
    about: 'network/<site>/<network>',
  },
  {
    fault: 'name-server-wrong',
    says: 'A network hands out a name server that does not exist.',
    about: 'network/<site>/<network>',
  },
  {
    fault: 'time-silent',
    says: 'No time server of a site answers; clocks of machines that start there drift.',
    about: 'site/<site>',
  },
  {
    fault: 'boot-data-cut',
    says: 'Boot data of over 1,400 bytes arrives cut off.',
    about: 'site/<site>',
  },
  {
    fault: 'runtime-fails',
    says: 'The container runtime of a machine does not start.',
    about: 'site/<site> or machine/<site>/<name>',
  },
  {
    fault: 'agent-silent',
    says: 'The node agent of a machine does not register.',
    about: 'site/<site> or machine/<site>/<name>',
  },
  {
    fault: 'route-missing',
    says: 'The route from the virtual addresses to the nodes is gone.',
    about: 'network/<site>/<network>',
  },
  {
    fault: 'certificate-expired',
    says: 'The certificates of a cluster’s API have run out.',
    about: 'cluster/<cluster>',
  },
  {
    fault: 'machine-dies',
    says: 'Machines die during their first boot.',
    about: 'site/<site> or machine/<site>/<name>',
  },
  {
    fault: 'machine-off',
    says: 'A machine loses its power and stays off.',
    about: 'machine/<site>/<name>',
  },
  {
    fault: 'host-dies',
    says: 'A host of a hall dies with everything on it.',
    about: 'host/<site>/<host>',
  },
  {
    fault: 'answers-fail',
    says: 'Every second answer of a workload is an error.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'spot-taken',
    says: 'A cloud takes a spot machine back, at two minutes’ notice.',
    about: 'machine/<site>/<name>',
  },
]

/** Why a fault cannot be about this, or null. */
export function faultObjection(sim: Sim, kind: string, about: string): string | null {
  const known = possibleFaults.find((possible) => possible.fault === kind)
  if (!known)
    return `There is no fault ${kind}. Possible: ${possibleFaults.map((possible) => possible.fault).join(', ')}.`
  const [what = '', second, third, fourth] = about.split('/')
  const write = `Write what it is about as ${known.about}.`
  if (known.fault === 'certificate-expired')
    return what === 'cluster' && sim.cluster(second)
      ? null
      : `There is no cluster ${second ?? ''}. ${write}`
  if (known.fault === 'answers-fail')
    return what === 'workload' &&
      sim.cluster(second)?.workloads.some((one) => one.namespace === third && one.name === fourth)
      ? null
      : `There is no workload ${third ?? ''}/${fourth ?? ''} in ${second ?? ''}. ${write}`
  const site = sim.site(second)
  if (!site) return `There is no site ${second ?? ''}. ${write}`
  const wrong = `${kind} is about ${known.about}, not ${about}.`
  const network = site.networks.find((other) => other.name === third)
  switch (known.fault) {
    case 'machine-unavailable':
    case 'time-silent':
    case 'boot-data-cut':
      return what === 'site' && third === undefined ? null : wrong
    case 'quota-lowered':
      if (what !== 'site' || third !== undefined) return wrong
      if (site.quotaCores === null) return `${site.name} has no quota.`
      return null
    case 'image-missing':
      return what === 'image' && site.images.some((image) => image.release === third)
        ? null
        : `${site.name} holds no image of ${third ?? ''}. ${write}`
    case 'no-stock':
    case 'size-withdrawn':
      return what === 'size' &&
        site.sizes.some((size) => size.name === fourth && size.zones.includes(third ?? ''))
        ? null
        : `${site.name} does not offer ${fourth ?? ''} in ${third ?? ''}. ${write}`
    case 'hosts-out':
    case 'store-full':
      return what === 'zone' && site.kind === 'hall' && site.zones.includes(third ?? '')
        ? null
        : `${site.name} has no zone ${third ?? ''} with hosts. ${write}`
    case 'pool-empty':
    case 'dhcp-silent':
    case 'name-server-wrong':
      return what === 'network' && network
        ? null
        : `${site.name} has no network ${third ?? ''}. ${write}`
    case 'route-missing':
      return what === 'network' && site.routes.some((route) => route.network === third)
        ? null
        : `${site.name} has no route from ${third ?? ''}. ${write}`
    case 'runtime-fails':
    case 'agent-silent':
    case 'machine-dies':
      return (what === 'site' && third === undefined) || (what === 'machine' && third !== undefined)
        ? null
        : wrong
    case 'machine-off':
      return what === 'machine' && site.machines.some((machine) => machine.name === third)
        ? null
        : `${site.name} has no machine ${third ?? ''}. ${write}`
    case 'spot-taken':
      return what === 'machine' &&
        site.machines.some((machine) => machine.name === third && machine.lifetime === 'spot')
        ? null
        : `${site.name} has no spot machine ${third ?? ''}. ${write}`
    case 'host-dies':
      return what === 'host' && site.hosts.some((host) => host.name === third)
        ? null
        : `${site.name} has no host ${third ?? ''}. ${write}`
  }
}

/** The part of a site that a fault alters, as it is put back when the fault is taken away. */
function altered(kind: FaultKind, site: Site, third: string): unknown {
  switch (kind) {
    case 'image-missing':
      return site.images.filter((image) => image.release === third)
    case 'size-withdrawn':
      return site.sizes
    case 'quota-lowered':
      return site.quotaCores
    case 'hosts-out':
      return site.hosts
        .filter((host) => host.zone === third)
        .map((host) => [host.name, host.service ?? 'in'])
    case 'dhcp-silent':
    case 'name-server-wrong':
      return site.networks.find((network) => network.name === third)
    case 'time-silent':
      return site.timeServers
    case 'route-missing':
      return site.routes.filter((route) => route.network === third)
    default:
      return null
  }
}

const leftover = (zone: string): string => `leftover-${zone}`
const goneDevice = 'a device that is gone'

/** Every address a network’s DHCP range still has, leased to things that no longer exist. */
function exhaust(site: Site, name: string): void {
  const network = site.networks.find((other) => other.name === name)
  const range = network && parseRange(network.dhcp ?? network.range)
  if (!network || !range?.ok) return
  const held = new Set(site.addresses.map((address) => address.address))
  const fresh: Site['addresses'] = []
  for (let value = range.value.first; value <= range.value.last && fresh.length < 4096; value++) {
    const address = formatAddress({ family: range.value.family, value })
    if (!held.has(address) && address !== network.gateway)
      fresh.push({ address, network: name, for: goneDevice, cluster: null, how: 'dhcp' })
  }
  site.addresses = [...site.addresses, ...fresh]
}

/** Gigabytes a zone’s disk store can hold (two copies) and holds. */
export function store(
  site: Site,
  zone: string,
): { readonly usableGb: number; readonly usedGb: number } {
  const usableGb =
    site.hosts.filter((host) => host.zone === zone).reduce((sum, host) => sum + host.diskGb, 0) / 2
  return {
    usableGb,
    usedGb: site.disks
      .filter((disk) => disk.zone === zone)
      .reduce((sum, disk) => sum + disk.sizeGb, 0),
  }
}

export function startFault(sim: Sim, fault: Fault): void {
  const [, second = '', third = '', fourth = ''] = fault.about.split('/')
  const site = sim.site(second)
  if (site) fault = { ...fault, was: JSON.stringify(altered(fault.kind, site, third)) }
  sim.world.faults.push(fault)
  if (fault.kind === 'answers-fail') {
    sim.touch(`cluster:${second}`)
    return
  }
  if (fault.kind === 'certificate-expired') {
    const cluster = sim.cluster(second)
    if (cluster) cluster.certificatesUntil = Math.min(cluster.certificatesUntil, sim.now)
    sim.touch(`cluster:${second}`)
    return
  }
  if (!site) return
  sim.touch(`site:${site.name}`)
  const setNetwork = (change: Partial<Site['networks'][number]>): void => {
    site.networks = site.networks.map((network) =>
      network.name === third ? { ...network, ...change } : network,
    )
  }
  switch (fault.kind) {
    case 'image-missing':
      site.images = site.images.filter((image) => image.release !== third)
      return
    case 'no-stock':
      site.soldOut = [...site.soldOut, `${third}/${fourth}`]
      return
    case 'size-withdrawn':
      site.sizes = site.sizes.map((size) =>
        size.name === fourth
          ? { ...size, zones: size.zones.filter((zone) => zone !== third) }
          : size,
      )
      return
    case 'quota-lowered':
      site.quotaCores = site.machines.reduce((sum, machine) => sum + machine.cores, 0)
      return
    case 'hosts-out':
      for (const host of site.hosts)
        if (host.zone === third && (host.service ?? 'in') === 'in') host.service = 'out'
      return
    case 'store-full': {
      const { usableGb, usedGb } = store(site, third)
      site.disks = [
        ...site.disks,
        {
          name: leftover(third),
          sizeGb: Math.max(0, usableGb - usedGb),
          machine: null,
          cluster: null,
          zone: third,
        },
      ]
      return
    }
    case 'pool-empty':
      exhaust(site, third)
      return
    case 'dhcp-silent':
      setNetwork({ dhcpAnswers: false })
      return
    case 'name-server-wrong': {
      const network = site.networks.find((other) => other.name === third)
      const range = network && parseRange(network.range)
      if (range?.ok)
        setNetwork({
          nameServer: formatAddress({ family: range.value.family, value: range.value.last - 1n }),
        })
      return
    }
    case 'time-silent':
      site.timeServers = site.timeServers.map(({ name }) => ({ name, answers: false }))
      return
    case 'boot-data-cut':
      site.bootDataCutAt = 1400
      return
    case 'route-missing':
      site.routes = site.routes.filter((route) => route.network !== third)
      return
    case 'machine-off': {
      const found = machineAt(sim, second, third)
      if (found) powerLost(sim, site, found.machine)
      return
    }
    case 'spot-taken': {
      const found = machineAt(sim, second, third)
      if (found) spotNotice(sim, site, found.machine)
      return
    }
    case 'host-dies': {
      const host = site.hosts.find((other) => other.name === third)
      if (host) hostDies(sim, site, host)
      return
    }
    default:
      return
  }
}

export function endFault(sim: Sim, id: string): boolean {
  const fault = sim.world.faults.find((other) => other.id === id)
  if (!fault) return false
  sim.world.faults = sim.world.faults.filter((other) => other !== fault)
  const [, second = '', third = '', fourth = ''] = fault.about.split('/')
  if (fault.kind === 'answers-fail') sim.touch(`cluster:${second}`)
  const site = sim.site(second)
  if (!site) return true
  sim.touch(`site:${site.name}`)
  const was: unknown = fault.was === undefined ? null : JSON.parse(fault.was)
  switch (fault.kind) {
    case 'image-missing':
      if (!site.images.some((image) => image.release === third))
        site.images = [...site.images, ...((was ?? []) as Site['images'])]
      return true
    case 'no-stock':
      site.soldOut = site.soldOut.filter((entry) => entry !== `${third}/${fourth}`)
      return true
    case 'size-withdrawn':
      site.sizes = site.sizes.map((size) =>
        size.name === fourth && !size.zones.includes(third)
          ? {
              ...size,
              zones: site.zones.filter((zone) => zone === third || size.zones.includes(zone)),
            }
          : size,
      )
      return true
    case 'quota-lowered':
      site.quotaCores = Math.max(site.quotaCores ?? 0, Number(was))
      return true
    case 'hosts-out':
      for (const [name, service] of (was ?? []) as [string, 'in' | 'out' | 'dead'][])
        for (const host of site.hosts)
          if (host.name === name && host.service === 'out') host.service = service
      return true
    case 'store-full':
      site.disks = site.disks.filter((disk) => disk.name !== leftover(third))
      return true
    case 'pool-empty':
      site.addresses = site.addresses.filter(
        (address) => address.for !== goneDevice || address.network !== third,
      )
      return true
    case 'dhcp-silent':
      site.networks = site.networks.map((network) =>
        network.name === third ? { ...network, dhcpAnswers: true } : network,
      )
      return true
    case 'name-server-wrong': {
      const before = was as Site['networks'][number] | null
      site.networks = site.networks.map((network) => {
        if (network.name !== third) return network
        const { nameServer: _wrong, ...rest } = network
        return before?.nameServer === undefined ? rest : { ...rest, nameServer: before.nameServer }
      })
      return true
    }
    case 'time-silent':
      site.timeServers = site.timeServers.map(({ name }) => ({ name, answers: true }))
      return true
    case 'boot-data-cut':
      site.bootDataCutAt = null
      return true
    case 'route-missing':
      for (const route of (was ?? []) as Site['routes'])
        if (!site.routes.some((other) => other.network === route.network && other.to === route.to))
          site.routes = [...site.routes, route]
      return true
    case 'machine-off': {
      const found = machineAt(sim, second, third)
      if (found?.machine.power === 'off') {
        found.machine.power = 'starting'
        sim.schedule(60_000, { kind: 'power', site: second, machine: third, what: 'up' })
      }
      return true
    }
    case 'host-dies': {
      const host = site.hosts.find((other) => other.name === third)
      if (host?.service === 'dead') host.service = 'in'
      return true
    }
    default:
      return true
  }
}

/** The fault of a kind that strikes now, counted down; undefined if none does. */
export function strike(sim: Sim, kind: FaultKind, abouts: readonly string[]): Fault | undefined {
  const fault = sim.world.faults.find(
    (other) => other.kind === kind && abouts.includes(other.about),
  )
  if (!fault) return undefined
  if (fault.left !== null) {
    fault.left--
    if (fault.left <= 0) endFault(sim, fault.id)
  }
  return fault
}

/** “Service unavailable” from a site’s machine service, or undefined. */
export function unavailable(sim: Sim, site: string, machine: string): OperationFailure | undefined {
  const fault = strike(sim, 'machine-unavailable', [`site/${site}`])
  if (!fault) return undefined
  const ticket = Math.floor(uniform(sim.world.seed, `${machine}/${sim.now}`) * 0xffff).toString(16)
  return {
    class: 'transient',
    reason: 'unavailable',
    ...said('unavailable', { site }),
    chain: [
      {
        about: `site/${site}`,
        ...said('service-unavailable', { ticket }),
      },
      { about: `machine/${site}/${machine}`, ...said('not-created') },
    ],
  }
}

/** Death during first boot, or undefined. */
export function diesBooting(sim: Sim, site: string, machine: string): OperationFailure | undefined {
  const fault = strike(sim, 'machine-dies', [`site/${site}`, `machine/${site}/${machine}`])
  if (!fault) return undefined
  return {
    class: fault.mode,
    reason: 'machine-died',
    ...said('machine-died', { machine }),
    chain: [
      {
        about: `disk/${site}/${machine}-root`,
        ...said('root-not-mounted'),
      },
      { about: `machine/${site}/${machine}`, ...said('stopped-booting') },
    ],
  }
}

/** A flaw of one machine sits in that machine: it goes when the machine does. */
export function forgetMachineFaults(sim: Sim, site: string, machine: string): void {
  const flaws: readonly FaultKind[] = [
    'runtime-fails',
    'agent-silent',
    'machine-dies',
    'machine-off',
  ]
  sim.world.faults = sim.world.faults.filter(
    (fault) => !(flaws.includes(fault.kind) && fault.about === `machine/${site}/${machine}`),
  )
}
