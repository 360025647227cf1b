/** Faults that can be put into the stand-ins, and what each does to the world. */
import { said } from './says'
import { formatAddress, parseRange } from '../core/addresses'
import { uniform } from './engine/random'
import type { Sim } from './engine/sim'
import { ailmentOf } from './sites/ailments'
import { hostDies, machineAt, powerLost, spotNotice } from './sites/power'
import type { Fault, FaultKind, OperationFailure, Site } from './world'
import { store } from './sites/store'
import { isDiskFault, setDiskFault } from './storage/faults'

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
  const network = site.networks.find((network) => network.name === name)
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

/** What a fault of a site is about: the parts of its ref after the kind, and what it altered. */
interface Struck {
  readonly sim: Sim
  readonly site: Site
  /** A zone, image, network, machine or host, as the kind has it. */
  readonly name: string
  readonly size: string
  /** What was there before, as `altered` gave it. */
  readonly before: unknown
}

/** How a fault of a site comes about and how it goes. What heals by itself, or is mended, has no end. */
interface SiteFault {
  readonly start: (struck: Struck) => void
  readonly end?: (struck: Struck) => void
}

const setNetwork = (
  { site, name }: Struck,
  change: (network: Site['networks'][number]) => Site['networks'][number],
): void => {
  site.networks = site.networks.map((network) =>
    network.name === name ? change(network) : network,
  )
}

/** A name server that nobody runs: the last address of the network but one. */
function setWrongNameServer(struck: Struck): void {
  const network = struck.site.networks.find((candidate) => candidate.name === struck.name)
  const range = network && parseRange(network.range)
  if (!range?.ok) return
  const { family, last } = range.value
  const nameServer = formatAddress({ family, value: last - 1n })
  setNetwork(struck, (wrong) => ({ ...wrong, nameServer }))
}

const siteFaults: Readonly<Partial<Record<FaultKind, SiteFault>>> = {
  'image-missing': {
    start: ({ site, name }) => {
      site.images = site.images.filter((image) => image.release !== name)
    },
    end: ({ site, name, before }) => {
      if (!site.images.some((image) => image.release === name))
        site.images = [...site.images, ...((before ?? []) as Site['images'])]
    },
  },
  'no-stock': {
    start: ({ site, name, size }) => {
      site.soldOut = [...site.soldOut, `${name}/${size}`]
    },
    end: ({ site, name, size }) => {
      site.soldOut = site.soldOut.filter((entry) => entry !== `${name}/${size}`)
    },
  },
  'size-withdrawn': {
    start: ({ site, name: zone, size: withdrawn }) => {
      site.sizes = site.sizes.map((size) =>
        size.name === withdrawn
          ? { ...size, zones: size.zones.filter((candidate) => candidate !== zone) }
          : size,
      )
    },
    end: ({ site, name: zone, size: withdrawn }) => {
      site.sizes = site.sizes.map((size) =>
        size.name === withdrawn
          ? {
              ...size,
              zones: site.zones.filter(
                (candidate) => candidate === zone || size.zones.includes(candidate),
              ),
            }
          : size,
      )
    },
  },
  'quota-lowered': {
    start: ({ site }) => {
      site.quotaCores = site.machines.reduce((sum, machine) => sum + machine.cores, 0)
    },
    end: ({ site, before }) => {
      site.quotaCores = Math.max(site.quotaCores ?? 0, Number(before))
    },
  },
  'hosts-out': {
    start: ({ site, name: zone }) => {
      for (const host of site.hosts)
        if (host.zone === zone && (host.service ?? 'in') === 'in') host.service = 'out'
    },
    end: ({ site, before }) => {
      const services = new Map((before ?? []) as [string, 'in' | 'out' | 'dead'][])
      for (const host of site.hosts) {
        const service = services.get(host.name)
        if (service !== undefined && host.service === 'out') host.service = service
      }
    },
  },
  'store-full': {
    start: ({ site, name: zone }) => {
      const { usableGb, usedGb } = store(site, zone)
      const sizeGb = Math.max(0, usableGb - usedGb)
      site.disks = [
        ...site.disks,
        { name: leftover(zone), sizeGb, machine: null, cluster: null, zone },
      ]
    },
    end: ({ site, name: zone }) => {
      site.disks = site.disks.filter((disk) => disk.name !== leftover(zone))
    },
  },
  'pool-empty': {
    start: ({ site, name }) => exhaust(site, name),
    end: ({ site, name }) => {
      site.addresses = site.addresses.filter(
        (address) => address.for !== goneDevice || address.network !== name,
      )
    },
  },
  'dhcp-silent': {
    start: (struck) => setNetwork(struck, (network) => ({ ...network, dhcpAnswers: false })),
    end: (struck) => setNetwork(struck, (network) => ({ ...network, dhcpAnswers: true })),
  },
  'name-server-wrong': {
    start: setWrongNameServer,
    end: (struck) => {
      const before = struck.before as Site['networks'][number] | null
      setNetwork(struck, ({ nameServer: _wrong, ...rest }) =>
        before?.nameServer === undefined ? rest : { ...rest, nameServer: before.nameServer },
      )
    },
  },
  'time-silent': {
    start: ({ site }) => {
      site.timeServers = site.timeServers.map(({ name }) => ({ name, answers: false }))
    },
    end: ({ site }) => {
      site.timeServers = site.timeServers.map(({ name }) => ({ name, answers: true }))
    },
  },
  'boot-data-cut': {
    start: ({ site }) => {
      site.bootDataCutAt = 2048
    },
    end: ({ site }) => {
      site.bootDataCutAt = null
    },
  },
  'route-missing': {
    start: ({ site, name }) => {
      site.routes = site.routes.filter((route) => route.network !== name)
    },
    end: ({ site, before }) => {
      const isThere = ({ network, to }: Site['routes'][number]): boolean =>
        site.routes.some((route) => route.network === network && route.to === to)
      const missing = ((before ?? []) as Site['routes']).filter((route) => !isThere(route))
      site.routes = [...site.routes, ...missing]
    },
  },
  'machine-off': {
    start: ({ sim, site, name }) => {
      const result = machineAt(sim, site.name, name)
      if (result) powerLost(sim, site, result.machine)
    },
    end: ({ sim, site, name }) => {
      const result = machineAt(sim, site.name, name)
      if (result?.machine.power !== 'off') return
      result.machine.power = 'starting'
      sim.schedule(60_000, { kind: 'power', site: site.name, machine: name, what: 'up' })
    },
  },
  'spot-taken': {
    start: ({ sim, site, name }) => {
      const result = machineAt(sim, site.name, name)
      if (result) spotNotice(sim, site, result.machine)
    },
  },
  'host-dies': {
    start: ({ sim, site, name }) => {
      const host = site.hosts.find((candidate) => candidate.name === name)
      if (host) hostDies(sim, site, host)
    },
    end: ({ site, name }) => {
      const host = site.hosts.find((candidate) => candidate.name === name)
      if (host?.service === 'dead') host.service = 'in'
    },
  },
}

/** Brings about a fault of a site, or of storage. */
export function startSiteFault(sim: Sim, given: Fault): void {
  const [, second = '', name = '', size = ''] = given.about.split('/')
  const site = sim.site(second)
  const fault = site ? { ...given, was: JSON.stringify(altered(given.kind, site, name)) } : given
  sim.world.faults.push(fault)
  if (isDiskFault(fault.kind)) {
    setDiskFault(sim, fault.kind, fault.about, true)
    return
  }
  if (fault.kind === 'answers-fail' || fault.kind === 'certificate-expired') {
    const cluster = sim.cluster(second)
    if (cluster && fault.kind === 'certificate-expired')
      cluster.certificatesUntil = Math.min(cluster.certificatesUntil, sim.now)
    sim.touchCluster(second)
    return
  }
  if (!site) return
  sim.touchSite(site.name)
  siteFaults[fault.kind]?.start({ sim, site, name, size, before: null })
}

/** Takes a fault away and puts back what it altered; whether there was one. */
export function endSiteFault(sim: Sim, id: string): boolean {
  const fault = sim.world.faults.find((candidate) => candidate.id === id)
  if (!fault) return false
  sim.world.faults = sim.world.faults.filter((candidate) => candidate !== fault)
  const [, second = '', name = '', size = ''] = fault.about.split('/')
  if (fault.kind === 'answers-fail') sim.touchCluster(second)
  if (isDiskFault(fault.kind)) setDiskFault(sim, fault.kind, fault.about, false)
  const site = sim.site(second)
  if (!site) return true
  sim.touchSite(site.name)
  const before: unknown = fault.was === undefined ? null : JSON.parse(fault.was)
  siteFaults[fault.kind]?.end?.({ sim, site, name, size, before })
  return true
}

/** The fault of a kind that strikes now, counted down; undefined if none does. */
export function strike(sim: Sim, kind: FaultKind, abouts: readonly string[]): Fault | undefined {
  const fault = sim.world.faults.find(
    (fault) => fault.kind === kind && abouts.includes(fault.about),
  )
  if (!fault) return undefined
  if (fault.left !== null) {
    fault.left--
    if (fault.left <= 0) endSiteFault(sim, fault.id)
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
    (fault) =>
      !(
        (flaws.includes(fault.kind) || ailmentOf(fault.kind)) &&
        fault.about === `machine/${site}/${machine}`
      ),
  )
}
