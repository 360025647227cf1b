/** Things a site does for its machines, mended: DHCP, time, names, boot data; and what it allows: quota, hosts in service. */
import { command } from '../contract'
import { z } from 'zod'
import { ref, stop } from '../changes'
import { listText, numberText } from '../units'
import { oneStep, put, seen } from './one-step'
import { said } from './says'

const name = z.string().max(253)

const serviceNames = {
  dhcp: 'DHCP server',
  time: 'time servers',
  names: 'name servers',
  boot: 'boot data service',
} as const

export const siteService = oneStep({
  name: 'site.service',
  title: 'Restart a service of a site',
  intent: z.strictObject({
    site: name,
    service: z.enum(['dhcp', 'time', 'names', 'boot']),
    network: name.optional(),
  }),
  label: (intent) =>
    `restart the ${serviceNames[intent.service]} of ${intent.network ?? intent.site}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('service', intent.site, intent.network ?? intent.service),
  check: (intent, site) => {
    if (site.kind === 'cloud')
      return [
        stop('service.own', 'site', said('service.own', { site: site.name }), [
          seen(site, said('site-is-cloud', { site: site.name })),
        ]),
      ]
    if (intent.service !== 'dhcp') return []
    const networks = site.networks.filter((network) => network.dhcp !== undefined)
    if (
      intent.network !== undefined &&
      !networks.some((network) => network.name === intent.network)
    ) {
      return [
        stop(
          'network.known',
          'network',
          said('network.known.no-network-dhcp', { site: site.name, network: intent.network }),
          [seen(site, said('dhcp', { networks: networks.map((network) => network.name) }))],
          networks.slice(0, 2).map((network) => ({
            says: `Restart that of ${network.name}`,
            change: put('/network', network.name),
          })),
        ),
      ]
    }
    return []
  },
  says: (intent) =>
    `restart the ${serviceNames[intent.service]}${intent.network === undefined ? '' : ` of ${intent.network}`}`,
  command: (intent) =>
    command('service.restart', {
      site: intent.site,
      service: intent.service,
      network: intent.network ?? null,
    }),
  seconds: { likely: 45, worst: 90 },
  after: (intent, site) => ({
    ...site,
    networks:
      intent.service === 'dhcp'
        ? site.networks.map((network) =>
            intent.network === undefined || network.name === intent.network
              ? { ...network, dhcpAnswers: true }
              : network,
          )
        : site.networks,
    timeServers:
      intent.service === 'time'
        ? site.timeServers.map((server) => ({ ...server, answers: true }))
        : site.timeServers,
    nameServers:
      intent.service === 'names'
        ? site.nameServers.map((server) => ({ ...server, answers: true }))
        : site.nameServers,
  }),
  prove: (intent, site) => {
    let silent: string[]
    if (intent.service === 'dhcp')
      silent = (site?.networks ?? [])
        .filter(
          (network) =>
            network.dhcpAnswers === false &&
            (intent.network === undefined || network.name === intent.network),
        )
        .map((network) => network.name)
    else if (intent.service === 'time')
      silent = (site?.timeServers ?? [])
        .filter((server) => !server.answers)
        .map((server) => server.name)
    else if (intent.service === 'names')
      silent = (site?.nameServers ?? [])
        .filter((server) => !server.answers)
        .map((server) => server.address)
    else silent = []
    return [
      {
        says: `The ${serviceNames[intent.service]} of ${intent.network ?? intent.site} answers`,
        holds: site !== undefined && silent.length === 0,
        observed: silent.length > 0 ? `silent: ${listText(silent)}` : 'every one asked answered',
      },
    ]
  },
})

export const siteQuota = oneStep({
  name: 'site.quota',
  title: 'Ask a cloud for a larger quota',
  intent: z.strictObject({ site: name, cores: z.int().min(1).max(100_000) }),
  label: (intent) => `ask ${intent.site} for ${intent.cores} vCPU`,
  site: (intent) => intent.site,
  subject: (intent) => ref('quota', intent.site, 'cores'),
  check: (intent, site) => {
    if (site.quotaCores === null)
      return [
        stop('quota.none', 'site', said('quota.none', { site: site.name }), [
          seen(site, said('no-quota')),
        ]),
      ]
    if (intent.cores > site.quotaCores) return []
    return [
      stop(
        'quota.more',
        'cores',
        said('quota.more', { site: site.name, quotaCores: site.quotaCores }),
        [seen(site, said('quota-vcpu', { quotaCores: site.quotaCores }))],
        [{ says: `Ask for ${site.quotaCores + 32}`, change: put('/cores', site.quotaCores + 32) }],
      ),
    ]
  },
  says: (intent) => `ask for ${intent.cores} vCPU and wait for the answer`,
  command: (intent) => command('quota.ask', { ...intent }),
  seconds: { likely: 270, worst: 600 },
  after: (intent, site) => ({ ...site, quotaCores: Math.max(site.quotaCores ?? 0, intent.cores) }),
  prove: (intent, site) => [
    {
      says: `${intent.site} allows ${intent.cores} vCPU`,
      holds: (site?.quotaCores ?? 0) >= intent.cores,
      observed: `quota ${numberText(site?.quotaCores ?? 0)} vCPU`,
    },
  ],
})

export const siteHosts = oneStep({
  name: 'site.hosts',
  title: 'Take hosts out of service, or back',
  intent: z.strictObject({
    site: name,
    hosts: z.array(name).min(1).max(500),
    service: z.enum(['in', 'out']),
  }),
  label: (intent) =>
    `${intent.service === 'in' ? 'put' : 'take'} ${listText(intent.hosts, 3)} ${intent.service === 'in' ? 'back in service' : 'out of service'}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('hosts', intent.site, [...intent.hosts].sort().join('+')),
  check: (intent, site) => {
    const missing = intent.hosts.filter(
      (host) => !site.hosts.some((otherHost) => otherHost.name === host),
    )
    if (missing.length > 0)
      return [
        stop('host.known', 'hosts', said('host.known.site-missing', { site: site.name, missing }), [
          seen(site, said('hosts-all', { hosts: site.hosts.map((host) => host.name) })),
        ]),
      ]
    return []
  },
  says: (intent) =>
    `${listText(intent.hosts, 4)} ${intent.service === 'in' ? 'back in service' : 'out of service: keeps what it holds, takes nothing new'}`,
  command: (intent) => command('host.service', { ...intent }),
  undo: (intent) =>
    command('host.service', { ...intent, service: intent.service === 'in' ? 'out' : 'in' }),
  seconds: { likely: 20, worst: 60 },
  after: (intent, site) => ({
    ...site,
    hosts: site.hosts.map((host) =>
      intent.hosts.includes(host.name) ? { ...host, service: intent.service } : host,
    ),
  }),
  prove: (intent, site) => {
    const wrong = (site?.hosts ?? []).filter(
      (host) => intent.hosts.includes(host.name) && (host.service ?? 'in') !== intent.service,
    )
    return [
      {
        says: `They are ${intent.service === 'in' ? 'in' : 'out of'} service`,
        holds: wrong.length === 0,
        observed:
          wrong.length === 0
            ? `${intent.hosts.length} of ${intent.hosts.length}`
            : `not yet: ${listText(wrong.map((host) => host.name))}`,
      },
    ]
  },
})
