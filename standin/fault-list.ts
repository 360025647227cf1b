/** The faults that can be put in, in plain words, and how what each is about is written. */
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
    fault: 'gate-slow',
    says: 'The policy webhook answers later than the API waits, for the pods of one namespace, and one of them starts anew.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'gate-behind',
    says: 'The policy webhook does not know the API versions that newer releases ask for, and refuses what is written in them.',
    about: 'cluster/<cluster>',
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
  {
    fault: 'tag-withdrawn',
    says: 'The tag of a workload’s image is taken out of its registry, and one of its pods starts anew.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'pods-pinned',
    says: 'Somebody ties the pods of a workload to a zone in which its volumes are not.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'budget-tightened',
    says: 'A disruption budget lets no pod go any more.',
    about: 'budget/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'security-raised',
    says: 'A namespace takes only pods of the strictest security level, and one of its pods starts anew.',
    about: 'namespace/<cluster>/<namespace>',
  },
  {
    fault: 'quota-cut',
    says: 'A namespace may hold one pod less than it does, and one of them starts anew.',
    about: 'namespace/<cluster>/<namespace>',
  },
  {
    fault: 'architecture-wrong',
    says: 'The image of a workload is for another architecture: its process cannot be started.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'policy-closes',
    says: 'A network policy lets nobody in any more to the pods behind a service.',
    about: 'service/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'registry-silent',
    says: 'The registry of a workload’s image does not answer a cluster, and one of its pods starts anew.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'registry-denies',
    says: 'The registry of a workload’s image gives it to nobody, and one of its pods starts anew.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'volume-held',
    says: 'Another node does not let go of the volume of a workload, and one of its pods starts anew.',
    about: 'workload/<cluster>/<namespace>/<name>',
  },
  {
    fault: 'members-lost',
    says: 'Half of the members of an own control plane or more lose their power: the others are no majority.',
    about: 'cluster/<cluster>',
  },
  {
    fault: 'api-flooded',
    says: 'The API of a cluster is asked for more than it can answer, and turns requests away.',
    about: 'cluster/<cluster>',
  },
]
