/** What people do to a site itself: its zones, hosts, sizes, networks, routes, services, quota, records and credentials. */
import { parseAddress, parseRange } from '../../core/addresses'
import { numberArg, optionalText, permanent, recordsArg, textArg, textsArg } from '../args'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type {
  Box,
  DnsRecord,
  FaultKind,
  Host,
  Network,
  Operation,
  OperationFailure,
  Site,
  Size,
} from '../world'

type Work = (sim: Sim, site: Site, op: Operation) => string | OperationFailure

/** A command on one site, carried out after a while; its effect is seen at once. */
export const onSite = (seconds: number, work: Work, result?: Behaviour['result']): Behaviour => ({
  stages: [
    {
      seconds,
      then: (sim, op) => {
        const site = sim.site(op.args['site'])
        if (!site)
          return permanent('no-site', `There is no site ${textArg(op, 'site')}.`, {
            about: `site/${textArg(op, 'site')}`,
            says: 'does not exist',
          })
        sim.touch(`site:${site.name}`)
        return work(sim, site, op)
      },
    },
  ],
  ...(result ? { result } : {}),
})

/** What was mended is no fault any more. */
export const healed = (sim: Sim, kind: FaultKind, about: string): void => {
  sim.world.faults = sim.world.faults.filter(
    (fault) => fault.kind !== kind || fault.about !== about,
  )
}

export const serviceRestart = onSite(45, (sim, site, op) => {
  const network = optionalText(op, 'network')
  switch (textArg(op, 'service')) {
    case 'dhcp':
      site.networks = site.networks.map((other) =>
        network === null || other.name === network ? { ...other, dhcpAnswers: true } : other,
      )
      for (const other of site.networks)
        healed(sim, 'dhcp-silent', `network/${site.name}/${other.name}`)
      return `DHCP of ${network ?? site.name} restarted, answers`
    case 'time':
      site.timeServers = site.timeServers.map(({ name }) => ({ name, answers: true }))
      healed(sim, 'time-silent', `site/${site.name}`)
      return `${site.timeServers.map((server) => server.name).join(', ')} restarted, in step`
    case 'names':
      site.nameServers = site.nameServers.map(({ address }) => ({ address, answers: true }))
      return `${site.nameServers.map((server) => server.address).join(', ')} restarted, answers`
    case 'boot':
      site.bootDataCutAt = null
      healed(sim, 'boot-data-cut', `site/${site.name}`)
      return 'boot data service restarted, hands over whole files'
    default:
      return permanent('no-service', `${site.name} has no service ${textArg(op, 'service')}.`)
  }
})

export const networkSet = onSite(12, (sim, site, op) => {
  const given = op.args['network'] as Network | undefined
  if (!given?.name || !parseRange(given.range).ok)
    return permanent('network-unreadable', 'The network lacks a name or a range.')
  const known = site.networks.some((network) => network.name === given.name)
  // A server that is silent stays so: writing its range does not wake it.
  const was = site.networks.find((network) => network.name === given.name)
  const next: Network = {
    ...given,
    ...(was?.dhcpAnswers === undefined ? {} : { dhcpAnswers: was.dhcpAnswers }),
  }
  site.networks = known
    ? site.networks.map((network) => (network.name === given.name ? next : network))
    : [...site.networks, next]
  if (next.nameServer !== was?.nameServer)
    healed(sim, 'name-server-wrong', `network/${site.name}/${given.name}`)
  return `${given.name} ${known ? 'set' : 'added'}: ${given.range}${given.dhcp === undefined ? '' : `, DHCP ${given.dhcp}`}`
})

export const networkRemove = onSite(8, (_sim, site, op) => {
  const name = textArg(op, 'name')
  if (site.addresses.some((address) => address.network === name))
    return permanent('network-used', `${name} still has addresses that are held.`, {
      about: `network/${site.name}/${name}`,
      says: 'addresses are held in it',
    })
  site.networks = site.networks.filter((network) => network.name !== name)
  return `${name} removed`
})

export const routeAdd = onSite(6, (sim, site, op) => {
  const route = { network: textArg(op, 'network'), to: textArg(op, 'to'), via: textArg(op, 'via') }
  if (!site.routes.some((other) => other.network === route.network && other.to === route.to))
    site.routes = [...site.routes, route]
  healed(sim, 'route-missing', `network/${site.name}/${route.network}`)
  return `${route.network} reaches ${route.to} by ${route.via}`
})

export const routeRemove = onSite(6, (_sim, site, op) => {
  site.routes = site.routes.filter(
    (route) => route.network !== textArg(op, 'network') || route.to !== textArg(op, 'to'),
  )
  return `route to ${textArg(op, 'to')} removed`
})

/** A cloud’s people look at the wish and grant it, up to eight times what the account began with. */
export const quotaAsk: Behaviour = {
  stages: [
    { seconds: 30, then: (_sim, op) => `request for ${numberArg(op, 'cores')} vCPU taken` },
    {
      seconds: 240,
      then: (sim, op) => {
        const site = sim.site(op.args['site'])
        if (!site || site.quotaCores === null)
          return permanent('no-quota', `${textArg(op, 'site')} has no quota.`)
        const cores = numberArg(op, 'cores')
        if (cores > 768)
          return permanent(
            'quota-refused',
            `${site.name} grants at most 768 vCPU to an account like this.`,
            { about: `quota/${site.name}/cores`, says: `${cores} vCPU refused` },
          )
        site.quotaCores = Math.max(site.quotaCores, cores)
        healed(sim, 'quota-lowered', `site/${site.name}`)
        sim.touch(`site:${site.name}`)
        return `granted: ${site.quotaCores} vCPU`
      },
    },
  ],
}

export const hostService = onSite(20, (sim, site, op) => {
  const names = textsArg(op, 'hosts')
  const service = textArg(op, 'service') === 'out' ? 'out' : 'in'
  for (const host of site.hosts) if (names.includes(host.name)) host.service = service
  if (service === 'in') {
    for (const zone of site.zones)
      if (site.hosts.every((host) => host.zone !== zone || host.service !== 'out'))
        healed(sim, 'hosts-out', `zone/${site.name}/${zone}`)
    for (const name of names) healed(sim, 'host-dies', `host/${site.name}/${name}`)
  }
  return `${names.join(', ')} ${service === 'in' ? 'back in service' : 'taken out of service'}`
})

/** Replaces a site’s own description: zones, hosts, sizes and figures, as they are given whole. */
export const siteSet = onSite(25, (_sim, site, op) => {
  const hosts = recordsArg(op, 'hosts') as unknown as Host[]
  const zones = textsArg(op, 'zones')
  const sizes = recordsArg(op, 'sizes') as unknown as Size[]
  const lost = site.hosts.filter((host) => !hosts.some((other) => other.name === host.name))
  const holding = lost.find((host) => site.machines.some((machine) => machine.host === host.name))
  if (holding)
    return permanent('host-used', `${holding.name} still holds machines.`, {
      about: `host/${site.name}/${holding.name}`,
      says: 'holds machines',
    })
  const zone = site.zones.find(
    (other) => !zones.includes(other) && site.machines.some((machine) => machine.zone === other),
  )
  if (zone !== undefined)
    return permanent('zone-used', `${zone} still holds machines.`, {
      about: `zone/${site.name}/${zone}`,
      says: 'holds machines',
    })
  site.zones = [...zones]
  site.hosts = hosts.map((host) => ({
    ...host,
    service: site.hosts.find((other) => other.name === host.name)?.service ?? 'in',
  }))
  site.sizes = sizes.map((size) => ({ ...size, gpus: size.gpus ?? 0 }))
  site.overcommit = numberArg(op, 'overcommit') || 1
  site.reservePerZone = numberArg(op, 'reservePerZone')
  return `${site.zones.length} zones, ${site.hosts.length} hosts, ${site.sizes.length} sizes`
})

export const siteAdd: Behaviour = {
  stages: [
    {
      seconds: 15,
      then: (sim, op) => {
        const name = textArg(op, 'name')
        const given = op.args['definition'] as Site | undefined
        if (!given || sim.site(name))
          return sim.site(name)
            ? `${name} stands already`
            : permanent('site-unreadable', 'The site has no definition.')
        sim.world.sites[name] = { ...given, name }
        sim.touch(`site:${name}`)
        return `${name} entered: ${given.zones.length} zones, ${given.hosts.length} hosts`
      },
    },
  ],
}

export const siteRemove: Behaviour = {
  stages: [
    {
      seconds: 10,
      then: (sim, op) => {
        const site = sim.site(op.args['site'])
        if (!site) return 'nothing to remove'
        if (site.machines.length > 0 || site.controlPlanes.length > 0)
          return permanent('site-used', `${site.name} still holds machines.`, {
            about: `site/${site.name}`,
            says: `${site.machines.length} machines`,
          })
        delete sim.world.sites[site.name]
        sim.touch(`site:${site.name}`)
        return `${site.name} removed`
      },
    },
  ],
}

export const recordsSet = onSite(8, (_sim, site, op) => {
  site.records = recordsArg(op, 'records').map((item): DnsRecord => ({
    name: String(item['name']),
    type: String(item['type']),
    ttl: Number(item['ttl'] ?? 3600),
    value: String(item['value']),
  }))
  return `${site.records.length} records of ${site.nameDomain} served`
})

/** A credential that its owner has told the site about. It holds at once. */
export function enterCredential(
  sim: Sim,
  siteName: string,
  fingerprint: string,
  until: number,
): void {
  const site = sim.site(siteName)
  if (!site) return
  site.credentials = [
    ...site.credentials.filter((other) => other.fingerprint !== fingerprint),
    { fingerprint, until },
  ]
  sim.touch(`site:${site.name}`)
}

export const bootDataPublish = onSite(6, (_sim, site, op) => {
  const file = {
    name: textArg(op, 'name'),
    bytes: numberArg(op, 'bytes'),
    digest: textArg(op, 'digest'),
    cluster: textArg(op, 'cluster'),
  }
  site.published = [...site.published.filter((other) => other.name !== file.name), file]
  return `${file.name}, ${file.bytes} bytes, on the boot server; SHA-256 ${file.digest.slice(0, 12)}…`
})

export const bootDataWithdraw = onSite(3, (_sim, site, op) => {
  const names = textsArg(op, 'names')
  site.published = site.published.filter((file) => !names.includes(file.name))
  return `${names.length} files taken off the boot server`
})

const inRange = (address: string, range: string): boolean => {
  const one = parseAddress(address)
  const many = parseRange(range)
  return (
    one.ok &&
    many.ok &&
    one.value.family === many.value.family &&
    many.value.first <= one.value.value &&
    one.value.value <= many.value.last
  )
}

/** A balancer takes an address that was held for it, or the site’s lowest free one, within its quota. */
export const balancerCreate = onSite(20, (_sim, site, op) => {
  const name = textArg(op, 'name')
  const about = `balancer/${site.name}/${name}`
  if (site.balancers.some((other) => other.name === name)) return `${name} stands already`
  if (site.quotaBalancers !== null && site.balancers.length >= site.quotaBalancers)
    return permanent(
      'quota-balancers',
      `${site.name} allows ${site.quotaBalancers} load balancers; all are in use.`,
      {
        about: `quota/${site.name}/balancers`,
        says: `${site.balancers.length} of ${site.quotaBalancers} in use`,
      },
      { about, says: 'was not created' },
    )
  site.balancers = [
    ...site.balancers,
    {
      name,
      address: textArg(op, 'address'),
      port: numberArg(op, 'port') || 443,
      cluster: optionalText(op, 'cluster'),
      service: textArg(op, 'service'),
    },
  ]
  return `${name} answers at ${textArg(op, 'address')}:${numberArg(op, 'port') || 443}`
})

export const balancerDelete = onSite(10, (_sim, site, op) => {
  site.balancers = site.balancers.filter((other) => other.name !== textArg(op, 'name'))
  return `${textArg(op, 'name')} deleted`
})

/** A connection from outside to the balancer’s address: it needs a way from that network to the nodes. */
export const frontTry = onSite(
  6,
  (_sim, site, op) => {
    const balancer = site.balancers.find((other) => other.name === textArg(op, 'name'))
    if (!balancer)
      return permanent('balancer-gone', `There is no balancer ${textArg(op, 'name')}.`, {
        about: `balancer/${site.name}/${textArg(op, 'name')}`,
        says: 'does not exist',
      })
    const front = site.networks.find((network) => inRange(balancer.address, network.range))
    const nodes = site.networks.find((network) => network.name === textArg(op, 'nodes'))
    const joined =
      site.kind !== 'hall' ||
      !front ||
      !nodes ||
      front === nodes ||
      site.routes.some(
        (route) =>
          route.network === front.name && (route.to === nodes.range || route.to === '0.0.0.0/0'),
      )
    if (!joined) {
      return permanent(
        'route-missing',
        `Nothing answers at ${balancer.address}: ${front.name} has no route to ${nodes.name}.`,
        { about: `route/${site.name}/${front.name}`, says: `no route to ${nodes.range}` },
        {
          about: `balancer/${site.name}/${balancer.name}`,
          says: 'no pool member answers, connection timed out after 5 s',
        },
      )
    }
    return `${balancer.address}:${balancer.port} answers`
  },
  (_sim, op) => ({ answers: true, says: op.evidence.at(-1)?.says ?? '' }),
)

export const orphanRemove = onSite(15, (_sim, site, op) => {
  const items = recordsArg(op, 'items').map(
    (item) => `${String(item['kind'])}/${String(item['name'])}`,
  )
  const has = (kind: string, name: string): boolean => items.includes(`${kind}/${name}`)
  const before =
    site.machines.length + site.disks.length + site.addresses.length + site.balancers.length
  site.machines = site.machines.filter((machine) => !has('machine', machine.name))
  site.disks = site.disks.filter(
    (disk) => !has('disk', disk.name) && !(disk.machine !== null && has('machine', disk.machine)),
  )
  site.addresses = site.addresses.filter((address) => !has('address', address.address))
  site.balancers = site.balancers.filter((balancer) => !has('balancer', balancer.name))
  return `${before - site.machines.length - site.disks.length - site.addresses.length - site.balancers.length} things removed`
})

export const orphanAdopt = onSite(5, (_sim, site, op) => {
  const cluster = textArg(op, 'cluster')
  const name = textArg(op, 'name')
  site.disks = site.disks.map((disk) =>
    textArg(op, 'kind') === 'disk' && disk.name === name ? { ...disk, cluster } : disk,
  )
  site.addresses = site.addresses.map((address) =>
    textArg(op, 'kind') === 'address' && address.address === name
      ? { ...address, cluster }
      : address,
  )
  site.balancers = site.balancers.map((balancer) =>
    textArg(op, 'kind') === 'balancer' && balancer.name === name
      ? { ...balancer, cluster }
      : balancer,
  )
  return `${name} belongs to ${cluster} now`
})

/** Machines that were put up somewhere: from now on the site knows them. */
export const boxAdd = onSite(10, (_sim, site, op) => {
  const boxes = recordsArg(op, 'boxes') as unknown as Box[]
  const drop = textsArg(op, 'drop')
  site.boxes = [
    ...site.boxes.filter(
      (box) => !drop.includes(box.name) && !boxes.some((other) => other.name === box.name),
    ),
    ...boxes.map((box) => ({ ...box, usedBy: null })),
  ]
  return `${boxes.map((box) => box.name).join(', ')} entered`
})

export const boxDrop = onSite(5, (_sim, site, op) => {
  const names = textsArg(op, 'names')
  const used = site.boxes.find((box) => names.includes(box.name) && box.usedBy !== null)
  if (used)
    return permanent('machine-used', `${used.name} is in use by ${used.usedBy ?? ''}.`, {
      about: `machine/${site.name}/${used.name}`,
      says: 'in use',
    })
  site.boxes = site.boxes.filter((box) => !names.includes(box.name))
  return `${names.join(', ')} struck`
})
