/** How a node is inside, as somebody on it would read it: services, file systems, addresses, certificates and time. */
import type { NodeLook } from '../../core/contract'
import { isoTime } from '../../core/units'
import type { Sim } from '../engine/sim'
import { uniform } from '../engine/random'
import type { Cluster, Machine, Node } from '../world'

const gb = 1e9
/** What of a full disk is used; and of one that the node agent begins to worry about. */
const fullShare = 0.97
const highShare = 0.87
/** The clock of a machine that has lost its time stands at this. */
const lostTime = Date.parse('2019-01-01T00:04:11Z')

const pressed = (node: Node, type: string): boolean =>
  node.conditions.some((condition) => condition.type === type && condition.status === 'True')

function servicesOf(machine: Machine): NodeLook['services'] {
  const { ailments = {} } = machine
  const service = (
    name: string,
    brokenAt: number | undefined,
    state: 'failed' | 'stopped',
  ): NodeLook['services'][number] =>
    brokenAt === undefined
      ? { name, state: 'running', since: isoTime(machine.createdAt) }
      : { name, state, since: isoTime(brokenAt) }
  return [
    service('container runtime', ailments.runtime, 'failed'),
    service('node agent', ailments.agent, 'stopped'),
    service('time synchronisation', ailments.clock, 'failed'),
    { name: 'first boot', state: 'ended', since: isoTime(machine.createdAt) },
  ]
}

function usedShare(sim: Sim, node: Node, machine: Machine): number {
  if (machine.ailments?.disk !== undefined) return fullShare
  if (pressed(node, 'DiskPressure')) return highShare
  return 0.34 + 0.24 * uniform(sim.world.seed, `${machine.name}/used`)
}

function certificatesOf(cluster: Cluster, machine: Machine): NodeLook['certificates'] {
  const ended = machine.ailments?.certificate
  return [
    { name: 'node agent', until: isoTime(ended ?? cluster.certificatesUntil) },
    { name: 'cluster authority', until: isoTime(cluster.certificatesUntil) },
  ]
}

/** Null where there is no such node, or its machine is off. */
export function nodeLook(sim: Sim, clusterName: string, name: string): NodeLook | null {
  const cluster = sim.cluster(clusterName)
  const node = cluster?.nodes.find((each) => each.name === name)
  const site = cluster && sim.site(cluster.site)
  const machine = site?.machines.find((each) => each.name === node?.machine)
  if (!cluster || !node || !site || machine?.power !== 'on') return null
  const bytes = machine.diskGb * gb
  const offBy =
    machine.ailments?.clock === undefined
      ? -(machine.skewSeconds ?? 0)
      : Math.round((lostTime - sim.now) / 1000)
  const addresses = site.addresses.filter((each) => each.for === machine.name)
  return {
    services: servicesOf(machine),
    disks: [{ mount: '/', bytes, usedBytes: Math.round(bytes * usedShare(sim, node, machine)) }],
    addresses:
      addresses.length === 0
        ? [{ network: machine.network, address: machine.address ?? node.address }]
        : addresses.map(({ network, address }) => ({ network, address })),
    certificates: certificatesOf(cluster, machine),
    time: { at: isoTime(sim.now + offBy * 1000), offBySeconds: offBy },
  }
}
