/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { listText, durationText, countText, numberText } from '../units'

/** What a card was found with. */
function cardText(card: string, addresses: readonly string[] | null): string {
  if (addresses === null) return `there is no ${card}`
  return addresses.length > 0 ? `${card} has ${listText(addresses)}` : `${card} has no address`
}

export const said = sentences({
  'pools.machines': (p: { machines: number; mostMachines: number }) =>
    `The pools come to ${countText(p.machines, 'machine')}. A cluster of up to ${numberText(p.mostMachines)} is drafted as one: make it smaller, or several clusters of it.`,
  'pools.machines.why': (p: { pools: number }) =>
    `${countText(p.pools, 'pool')}, each with the most it may have`,
  // join
  'join-card': (p: {
    machine: string
    card: string
    has: readonly string[] | null
    shared: readonly string[]
    address: string
    holder: string | null
    cards: readonly string[]
  }) =>
    `${p.machine}: ${cardText(p.card, p.has)}${p.shared.length > 0 ? `, which ${listText(p.shared)} ${p.shared.length === 1 ? 'has' : 'have'} too` : ''}, not ${p.address}.${p.holder !== null ? ` ${p.address} is on ${p.holder}: use ${p.holder}.` : ` None of its cards has it: ${listText(p.cards, 4)}.`}`,
  'join-address': (p: { machine: string; same: readonly string[]; address: string }) =>
    `${p.machine} and ${listText(p.same)} both have ${p.address}. Nodes could not tell each other apart.`,
  'join-name': (p: { cluster: string; node: string }) =>
    `${p.cluster} has a node ${p.node} already.`,
  'join-architecture': (p: { machine: string; arch: string; wantedArch: string }) =>
    `${p.machine} is ${p.arch}; its entry says ${p.wantedArch}. This is another machine.`,
  'join-clock.told-no-readable': (p: { machine: string }) => `${p.machine} told no readable time.`,
  'join-clock.clock-certificates-not': (p: {
    machine: string
    seconds: number
    isBehind: boolean
  }) =>
    `The clock of ${p.machine} is ${durationText(p.seconds)} ${p.isBehind ? 'behind' : 'ahead'}. Certificates would not be valid there: set it, then run the script again.`,
  'join-runtime': (p: { machine: string }) =>
    `${p.machine} has no container runtime. Install it, then run the script again.`,

  // raise
  'ssh-key.known': (p: { sshKey: string }) => `There is no SSH key ${p.sshKey}.`,
  keys: (p: { sshKeys: readonly string[] }) => `keys: ${listText(p.sshKeys) || 'none'}`,
  'lifecycle.well': (p: { cluster: string; site: string; state: string }) =>
    `${p.cluster}, which drives the clusters of ${p.site}, is ${p.state}. What is raised now may not be looked after.`,

  // image-place
  'site.known': (p: { site: string }) => `There is no site ${p.site}.`,
  sites: (p: { sites: readonly string[] }) => `sites: ${listText(p.sites, 8)}`,
  'image.cloud': (p: { site: string }) =>
    `${p.site} keeps its base images itself. There is nothing to place.`,
  'site-is-cloud': (p: { site: string }) => `${p.site} is a cloud`,
  'image.reach': (p: { site: string }) =>
    `No route leads to ${p.site}. What it runs is carried in on drives.`,
  disconnected: (p: { site: string }) => `${p.site} is disconnected`,
  'release.available': (p: { release: string }) => `The catalogue has no release ${p.release}.`,
  'releases-listed': (p: { catalogueCount: number }) => `${p.catalogueCount} releases are listed`,
  'release.withdrawn': (p: { version: string; withdrawn: string }) =>
    `${p.version} was withdrawn: ${p.withdrawn}`,
  'release.architecture': (p: { version: string; arch: string }) =>
    `${p.version} is not built for ${p.arch}.`,
  built: (p: { architectures: readonly string[] }) => `built for ${listText(p.architectures)}`,
  'image.there': (p: { site: string; version: string }) =>
    `${p.site} holds the image of ${p.version} already.`,
  'images-held': (p: { images: readonly string[] }) => `images held: ${listText(p.images, 12)}`,

  // takedown
  'cluster.drives': (p: { cluster: string; driven: readonly string[] }) =>
    `${p.cluster} drives ${listText(p.driven)}. Take those down or hand them over first.`,
  drives: (p: { driven: readonly string[] }) => `drives ${listText(p.driven)}`,
  'cluster.pods': (p: { podCount: number; nodesCount: number }) =>
    `${countText(p.podCount, 'pod')} on ${countText(p.nodesCount, 'node')} end. Nothing of them is kept.`,
  'pods-observed': (p: { podCount: number }) => `${countText(p.podCount, 'pod')} observed`,

  // static-addresses
  'taken.network-address': () => 'is the network address',
  'taken.broadcast-address': () => 'is the broadcast address',
  'taken.gateway': () => 'is the gateway',
  'taken.dhcp': (p: { range: string }) => `lies in the DHCP range ${p.range}`,
  'taken.pool': (p: { range: string }) => `lies in the pool ${p.range}`,
  'taken.held': (p: { for: string }) => `is held for ${p.for}`,
  'taken.name-server': () => 'is the name server',
  'taken.record': (p: { record: string }) => `is what ${p.record} leads to`,
  'taken.reserved': () => 'is reserved by a running change',
  'address.outside': (p: { address: string; network: string; range: string }) =>
    `${p.address} lies outside ${p.network} (${p.range}).`,
  'address.taken': (p: { address: string; use: string; clash: string }) =>
    `${p.address} ${p.clash}.`,
  'address.twice': (p: { address: string }) => `${p.address} is given twice.`,
})
