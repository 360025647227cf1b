/** Machines: placed on a host or bought from a cloud, cloned from a base image, booted, stopped, deleted. */
import { permanent, transient } from '../failures'
import type { ArgsOf } from '../../core/contract'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import { forgetMachineFaults, store, strike, unavailable } from '../faults'
import type { Host, Machine, Operation, OperationFailure, Site } from '../world'
import { release } from './addresses'
import { heardAgain, powerLost } from './power'

/** Machines by name, of lists that were asked before: a list is replaced, never altered, when one comes or goes. */
const byName = new WeakMap<readonly Machine[], ReadonlyMap<string, Machine>>()

/** The machine of that name at a site. O(1) once its list was asked. */
export function machineNamed(site: Site, name: string): Machine | undefined {
  let machines = byName.get(site.machines)
  if (!machines) {
    machines = new Map(site.machines.map((machine) => [machine.name, machine]))
    byName.set(site.machines, machines)
  }
  return machines.get(name)
}

type OfMachine = Operation<{ readonly site: string; readonly name: string }>

export const machineOf = (
  sim: Sim,
  op: OfMachine,
): { site: Site; machine: Machine } | undefined => {
  const site = sim.site(op.args.site)
  const machine = site && machineNamed(site, op.args.name)
  return site && machine ? { site, machine } : undefined
}

const gone = (op: OfMachine): OperationFailure =>
  permanent('machine-gone', `There is no machine ${op.args.name} at ${op.args.site}.`, {
    about: `machine/${op.args.site}/${op.args.name}`,
    says: 'does not exist',
  })

/**
 * The host a hall puts a machine on: the one with most cores left in the zone that holds none of its group.
 * `reserve` hosts' worth of each zone stays free; the objection says which limit was met.
 */
function hostFor(
  site: Site,
  zone: string,
  cores: number,
  memoryBytes: number,
  apart: string | null,
): { host: Host } | { says: string } {
  const hosts = site.hosts.filter((host) => host.zone === zone && (host.service ?? 'in') === 'in')
  if (hosts.length === 0)
    return {
      says: site.hosts.some((host) => host.zone === zone)
        ? `every host of ${zone} is out of service`
        : `${zone} has no host`,
    }
  const used = new Map(
    hosts.map((host) => [host.name, { cores: 0, memoryBytes: 0, groups: new Set<string>() }]),
  )
  for (const machine of site.machines) {
    const load = machine.host === null ? undefined : used.get(machine.host)
    if (!load) continue
    load.cores += machine.cores
    load.memoryBytes += machine.memoryBytes
    if (machine.apart !== null) load.groups.add(machine.apart)
  }
  const loadOf = (host: Host) =>
    used.get(host.name) ?? { cores: 0, memoryBytes: 0, groups: new Set<string>() }
  const kept = Math.max(...hosts.map((host) => host.cores)) * site.overcommit * site.reservePerZone
  const zoneCores = hosts.reduce((sum, host) => sum + host.cores * site.overcommit, 0)
  const zoneUsed = hosts.reduce((sum, host) => sum + loadOf(host).cores, 0)
  if (zoneUsed + cores > zoneCores - kept)
    return {
      says: `${zone} has ${zoneCores - kept - zoneUsed} of ${cores} cores left after the failover reserve of ${site.reservePerZone} host`,
    }
  const apartHosts = hosts.filter((host) => apart === null || !loadOf(host).groups.has(apart))
  if (apartHosts.length === 0)
    return { says: `every host of ${zone} holds a machine of the same control plane` }
  const roomy = apartHosts
    .filter(
      (host) =>
        loadOf(host).cores + cores <= host.cores * site.overcommit &&
        loadOf(host).memoryBytes + memoryBytes <= host.memoryBytes,
    )
    .sort((a, b) => loadOf(a).cores - loadOf(b).cores || (a.name < b.name ? -1 : 1))
  return roomy[0]
    ? { host: roomy[0] }
    : { says: `no single host of ${zone} has ${cores} cores left` }
}

/** Everything that stands against making the machine, as the site itself finds it. */
function place(sim: Sim, op: Operation<ArgsOf<'machine.create'>>): OperationFailure | string {
  const site = sim.site(op.args.site)
  const name = op.args.name
  if (!site) return permanent('no-site', `There is no site ${op.args.site}.`)
  const about = `machine/${site.name}/${name}`
  if (site.machines.some((machine) => machine.name === name))
    return permanent('name-taken', `${site.name} has a machine ${name} already.`, {
      about,
      says: 'exists',
    })
  const busy = unavailable(sim, site.name, name)
  if (busy) return busy
  const zone = op.args.zone
  const size = site.sizes.find((other) => other.name === op.args.size)
  const wanted = op.args.release
  strike(sim, 'image-missing', [`image/${site.name}/${wanted}`])
  const image = site.images.find((other) => other.release === wanted)
  if (!image) {
    return permanent(
      'image-missing',
      `${site.name} has no base image of ${wanted}.`,
      { about: `image/${site.name}/${wanted}`, says: 'not found in the image store' },
      { about, says: 'its root disk could not be cloned' },
    )
  }
  if (!size || !size.zones.includes(zone))
    return permanent(
      'size-unknown',
      `${site.name} does not offer ${op.args.size} in ${zone}.`,
      { about: `size/${site.name}/${zone}/${op.args.size}`, says: 'not offered' },
      { about, says: 'was not created' },
    )
  const stock = `${zone}/${size.name}`
  if (site.soldOut.includes(stock)) {
    strike(sim, 'no-stock', [`size/${site.name}/${stock}`])
    return permanent(
      'no-stock',
      `${zone} has no ${size.name} left.`,
      { about: `size/${site.name}/${stock}`, says: 'none in stock' },
      { about, says: 'was not created' },
    )
  }
  const used = site.machines.reduce((sum, machine) => sum + machine.cores, 0)
  if (site.quotaCores !== null && used + size.cores > site.quotaCores) {
    return permanent(
      'quota',
      `The quota of ${site.name} is ${site.quotaCores} vCPU; ${used} are in use.`,
      {
        about: `quota/${site.name}/cores`,
        says: `${used} of ${site.quotaCores} vCPU in use, ${size.cores} asked for`,
      },
      { about, says: 'was not created' },
    )
  }
  const rootDiskGb = op.args.rootDiskGb
  if (rootDiskGb < image.minimumDiskGb)
    return permanent(
      'disk-small',
      `A root disk of ${rootDiskGb} GB is too small for ${image.name}.`,
      { about: `image/${site.name}/${wanted}`, says: `needs ${image.minimumDiskGb} GB` },
      { about, says: 'was not created' },
    )
  const apart = op.args.apart
  const spot =
    site.kind === 'hall' ? hostFor(site, zone, size.cores, size.memoryBytes, apart) : { host: null }
  if ('says' in spot)
    return permanent(
      'no-room',
      `No host takes ${name}: ${spot.says}.`,
      { about: `zone/${site.name}/${zone}`, says: spot.says },
      { about, says: 'was not placed' },
    )
  if (site.kind === 'hall') {
    const { usableGb, usedGb } = store(site, zone)
    if (usedGb + rootDiskGb > usableGb) {
      return permanent(
        'store-full',
        `The disk store of ${zone} has ${usableGb - usedGb} GB left; ${name} needs ${rootDiskGb}.`,
        { about: `store/${site.name}/${zone}`, says: `${usedGb} of ${usableGb} GB in use` },
        { about, says: 'its root disk could not be cloned' },
      )
    }
  }
  const network =
    op.args.network ??
    site.networks.find((other) => other.zone === zone)?.name ??
    site.networks[0]?.name ??
    ''
  const cluster = op.args.cluster
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
      lifetime: op.args.lifetime === 'spot' ? 'spot' : 'on-demand',
      release: wanted,
      cluster,
      apart,
      network,
      box: null,
      power: 'off',
      agent: false,
      address: op.args.address,
      createdAt: sim.now,
    },
  ]
  site.disks = [
    ...site.disks,
    { name: `${name}-root`, sizeGb: rootDiskGb, machine: name, cluster, zone },
  ]
  sim.touch(`site:${site.name}`)
  return spot.host ? `placed on ${spot.host.name}` : `created in ${zone}`
}

export const machineCreate: Behaviour<'machine.create'> = {
  stages: [
    { seconds: (sim, op) => (sim.site(op.args.site)?.kind === 'cloud' ? 8 : 4), then: place },
    {
      seconds: (sim, op) => (sim.site(op.args.site)?.kind === 'cloud' ? 50 : 90),
      then: (sim, op) =>
        machineOf(sim, op)
          ? `disk of ${op.args.rootDiskGb} GB cloned from fern-base ${op.args.release}`
          : gone(op),
    },
  ],
  result: (sim, op) => {
    const found = machineOf(sim, op)
    return {
      machine: op.args.name,
      host: found?.machine.host ?? null,
      zone: op.args.zone,
    }
  },
}

export const withMachine =
  (what: (sim: Sim, site: Site, machine: Machine) => string | OperationFailure | undefined) =>
  (sim: Sim, op: OfMachine): string | OperationFailure | undefined => {
    const found = machineOf(sim, op)
    return found ? what(sim, found.site, found.machine) : gone(op)
  }

/** Off and on again; the node on it speaks up once it runs. */
export const machineRestart: Behaviour<'machine.restart'> = {
  stages: [
    {
      seconds: 15,
      then: (sim, op) => {
        const found = machineOf(sim, op)
        if (!found) return gone(op)
        const off = sim.world.faults.find(
          (fault) =>
            fault.kind === 'machine-off' &&
            fault.about === `machine/${found.site.name}/${found.machine.name}`,
        )
        if (
          found.site.hosts.some(
            (host) => host.name === found.machine.host && host.service === 'dead',
          )
        )
          return permanent(
            'host-dead',
            `${found.machine.name} stands on a dead host.`,
            {
              about: `host/${found.site.name}/${found.machine.host ?? ''}`,
              says: 'does not answer',
            },
            {
              about: `machine/${found.site.name}/${found.machine.name}`,
              says: 'waits for another host',
            },
          )
        // What took the power away in the first place still does.
        if (off)
          return permanent('no-power', `${found.machine.name} does not come on.`, {
            about: `machine/${found.site.name}/${found.machine.name}`,
            says: 'power control: no answer from its supply',
          })
        if (found.machine.power !== 'off') powerLost(sim, found.site, found.machine)
        return 'powered off'
      },
    },
    {
      seconds: 90,
      then: (sim, op) => {
        const found = machineOf(sim, op)
        if (!found) return gone(op)
        found.machine.power = 'on'
        found.machine.agent = true
        delete found.machine.offSince
        sim.touch(`site:${found.site.name}`)
        if (found.machine.cluster) sim.touch(`cluster:${found.machine.cluster}`)
        heardAgain(sim, found.machine)
        return 'started, node agent runs'
      },
    },
  ],
}

export const machineStop: Behaviour<'machine.stop'> = {
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
  forgetMachineFaults(sim, site.name, machine.name)
}

export const machineDelete: Behaviour<'machine.delete'> = {
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
  return transient('agent-down', `The node agent of ${String(name)} does not answer.`, {
    about,
    says: machine ? `power is ${machine.power}` : 'does not exist',
  })
}
