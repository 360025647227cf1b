/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../core/contract/said'
import { countText, decimalBytesText } from '../../core/units'

export const said = sentences({
  // ground
  'no-site': (p: { site: string }) => `There is no site ${p.site}.`,
  'does-not-exist': () => 'does not exist',
  'no-service': (p: { site: string; service: string }) => `${p.site} has no service ${p.service}.`,
  'network-unreadable': () => 'The network lacks a name or a range.',
  'network-used': (p: { name: string }) => `${p.name} still has addresses that are held.`,
  'addresses-held': () => 'addresses are held in it',
  'no-quota': (p: { site: string }) => `${p.site} has no quota.`,
  'quota-refused': (p: { site: string }) =>
    `${p.site} grants at most 768 vCPU to an account like this.`,
  'vcpu-refused': (p: { cores: number }) => `${p.cores} vCPU refused`,
  'host-used': (p: { holding: string }) => `${p.holding} still holds machines.`,
  'holds-machines': () => 'holds machines',
  'zone-used': (p: { zone: string }) => `${p.zone} still holds machines.`,
  'site-used': (p: { site: string }) => `${p.site} still holds machines.`,
  machines: (p: { machinesCount: number }) => countText(p.machinesCount, 'machine'),
  'machine-used.use': (p: { used: string; usedBy: string }) =>
    `${p.used} is in use by ${p.usedBy}.`,
  use: () => 'in use',

  // addresses
  'address-taken': (p: { address: string; for: string }) => `${p.address} is held for ${p.for}.`,
  held: (p: { for: string }) => `held for ${p.for}`,
  'no-network': (p: { site: string; network: string }) => `${p.site} has no network ${p.network}.`,

  // machines
  'machine-gone': (p: { name: string; site: string }) =>
    `There is no machine ${p.name} at ${p.site}.`,
  'every-host-out': (p: { zone: string }) => `every host of ${p.zone} is out of service`,
  'no-host': (p: { zone: string }) => `${p.zone} has no host`,
  'cores-left-after': (p: {
    zone: string
    zoneCores: number
    cores: number
    reservePerZone: number
  }) =>
    `${p.zone} has ${p.zoneCores} of ${p.cores} cores left after the failover reserve of ${p.reservePerZone} host`,
  'every-host-holds': (p: { zone: string }) =>
    `every host of ${p.zone} holds a machine of the same control plane`,
  'no-single-host': (p: { zone: string; cores: number }) =>
    `no single host of ${p.zone} has ${countText(p.cores, 'core')} left`,
  'name-taken': (p: { site: string; name: string }) => `${p.site} has a machine ${p.name} already.`,
  exists: () => 'exists',
  'image-missing.no-base-image': (p: { site: string; wanted: string }) =>
    `${p.site} has no base image of ${p.wanted}.`,
  'not-found-image': () => 'not found in the image store',
  'root-disk-could': () => 'its root disk could not be cloned',
  'size-unknown': (p: { site: string; size: string; zone: string }) =>
    `${p.site} does not offer ${p.size} in ${p.zone}.`,
  'not-offered': () => 'not offered',
  'not-created': () => 'was not created',
  'no-stock': (p: { zone: string; size: string }) => `${p.zone} has no ${p.size} left.`,
  'none-stock': () => 'none in stock',
  quota: (p: { site: string; quotaCores: number; used: number }) =>
    `The quota of ${p.site} is ${p.quotaCores} vCPU; ${p.used} are in use.`,
  'vcpu-use-asked': (p: { used: number; quotaCores: number; cores: number }) =>
    `${p.used} of ${p.quotaCores} vCPU in use, ${p.cores} asked for`,
  'disk-small': (p: { rootDiskGb: number; image: string }) =>
    `A root disk of ${p.rootDiskGb} GB is too small for ${p.image}.`,
  'needs-gb': (p: { minimumDiskGb: number }) => `needs ${p.minimumDiskGb} GB`,
  'no-room': (p: { name: string; spot: string }) => `No host takes ${p.name}: ${p.spot}.`,
  'not-placed': () => 'was not placed',
  'store-full': (p: { zone: string; usableGb: number; name: string; rootDiskGb: number }) =>
    `The disk store of ${p.zone} has ${p.usableGb} GB left; ${p.name} needs ${p.rootDiskGb}.`,
  'gb-use': (p: { usedGb: number; usableGb: number }) => `${p.usedGb} of ${p.usableGb} GB in use`,
  'host-dead': (p: { machine: string }) => `${p.machine} stands on a dead host.`,
  'does-not-answer': () => 'does not answer',
  'waits-another-host': () => 'waits for another host',
  'no-power': (p: { machine: string }) => `${p.machine} does not come on.`,
  'power-control-no': () => 'power control: no answer from its supply',
  'agent-down': (p: { name: string }) => `The node agent of ${p.name} does not answer.`,
  power: (p: { power: string }) => `power is ${p.power}`,

  // boxes
  'machine-used.box-used-by': (p: { box: string; usedBy: string }) =>
    `${p.box} is in use by ${p.usedBy}.`,
  used: (p: { usedBy: string }) => `used by ${p.usedBy}`,
  'image-missing.site-release': (p: { site: string; release: string }) =>
    `${p.site} has no base image of ${p.release}.`,
  'not-found-boot': () => 'not found on the boot server',
  'not-installed': () => 'was not installed',
  'disk-unknown.no-disk': (p: { box: string; disk: string }) => `${p.box} has no disk ${p.disk}.`,
  'disk-not-found': () => 'disk not found',
  'disk-holds-data': (p: { identifier: string; holds: string }) =>
    `${p.identifier} holds ${p.holds}.`,
  holds: (p: { holds: string }) => `holds ${p.holds}`,
  'disk-unknown.disk-gone': (p: { disk: string }) => `The disk ${p.disk} is gone.`,

  // control-planes
  'no-tier': (p: { site: string; tier: string }) =>
    `${p.site} offers no control plane of tier ${p.tier}.`,
  'tier-not-offered': () => 'tier not offered',
  'no-address.no-address-another': (p: { site: string }) =>
    `${p.site} has no address for another control plane.`,
  'no-address-left': () => 'no address left',

  // images
  'no-route': (p: { site: string }) => `${p.site} cannot be reached from here.`,

  // boot
  'cloud-init-off': () => 'cloud-init stopped',

  // balancers
  'quota-balancers': (p: { site: string; quotaBalancers: number }) =>
    `${p.site} allows ${countText(p.quotaBalancers, 'load balancer')}; all are in use.`,
  'balancers-in-use': (p: { balancersCount: number; quotaBalancers: number }) =>
    `${p.balancersCount} of ${p.quotaBalancers} in use`,
  'balancer-gone': (p: { name: string }) => `There is no balancer ${p.name}.`,
  'route-missing': (p: { address: string; front: string; nodes: string }) =>
    `Nothing answers at ${p.address}: ${p.front} has no route to ${p.nodes}.`,
  range: (p: { range: string }) => `no route to ${p.range}`,
  'no-pool-member': () => 'no pool member answers, connection timed out after 5 s',

  // boot
  'dhcp-silent': (p: { machine: string; network: string }) =>
    `${p.machine} got no address: the DHCP server of ${p.network} does not answer.`,
  'dhcp-server-no': () => 'DHCP server: no offer within 60 s, six requests sent',
  'no-address': () => 'has no address',
  'no-address.got-no-address': (p: { machine: string; network: string }) =>
    `${p.machine} got no address on ${p.network}.`,
  'every-address-leased': (p: { dhcp: string }) => `every address of ${p.dhcp} is leased`,
  'boot-data-large': (p: { machine: string; bytes: number; site: string; limitBytes: number }) =>
    `The boot data of ${p.machine} is ${p.bytes} bytes; ${p.site} hands over at most ${p.limitBytes}.`,
  'refused-machine-service': () => 'refused by the machine service',
  'not-started': () => 'was not started',
  'boot-data-malformed': (p: { machine: string; line: number }) =>
    `cloud-init on ${p.machine} could not read its user-data: it ends in the middle of line ${p.line}.`,
  'bytes-arrived-line': (p: { bootDataCutAt: number; bytes: number; line: number }) =>
    `${p.bootDataCutAt} of ${p.bytes} bytes arrived; line ${p.line}: unexpected end of text`,
  'cloud-init-stopped': () => 'cloud-init stopped: no user, no key, no runtime',
  'boot-data-missing': (p: { machine: string }) =>
    `${p.machine} found no boot data behind its pointer.`,
  'not-boot-server': () => 'not on the boot server',
  'name-server': (p: { machine: string; servers: readonly string[] }) =>
    `${p.machine} cannot resolve names: no answer from ${p.servers.join(', ')}.`,
  'hands-out-name': (p: { server: string }) =>
    `hands out name server ${p.server}, which does not exist`,
  'registry-no-answer': (p: { nameDomain: string }) =>
    `registry.${p.nameDomain}: no answer within 20 s; the node’s images cannot be pulled`,
  'runtime-failed': (p: { machine: string }) =>
    `The container runtime of ${p.machine} does not start.`,
  'exit-1-image': () => 'exit 1: image store is not writable, its metadata is damaged',
  'runs-but-takes': () => 'runs, but takes no containers',

  // ground
  'request-vcpu-taken': (p: { cores: number }) => `request for ${p.cores} vCPU taken`,
  'granted-vcpu': (p: { quotaCores: number }) => `granted: ${p.quotaCores} vCPU`,
  'stands-already': (p: { name: string }) => `${p.name} stands already`,
  'entered-zones-hosts': (p: { name: string; zonesCount: number; hostsCount: number }) =>
    `${p.name} entered: ${countText(p.zonesCount, 'zone')}, ${countText(p.hostsCount, 'host')}`,
  'nothing-remove': () => 'nothing to remove',
  removed: (p: { site: string }) => `${p.site} removed`,

  // addresses
  address: (p: { address: string }) => `${p.address} held`,
  wanted: (p: { wanted: readonly string[] }) => `${p.wanted.join(', ')} held`,
  'nothing-release': () => 'nothing to release',
  released: (p: { count: number; gone: readonly string[] }) =>
    `${p.count === 1 ? p.gone.join('') : countText(p.count, 'address', 'addresses')} released`,

  // machines
  'disk-gb-cloned': (p: { rootDiskGb: number; release: string }) =>
    `disk of ${p.rootDiskGb} GB cloned from fern-base ${p.release}`,
  'powered-off': () => 'powered off',
  'started-node-agent': () => 'started, node agent runs',
  'nothing-stop': () => 'nothing to stop',
  'nothing-delete': () => 'nothing to delete',
  'disk-gb-deleted': (p: { machine: string; diskGb: number }) =>
    `${p.machine} and its disk of ${p.diskGb} GB deleted`,

  // boxes
  'fern-base-written': (p: { release: string; disk: string }) =>
    `fern-base ${p.release} written to ${p.disk}`,
  'boot-order-set': () => 'boot order set to the install disk',
  'nothing-clear': () => 'nothing to clear',
  'cleared-powered-off': (p: { box: string }) => `${p.box} cleared and powered off`,
  'agent-set-up': (p: { release: string; box: string; card: string }) =>
    `agent of ${p.release} set up on ${p.box}, traffic over ${p.card}`,

  // control-planes
  'ordered-tier': (p: { tier: string }) => `ordered, tier ${p.tier}`,
  provided: (p: { address: string }) => `provided at ${p.address}`,
  'control-plane-deleted': () => 'control plane deleted',

  // images
  fetched: (p: { name: string; release: string }) => `${p.name} ${p.release} fetched`,
  'digest-verified': () => 'digest verified',
  'taken-from-registry': (p: { registry: string; name: string; release: string }) =>
    `${p.name} ${p.release} taken from ${p.registry}`,
  'blobs-fetched': (p: { registry: string; bytes: number }) =>
    `${decimalBytesText(p.bytes)} fetched from ${p.registry}`,
  copied: (p: { zones: readonly string[] }) => `copied to ${p.zones.join(', ')}`,
  'image-removed': (p: { release: string }) => `image of ${p.release} removed`,

  // ground
  'dhcp-restarted-answers': (p: { network: string }) => `DHCP of ${p.network} restarted, answers`,
  'restarted-step': (p: { timeServers: readonly string[] }) =>
    `${p.timeServers.join(', ')} restarted, in step`,
  'restarted-answers': (p: { nameServers: readonly string[] }) =>
    `${p.nameServers.join(', ')} restarted, answers`,
  'boot-data-service': () => 'boot data service restarted, hands over whole files',
  'network-set': (p: { network: string; known: boolean; range: string; dhcp: string | null }) =>
    `${p.network} ${p.known ? 'set' : 'added'}: ${p.range}${p.dhcp === null ? '' : `, DHCP ${p.dhcp}`}`,
  name: (p: { name: string }) => `${p.name} removed`,
  reaches: (p: { network: string; to: string; via: string }) =>
    `${p.network} reaches ${p.to} by ${p.via}`,
  'route-removed': (p: { to: string }) => `route to ${p.to} removed`,
  'names-service': (p: { names: readonly string[]; service: string }) =>
    `${p.names.join(', ')} ${p.service === 'in' ? 'back in service' : 'taken out of service'}`,
  'zones-hosts-sizes': (p: { zonesCount: number; hostsCount: number; sizesCount: number }) =>
    `${countText(p.zonesCount, 'zone')}, ${countText(p.hostsCount, 'host')}, ${p.sizesCount} sizes`,
  'records-served': (p: { recordsCount: number; nameDomain: string }) =>
    `${countText(p.recordsCount, 'record')} of ${p.nameDomain} served`,
  'bytes-boot-server': (p: { file: string; bytes: number; digest: string }) =>
    `${p.file}, ${p.bytes} bytes, on the boot server; SHA-256 ${p.digest}…`,
  'files-taken-off': (p: { namesCount: number }) =>
    `${countText(p.namesCount, 'file')} taken off the boot server`,
  'things-removed': (p: { before: number }) => `${p.before} things removed`,
  'belongs-now': (p: { name: string; cluster: string }) => `${p.name} belongs to ${p.cluster} now`,
  entered: (p: { boxes: readonly string[] }) => `${p.boxes.join(', ')} entered`,
  struck: (p: { names: readonly string[] }) => `${p.names.join(', ')} struck`,

  // machines
  placed: (p: { host: string }) => `placed on ${p.host}`,
  created: (p: { zone: string }) => `created in ${p.zone}`,

  // boxes
  'booted-from-boot': (p: { card: string }) => `booted from the boot server over ${p.card}`,

  // balancers
  answers: (p: { name: string; address: string; port: number }) =>
    `${p.name} answers at ${p.address}:${p.port}`,
  deleted: (p: { name: string }) => `${p.name} deleted`,
  'address-port': (p: { address: string; port: number }) => `${p.address}:${p.port} answers`,

  // boot
  'address-held': (p: { address: string }) => `address ${p.address}, held for it`,
  'address-dhcp': (p: { address: string }) => `address ${p.address} by DHCP`,
  'first-boot-done': (p: { fetched: string; clock: string }) =>
    `first boot done: ${p.fetched}root file system grown, host keys made, ${p.clock}`,
  powered: () => 'powered on',
  'container-runtime-started': () => 'container runtime started',
  'node-agent-started': () => 'node agent started',
})
