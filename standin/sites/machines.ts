/** Machines: placed on a host or bought from a cloud, cloned from a base image, booted, stopped, deleted. */
import type { Said } from '../../core/contract'
import { permanent, transient } from '../failures'
import type { ArgsOf } from '../../core/contract'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import { forgetMachineFaults, strike, unavailable } from '../faults'
import { store } from './store'
import type { Host, Machine, Operation, OperationFailure, Site, Size } from '../world'
import { release } from './addresses'
import { startedAgain } from './ailments'
import { heardAgain, powerLost } from './power'
import { said } from './says'
import { saidOf } from '../../core/contract'

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

export const gone = (op: OfMachine): OperationFailure =>
  permanent('machine-gone', said('machine-gone', { name: op.args.name, site: op.args.site }), {
    about: `machine/${op.args.site}/${op.args.name}`,
    ...said('does-not-exist'),
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
): { host: Host } | Said {
  const hosts = site.hosts.filter((host) => host.zone === zone && (host.service ?? 'in') === 'in')
  if (hosts.length === 0)
    return site.hosts.some((host) => host.zone === zone)
      ? said('every-host-out', { zone })
      : said('no-host', { zone })
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
    return said('cores-left-after', {
      zone,
      zoneCores: zoneCores - kept - zoneUsed,
      cores,
      reservePerZone: site.reservePerZone,
    })
  const apartHosts = hosts.filter((host) => apart === null || !loadOf(host).groups.has(apart))
  if (apartHosts.length === 0) return said('every-host-holds', { zone })
  const roomy = apartHosts
    .filter(
      (host) =>
        loadOf(host).cores + cores <= host.cores * site.overcommit &&
        loadOf(host).memoryBytes + memoryBytes <= host.memoryBytes,
    )
    .sort((a, b) => loadOf(a).cores - loadOf(b).cores || (a.name < b.name ? -1 : 1))
  return roomy[0] ? { host: roomy[0] } : said('no-single-host', { zone, cores })
}

type CreateArgs = ArgsOf<'machine.create'>

/** The base image and the size, as the site has them; or why it has not. */
function offer(
  sim: Sim,
  site: Site,
  args: CreateArgs,
  about: string,
): OperationFailure | { readonly image: Site['images'][number]; readonly size: Size } {
  const { release: wanted, zone, size: sizeName, rootDiskGb } = args
  const imageRef = `image/${site.name}/${wanted}`
  strike(sim, 'image-missing', [imageRef])
  const image = site.images.find((candidate) => candidate.release === wanted)
  if (!image)
    return permanent(
      'image-missing',
      said('image-missing.no-base-image', { site: site.name, wanted }),
      { about: imageRef, ...said('not-found-image') },
      { about, ...said('root-disk-could') },
    )
  const size = site.sizes.find((candidate) => candidate.name === sizeName)
  const notCreated = { about, ...said('not-created') }
  if (!size?.zones.includes(zone))
    return permanent(
      'size-unknown',
      said('size-unknown', { site: site.name, size: sizeName, zone }),
      { about: `size/${site.name}/${zone}/${sizeName}`, ...said('not-offered') },
      notCreated,
    )
  const stock = `${zone}/${size.name}`
  if (site.soldOut.includes(stock)) {
    strike(sim, 'no-stock', [`size/${site.name}/${stock}`])
    return permanent(
      'no-stock',
      said('no-stock', { zone, size: size.name }),
      { about: `size/${site.name}/${stock}`, ...said('none-stock') },
      notCreated,
    )
  }
  const used = site.machines.reduce((sum, machine) => sum + machine.cores, 0)
  const { quotaCores } = site
  if (quotaCores !== null && used + size.cores > quotaCores)
    return permanent(
      'quota',
      said('quota', { site: site.name, quotaCores, used }),
      {
        about: `quota/${site.name}/cores`,
        ...said('vcpu-use-asked', { used, quotaCores, cores: size.cores }),
      },
      notCreated,
    )
  if (rootDiskGb < image.minimumDiskGb)
    return permanent(
      'disk-small',
      said('disk-small', { rootDiskGb, image: image.name }),
      { about: imageRef, ...said('needs-gb', { minimumDiskGb: image.minimumDiskGb }) },
      notCreated,
    )
  return { image, size }
}

/** The host that takes the machine, with room for its disk; a cloud does not tell. */
function spotFor(
  site: Site,
  { name, zone, apart, rootDiskGb }: CreateArgs,
  size: Size,
  about: string,
): OperationFailure | { readonly host: Host | null } {
  if (site.kind !== 'hall') return { host: null }
  const spot = hostFor(site, zone, size.cores, size.memoryBytes, apart)
  if ('says' in spot)
    return permanent(
      'no-room',
      said('no-room', { name, spot: spot.says }),
      { about: `zone/${site.name}/${zone}`, ...saidOf(spot) },
      { about, ...said('not-placed') },
    )
  const { usableGb, usedGb } = store(site, zone)
  if (usedGb + rootDiskGb <= usableGb) return spot
  return permanent(
    'store-full',
    said('store-full', { zone, usableGb: usableGb - usedGb, name, rootDiskGb }),
    { about: `store/${site.name}/${zone}`, ...said('gb-use', { usedGb, usableGb }) },
    { about, ...said('root-disk-could') },
  )
}

/** Makes the machine, or says what stands against it, as the site itself finds it. */
function place(sim: Sim, op: Operation<CreateArgs>): OperationFailure | Said {
  const { args } = op
  const { name, zone, cluster, rootDiskGb, apart } = args
  const site = sim.site(args.site)
  if (!site) return permanent('no-site', said('no-site', { site: args.site }))
  const about = `machine/${site.name}/${name}`
  if (site.machines.some((machine) => machine.name === name))
    return permanent('name-taken', said('name-taken', { site: site.name, name }), {
      about,
      ...said('exists'),
    })
  const busy = unavailable(sim, site.name, name)
  if (busy) return busy
  const offered = offer(sim, site, args, about)
  if ('class' in offered) return offered
  const { size } = offered
  const spot = spotFor(site, args, size, about)
  if ('class' in spot) return spot
  const zoneNetwork = site.networks.find((network) => network.zone === zone) ?? site.networks[0]
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
      lifetime: args.lifetime === 'spot' ? 'spot' : 'on-demand',
      release: args.release,
      cluster,
      apart,
      network: args.network ?? zoneNetwork?.name ?? '',
      box: null,
      power: 'off',
      agent: false,
      address: args.address,
      createdAt: sim.now,
    },
  ]
  site.disks = [
    ...site.disks,
    { name: `${name}-root`, sizeGb: rootDiskGb, machine: name, cluster, zone },
  ]
  sim.touchSite(site.name)
  return spot.host ? said('placed', { host: spot.host.name }) : said('created', { zone })
}

export const machineCreate: Behaviour<'machine.create'> = {
  stages: [
    { seconds: (sim, op) => (sim.site(op.args.site)?.kind === 'cloud' ? 8 : 4), then: place },
    {
      seconds: (sim, op) => (sim.site(op.args.site)?.kind === 'cloud' ? 50 : 90),
      then: (sim, op) =>
        machineOf(sim, op)
          ? said('disk-gb-cloned', { rootDiskGb: op.args.rootDiskGb, release: op.args.release })
          : gone(op),
    },
  ],
  result: (sim, op) => {
    const machine = machineOf(sim, op)
    return {
      machine: op.args.name,
      host: machine?.machine.host ?? null,
      zone: op.args.zone,
    }
  },
}

export const withMachine =
  (what: (sim: Sim, site: Site, machine: Machine) => Said | OperationFailure | undefined) =>
  (sim: Sim, op: OfMachine): Said | OperationFailure | undefined => {
    const machine = machineOf(sim, op)
    return machine ? what(sim, machine.site, machine.machine) : gone(op)
  }

/** Off and on again; the node on it speaks up once it runs. */
export const machineRestart: Behaviour<'machine.restart'> = {
  stages: [
    {
      seconds: 15,
      then: (sim, op) => {
        const machine = machineOf(sim, op)
        if (!machine) return gone(op)
        const off = sim.world.faults.find(
          (fault) =>
            fault.kind === 'machine-off' &&
            fault.about === `machine/${machine.site.name}/${machine.machine.name}`,
        )
        if (
          machine.site.hosts.some(
            (host) => host.name === machine.machine.host && host.service === 'dead',
          )
        )
          return permanent(
            'host-dead',
            said('host-dead', { machine: machine.machine.name }),
            {
              about: `host/${machine.site.name}/${machine.machine.host ?? ''}`,
              ...said('does-not-answer'),
            },
            {
              about: `machine/${machine.site.name}/${machine.machine.name}`,
              ...said('waits-another-host'),
            },
          )
        // What took the power away in the first place still does.
        if (off)
          return permanent('no-power', said('no-power', { machine: machine.machine.name }), {
            about: `machine/${machine.site.name}/${machine.machine.name}`,
            ...said('power-control-no'),
          })
        if (machine.machine.power !== 'off') powerLost(sim, machine.site, machine.machine)
        return said('powered-off')
      },
    },
    {
      seconds: 90,
      then: (sim, op) => {
        const machine = machineOf(sim, op)
        if (!machine) return gone(op)
        machine.machine.power = 'on'
        machine.machine.agent = true
        delete machine.machine.offSince
        sim.touchSite(machine.site.name)
        if (machine.machine.cluster) sim.touchCluster(machine.machine.cluster)
        startedAgain(sim, machine.site, machine.machine)
        heardAgain(sim, machine.machine)
        return said('started-node-agent')
      },
    },
  ],
}

export const machineStop: Behaviour<'machine.stop'> = {
  stages: [
    {
      seconds: 8,
      then: (sim, op) => {
        const machine = machineOf(sim, op)
        if (!machine) return said('nothing-stop')
        machine.machine.power = 'off'
        machine.machine.agent = false
        sim.touchSite(machine.site.name)
        return said('powered-off')
      },
    },
  ],
}

/** Takes a machine out of the world, with its disks and leased addresses; static ones stay held. */
export function removeMachine(sim: Sim, site: Site, machine: Machine): void {
  site.machines = site.machines.filter((otherMachine) => otherMachine !== machine)
  site.disks = site.disks.filter((disk) => disk.machine !== machine.name)
  release(sim, site, (held) => held.how === 'dhcp' && held.for === machine.name)
  forgetMachineFaults(sim, site.name, machine.name)
}

export const machineDelete: Behaviour<'machine.delete'> = {
  stages: [
    {
      seconds: 30,
      then: (sim, op) => {
        const machine = machineOf(sim, op)
        if (!machine) return said('nothing-delete')
        removeMachine(sim, machine.site, machine.machine)
        return said('disk-gb-deleted', {
          machine: machine.machine.name,
          diskGb: machine.machine.diskGb,
        })
      },
    },
  ],
}

/** A machine that must be on with its agent up before anything can be started on it. */
export function agentOn(sim: Sim, siteName: unknown, name: unknown): Machine | OperationFailure {
  const site = sim.site(siteName)
  const machine = site?.machines.find((machine) => machine.name === name)
  if (machine?.agent && machine.power === 'on') return machine
  const about = `machine/${String(siteName)}/${String(name)}`
  return transient('agent-down', said('agent-down', { name: String(name) }), {
    about,
    ...(machine ? said('power', { power: machine.power }) : said('does-not-exist')),
  })
}
