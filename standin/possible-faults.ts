/** Why a fault cannot be put somewhere. */
import { dayFaultObjection, isDayFault } from './day-faults'
import type { Sim } from './engine/sim'
import { diskAbout, isDiskFault } from './storage/faults'
import { possibleFaults } from './fault-list'
import type { FaultKind } from './world'

const diskObjection = (sim: Sim, about: string, write: string): string | null =>
  diskAbout(sim, about) ? null : `No storage of a cluster has the disk ${about}. ${write}`

const clusterFaults = [
  'certificate-expired',
  'member-silent',
  'add-on-crashes',
  'answers-fail',
] as const satisfies readonly FaultKind[]
type ClusterFault = (typeof clusterFaults)[number]

const isClusterFault = (kind: FaultKind): kind is ClusterFault =>
  clusterFaults.some((candidate) => candidate === kind)

/** Why a fault of a cluster, or of something in it, cannot be about this, or null. */
function clusterObjection(
  sim: Sim,
  kind: ClusterFault,
  about: string,
  write: string,
): string | null {
  const [what, name = '', second = '', third = ''] = about.split('/')
  const cluster = sim.cluster(name)
  switch (kind) {
    case 'add-on-crashes':
      return what === 'addon' && cluster?.addOns?.[second] !== undefined
        ? null
        : `There is no add-on ${second} in ${name}. ${write}`
    case 'answers-fail':
      return what === 'workload' &&
        cluster?.workloads.some(
          (workload) => workload.namespace === second && workload.name === third,
        )
        ? null
        : `There is no workload ${second}/${third} in ${name}. ${write}`
    default:
      return what === 'cluster' && cluster ? null : `There is no cluster ${name}. ${write}`
  }
}

/** Why a fault cannot be about this, or null. */
export function faultObjection(sim: Sim, kind: string, about: string): string | null {
  const possibleFault = possibleFaults.find((possible) => possible.fault === kind)
  if (!possibleFault)
    return `There is no fault ${kind}. Possible: ${possibleFaults.map((possible) => possible.fault).join(', ')}.`
  const [what = '', second, third, fourth] = about.split('/')
  const write = `Write what it is about as ${possibleFault.about}.`
  const { fault } = possibleFault
  if (isDiskFault(fault)) return diskObjection(sim, about, write)
  if (isDayFault(fault)) {
    const objection = dayFaultObjection(sim, fault, about)
    return objection === null ? null : `${objection} ${write}`
  }
  if (isClusterFault(fault)) return clusterObjection(sim, fault, about, write)
  const site = sim.site(second)
  if (!site) return `There is no site ${second ?? ''}. ${write}`
  const wrong = `${kind} is about ${possibleFault.about}, not ${about}.`
  const network = site.networks.find((network) => network.name === third)
  switch (fault) {
    case 'machine-unavailable':
    case 'site-slow':
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
