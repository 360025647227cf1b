/** The faults there are, and why one cannot be put somewhere. */
import { dayFaultObjection, isDayFault } from './day-faults'
import type { Sim } from './engine/sim'
import { diskAbout, isDiskFault } from './storage/faults'
import type { FaultKind } from './world'

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
    fault: 'site-slow',
    says: 'Everything at a site takes half as long again.',
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
    fault: 'member-silent',
    says: 'A member of a control plane does not come back once it was moved to another release.',
    about: 'cluster/<cluster>',
  },
  {
    fault: 'add-on-crashes',
    says: 'An add-on crashes in the version that it is moved to.',
    about: 'addon/<cluster>/<add-on>',
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
    fault: 'disk-lost',
    says: 'A disk of a cluster’s replicated storage does not answer any more.',
    about: 'disk/<cluster>/<node>/<disk>',
  },
  {
    fault: 'disk-full',
    says: 'A disk of a cluster’s replicated storage is filled up by something that is no copy.',
    about: 'disk/<cluster>/<node>/<disk>',
  },
  {
    fault: 'disk-slow',
    says: 'A disk of a cluster’s replicated storage takes eight times as long.',
    about: 'disk/<cluster>/<node>/<disk>',
  },
  {
    fault: 'spot-taken',
    says: 'A cloud takes a spot machine back, at two minutes’ notice.',
    about: 'machine/<site>/<name>',
  },
  {
    fault: 'runtime-dies',
    says: 'The container runtime of a node dies and does not come back by itself.',
    about: 'machine/<site>/<name>',
  },
  {
    fault: 'agent-stops',
    says: 'The node agent of a node is stopped.',
    about: 'machine/<site>/<name>',
  },
  {
    fault: 'clock-drifts',
    says: 'The clock of a node is years behind: it takes no certificate.',
    about: 'machine/<site>/<name>',
  },
  {
    fault: 'host-certificate-ends',
    says: 'The certificate of a node’s agent has run out.',
    about: 'machine/<site>/<name>',
  },
  {
    fault: 'disk-fills',
    says: 'The disk of a node fills up: images cannot be removed, pods are evicted.',
    about: 'machine/<site>/<name>',
  },
  {
    fault: 'memory-fills',
    says: 'A node runs out of memory: pods are evicted.',
    about: 'machine/<site>/<name>',
  },
  {
    fault: 'process-ends',
    says: 'The process of a workload ends by itself, again and again.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'memory-short',
    says: 'A workload uses more memory than it may: the kernel ends it.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'not-answering',
    says: 'A workload runs and does not pass its readiness probe.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'process-hangs',
    says: 'A workload hangs: its liveness probe has it started again and again.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'selector-turned',
    says: 'The selector of a service matches none of its pods any more.',
    about: 'service/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'port-turned',
    says: 'A service leads to a port on which its pods do not listen.',
    about: 'service/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'gate-closes',
    says: 'The policy webhook fails closed on every namespace, its pods are gone, and a node starts anew.',
    about: 'node/<cluster>/<name>',
  },
  {
    fault: 'state-store-slow',
    says: 'The state store of a cluster is slow, because a disk is.',
    about: 'cluster/<cluster>',
  },
  {
    fault: 'state-store-full',
    says: 'The state store of a cluster has no room left.',
    about: 'cluster/<cluster>',
  },
  {
    fault: 'rule-switched',
    says: 'Somebody switches a firewall rule on that was off, or off that was on.',
    about: 'rule/<site>/<rule>',
  },
]

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
