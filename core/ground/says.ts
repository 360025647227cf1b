/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { countText, listText, numberText } from '../units'

export const said = sentences({
  // one-step
  'site.known.no-site-chosen': () => 'No site is chosen yet.',
  'site.known.there-no-site': (p: { name: string }) => `There is no site ${p.name}.`,
  sites: (p: { sites: readonly string[] }) => `sites: ${listText(p.sites, 8)}`,

  // sites
  'host.name': (p: { name: string }) =>
    `“${p.name}” is no host name: a–z, 0–9 and inner dashes, at most 63.`,
  'host.twice': (p: { name: string }) => `There is a host ${p.name} already.`,
  'zone.known.there-no-zone': (p: { zone: string; zones: readonly string[] }) =>
    `There is no zone ${p.zone}. Zones: ${listText(p.zones) || 'none'}.`,
  'host.power': (p: { name: string; fullWatts: number; idleWatts: number }) =>
    `${p.name} would draw less when full (${p.fullWatts} W) than when idle (${p.idleWatts} W).`,
  'size.name': (p: { name: string }) =>
    `“${p.name}” is no size name: a–z, 0–9 and inner dashes, at most 63.`,
  'size.twice': (p: { name: string }) => `Two sizes are called ${p.name}.`,
  'site.name.site-no-name': () => 'The site has no name yet.',
  'site.name.no-site-name': (p: { name: string }) =>
    `“${p.name}” is no site name: a–z, 0–9 and inner dashes, at most 63.`,
  'site.taken': (p: { name: string }) => `There is a site ${p.name} already.`,
  'domain.named': () => 'Say which routing domain it is in.',
  'zone.none.site-least-one': () => 'A site has at least one zone.',
  'host.site.only-hall-hosts': (p: { name: string; kind: string }) =>
    `Only a hall has hosts; ${p.name} is ${p.kind === 'cloud' ? 'a cloud' : 'an edge box'}.`,
  'range.overlap': (p: { range: string; clash: readonly string[] }) =>
    `${p.range} overlaps ${listText(p.clash, 3)}.`,
  domain: (p: { domain: string }) => `domain ${p.domain}`,
  'host.none': () => 'It has no host yet: nothing can be raised there before some are added.',
  'site.clusters': (p: { clusters: readonly string[]; site: string }) =>
    `${listText(p.clusters, 4)} ${p.clusters.length === 1 ? 'stands' : 'stand'} at ${p.site}. Take ${p.clusters.length === 1 ? 'it' : 'them'} down first.`,
  clusters: (p: { site: string; clusters: readonly string[] }) =>
    `clusters at ${p.site}: ${listText(p.clusters, 8)}`,
  'site.machines': (p: { machinesCount: number; site: string }) =>
    `${countText(p.machinesCount, 'machine is', 'machines are')} left at ${p.site} that no cluster owns.`,

  // site-edit
  'edit.none': () => 'Nothing is changed.',
  'zone.known.no-zone': (p: { site: string; zone: string }) => `${p.site} has no zone ${p.zone}.`,
  zones: (p: { zones: readonly string[] }) => `zones: ${listText(p.zones)}`,
  'zone.used': (p: { zone: string; heldCount: number; held: string }) =>
    `${p.zone} holds ${countText(p.heldCount, 'machine')}, the first ${p.held}.`,
  machines: (p: { heldCount: number; zone: string }) =>
    `${countText(p.heldCount, 'machine')} in ${p.zone}`,
  'zone.hosts': (p: { zone: string; hosts: readonly string[] }) =>
    `${p.zone} still has hosts: ${listText(p.hosts, 4)}.`,
  'zone.twice': (p: { site: string; zone: string }) => `${p.site} has a zone ${p.zone} already.`,
  'zone.none.site-keeps-least': () => 'A site keeps at least one zone.',
  'host.known.no-host': (p: { site: string; gone: string }) => `${p.site} has no host ${p.gone}.`,
  hosts: (p: { hosts: readonly string[] }) => `hosts: ${listText(p.hosts, 12)}`,
  'host.used': (p: { gone: string; on: readonly string[] }) =>
    `${p.gone} holds ${listText(p.on, 3)}.`,
  'host-machines': (p: { onCount: number; gone: string }) =>
    `${countText(p.onCount, 'machine')} on ${p.gone}`,
  'host.site.site-kind': (p: { site: string; kind: string }) =>
    `Only a hall has hosts; ${p.site} is ${p.kind === 'cloud' ? 'a cloud' : 'an edge box'}.`,
  'size.known': (p: { site: string; gone: string }) => `${p.site} offers no size ${p.gone}.`,
  'size.used': (p: { used: readonly string[]; gone: string }) =>
    `${listText(p.used)} ${p.used.length === 1 ? 'has' : 'have'} pools of ${p.gone}: those could no longer grow.`,
  'hosts.room': (p: { zone: string; cores: number; used: number }) =>
    `${p.zone} would have ${numberText(p.cores)} cores; ${numberText(p.used)} are in use.`,
  'cores-use': (p: { used: number; zone: string }) =>
    `${numberText(p.used)} cores in use in ${p.zone}`,

  // boxes
  boxes: (p: { boxes: readonly string[] }) => `machines: ${listText(p.boxes, 8) || 'none'}`,
  'machines.none': () => 'No machine is named.',
  'machine.free': (p: { gone: string; usedBy: string }) => `${p.gone} is in use by ${p.usedBy}.`,
  'machine.known': (p: { site: string; gone: string }) => `${p.site} has no machine ${p.gone}.`,
  'machine.name': (p: { name: string }) =>
    `“${p.name}” is no machine name: a–z, 0–9 and inner dashes, at most 63.`,
  'machine.twice': (p: { name: string }) => `There is a machine ${p.name} already.`,
  'card.mac': (p: { mac: string }) =>
    `“${p.mac}” is no hardware address: six pairs of digits, as in 02:47:59:12:00:01.`,
  'card.twice': (p: { name: string }) => `Two cards of ${p.name} have the same hardware address.`,
  'card.none': (p: { name: string }) => `${p.name} has no network card: nothing could reach it.`,

  // networks
  networks: (p: { networks: readonly string[] }) =>
    `networks: ${listText(p.networks, 8) || 'none'}`,
  'network.name': () => 'The network has no name.',
  'network.known.no-network': (p: { site: string; network: string }) =>
    `${p.site} has no network ${p.network}.`,
  'network.used': (p: { network: string; held: readonly string[] }) =>
    `${countText(p.held.length, 'address', 'addresses')} of ${p.network} are held: ${listText(p.held, 3)}.`,
  'network.range': (p: { network: string; site: string }) =>
    `${p.network} is new at ${p.site}: say its range.`,
  'range-address-prefix': () => 'a range is an address and a prefix length, host bits clear',
  'range.inside': (p: { text: string; network: string; range: string }) =>
    `${p.text} lies outside ${p.network} (${p.range}).`,
  'name-server.readable': (p: { nameServer: string }) => `${p.nameServer} is no address.`,
  'name-server.answers': (p: { nameServer: string }) =>
    `No name server answers at ${p.nameServer}.`,
  'name-servers-answer': (p: { good: readonly string[] }) =>
    `name servers that answer: ${listText(p.good) || 'none'}`,
  'range.dhcp-pool': (p: { pool: string; dhcp: string }) =>
    `The pool ${p.pool} and the DHCP range ${p.dhcp} share addresses: two would hand out the same one.`,
  'range.dhcp-held': (p: { held: readonly string[] }) =>
    `${listText(p.held, 3)} would be handed out a second time.`,
  'static-holdings': (p: { heldCount: number; dhcp: string }) =>
    `${p.heldCount} static holdings in ${p.dhcp}`,
  routes: (p: { routes: readonly string[] }) => `routes: ${listText(p.routes, 6) || 'none'}`,
  'route.known': (p: { network: string; to: string }) => `${p.network} has no route to ${p.to}.`,
  'route.there': (p: { network: string; to: string }) =>
    `${p.network} has a route to ${p.to} already.`,
  'route.self': (p: { to: string; network: string }) =>
    `${p.to} lies in ${p.network} itself: a route to oneself leads nowhere.`,

  // orphans
  'orphans.none': () => 'Nothing is named.',
  leftovers: (p: { leftCount: number }) =>
    `${countText(p.leftCount, 'thing is', 'things are')} owned by no cluster`,
  'orphans.owned.several': (p: { owned: readonly string[] }) =>
    `${listText(p.owned, 3)} ${p.owned.length === 1 ? 'is' : 'are'} owned by a cluster, or not there.`,
  'cluster.known': (p: { cluster: string; site: string }) =>
    `There is no cluster ${p.cluster} at ${p.site}.`,
  here: (p: { here: readonly string[] }) => `clusters: ${listText(p.here) || 'none'}`,
  'orphans.owned.one': (p: { name: string }) => `${p.name} is owned by a cluster, or not there.`,

  // zone-file
  'closing-parenthesis-no': () => 'A closing parenthesis has no opening one.',
  'quoted-text-not': () => 'A quoted text is not closed.',
  'parenthesis-never-closed': () => 'A parenthesis is never closed.',
  'ipv-address-takes': (p: { first: string; family: number; type: string; wanted: number }) =>
    `${p.first} is an IPv${p.family} address; ${p.type} takes IPv${p.wanted}.`,
  'serial-refresh-retry': () => 'Serial, refresh, retry, expire and minimum are whole numbers.',
  'txt-record-least': () => 'A TXT record has at least one text.',
  'text-txt-record': () => 'A text of a TXT record has at most 255 bytes; split it.',
  'type-not-known': (p: { type: string; recordTypes: readonly string[] }) =>
    `${p.type} is a type that is not known here. Known: ${p.recordTypes.join(', ')}.`,
  'no-time-live': (p: { word: string }) => `“${p.word}” is no time to live.`,
  'not-taken-write': (p: { directive: string }) =>
    `${p.directive} is not taken: write the records out.`,
  'no-directive-zone': (p: { word: string }) => `${p.word} is no directive of a zone file.`,
  'first-record-no': () => 'The first record has no name to take over.',
  'class-not-taken': (p: { class: string }) => `Class ${p.class} is not taken, only IN.`,
  'target-ends-without': (p: { origin: string; target: string }) =>
    `The target ends in ${p.origin} without a final dot, so it means ${p.target}`,
  'lies-outside': (p: { owner: string; root: string }) => `${p.owner} lies outside ${p.root}.`,
  'cname-other-cname': (p: { name: string; others: number }) =>
    `${p.name} has a CNAME and ${p.others} other ${p.others === 1 ? 'record' : 'records'}: a CNAME stands alone (RFC 2181).`,
  'stands-twice': (p: { name: string; type: string; record: string }) =>
    `${p.name} ${p.type} ${p.record} stands twice.`,
  'records-different-times': (p: { type: string; name: string }) =>
    `The ${p.type} records of ${p.name} have different times to live; they are one set (RFC 2181).`,
  'too-many-records': (p: { mostRecords: number }) =>
    `${numberText(p.mostRecords)} records are read at a time; this line and what follows it are not. Give the zone in parts.`,
  'there-more-one': () => 'There is more than one SOA record.',
  'cnames-run-circle': (p: { circle: readonly string[] }) =>
    `CNAMEs run in a circle: ${p.circle.join(' → ')}`,

  // records
  'names.server': (p: { site: string }) => `${p.site} has no name server of its own.`,
  'record.none': () => 'Nothing is set and nothing removed.',
  'record.type': (p: { type: string; recordTypes: readonly string[] }) =>
    `${p.type} is not known here. Known: ${p.recordTypes.join(', ')}.`,
  'record.gone': (p: { missing: readonly string[] }) =>
    `${listText(p.missing, 3)} ${p.missing.length === 1 ? 'is' : 'are'} not there to be removed.`,

  // services
  'service.own': (p: { site: string }) =>
    `${p.site} runs its services itself. Nobody outside can restart them.`,
  'site-is-cloud': (p: { site: string }) => `${p.site} is a cloud`,
  'network.known.no-network-dhcp': (p: { site: string; network: string }) =>
    `${p.site} has no network ${p.network} with a DHCP server.`,
  dhcp: (p: { networks: readonly string[] }) => `DHCP on ${listText(p.networks) || 'none'}`,
  'quota.none': (p: { site: string }) => `${p.site} sets no quota.`,
  'no-quota': () => 'no quota',
  'quota.more': (p: { site: string; quotaCores: number }) =>
    `${p.site} allows ${p.quotaCores} vCPU already.`,
  'quota-vcpu': (p: { quotaCores: number }) => `quota ${p.quotaCores} vCPU`,
  'host.known.site-missing': (p: { site: string; missing: readonly string[] }) =>
    `${p.site} has no host ${listText(p.missing)}.`,
  'hosts-all': (p: { hosts: readonly string[] }) => `hosts: ${listText(p.hosts, 12) || 'none'}`,

  // contact
  'contact.none': (p: { site: string }) => `No address is kept for ${p.site}.`,
  'contact.unreadable': (p: { address: string; site: string }) =>
    `“${p.address}” is no address to call. Write it like http://10.20.0.254:4600.`,
  'contact.loopback': (p: { address: string; site: string }) =>
    `${p.address} leads every machine back to itself. Give the address under which machines at ${p.site} reach Gyrarch.`,
  'contact.more': (p: { address: string }) => `${p.address} has more than scheme, host and port.`,
  'contact.name': (p: { host: string; site: string }) =>
    `No record of ${p.site} leads ${p.host} anywhere: machines there would not find it.`,
  'records-of': (p: { domain: string; records: number }) =>
    `${countText(p.records, 'record')} of ${p.domain}`,

  // ledger
  'ledger.none': () => 'No range is given.',
  'ledger.known': (p: { ranges: readonly string[] }) =>
    `${listText(p.ranges, 3)} ${p.ranges.length === 1 ? 'was' : 'were'} not entered by hand, or ${p.ranges.length === 1 ? 'is' : 'are'} gone.`,
  'ledger.overlap': (p: { range: string; name: string; other: string; otherRange: string }) =>
    `${p.range} (${p.name}) overlaps ${p.other} (${p.otherRange}).`,
  'machines-left': (p: { machines: readonly string[] }) => listText(p.machines, 4),

  // zone-file names and values
  'name.length': (p: { name: string }) => `“${p.name}” is no name of 1 to 253 characters.`,
  'name.wild-card': (p: { name: string }) =>
    `In ${p.name} the wild card is not the leftmost label by itself (RFC 4592).`,
  'name.label': (p: { label: string; name: string }) =>
    `“${p.label}” in ${p.name} is no label: letters, digits, inner dashes, at most 63.`,
  'value.count': (p: { type: string; wanted: number; given: number }) =>
    `A ${p.type} record has ${p.wanted} ${p.wanted === 1 ? 'value' : 'values'}; this has ${p.given}.`,
  'value.preference': (p: { preference: string }) =>
    `“${p.preference}” is no preference of 0 to 65535.`,
  'value.service': () => 'Priority, weight and port are whole numbers of 0 to 65535 (RFC 2782).',
  'value.flag': () => 'The flag of a CAA record is a number of 0 to 255.',
})
