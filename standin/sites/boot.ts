/** What a machine goes through when it boots: its address, its boot data, names and time. */

import type { Said } from '../../core/contract'
import type { ArgsOf, Failure as OperationFailure } from '../../core/contract'
import { uniform } from '../engine/random'
import type { Behaviour, Sim } from '../engine/sim'
import { permanent } from '../failures'
import { diesBooting, strike } from '../faults'
import type { Site, Machine } from '../site-state'
import type { Operation } from '../world'
import { leaseFrom, hold } from './addresses'
import { gone, machineOf, withMachine } from './machines'
import { nameServersFor, namesAreAnswered, timeServersFor } from './surroundings'
import { said } from './says'

/** Gives a machine its address: the one it was made with, or a lease. */
export function takeAddress(sim: Sim, site: Site, machine: Machine): OperationFailure | Said {
  if (machine.address !== null) return said('address-held', { address: machine.address })
  const network = site.networks.find((network) => network.name === machine.network)
  if (network?.dhcpAnswers === false) {
    return permanent(
      'dhcp-silent',
      said('dhcp-silent', { machine: machine.name, network: machine.network }),
      {
        about: `network/${site.name}/${machine.network}`,
        ...said('dhcp-server-no'),
      },
      { about: `machine/${site.name}/${machine.name}`, ...said('no-address') },
    )
  }
  const address = network ? leaseFrom(site, network) : null
  if (!network || address === null) {
    return permanent(
      'no-address',
      said('no-address.got-no-address', { machine: machine.name, network: machine.network }),
      {
        about: `network/${site.name}/${machine.network}`,
        ...said('every-address-leased', { dhcp: network?.dhcp ?? network?.range ?? 'it' }),
      },
      { about: `machine/${site.name}/${machine.name}`, ...said('no-address') },
    )
  }
  machine.address = address
  hold(sim, site, {
    address,
    network: network.name,
    for: machine.name,
    cluster: machine.cluster,
    how: 'dhcp',
  })
  return said('address-dhcp', { address })
}

export type Boot = Operation<ArgsOf<'machine.boot'>>
export type BootData = NonNullable<ArgsOf<'machine.boot'>['bootData']>
/** What a machine is handed; without anything it is told, it makes do with nothing. */
export const bootDataOf = (op: Boot, machine: Machine): BootData =>
  op.args.bootData ?? { handed: 'inline', bytes: 0, lines: 0, digest: '', instance: machine.name }
/** What is wrong with boot data when a machine comes to read it, or null. */
export function bootDataFailure(
  site: Site,
  machine: Machine,
  data: BootData,
): OperationFailure | null {
  const about = `machine/${site.name}/${machine.name}`
  const dataRef = `boot-data/${site.name}/${machine.name}`
  if (site.bootData.limitBytes !== null && data.bytes > site.bootData.limitBytes)
    return permanent(
      'boot-data-large',
      said('boot-data-large', {
        machine: machine.name,
        bytes: data.bytes,
        site: site.name,
        limitBytes: site.bootData.limitBytes,
      }),
      { about: dataRef, ...said('refused-machine-service') },
      { about, ...said('not-started') },
    )
  if (site.bootDataCutAt !== null && data.bytes > site.bootDataCutAt) {
    const line = Math.max(1, Math.floor((data.lines * site.bootDataCutAt) / data.bytes))
    return permanent(
      'boot-data-malformed',
      said('boot-data-malformed', { machine: machine.name, line }),
      {
        about: dataRef,
        ...said('bytes-arrived-line', {
          bootDataCutAt: site.bootDataCutAt,
          bytes: data.bytes,
          line,
        }),
      },
      { about, ...said('cloud-init-stopped') },
    )
  }
  if (data.handed === 'inline') return null
  if (site.published.some((file) => file.digest === data.digest)) return null
  return permanent(
    'boot-data-missing',
    said('boot-data-missing', { machine: machine.name }),
    { about: dataRef, ...said('not-boot-server') },
    { about, ...said('cloud-init-off') },
  )
}

/** What a machine that cannot resolve names fails with, or null. */
export function namesFailure(
  sim: Sim,
  site: Site,
  machine: Machine,
  told: readonly string[],
): OperationFailure | null {
  const network = site.networks.find((network) => network.name === machine.network)
  const servers = nameServersFor(site, network, told)
  if (servers.length === 0 || namesAreAnswered(sim, site, servers, machine.address)) return null
  const server = servers[0] ?? ''
  return permanent(
    'name-server',
    said('name-server', { machine: machine.name, servers }),
    told.length > 0
      ? { about: `name-server/${site.name}/${server}`, ...said('does-not-answer') }
      : {
          about: `network/${site.name}/${machine.network}`,
          ...said('hands-out-name', { server }),
        },
    {
      about: `machine/${site.name}/${machine.name}`,
      ...said('registry-no-answer', { nameDomain: site.nameDomain }),
    },
  )
}

/** Sets the clock of a machine by the first time server that answers; without one it stays behind. */
export function setClock(sim: Sim, site: Site, machine: Machine, told: readonly string[]): void {
  const servers = timeServersFor(sim, site, told, machine.address)
  if (servers.length > 0 && !servers.some((server) => server.answers))
    machine.skewSeconds = 1500 + Math.floor(uniform(sim.world.seed, `${machine.name}/skew`) * 1800)
  else if (machine.skewSeconds !== undefined) delete machine.skewSeconds
}

/** What cloud-init meets on a first boot, in the order in which it meets it. */
export function firstBoot(
  sim: Sim,
  op: Boot,
  site: Site,
  machine: Machine,
): Said | OperationFailure {
  const fail = (failure: OperationFailure): OperationFailure => {
    machine.power = 'failed'
    sim.touchSite(site.name)
    return failure
  }
  const death = diesBooting(sim, site.name, machine.name)
  if (death) return fail(death)
  const data = bootDataOf(op, machine)
  const unreadable = bootDataFailure(site, machine, data)
  if (unreadable) return fail(unreadable)
  machine.bootData = { bytes: data.bytes, instance: data.instance, handed: data.handed }
  const unresolved = namesFailure(sim, site, machine, op.args.nameServers)
  if (unresolved) return fail(unresolved)
  setClock(sim, site, machine, op.args.timeServers)
  const fetched = data.handed === 'pointer' ? 'boot data fetched and its SHA-256 verified, ' : ''
  const clock =
    machine.skewSeconds === undefined
      ? 'clock set'
      : `clock not set: no time server answered, it is ${Math.round(machine.skewSeconds / 60)} min behind`
  return said('first-boot-done', { fetched, clock })
}

export const machineBoot: Behaviour<'machine.boot'> = {
  stages: [
    {
      seconds: 12,
      then: withMachine((sim, site, machine) => {
        machine.power = 'starting'
        sim.touchSite(site.name)
        return said('powered')
      }),
    },
    { seconds: 8, then: withMachine(takeAddress) },
    {
      seconds: (sim, op) => (sim.site(op.args.site)?.kind === 'cloud' ? 50 : 105),
      then: (sim, op) => {
        const machine = machineOf(sim, op)
        return machine ? firstBoot(sim, op, machine.site, machine.machine) : gone(op)
      },
    },
    {
      seconds: 25,
      then: withMachine((sim, site, machine) => {
        const fault = strike(sim, 'runtime-fails', [
          `site/${site.name}`,
          `machine/${site.name}/${machine.name}`,
        ])
        if (!fault) return said('container-runtime-started')
        machine.power = 'failed'
        sim.touchSite(site.name)
        return {
          class: fault.mode,
          reason: 'runtime-failed',
          ...said('runtime-failed', { machine: machine.name }),
          chain: [
            {
              about: `runtime/${site.name}/${machine.name}`,
              ...said('exit-1-image'),
            },
            {
              about: `machine/${site.name}/${machine.name}`,
              ...said('runs-but-takes'),
            },
          ],
        }
      }),
    },
    {
      seconds: 20,
      then: withMachine((sim, site, machine) => {
        machine.power = 'on'
        machine.agent = true
        sim.touchSite(site.name)
        return said('node-agent-started')
      }),
    },
  ],
  result: (sim, op) => {
    const machine = machineOf(sim, op)?.machine
    return {
      machine: op.args.name,
      address: machine?.address ?? null,
      endpoint: `https://${machine?.address ?? ''}:6443`,
    }
  },
}
