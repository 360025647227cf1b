/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../contract/said'
import { numberText, bytesText, listText, countText, sentenceCase } from '../../units'
import { controlPlanePool } from '../planned'

export const said = sentences({
  // box-address
  card: (p: { card: string; mac: string; network: string; sharedWith: number }) =>
    `${p.card} (${p.mac}): ${p.network}${p.sharedWith ? `, an address that ${countText(p.sharedWith, 'other holds', 'others hold')} too` : ''}`,
  'card.chosen': (p: { box: string; cardsCount: number }) =>
    `${p.box} has ${p.cardsCount} network cards. Choose the one the cluster’s traffic goes over.`,
  'card.known': (p: { box: string; card: string }) => `${p.box} has no network card ${p.card}.`,
  'card.shared': (p: { card: string; address: string; sharedWith: number }) =>
    `${p.card} has ${p.address}, which ${countText(p.sharedWith, 'other holds', 'others hold')} too. Nodes could not tell each other apart.`,
  'address.inside': (p: { box: string }) =>
    `Nobody knows the inside address of ${p.box}. Say which one the nodes should reach it at; its script compares.`,
  'card-address': (p: { card: string; address: string }) => `${p.card}: ${p.address}`,
  network: (p: { network: string; range: string; gateway: string; dhcp: string }) =>
    `${p.network}: ${p.range}, gateway ${p.gateway}, DHCP ${p.dhcp}`,
  'no-free-static': (p: { network: string }) => `${p.network} has no free static address.`,
  'address.proposed': (p: { network: string; free: string }) =>
    `No address given: ${p.free}, the lowest free one of ${p.network}, will be used.`,
  'address-prefix': (p: { address: string; prefix: string; network: string; length: string }) =>
    `${p.address} says /${p.prefix}; ${p.network} is a /${p.length}.`,

  // box
  'disk.chosen': (p: { box: string; disksCount: number }) =>
    `${p.box} has ${countText(p.disksCount, 'disk')}. Choose the one to install on.`,
  'disk.stable': (p: { disk: string; shortName: string }) =>
    `${p.disk} is only today’s name: it is ${p.shortName} now and may be another disk after a restart. Give a stable identifier.`,
  'disk.known': (p: { box: string; disk: string }) => `${p.box} has no disk ${p.disk}.`,
  'disk.removable': (p: { shortName: string }) =>
    `${p.shortName} is removable. Whoever pulls it out takes the cluster with it.`,
  'disk.small': (p: { shortName: string; sizeGb: number; baseImage: string; minimum: number }) =>
    `${p.shortName} has ${numberText(p.sizeGb)} GB. Image ${p.baseImage} needs ${p.minimum} GB.`,
  'disk.data': (p: { shortName: string; holds: string }) =>
    `${p.shortName} holds ${p.holds}. Installing would overwrite it.`,
  'disk.wipe': (p: { wipe: string; identifier: string }) =>
    `The draft says to wipe ${p.wipe} and to install on ${p.identifier}. Only the disk installed on can be wiped.`,
  'disk.wiped': (p: { shortName: string; holds: string }) =>
    `${p.shortName} holds ${p.holds}. All of it will be lost.`,
  'machines.pools': () =>
    'The draft names machines and asks for pools, too. Raise it on the machines that stand there, or have the site make them.',
  'machines.site': (p: { site: string }) =>
    `${p.site} makes its machines itself. Ask for pools instead of naming machines.`,
  'site-kind': (p: { site: string; kind: string }) => `${p.site} is a ${p.kind}`,
  'machines.none': (p: { site: string }) => `No machine of ${p.site} is chosen.`,
  machine: (p: { machine: string; cores: number; memoryBytes: number; usedBy: null | string }) =>
    `${p.machine}: ${p.cores} cores, ${bytesText(p.memoryBytes)}, ${p.usedBy === null ? 'free' : `used by ${p.usedBy}`}`,
  'machine.known.no-machine-chosen': () => 'No machine is chosen.',
  'machine.known.no-machine': (p: { site: string; machine: string }) =>
    `${p.site} has no machine ${p.machine}.`,
  machines: (p: { boxes: readonly string[] }) => `machines: ${listText(p.boxes) || 'none'}`,
  'machine.twice': (p: { box: string }) => `${p.box} is named twice.`,
  'machine.free.reserved-running-change': (p: { box: string }) =>
    `${p.box} is reserved by a running change.`,
  'machine.free.in-use': (p: { box: string; usedBy: string }) =>
    `${p.box} is in use by ${p.usedBy}.`,
  reserved: () => 'reserved',
  used: (p: { usedBy: string }) => `used by ${p.usedBy}`,
  'node.name.node-no-name': () => 'The node has no name yet.',
  'node.name.no-valid-node': (p: { nodeName: string }) => `“${p.nodeName}” is no valid node name.`,
  'node-name-dns': () => 'a node name is a DNS subdomain',
  'machine.architecture': (p: { box: string; arch: string; version: string }) =>
    `${p.box} is ${p.arch}; ${p.version} is not built for it.`,
  built: (p: { architectures: readonly string[] }) => `built for ${listText(p.architectures)}`,
  'machine.contact': (p: { box: string; site: string }) =>
    `${p.box} joins by a script, and nobody has said where machines at ${p.site} reach Gyrarch. Say it for the site first.`,
  'no-contact': (p: { site: string }) => `no address is kept for ${p.site}`,
  'machine.image': (p: {
    box: string
    arch: string
    release: string
    site: string
    imageArch: string
  }) =>
    `${p.box} is ${p.arch}; the image of ${p.release} at ${p.site} is for ${p.imageArch}. It would not boot.`,
  'image-release-arch': (p: { image: string; release: string; arch: string }) =>
    `${p.image} ${p.release}: ${p.arch}`,

  // identity
  'cluster-name-dns': () => 'A cluster name is a DNS label: 1 to 63 of a–z, 0–9 and inner dashes.',
  'name.label.cluster-no-name': () => 'The cluster has no name yet.',
  'name.label.no-valid-name': (p: { name: string }) =>
    `“${p.name}” is no valid name. Use a–z, 0–9 and inner dashes, at most 63.`,
  'name.taken': (p: { name: string; site: string | null }) =>
    `The name ${p.name} is taken${p.site !== null ? ` by the cluster at ${p.site}` : ' by a running change'}.`,
  'stands-at': (p: { holder: string; site: string }) => `${p.holder} stands at ${p.site}`,
  'reserved-running-change': () => 'reserved by a running change',
  'site.known.no-site-chosen': () => 'No site is chosen yet.',
  'site.known.there-no-site': (p: { site: string; sites: readonly string[] }) =>
    `There is no site ${p.site}. Known: ${listText(p.sites, 8)}.`,
  'sites-known': (p: { sitesCount: number }) =>
    `${countText(p.sitesCount, 'site is', 'sites are')} known`,
  'expects.cluster': (p: { name: string; cluster: string }) =>
    `“${p.name}” walks to or from ${p.cluster}, which is not there.`,
  'expects.twice': (p: { name: string }) => `Two walks are called “${p.name}”.`,
  'clusters-known': (p: { clusters: readonly string[] }) =>
    `clusters: ${listText(p.clusters, 12) || 'none'}`,
  'control-plane.promise': (p: { tier: string; better: string; promise: string }) =>
    `It is guarded, and ${p.tier} promises nothing about how long its API answers; ${p.better} ${p.promise}.`,
  tiers: (p: { tiers: readonly string[] }) => `tiers: ${listText(p.tiers)}`,
  'control-plane.managed': (p: { site: string }) =>
    `${p.site} runs no managed control planes. Bring your own: 1 or 3 machines.`,
  'site-kind-own': (p: { site: string; kind: string }) =>
    `${p.site} is ${p.kind === 'edge' ? 'an edge box' : 'a hall'}`,
  'image.present': (p: { site: string; version: string }) =>
    `${p.site} holds no base image of ${p.version}. Its machines could not start.`,
  'images-held': (p: { images: readonly string[] }) =>
    `images held: ${listText(p.images) || 'none'}`,
  'release.available.no-release-chosen': () => 'No release is chosen yet.',
  'release.available.catalogue-no-release': (p: { release: string }) =>
    `The catalogue has no release ${p.release}.`,
  'releases-listed': (p: { catalogueCount: number }) => `${p.catalogueCount} releases are listed`,
  'release.withdrawn': (p: { version: string; withdrawn: string }) =>
    `${p.version} was withdrawn: ${p.withdrawn}`,
  'release.architecture': (p: { version: string; arch: string; site: string }) =>
    `${p.version} is not built for ${p.arch}, which the machines of ${p.site} are.`,
  'release.support': (p: { version: string; endOfSupport: string }) =>
    `Support for ${p.version} ended on ${p.endOfSupport}. It gets no more fixes.`,
  'end-support-days': (p: { endOfSupport: string; supportDaysLeft: number }) =>
    `end of support ${p.endOfSupport}, ${countText(p.supportDaysLeft, 'day')} ago`,

  // machines
  'zone.known': (p: { site: string; unknown: readonly string[]; zones: readonly string[] }) =>
    `${p.site} has no zone ${listText(p.unknown)}. Its zones: ${listText(p.zones)}.`,
  zones: (p: { zones: readonly string[] }) => `zones ${listText(p.zones)}`,
  'size.offered.no-machine-size': (p: { pool: string }) =>
    `No machine size is chosen for ${p.pool}.`,
  'size.offered.offers-no-size': (p: { site: string; size: string }) =>
    `${p.site} offers no size ${p.size}.`,
  'sizes-offered': (p: { sizes: readonly string[] }) => `sizes offered: ${listText(p.sizes)}`,
  'not-offered': (p: { size: string; without: readonly string[] }) =>
    `${p.size} is not offered in ${listText(p.without)}.`,
  'no-left': (p: { empty: readonly string[]; size: string }) =>
    `${listText(p.empty)} has no ${p.size} left.`,
  offered: (p: { size: string; zones: readonly string[] }) =>
    `${p.size} is offered in ${listText(p.zones)}`,
  'last-answer-none': (p: { site: string }) => `last answer of ${p.site}: none in stock`,
  'root-disk.minimum': (p: {
    pool: string
    rootDiskGb: number
    baseImage: string
    version: string
    minimumRootDiskGb: number
  }) =>
    `Root disk of ${p.pool === controlPlanePool ? 'the control plane' : `pool ${p.pool}`} is ${numberText(p.rootDiskGb)} GB. Image ${p.baseImage} ${p.version} needs ${p.minimumRootDiskGb} GB. Set it to ${p.minimumRootDiskGb} GB or more.`,
  'image-minimum': (p: { baseImage: string; version: string; minimumRootDiskGb: number }) =>
    `${p.baseImage} ${p.version}: at least ${p.minimumRootDiskGb} GB`,
  'control-plane.count': () => 'A control plane needs at least one machine.',
  'members-tolerate-losses': (p: { count: number; toleratedLosses: number }) =>
    `${countText(p.count, 'member tolerates', 'members tolerate')} ${countText(p.toleratedLosses, 'loss', 'losses')}`,
  'control-plane.single': () => 'One control-plane machine tolerates no loss.',
  'single-member': () => '1 member tolerates 0 losses',
  'control-plane.spread': (p: { fatal: readonly string[] }) =>
    `Losing ${listText(p.fatal)} alone would stop the control plane: most of its machines would be there.`,
  'members-majority': (p: { count: number; majority: number }) =>
    `${countText(p.count, 'member')}, majority ${p.majority}`,
  'control-plane.machines': (p: { count: number; members: number }) =>
    `The draft asks for ${countText(p.count, 'control-plane machine')} and gives that role to ${p.members}.`,
  'roles-machines-control': (p: { members: number }) =>
    `roles in machines: ${p.members} control-plane`,
  'workers.none.no-machine-run': () =>
    'No machine would run workloads: there is no worker, and control-plane machines are kept clear of them.',
  'no-pool-no': () => 'no pool, and no machine with the role worker',
  'pool.name.pool-no-name': () => 'A pool has no name.',
  'pool.name.no-valid-pool': (p: { pool: string }) =>
    `“${p.pool}” is no valid pool name. Use a–z, 0–9 and inner dashes, at most 40${p.pool === controlPlanePool ? '; control-plane is kept for the control plane' : ''}.`,
  'node-names-made': () => 'Node names are made from it.',
  'pool.twice': (p: { pool: string }) => `Two pools are called ${p.pool}.`,
  'pool-names-unique': () => 'pool names are unique in a cluster',
  'pool.range': (p: { pool: string; min: number; max: number }) =>
    `Pool ${p.pool} has a lower end of ${p.min} and an upper end of ${p.max}.`,
  'pool.spot': (p: { site: string }) => `${p.site} sells no spot machines.`,
  'own-ground': (p: { site: string }) => `${p.site} is own ground`,
  'pool.edge': (p: { site: string }) =>
    `${p.site} makes no machines. Use the ones that stand there.`,
  'stand-there': (p: { boxesCount: number }) =>
    `${countText(p.boxesCount, 'machine stands', 'machines stand')} there`,
  'workers.none.no-machine-run-workloads': () =>
    'No machine would run workloads, not even the platform’s own pods. Add a pool with at least one node.',
  'managed-control-plane': () => 'a managed control plane runs no pods',

  // room
  'quota.cores': (p: {
    asked: number
    site: string
    quotaCores: number
    used: number
    reserved: number
    over: number
  }) =>
    `This asks for ${p.asked} vCPU. ${p.site} allows ${p.quotaCores}, of which ${p.used} are in use${p.reserved ? ` and ${p.reserved} reserved` : ''}: ${p.over} too many.`,
  'quota-vcpu-use': (p: { quotaCores: number; used: number; machinesCount: number }) =>
    `quota ${p.quotaCores} vCPU, ${p.used} in use by ${countText(p.machinesCount, 'machine')}`,
  'vcpu-reserved-running': (p: { reserved: number }) =>
    `${p.reserved} vCPU reserved by running changes`,
  'hosts.room': (p: { unfitCount: number; site: string; unfit: readonly string[]; why: string }) =>
    `${countText(p.unfitCount, 'machine has', 'machines have')} no place at ${p.site}: ${listText(p.unfit, 4)}. ${sentenceCase(p.why)}.`,
  'machine-unfit': (p: { name: string; says: string }) => `${p.name}: ${p.says}`,

  // ranges
  'range-address-prefix': () => 'a range is an address and a prefix length, host bits clear',
  'range.family': (p: { family: number; servicesFamily: number }) =>
    `Pods are IPv${p.family} and services IPv${p.servicesFamily}: neither would reach the other.`,
  'pods-services': (p: { pods: string; services: string }) =>
    `pods ${p.pods}, services ${p.services}`,
  'range.ipv4': (p: { site: string }) =>
    `${p.site} has IPv4 networks only: packets of IPv6 pods would not leave their nodes.`,
  networks: (p: { networks: readonly string[] }) => `networks: ${listText(p.networks, 4)}`,
  'range.overlap': (p: { end: string; range: string; names: readonly string[] }) =>
    `${p.end === 'pods' ? 'Pod' : 'Service'} range ${p.range} overlaps ${listText(p.names, 3)}. Packets for one would go to the other.`,
  'range-shared': (p: { holder: string; range: string }) => `shared with ${p.holder}: ${p.range}`,
  pods: (p: { pods: string }) => `pods ${p.pods}`,
  'node-block': () => 'a node takes a block of twice its pods',
  'range.size': (p: { pods: string; maxNodes: number; maxPodsPerNode: number; nodes: number }) =>
    `Pod range ${p.pods} holds ${countText(p.maxNodes, 'node')} of ${p.maxPodsPerNode} pods. This draft has ${p.nodes}.`,
  'one-node': (p: { perNodePrefix: number }) => `one /${p.perNodePrefix} a node`,
  'range.services-size': (p: { services: string; addresses: number }) =>
    `Service range ${p.services} has room for ${numberText(p.addresses)} services and none for DNS, which takes its tenth address.`,
  'service-addresses': () => 'API at network + 1, DNS at network + 10',
  'network.known': (p: { site: string; management: string }) =>
    `${p.site} has no network ${p.management}.`,
  'networks-all': (p: { networks: readonly string[] }) => `networks: ${listText(p.networks)}`,
  'one-floating-address': (p: { count: number }) =>
    `one floating address for the API, one for each of ${p.count} machines, one spare for a rolling step`,
  'addresses.static.too-few': (p: { network: string; free: number; wanted: number }) =>
    `${p.network} has ${countText(p.free, 'free static address', 'free static addresses')}; ${p.wanted} ${p.wanted === 1 ? 'is' : 'are'} needed.`,
  'addresses.static.proposed': (p: { network: string; proposed: readonly string[] }) =>
    `No addresses given: the lowest free ones of ${p.network} will be used, ${listText(p.proposed, 5)}.`,
  'virtual.network': (p: { site: string; frontage: string }) =>
    `${p.site} has no network ${p.frontage} with a pool.`,
  'virtual.pool': (p: { wanted: string; pool: string; network: string }) =>
    `${p.wanted} lies outside the pool ${p.pool} of ${p.network}.`,
  pool: (p: { pool: string }) => `pool ${p.pool}`,
  'virtual.held': (p: { held: readonly string[]; wanted: string }) =>
    `${listText(p.held, 3)} in ${p.wanted} is held already.`,
  'address-for': (p: { address: string; for: string }) => `${p.address} for ${p.for}`,

  // surroundings
  'store.room': (p: { zone: string; freeGb: number; neededGb: number }) =>
    `The disk store of ${p.zone} has ${numberText(p.freeGb)} GB left; this draft needs ${numberText(p.neededGb)} there.`,
  'store-use': (p: { usedGb: number; usableGb: number }) =>
    `${numberText(p.usedGb)} of ${numberText(p.usableGb)} GB in use, two copies of each`,
  'store-disk': (p: { disk: string; sizeGb: number; cluster: null | string }) =>
    `${p.disk}: ${numberText(p.sizeGb)} GB, ${p.cluster === null ? 'no cluster owns it' : `made for ${p.cluster}, which is gone`}`,
  'boot-data.limit': (p: {
    largeCount: number
    site: string
    fullBytes: number
    limit: number
    base64: boolean
  }) =>
    `The boot data of ${countText(p.largeCount, 'machine')} is too large for ${p.site}: ${bytesText(p.fullBytes)} of ${bytesText(p.limit)}${p.base64 ? ', after base64' : ''}. It is published on the boot server, and a pointer with its SHA-256 is handed over.`,
  'bytes-limit': (p: { machine: string; fullBytes: number; limit: number }) =>
    `${p.machine}: ${numberText(p.fullBytes)} bytes; limit ${numberText(p.limit)}`,
  authorities: (p: { authoritiesCount: number }) =>
    `${countText(p.authoritiesCount, 'certificate authority', 'certificate authorities')} in it`,
  'authority.private': (p: { authority: string }) =>
    `${p.authority} holds a private key. It would lie on every machine; paste the certificate alone.`,
  'authority.readable': (p: { authority: string }) =>
    `${p.authority} is no certificate: one block from BEGIN CERTIFICATE to END CERTIFICATE is expected.`,
  credential: (p: { credential: string; until: string; ended: boolean; answer: string | null }) =>
    `${p.credential}: ${p.ended ? 'ended' : 'until'} ${p.until}${p.answer !== null ? `, ${p.answer}` : ''}`,
  'credentials.valid.there-no-credential': (p: { site: string }) =>
    `There is no credential for ${p.site}. It takes orders only with one.`,
  'credentials.valid.credentials-ended-enter': (p: { site: string }) =>
    `The credentials for ${p.site} have ended. Enter a new one on the page of the site.`,
  'credentials.soon': (p: { site: string; days: number }) =>
    `The credential for ${p.site} ends in ${countText(p.days, 'day')}. A raise that halts may not be able to go on.`,
  'storage-class-zones': (p: { storageClass: string; zones: readonly string[] }) =>
    `${p.storageClass}: ${listText(p.zones)}`,
  'storage.offered': (p: { site: string; wanted: string }) =>
    `${p.site} offers no storage class ${p.wanted}.`,
  'storage.zone': (p: { wanted: string; without: readonly string[] }) =>
    `${p.wanted} is not offered in ${listText(p.without)}. A volume could not follow its pod there.`,

  // outside
  'quota.balancers': (p: { site: string; quotaBalancers: number; used: number }) =>
    `${p.site} allows ${countText(p.quotaBalancers, 'load balancer')}; ${p.used} are in use.`,
  'balancers-in-use': (p: { used: number; quotaBalancers: number }) =>
    `${p.used} of ${p.quotaBalancers} in use`,
  'public.site': (p: { site: string }) => `${p.site} has no addresses outside to give to nodes.`,
  'quota.addresses': (p: { site: string; limit: number; held: number; machinesCount: number }) =>
    `${p.site} allows ${countText(p.limit, 'address', 'addresses')} outside; ${p.held} are held and this draft needs ${p.machinesCount}.`,
  'quota-addresses': (p: { limit: number }) =>
    `quota ${countText(p.limit, 'address', 'addresses')}`,
  'public.nodes': () => 'Every node can be reached from outside, as far as the firewall lets it.',
  'addresses-wanted': (p: { machinesCount: number; front: string }) =>
    `${countText(p.machinesCount, 'address')} of ${p.front}`,
  'zone.subnet': (p: { zones: readonly string[]; site: string }) =>
    `${listText(p.zones)} ${p.zones.length === 1 ? 'has' : 'have'} no subnet at ${p.site}. A machine there would get no address.`,
  subnets: (p: { networks: readonly string[] }) => `subnets: ${listText(p.networks) || 'none'}`,
  'mtu.link': (p: { mtu: number; nodesNetwork: string; link: number }) =>
    `An MTU of ${p.mtu} does not pass ${p.nodesNetwork}, whose links take ${p.link}. Large packets would vanish.`,
  mtu: (p: { link: number }) => `MTU ${p.link}`,
  'route.missing': (p: { front: string; nodesNetwork: string; range: string }) =>
    `${p.front} has no route to ${p.nodesNetwork} (${p.range}). What arrives at a virtual address would not reach a node.`,
  routes: (p: { front: string; routes: readonly string[] }) =>
    `routes of ${p.front}: ${listText(p.routes) || 'none'}`,

  // leases
  'network.dhcp': (p: { network: string; machinesCount: number }) =>
    `The DHCP server of ${p.network} does not answer. ${countText(p.machinesCount, 'machine')} would get no address.`,
  'no-offer-when': () => 'no offer when last asked',
  'network.leases': (p: { network: string; left: number; machinesCount: number }) =>
    `${p.network} has ${countText(p.left, 'address', 'addresses')} left to give out; this draft needs ${p.machinesCount}.`,
  'dhcp-range': (p: { dhcp: string }) => `DHCP range ${p.dhcp}`,
  'leases-belong-no': (p: { staleCount: number; address: string; for: string }) =>
    `${p.staleCount} leases belong to no cluster, the first ${p.address} for ${p.for}`,

  // names
  'names.later': (p: { name: string }) => `${p.name} is checked once its address is known.`,
  'names.resolve.does-not-resolve': (p: { name: string; address: string }) =>
    `${p.name} does not resolve. It should lead to ${p.address}.`,
  'names.resolve.resolves-not': (p: { name: string; values: readonly string[]; address: string }) =>
    `${p.name} resolves to ${listText(p.values)}, not to ${p.address}.`,
  'no-record': (p: { short: string; domain: string }) => `no record ${p.short} in ${p.domain}`,
  'name-record': (p: { short: string; values: readonly string[] }) =>
    `record ${p.short}: ${listText(p.values)}`,
  'name-servers-answer': (p: { answering: readonly string[] }) =>
    `name servers that answer: ${listText(p.answering) || 'none'}`,
  'names.server.no-name-server': (p: { wrong: readonly string[] }) =>
    `No name server answers at ${listText(p.wrong)}.`,
  'names.server.hands-out-name': (p: { network: string; given: string }) =>
    `${p.network} hands out ${p.given} as name server, and nothing answers there. Machines could not pull an image.`,
  'dhcp-option-name': (p: { network: string; given: string }) =>
    `DHCP option of ${p.network}: name server ${p.given}`,
  'time.reachable': (p: { sources: readonly string[] }) =>
    `No time server answers (${listText(p.sources, 2)}). Machines would start with wrong clocks, and certificates would not be valid for them.`,
  'no-answer': (p: { sources: readonly string[] }) => `${listText(p.sources)}: no answer`,
  disk: (p: {
    identifier: string
    sizeGb: number
    removable: boolean
    holds: string | null
    shownAs: string
  }) =>
    `${p.identifier}: ${numberText(p.sizeGb)} GB, ${p.removable ? 'removable, ' : ''}${p.holds ?? 'blank'}, shows as ${p.shownAs} today`,
  'addresses.static.wrong': (p: { wrong: readonly string[] }) => p.wrong.slice(0, 3).join(' '),
  'addresses.static.count': (p: { given: number; wanted: number }) =>
    `${p.given} static addresses are given; ${p.wanted} are needed.`,
})
