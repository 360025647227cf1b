/** What a raise needs of its site beside machines: addresses that are given out, names, time, routes, stores, credentials. */
import type { Fact, RawFinding } from '../../changes'
import { intersection, parseAddress, parseRange, sizeOf } from '../../addresses'
import { type NetworkView, type SiteView, zoneStore } from '../../fleet'
import { widerDhcp } from '../../ground/networks'
import { bytesText, countText, listText, numberText } from '../../units'
import { bootDataOf } from '../boot-plan'
import type { Check, Planned, PlannedMachine } from '../planned'

const at = (site: SiteView) => ({ source: site.name, at: site.observedAt })

const patch = (path: string, value: unknown) => ({
  patchDraft: [{ op: 'add', path, value } as const],
})

/** Networks on which the draft’s machines ask for an address, with how many do. */
function leasesWanted({
  site,
  machines,
  nodesNetwork,
  managementNetwork,
  statics,
}: Planned): ReadonlyMap<NetworkView, readonly PlannedMachine[]> {
  const wanted = new Map<NetworkView, PlannedMachine[]>()
  if (!site || site.kind === 'edge') return wanted
  for (const machine of machines) {
    const member = machine.role === 'control-plane'
    if (site.kind === 'hall' && member && statics) continue
    let network: NetworkView | undefined
    if (site.kind === 'cloud') network = site.networks.find((other) => other.zone === machine.zone)
    else if (member) network = managementNetwork
    else network = nodesNetwork
    if (network) wanted.set(network, [...(wanted.get(network) ?? []), machine])
  }
  return wanted
}

/** Addresses a network’s DHCP server can still give out. */
function freeLeases(site: SiteView, network: NetworkView): number {
  const range = parseRange(network.dhcp ?? network.range)
  if (!range.ok) return 0
  const held = new Set(
    site.addresses.flatMap((address) => {
      const one = parseRange(address.address)
      return one.ok && intersection(one.value, range.value) ? [address.address] : []
    }),
  )
  return Number(sizeOf(range.value)) - held.size - (network.dhcp === undefined ? 4 : 0)
}

export const checkLeases: Check = (planned) => {
  const { site } = planned
  if (!site || planned.intent.networks.addressing === 'static') return []
  return [...leasesWanted(planned)].flatMap(([network, machines]): RawFinding[] => {
    const field = 'networks.nodes'
    const findings: RawFinding[] = []
    const restart = {
      says: `Restart the DHCP server of ${network.name}`,
      change: {
        kind: 'site.service',
        intent: { site: site.name, service: 'dhcp', network: network.name },
      },
    }
    if (network.dhcpAnswers === false) {
      findings.push({
        level: 'stop',
        rule: 'network.dhcp',
        field,
        about: `network/${site.name}/${network.name}`,
        says: `The DHCP server of ${network.name} does not answer. ${countText(machines.length, 'machine')} would get no address.`,
        because: [{ says: 'no offer when last asked', ...at(site) }],
        offers: site.kind === 'cloud' ? [] : [restart],
      })
    }
    const free = freeLeases(site, network)
    if (free < machines.length) {
      const stale = site.addresses.filter(
        (address) =>
          address.network === network.name && address.how === 'dhcp' && address.cluster === null,
      )
      const wider = widerDhcp(network, site)
      findings.push({
        level: 'stop',
        rule: 'network.leases',
        field,
        says: `${network.name} has ${Math.max(0, free)} addresses left to give out; this draft needs ${machines.length}.`,
        because: [
          { says: `DHCP range ${network.dhcp ?? network.range}`, source: 'address ledger' },
          ...(stale.length > 0
            ? [
                {
                  says: `${stale.length} leases belong to no cluster, the first ${stale[0]?.address ?? ''} for ${stale[0]?.for ?? ''}`,
                  source: 'address ledger',
                },
              ]
            : []),
        ],
        offers: [
          ...(stale.length > 0
            ? [
                {
                  says: `Give back ${stale.length} leases that nothing holds any more`,
                  change: {
                    kind: 'orphans.remove',
                    intent: {
                      site: site.name,
                      items: stale
                        .slice(0, 4096)
                        .map((address) => ({ kind: 'address', name: address.address })),
                    },
                  },
                },
              ]
            : []),
          ...(wider === null
            ? []
            : [
                {
                  says: `Widen the DHCP range to ${wider}`,
                  change: {
                    kind: 'site.network',
                    intent: { site: site.name, network: network.name, dhcp: wider },
                  },
                },
              ]),
        ],
      })
    }
    return findings
  })
}

export const checkNameServer: Check = (planned) => {
  const { site, intent, view } = planned
  if (!site) return []
  const answering = view.sites
    .filter((other) => other.domain === site.domain)
    .flatMap((other) =>
      other.nameServers.filter((server) => server.answers).map((server) => server.address),
    )
  const known = view.sites
    .filter((other) => other.domain === site.domain)
    .flatMap((other) => other.nameServers)
  if (known.length === 0) return []
  const own = site.nameServers.find((server) => server.answers)?.address
  const because: Fact[] = [
    {
      says: `name servers that answer: ${listText([...new Set(answering)]) || 'none'}`,
      ...at(site),
    },
  ]
  const asked = intent.services?.nameServers
  if (asked && asked.length > 0) {
    const wrong = asked.filter((address) => !answering.includes(address))
    if (wrong.length < asked.length) return []
    return [
      {
        level: 'stop',
        rule: 'names.server',
        field: 'services.nameServers',
        says: `No name server answers at ${listText(wrong)}.`,
        because,
        offers:
          own === undefined
            ? []
            : [{ says: `Use ${own}`, change: patch('/services/nameServers', [own]) }],
      },
    ]
  }
  return [...leasesWanted(planned).keys()].flatMap((network): RawFinding[] => {
    const given = network.nameServer ?? own
    if (given === undefined || answering.includes(given)) return []
    return [
      {
        level: 'stop',
        rule: 'names.server',
        field: 'networks.nodes',
        about: `network/${site.name}/${network.name}`,
        says: `${network.name} hands out ${given} as name server, and nothing answers there. Machines could not pull an image.`,
        because: [
          { says: `DHCP option of ${network.name}: name server ${given}`, ...at(site) },
          ...because,
        ],
        offers:
          own === undefined
            ? []
            : [
                {
                  says: `Have ${network.name} hand out ${own}`,
                  change: {
                    kind: 'site.network',
                    intent: { site: site.name, network: network.name, nameServer: own },
                  },
                },
                {
                  says: `Give the machines ${own} themselves`,
                  change: {
                    patchDraft: [
                      {
                        op: 'add',
                        path: '/services',
                        value: { ...intent.services, nameServers: [own] },
                      },
                    ],
                  },
                },
              ],
      },
    ]
  })
}

export const checkTime: Check = ({ site, intent, view }) => {
  if (!site) return []
  const all = view.sites
    .filter((other) => other.domain === site.domain)
    .flatMap((other) => other.timeServers.map((server) => ({ ...server, site: other.name })))
  const asked = intent.services?.timeServers
  const sources =
    asked && asked.length > 0
      ? asked.map(
          (name) =>
            all.find((server) => server.name === name) ?? { name, answers: false, site: '' },
        )
      : site.timeServers
  if (sources.length === 0 || sources.some((server) => server.answers)) return []
  const others = all.filter((server) => server.answers && server.site !== site.name).slice(0, 2)
  return [
    {
      level: 'stop',
      rule: 'time.reachable',
      field: 'services.timeServers',
      says: `No time server answers (${listText(
        sources.map((server) => server.name),
        2,
      )}). Machines would start with wrong clocks, and certificates would not be valid for them.`,
      because: [
        { says: `${listText(sources.map((server) => server.name))}: no answer`, ...at(site) },
      ],
      offers: [
        ...(site.kind !== 'cloud' && site.timeServers.some((server) => !server.answers)
          ? [
              {
                says: `Restart the time servers of ${site.name}`,
                change: { kind: 'site.service', intent: { site: site.name, service: 'time' } },
              },
            ]
          : []),
        ...(others.length > 0
          ? [
              {
                says: `Use ${listText(others.map((server) => server.name))}`,
                change: {
                  patchDraft: [
                    {
                      op: 'add',
                      path: '/services',
                      value: {
                        ...intent.services,
                        timeServers: others.map((server) => server.name),
                      },
                    } as const,
                  ],
                },
              },
            ]
          : []),
      ],
    },
  ]
}

export const checkStores: Check = (planned) => {
  const { site, machines, intent } = planned
  if (!site || site.kind !== 'hall') return []
  return site.zones.flatMap((zone): RawFinding[] => {
    const here = machines.filter((machine) => machine.zone === zone)
    const asked = here.reduce((sum, machine) => sum + machine.rootDiskGb, 0)
    if (asked === 0) return []
    const { usableGb, usedGb } = zoneStore(site, zone)
    if (usedGb + asked <= usableGb) return []
    const owned = new Set(planned.view.clusters.map((cluster) => cluster.name))
    const stray = site.disks.filter(
      (disk) =>
        disk.zone === zone &&
        (disk.cluster === null || !owned.has(disk.cluster)) &&
        disk.machine === null,
    )
    const elsewhere = site.zones.filter(
      (other) =>
        other !== zone && zoneStore(site, other).usableGb - zoneStore(site, other).usedGb > asked,
    )
    const fields = [...new Set(here.map((machine) => machine.field))]
    return [
      {
        level: 'stop',
        rule: 'store.room',
        field: 'pools',
        about: `store/${site.name}/${zone}`,
        says: `The disk store of ${zone} has ${numberText(Math.max(0, usableGb - usedGb))} GB left; this draft needs ${numberText(asked)} there.`,
        because: [
          {
            says: `${numberText(usedGb)} of ${numberText(usableGb)} GB in use, two copies of each`,
            ...at(site),
          },
          ...stray.slice(0, 3).map((disk) => ({
            says: `${disk.name}: ${numberText(disk.sizeGb)} GB, ${disk.cluster === null ? 'no cluster owns it' : `made for ${disk.cluster}, which is gone`}`,
            ...at(site),
          })),
        ],
        offers: [
          ...(stray.length > 0
            ? [
                {
                  says: `Remove ${listText(
                    stray.map((disk) => disk.name),
                    2,
                  )}, which nobody owns`,
                  change: {
                    kind: 'orphans.remove',
                    intent: {
                      site: site.name,
                      items: stray.map((disk) => ({ kind: 'disk', name: disk.name })),
                    },
                  },
                },
              ]
            : []),
          ...(elsewhere.length > 0
            ? [
                {
                  says: `Leave ${zone} out`,
                  change: {
                    patchDraft: fields.map((field) => ({
                      op: 'add' as const,
                      path: `/${field.replace(/\[(\d+)\]/g, '/$1')}/zones`,
                      value: zonesOf(intent, field, site).filter((other) => other !== zone),
                    })),
                  },
                },
              ]
            : []),
        ],
      },
    ]
  })
}

function zonesOf(intent: Planned['intent'], field: string, site: SiteView): readonly string[] {
  const index = /^pools\[(\d+)\]$/.exec(field)?.[1]
  let asked: string[] | undefined
  if (index === undefined) {
    if (intent.controlPlane.kind === 'own') asked = intent.controlPlane.zones
    else asked = undefined
  } else asked = intent.pools[Number(index)]?.zones
  return asked?.length ? asked : site.zones
}

/** A virtual address network and the node network must be joined by a route. */
export const checkRoute: Check = ({ intent, site, nodesNetwork }) => {
  if (!site || site.kind !== 'hall' || !intent.networks.virtualAddresses || !nodesNetwork) return []
  const front = site.networks.find((other) =>
    intent.networks.frontage === undefined
      ? other.role === 'frontage'
      : other.name === intent.networks.frontage,
  )
  if (!front || front.name === nodesNetwork.name) return []
  if (
    site.routes.some(
      (route) =>
        route.network === front.name &&
        (route.to === nodesNetwork.range || route.to === '0.0.0.0/0'),
    )
  )
    return []
  const via = front.gateway ?? ''
  return [
    {
      level: 'stop',
      rule: 'route.missing',
      field: 'networks.frontage',
      about: `network/${site.name}/${front.name}`,
      says: `${front.name} has no route to ${nodesNetwork.name} (${nodesNetwork.range}). What arrives at a virtual address would not reach a node.`,
      because: [
        {
          says: `routes of ${front.name}: ${listText(site.routes.filter((route) => route.network === front.name).map((route) => `${route.to} by ${route.via}`)) || 'none'}`,
          ...at(site),
        },
      ],
      offers:
        via === ''
          ? []
          : [
              {
                says: `Add the route to ${nodesNetwork.range} by ${via}`,
                change: {
                  kind: 'wire.route',
                  intent: { site: site.name, network: front.name, to: nodesNetwork.range, via },
                },
              },
            ],
    },
  ]
}

export const checkBootData: Check = (planned) => {
  const { site, intent } = planned
  if (!site || site.bootData.limitBytes === null) return []
  const limit = site.bootData.limitBytes
  const all = bootDataOf(planned)
  const large = all.filter((boot) => boot.handed.fullBytes > limit)
  const first = large[0]
  if (!first) return []
  return [
    {
      level: 'note',
      rule: 'boot-data.limit',
      field: 'bootData',
      says: `The boot data of ${countText(large.length, 'machine')} is too large for ${site.name}: ${bytesText(first.handed.fullBytes)} of ${bytesText(limit)}${site.bootData.base64 ? ', after base64' : ''}. It is published on the boot server, and a pointer with its SHA-256 is handed over.`,
      because: [
        {
          says: `${first.machine}: ${numberText(first.handed.fullBytes)} bytes; limit ${numberText(limit)}`,
          ...at(site),
        },
        ...(intent.services?.authorities.length
          ? [
              {
                says: `${countText(intent.services.authorities.length, 'certificate authority', 'certificate authorities')} in it`,
                source: 'draft',
              },
            ]
          : []),
      ],
    },
  ]
}

/** Private keys and broken certificates are caught before they lie on every machine. */
export const checkAuthorities: Check = ({ intent }) =>
  (intent.services?.authorities ?? []).flatMap((authority, i): RawFinding[] => {
    const field = `services.authorities[${i}].pem`
    const drop = {
      says: 'Leave it out',
      change: { patchDraft: [{ op: 'remove' as const, path: `/services/authorities/${i}` }] },
    }
    if (authority.pem.includes('PRIVATE KEY'))
      return [
        {
          level: 'stop',
          rule: 'authority.private',
          field,
          says: `${authority.name || 'This authority'} holds a private key. It would lie on every machine; paste the certificate alone.`,
          because: [],
          offers: [drop],
        },
      ]
    if (
      /^\s*-----BEGIN CERTIFICATE-----[A-Za-z0-9+/=\s]+-----END CERTIFICATE-----\s*$/.test(
        authority.pem,
      )
    )
      return []
    return [
      {
        level: 'stop',
        rule: 'authority.readable',
        field,
        says: `${authority.name || 'This authority'} is no certificate: one block from BEGIN CERTIFICATE to END CERTIFICATE is expected.`,
        because: [],
        offers: [drop],
      },
    ]
  })

export const checkCredentials: Check = ({ site, view }) => {
  if (!site || site.kind !== 'cloud') return []
  const mine = view.credentials.filter((credential) => credential.site === site.name)
  const good = mine.filter(
    (credential) => credential.until > view.now && credential.checked?.good !== false,
  )
  const because: Fact[] = mine.map((credential) => ({
    says: `${credential.name}: ${credential.until > view.now ? 'until' : 'ended'} ${credential.until.slice(0, 10)}${credential.checked ? `, ${credential.checked.says}` : ''}`,
    source: 'credentials',
  }))
  if (good.length === 0) {
    return [
      {
        level: 'stop',
        rule: 'credentials.valid',
        field: 'site',
        says:
          mine.length === 0
            ? `There is no credential for ${site.name}. It takes orders only with one.`
            : `The credentials for ${site.name} have ended. Enter a new one on the page of the site.`,
        because,
      },
    ]
  }
  const days = Math.max(
    ...good.map((credential) => (Date.parse(credential.until) - Date.parse(view.now)) / 86_400_000),
  )
  return days > 14
    ? []
    : [
        {
          level: 'caution',
          rule: 'credentials.soon',
          field: 'site',
          says: `The credential for ${site.name} ends in ${countText(Math.max(0, Math.floor(days)), 'day')}. A raise that halts may not be able to go on.`,
          because,
        },
      ]
}

export const checkStorageClass: Check = ({ site, intent, machines }) => {
  const wish = intent.storageClass
  if (!site || wish === undefined || wish === '') return []
  const field = 'storageClass'
  const known = site.storageClasses.find((other) => other.name === wish)
  const zones = [
    ...new Set(
      machines.filter((machine) => machine.role === 'worker').map((machine) => machine.zone),
    ),
  ]
  const fitting = site.storageClasses.filter((other) =>
    zones.every((zone) => other.zones.includes(zone)),
  )
  const because: Fact[] = site.storageClasses.map((other) => ({
    says: `${other.name}: ${listText(other.zones)}`,
    ...at(site),
  }))
  const offers = fitting
    .slice(0, 2)
    .map((other) => ({ says: `Use ${other.name}`, change: patch('/storageClass', other.name) }))
  if (!known)
    return [
      {
        level: 'stop',
        rule: 'storage.offered',
        field,
        says: `${site.name} offers no storage class ${wish}.`,
        because,
        offers,
      },
    ]
  const without = zones.filter((zone) => !known.zones.includes(zone))
  if (without.length === 0) return []
  return [
    {
      level: 'stop',
      rule: 'storage.zone',
      field,
      says: `${wish} is not offered in ${listText(without)}. A volume could not follow its pod there.`,
      because,
      offers,
    },
  ]
}

/** Load balancers and addresses outside, where a cloud counts them. */
export const checkOutsideQuota: Check = (planned) => {
  const { site, intent, machines } = planned
  if (!site) return []
  const findings: RawFinding[] = []
  if (intent.networks.frontage !== undefined || intent.networks.virtualAddresses !== undefined) {
    const used = site.balancers.length
    if (site.quotaBalancers !== null && used + 1 > site.quotaBalancers) {
      findings.push({
        level: 'stop',
        rule: 'quota.balancers',
        field: 'networks.frontage',
        says: `${site.name} allows ${countText(site.quotaBalancers, 'load balancer')}; ${used} are in use.`,
        because: [{ says: `${used} of ${site.quotaBalancers} in use`, ...at(site) }],
        offers: [
          {
            says: 'Raise it without a load balancer',
            change: {
              patchDraft: [
                ...(intent.networks.frontage === undefined
                  ? []
                  : [{ op: 'remove' as const, path: '/networks/frontage' }]),
                ...(intent.networks.virtualAddresses === undefined
                  ? []
                  : [{ op: 'remove' as const, path: '/networks/virtualAddresses' }]),
              ],
            },
          },
        ],
      })
    }
  }
  if (intent.networks.nodeAddresses === 'public') {
    const front = site.networks.find((network) => network.role === 'frontage')
    const held = site.addresses.filter((address) => address.network === front?.name).length
    const most = site.quotaAddresses ?? 0
    if (site.kind !== 'cloud')
      findings.push({
        level: 'stop',
        rule: 'public.site',
        field: 'networks.nodeAddresses',
        says: `${site.name} has no addresses outside to give to nodes.`,
        because: [],
        offers: [
          { says: 'Keep nodes private', change: patch('/networks/nodeAddresses', 'private') },
        ],
      })
    else if (held + machines.length > most)
      findings.push({
        level: 'stop',
        rule: 'quota.addresses',
        field: 'networks.nodeAddresses',
        says: `${site.name} allows ${most} addresses outside; ${held} are held and this draft needs ${machines.length}.`,
        because: [{ says: `quota ${most} addresses`, ...at(site) }],
        offers: [
          { says: 'Keep nodes private', change: patch('/networks/nodeAddresses', 'private') },
        ],
      })
    else
      findings.push({
        level: 'caution',
        rule: 'public.nodes',
        field: 'networks.nodeAddresses',
        says: 'Every node can be reached from outside, as far as the firewall lets it.',
        because: [
          {
            says: `${countText(machines.length, 'address')} of ${front?.name ?? site.name}`,
            ...at(site),
          },
        ],
        offers: [
          { says: 'Keep nodes private', change: patch('/networks/nodeAddresses', 'private') },
        ],
      })
  }
  return findings
}

/** In a cloud a machine stands in a subnet of its zone. */
export const checkSubnets: Check = ({ site, machines }) => {
  if (!site || site.kind !== 'cloud') return []
  const without = [...new Set(machines.map((machine) => machine.zone))].filter(
    (zone) => site.zones.includes(zone) && !site.networks.some((network) => network.zone === zone),
  )
  const fields = [
    ...new Set(
      machines.filter((machine) => without.includes(machine.zone)).map((machine) => machine.field),
    ),
  ]
  const others = site.zones.filter((zone) => site.networks.some((network) => network.zone === zone))
  return fields.map((field): RawFinding => {
    const zones = [
      ...new Set(
        machines
          .filter((machine) => machine.field === field && without.includes(machine.zone))
          .map((machine) => machine.zone),
      ),
    ]
    return {
      level: 'stop',
      rule: 'zone.subnet',
      field: `${field}.zones`,
      says: `${listText(zones)} ${zones.length === 1 ? 'has' : 'have'} no subnet at ${site.name}. A machine there would get no address.`,
      because: [
        {
          says: `subnets: ${listText(site.networks.filter((network) => network.zone !== undefined).map((network) => `${network.zone ?? ''} ${network.range}`)) || 'none'}`,
          ...at(site),
        },
      ],
      offers:
        others.length === 0
          ? []
          : [
              {
                says: `Use ${listText(others)}`,
                change: patch(`/${field.replace(/\[(\d+)\]/g, '/$1')}/zones`, others),
              },
            ],
    }
  })
}

/** Names that are given must resolve to the addresses that will be used. */
export const checkNames: Check = ({ site, intent, statics, view }) => {
  if (!site || !intent.names) return []
  const virtual =
    intent.networks.virtualAddresses === undefined
      ? null
      : parseRange(intent.networks.virtualAddresses)
  const firstBox = intent.machines[0]?.address?.split('/')[0]
  const wants = [
    {
      field: 'names.api',
      name: intent.names.api,
      address: statics?.addresses[0] ?? firstBox ?? null,
    },
    {
      field: 'names.ingress',
      name: intent.names.ingress,
      address: virtual?.ok
        ? (intent.networks.virtualAddresses?.split(/[-/]/)[0]?.trim() ?? null)
        : null,
    },
  ]
  const domain = site.nameDomain
  return wants.flatMap(({ field, name, address }): RawFinding[] => {
    if (!name) return []
    const short = name.endsWith(`.${domain}`) ? name.slice(0, -domain.length - 1) : name
    const records = view.sites
      .filter((other) => other.domain === site.domain)
      .flatMap((other) => other.records)
    const found = records
      .filter((record) => record.name === short && (record.type === 'A' || record.type === 'AAAA'))
      .map((record) => record.value)
    if (address === null)
      return [
        {
          level: 'note',
          rule: 'names.later',
          field,
          says: `${name} is checked once its address is known.`,
          because: [],
        },
      ]
    if (found.includes(address)) return []
    return [
      {
        level: 'stop',
        rule: 'names.resolve',
        field,
        says:
          found.length === 0
            ? `${name} does not resolve. It should lead to ${address}.`
            : `${name} resolves to ${listText(found)}, not to ${address}.`,
        because: [
          {
            says:
              found.length === 0
                ? `no record ${short} in ${domain}`
                : `record ${short}: ${listText(found)}`,
            source: `name server of ${site.name}`,
            at: site.observedAt,
          },
        ],
        offers: [
          {
            says: `Add the record ${short} → ${address}`,
            change: {
              kind: 'wire.record',
              intent: {
                site: site.name,
                set: [
                  {
                    name: short,
                    type: parseAddress(address).ok && address.includes(':') ? 'AAAA' : 'A',
                    ttl: 3600,
                    value: address,
                  },
                ],
                remove: found.map((value) => ({ name: short, type: 'A', value })),
              },
            },
          },
          {
            says: 'Give it no name',
            change: { patchDraft: [{ op: 'remove', path: `/${field.replace('.', '/')}` }] },
          },
        ],
      },
    ]
  })
}

/** MTU: what the draft asks for must pass on the network it is asked for. */
export const checkMtu: Check = ({ site, intent, nodesNetwork }) => {
  const mtu = intent.services?.mtu
  const link = nodesNetwork?.mtu ?? 1500
  if (!site || mtu === undefined || mtu <= link) return []
  return [
    {
      level: 'stop',
      rule: 'mtu.link',
      field: 'services.mtu',
      says: `An MTU of ${mtu} does not pass ${nodesNetwork?.name ?? 'the node network'}, whose links take ${link}. Large packets would vanish.`,
      because: [{ says: `MTU ${link}`, ...at(site) }],
      offers: [{ says: `Use ${link}`, change: patch('/services/mtu', link) }],
    },
  ]
}
