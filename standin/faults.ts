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

/** Brings about a fault of a site, or of storage. */
export function startSiteFault(sim: Sim, fault: Fault): void {
  const [, second = '', third = '', fourth = ''] = fault.about.split('/')
  const site = sim.site(second)
  if (site) fault = { ...fault, was: JSON.stringify(altered(fault.kind, site, third)) }
  sim.world.faults.push(fault)
  if (isDiskFault(fault.kind)) {
    setDiskFault(sim, fault.kind, fault.about, true)
    return
  }
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
      const network = site.networks.find((network) => network.name === third)
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
      site.bootDataCutAt = 2048
      return
    case 'route-missing':
      site.routes = site.routes.filter((route) => route.network !== third)
      return
    case 'machine-off': {
      const result = machineAt(sim, second, third)
      if (result) powerLost(sim, site, result.machine)
      return
    }
    case 'spot-taken': {
      const result = machineAt(sim, second, third)
      if (result) spotNotice(sim, site, result.machine)
      return
    }
    case 'host-dies': {
      const host = site.hosts.find((host) => host.name === third)
      if (host) hostDies(sim, site, host)
      return
    }
    default:
      return
  }
}

export function endSiteFault(sim: Sim, id: string): boolean {
  const fault = sim.world.faults.find((fault) => fault.id === id)
  if (!fault) return false
  sim.world.faults = sim.world.faults.filter((otherFault) => otherFault !== fault)
  const [, second = '', third = '', fourth = ''] = fault.about.split('/')
  if (fault.kind === 'answers-fail') sim.touch(`cluster:${second}`)
  if (isDiskFault(fault.kind)) setDiskFault(sim, fault.kind, fault.about, false)
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
        if (
          !site.routes.some(
            (otherRoute) => otherRoute.network === route.network && otherRoute.to === route.to,
          )
        )
          site.routes = [...site.routes, route]
      return true
    case 'machine-off': {
      const result = machineAt(sim, second, third)
      if (result?.machine.power === 'off') {
        result.machine.power = 'starting'
        sim.schedule(60_000, { kind: 'power', site: second, machine: third, what: 'up' })
      }
      return true
    }
    case 'host-dies': {
      const host = site.hosts.find((host) => host.name === third)
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
