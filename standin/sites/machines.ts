/** Machines: placed on a host or bought from a cloud, cloned from a base image, booted, stopped, deleted. */
import { numberArg, optionalText, permanent, textArg, transient } from '../args'
import type { Behaviour, Sim } from '../engine/simulator'
import { diesBooting, strike, unavailable } from '../faults'
import type { Host, Machine, Operation, OperationFailure, Site } from '../world'
import { hold, leaseFrom, release } from './addresses'

const machineOf = (sim: Sim, op: Operation): { site: Site; machine: Machine } | undefined => {
  const site = sim.site(op.args['site'])
  const machine = site?.machines.find((other) => other.name === op.args['name'])
  return site && machine ? { site, machine } : undefined
}

const gone = (op: Operation): OperationFailure =>
  permanent('machine-gone', `There is no machine ${textArg(op, 'name')} at ${textArg(op, 'site')}.`, { about: `machine/${textArg(op, 'site')}/${textArg(op, 'name')}`, says: 'does not exist' })

/**
 * The host a hall puts a machine on: the one with most cores left in the zone that holds none of its group.
 * `reserve` hosts' worth of each zone stays free; the objection says which limit was met.
 */
function hostFor(site: Site, zone: string, cores: number, memoryBytes: number, apart: string | null): { host: Host } | { says: string } {
  const hosts = site.hosts.filter((host) => host.zone === zone)
  if (hosts.length === 0) return { says: `${zone} has no host` }
  const used = new Map(hosts.map((host) => [host.name, { cores: 0, memoryBytes: 0, groups: new Set<string>() }]))
  for (const machine of site.machines) {
    const load = machine.host === null ? undefined : used.get(machine.host)
    if (!load) continue
    load.cores += machine.cores
    load.memoryBytes += machine.memoryBytes
    if (machine.apart !== null) load.groups.add(machine.apart)
  }
  const loadOf = (host: Host) => used.get(host.name) ?? { cores: 0, memoryBytes: 0, groups: new Set<string>() }
  const kept = Math.max(...hosts.map((host) => host.cores)) * site.overcommit * site.reservePerZone
  const zoneCores = hosts.reduce((sum, host) => sum + host.cores * site.overcommit, 0)
  const zoneUsed = hosts.reduce((sum, host) => sum + loadOf(host).cores, 0)
  if (zoneUsed + cores > zoneCores - kept) return { says: `${zone} has ${zoneCores - kept - zoneUsed} of ${cores} cores left after the failover reserve of ${site.reservePerZone} host` }
  const apartHosts = hosts.filter((host) => apart === null || !loadOf(host).groups.has(apart))
  if (apartHosts.length === 0) return { says: `every host of ${zone} holds a machine of the same control plane` }
  const roomy = apartHosts
    .filter((host) => loadOf(host).cores + cores <= host.cores * site.overcommit && loadOf(host).memoryBytes + memoryBytes <= host.memoryBytes)
    .sort((a, b) => loadOf(a).cores - loadOf(b).cores || (a.name < b.name ? -1 : 1))
  return roomy[0] ? { host: roomy[0] } : { says: `no single host of ${zone} has ${cores} cores left` }
}

/** Everything that stands against making the machine, as the site itself finds it. */
function place(sim: Sim, op: Operation): OperationFailure | string {
  const site = sim.site(op.args['site'])
  const name = textArg(op, 'name')
  if (!site) return permanent('no-site', `There is no site ${textArg(op, 'site')}.`)
  const about = `machine/${site.name}/${name}`
  if (site.machines.some((machine) => machine.name === name)) return permanent('name-taken', `${site.name} has a machine ${name} already.`, { about, says: 'exists' })
  const busy = unavailable(sim, site.name, name)
  if (busy) return busy
  const zone = textArg(op, 'zone')
  const size = site.sizes.find((other) => other.name === textArg(op, 'size'))
  const wanted = textArg(op, 'release')
  strike(sim, 'image-missing', [`image/${site.name}/${wanted}`])
  const image = site.images.find((other) => other.release === wanted)
  if (!image) {
    return permanent('image-missing', `${site.name} has no base image of ${wanted}.`, { about: `image/${site.name}/${wanted}`, says: 'not found in the image store' }, { about, says: 'its root disk could not be cloned' })
  }
  if (!size || !size.zones.includes(zone)) return permanent('size-unknown', `${site.name} does not offer ${textArg(op, 'size')} in ${zone}.`, { about: `size/${site.name}/${zone}/${textArg(op, 'size')}`, says: 'not offered' }, { about, says: 'was not created' })
  const stock = `${zone}/${size.name}`
  if (site.soldOut.includes(stock)) {
    strike(sim, 'no-stock', [`size/${site.name}/${stock}`])
    return permanent('no-stock', `${zone} has no ${size.name} left.`, { about: `size/${site.name}/${stock}`, says: 'none in stock' }, { about, says: 'was not created' })
  }
  const used = site.machines.reduce((sum, machine) => sum + machine.cores, 0)
  if (site.quotaCores !== null && used + size.cores > site.quotaCores) {
    return permanent('quota', `The quota of ${site.name} is ${site.quotaCores} vCPU; ${used} are in use.`, { about: `quota/${site.name}/cores`, says: `${used} of ${site.quotaCores} vCPU in use, ${size.cores} asked for` }, { about, says: 'was not created' })
  }
  const rootDiskGb = numberArg(op, 'rootDiskGb')
  if (rootDiskGb < image.minimumDiskGb) return permanent('disk-small', `A root disk of ${rootDiskGb} GB is too small for ${image.name}.`, { about: `image/${site.name}/${wanted}`, says: `needs ${image.minimumDiskGb} GB` }, { about, says: 'was not created' })
  const apart = optionalText(op, 'apart')
  const spot = site.kind === 'hall' ? hostFor(site, zone, size.cores, size.memoryBytes, apart) : { host: null }
  if ('says' in spot) return permanent('no-room', `No host takes ${name}: ${spot.says}.`, { about: `zone/${site.name}/${zone}`, says: spot.says }, { about, says: 'was not placed' })
  const network = optionalText(op, 'network') ?? site.networks.find((other) => other.zone === zone)?.name ?? site.networks[0]?.name ?? ''
  const cluster = textArg(op, 'cluster')
  site.machines = [
    ...site.machines,
    {
      name,
      zone,
      host: spot.host?.name ?? null,
      size: size.name,
      cores: size.cores,
      memoryBytes: size.memoryBytes,
      diskGb: rootDiskGb,
      gpus: size.gpus,
      lifetime: textArg(op, 'lifetime') === 'spot' ? 'spot' : 'on-demand',
      release: wanted,
      cluster,
      apart,
      network,
      box: null,
      power: 'off',
      agent: false,
      address: optionalText(op, 'address'),
      createdAt: sim.now,
    },
  ]
  site.disks = [...site.disks, { name: `${name}-root`, sizeGb: rootDiskGb, machine: name, cluster }]
  sim.touch(`site:${site.name}`)
  return spot.host ? `placed on ${spot.host.name}` : `created in ${zone}`
}

export const machineCreate: Behaviour = {
  stages: [
    { seconds: (sim, op) => (sim.site(op.args['site'])?.kind === 'cloud' ? 8 : 4), then: place },
    {
      seconds: (sim, op) => (sim.site(op.args['site'])?.kind === 'cloud' ? 50 : 90),
      then: (sim, op) => (machineOf(sim, op) ? `disk of ${numberArg(op, 'rootDiskGb')} GB cloned from fern-base ${textArg(op, 'release')}` : gone(op)),
    },
  ],
  result: (sim, op) => {
    const found = machineOf(sim, op)
    return { machine: textArg(op, 'name'), host: found?.machine.host ?? null, zone: textArg(op, 'zone') }
  },
}

/** Gives a machine its address: the one it was made with, or a lease. */
function takeAddress(sim: Sim, site: Site, machine: Machine): OperationFailure | string {
  if (machine.address !== null) return `address ${machine.address}, held for it`
  const network = site.networks.find((other) => other.name === machine.network)
  const address = network ? leaseFrom(site, network) : null
  if (!network || address === null) {
    return permanent('no-address', `${machine.name} got no address on ${machine.network}.`, { about: `network/${site.name}/${machine.network}`, says: 'no free address' }, { about: `machine/${site.name}/${machine.name}`, says: 'has no address' })
  }
  machine.address = address
  hold(sim, site, { address, network: network.name, for: machine.name, cluster: machine.cluster, how: 'dhcp' })
  return `address ${address} by DHCP`
}

const withMachine =
  (what: (sim: Sim, site: Site, machine: Machine) => string | OperationFailure | undefined) =>
  (sim: Sim, op: Operation): string | OperationFailure | undefined => {
    const found = machineOf(sim, op)
    return found ? what(sim, found.site, found.machine) : gone(op)
  }

export const machineBoot: Behaviour = {
  stages: [
    {
      seconds: 12,
      then: withMachine((sim, site, machine) => {
        machine.power = 'starting'
        sim.touch(`site:${site.name}`)
        return 'powered on'
      }),
    },
    { seconds: 8, then: withMachine(takeAddress) },
    {
      seconds: (sim, op) => (sim.site(op.args['site'])?.kind === 'cloud' ? 50 : 105),
      then: withMachine((sim, site, machine) => {
        const death = diesBooting(sim, site.name, machine.name)
        if (death) {
          machine.power = 'failed'
          sim.touch(`site:${site.name}`)
          return death
        }
        return 'first boot done: root file system grown, host keys made, clock set'
      }),
    },
    { seconds: 25, then: withMachine(() => 'container runtime started') },
    {
      seconds: 20,
      then: withMachine((sim, site, machine) => {
        machine.power = 'on'
        machine.agent = true
        sim.touch(`site:${site.name}`)
        return 'node agent started'
      }),
    },
  ],
  result: (sim, op) => {
    const machine = machineOf(sim, op)?.machine
    return { machine: textArg(op, 'name'), address: machine?.address ?? null, endpoint: `https://${machine?.address ?? ''}:6443` }
  },
}

export const machineStop: Behaviour = {
  stages: [
    {
      seconds: 8,
      then: (sim, op) => {
        const found = machineOf(sim, op)
        if (!found) return 'nothing to stop'
        found.machine.power = 'off'
        found.machine.agent = false
        sim.touch(`site:${found.site.name}`)
        return 'powered off'
      },
    },
  ],
}

/** Takes a machine out of the world, with its disks and leased addresses; static ones stay held. */
export function removeMachine(sim: Sim, site: Site, machine: Machine): void {
  site.machines = site.machines.filter((other) => other !== machine)
  site.disks = site.disks.filter((disk) => disk.machine !== machine.name)
  release(sim, site, (held) => held.how === 'dhcp' && held.for === machine.name)
}

export const machineDelete: Behaviour = {
  stages: [
    {
      seconds: 30,
      then: (sim, op) => {
        const found = machineOf(sim, op)
        if (!found) return 'nothing to delete'
        removeMachine(sim, found.site, found.machine)
        return `${found.machine.name} and its disk of ${found.machine.diskGb} GB deleted`
      },
    },
  ],
}

/** A machine that must be on with its agent up before anything can be started on it. */
export function agentOn(sim: Sim, siteName: unknown, name: unknown): Machine | OperationFailure {
  const site = sim.site(siteName)
  const machine = site?.machines.find((other) => other.name === name)
  if (machine?.agent && machine.power === 'on') return machine
  const about = `machine/${String(siteName)}/${String(name)}`
  return transient('agent-down', `The node agent of ${String(name)} does not answer.`, { about, says: machine ? `power is ${machine.power}` : 'does not exist' })
}
