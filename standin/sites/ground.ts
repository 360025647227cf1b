/** What people do to a site itself: its zones, hosts, sizes, networks, routes, services, quota, records and credentials. */
import type { Said } from '../../core/contract'
import type { ArgsOf, SiteReport, VerbName } from '../../core/contract'
import { parseRange } from '../../core/addresses'
import { permanent } from '../failures'
import type { Behaviour } from '../engine/sim'
import type { Sim } from '../engine/sim'
import type { DnsRecord, FaultKind, Network, Operation, OperationFailure, Site } from '../world'
import { said } from './says'

/** Verbs whose whole work is at one site. */
type SiteVerb = {
  [Name in VerbName]: ArgsOf<Name> extends { site: string } ? Name : never
}[VerbName]

type Work<Name extends SiteVerb> = (
  sim: Sim,
  site: Site,
  op: Operation<ArgsOf<Name> & { readonly site: string }>,
) => Said | OperationFailure

/** A command on one site, carried out after a while; its effect is seen at once. */
export const onSite = <Name extends SiteVerb>(
  seconds: number,
  work: Work<Name>,
  result?: Behaviour<Name>['result'],
): Behaviour<Name> => ({
  stages: [
    {
      seconds,
      then: (sim, op: Operation<ArgsOf<Name> & { readonly site: string }>) => {
        const site = sim.site(op.args.site)
        if (!site)
          return permanent('no-site', said('no-site', { site: op.args.site }), {
            about: `site/${op.args.site}`,
            ...said('does-not-exist'),
          })
        sim.touchSite(site.name)
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

export const serviceRestart = onSite<'service.restart'>(45, (sim, site, op) => {
  const network = op.args.network
  switch (op.args.service) {
    case 'dhcp':
      site.networks = site.networks.map((otherNetwork) =>
        network === null || otherNetwork.name === network
          ? { ...otherNetwork, dhcpAnswers: true }
          : otherNetwork,
      )
      for (const otherNetwork of site.networks)
        healed(sim, 'dhcp-silent', `network/${site.name}/${otherNetwork.name}`)
      return said('dhcp-restarted-answers', { network: network ?? site.name })
    case 'time':
      site.timeServers = site.timeServers.map(({ name }) => ({ name, answers: true }))
      healed(sim, 'time-silent', `site/${site.name}`)
      return said('restarted-step', { timeServers: site.timeServers.map((server) => server.name) })
    case 'names':
      site.nameServers = site.nameServers.map(({ address }) => ({ address, answers: true }))
      return said('restarted-answers', {
        nameServers: site.nameServers.map((server) => server.address),
      })
    case 'boot':
      site.bootDataCutAt = null
      healed(sim, 'boot-data-cut', `site/${site.name}`)
      return said('boot-data-service')
    default:
      return permanent(
        'no-service',
        said('no-service', { site: site.name, service: op.args.service }),
      )
  }
})

export const networkSet = onSite<'network.set'>(12, (sim, site, op) => {
  const given = op.args.network as Network | undefined
  if (!given?.name || !parseRange(given.range).ok)
    return permanent('network-unreadable', said('network-unreadable'))
  const exists = site.networks.some((network) => network.name === given.name)
  // A server that is silent stays so: writing its range does not wake it.
  const was = site.networks.find((network) => network.name === given.name)
  const next: Network = {
    ...given,
    ...(was?.dhcpAnswers === undefined ? {} : { dhcpAnswers: was.dhcpAnswers }),
  }
  site.networks = exists
    ? site.networks.map((network) => (network.name === given.name ? next : network))
    : [...site.networks, next]
  if (next.nameServer !== was?.nameServer)
    healed(sim, 'name-server-wrong', `network/${site.name}/${given.name}`)
  return said('network-set', {
    network: given.name,
    known: exists,
    range: given.range,
    dhcp: given.dhcp ?? null,
  })
})

export const networkRemove = onSite<'network.remove'>(8, (_sim, site, op) => {
  const name = op.args.name
  if (site.addresses.some((address) => address.network === name))
    return permanent('network-used', said('network-used', { name }), {
      about: `network/${site.name}/${name}`,
      ...said('addresses-held'),
    })
  site.networks = site.networks.filter((network) => network.name !== name)
  return said('name', { name })
})

export const routeAdd = onSite<'route.add'>(6, (sim, site, op) => {
  const route = { network: op.args.network, to: op.args.to, via: op.args.via }
  if (
    !site.routes.some(
      (otherRoute) => otherRoute.network === route.network && otherRoute.to === route.to,
    )
  )
    site.routes = [...site.routes, route]
  healed(sim, 'route-missing', `network/${site.name}/${route.network}`)
  return said('reaches', { network: route.network, to: route.to, via: route.via })
})

export const routeRemove = onSite<'route.remove'>(6, (_sim, site, op) => {
  site.routes = site.routes.filter(
    (route) => route.network !== op.args.network || route.to !== op.args.to,
  )
  return said('route-removed', { to: op.args.to })
})

/** A cloud’s people look at the wish and grant it, up to eight times what the account began with. */
export const quotaAsk: Behaviour<'quota.ask'> = {
  stages: [
    { seconds: 30, then: (_sim, op) => said('request-vcpu-taken', { cores: op.args.cores }) },
    {
      seconds: 240,
      then: (sim, op) => {
        const site = sim.site(op.args.site)
        if (!site || site.quotaCores === null)
          return permanent('no-quota', said('no-quota', { site: op.args.site }))
        const cores = op.args.cores
        if (cores > 768)
          return permanent('quota-refused', said('quota-refused', { site: site.name }), {
            about: `quota/${site.name}/cores`,
            ...said('vcpu-refused', { cores }),
          })
        site.quotaCores = Math.max(site.quotaCores, cores)
        healed(sim, 'quota-lowered', `site/${site.name}`)
        sim.touchSite(site.name)
        return said('granted-vcpu', { quotaCores: site.quotaCores })
      },
    },
  ],
}

export const hostService = onSite<'host.service'>(20, (sim, site, op) => {
  const names = op.args.hosts
  const service = op.args.service === 'out' ? 'out' : 'in'
  for (const host of site.hosts) if (names.includes(host.name)) host.service = service
  if (service === 'in') {
    for (const zone of site.zones)
      if (site.hosts.every((host) => host.zone !== zone || host.service !== 'out'))
        healed(sim, 'hosts-out', `zone/${site.name}/${zone}`)
    for (const name of names) healed(sim, 'host-dies', `host/${site.name}/${name}`)
  }
  return said('names-service', { names, service })
})

/** Replaces a site’s own description: zones, hosts, sizes and figures, as they are given whole. */
export const siteSet = onSite<'site.set'>(25, (_sim, site, op) => {
  const hosts = op.args.hosts
  const zones = op.args.zones
  const sizes = op.args.sizes
  const lost = site.hosts.filter((host) => !hosts.some((otherHost) => otherHost.name === host.name))
  const holding = lost.find((host) => site.machines.some((machine) => machine.host === host.name))
  if (holding)
    return permanent('host-used', said('host-used', { holding: holding.name }), {
      about: `host/${site.name}/${holding.name}`,
      ...said('holds-machines'),
    })
  const zone = site.zones.find(
    (zone) => !zones.includes(zone) && site.machines.some((machine) => machine.zone === zone),
  )
  if (zone !== undefined)
    return permanent('zone-used', said('zone-used', { zone }), {
      about: `zone/${site.name}/${zone}`,
      ...said('holds-machines'),
    })
  site.zones = [...zones]
  site.hosts = hosts.map((host) => ({
    ...host,
    service: site.hosts.find((otherHost) => otherHost.name === host.name)?.service ?? 'in',
  }))
  site.sizes = sizes.map((size) => ({ ...size, gpus: size.gpus ?? 0 }))
  site.overcommit = op.args.overcommit || 1
  site.reservePerZone = op.args.reservePerZone
  return said('zones-hosts-sizes', {
    zonesCount: site.zones.length,
    hostsCount: site.hosts.length,
    sizesCount: site.sizes.length,
  })
})

/** A site as it was entered, with what only the stand-ins know of one. */
function siteFrom(given: SiteReport, name: string, now: number): Site {
  return {
    ...given,
    name,
    machines: given.machines.map((machine) => ({
      ...machine,
      gpus: 0,
      release: '',
      cluster: machine.cluster ?? '',
      apart: machine.apart ?? null,
      network: '',
      box: null,
      agent: false,
      createdAt: now,
    })),
    sizes: given.sizes.map(({ soldOut: _soldOut, ...size }) => ({ ...size, gpus: 0 })),
    zones: [...given.zones],
    networks: [...given.networks],
    routes: [...given.routes],
    nameServers: [...given.nameServers],
    timeServers: [...given.timeServers],
    records: [...given.records],
    storageClasses: given.storageClasses.map(({ name: named, zones }) => ({ name: named, zones })),
    published: [...given.published],
    balancers: [...given.balancers],
    images: [...given.images],
    hosts: given.hosts.map((host) => ({ ...host })),
    boxes: given.boxes.map((box) => ({ ...box, disks: box.disks.map((disk) => ({ ...disk })) })),
    addresses: [...given.addresses],
    disks: [...given.disks],
    controlPlanes: [...given.controlPlanes],
    managedFrom: null,
    bootDataCutAt: null,
    credentials: [],
    soldOut: [],
  }
}

export const siteAdd: Behaviour<'site.add'> = {
  stages: [
    {
      seconds: 15,
      then: (sim, op) => {
        const name = op.args.name
        const given = op.args.definition
        if (sim.site(name)) return said('stands-already', { name })
        sim.world.sites = { ...sim.world.sites, [name]: siteFrom(given, name, sim.now) }
        sim.touchSite(name)
        return said('entered-zones-hosts', {
          name,
          zonesCount: given.zones.length,
          hostsCount: given.hosts.length,
        })
      },
    },
  ],
}

export const siteRemove: Behaviour<'site.remove'> = {
  stages: [
    {
      seconds: 10,
      then: (sim, op) => {
        const site = sim.site(op.args.site)
        if (!site) return said('nothing-remove')
        if (site.machines.length > 0 || site.controlPlanes.length > 0)
          return permanent('site-used', said('site-used', { site: site.name }), {
            about: `site/${site.name}`,
            ...said('machines', { machinesCount: site.machines.length }),
          })
        const { [site.name]: _gone, ...left } = sim.world.sites
        sim.world.sites = left
        sim.touchSite(site.name)
        return said('removed', { site: site.name })
      },
    },
  ],
}

export const recordsSet = onSite<'records.set'>(8, (_sim, site, op) => {
  site.records = op.args.records.map((item): DnsRecord => ({
    name: String(item['name']),
    type: String(item['type']),
    ttl: Number(item['ttl'] ?? 3600),
    value: String(item['value']),
  }))
  return said('records-served', { recordsCount: site.records.length, nameDomain: site.nameDomain })
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
    ...site.credentials.filter((credential) => credential.fingerprint !== fingerprint),
    { fingerprint, until },
  ]
  sim.touchSite(site.name)
}

export const bootDataPublish = onSite<'bootdata.publish'>(6, (_sim, site, op) => {
  const file = {
    name: op.args.name,
    bytes: op.args.bytes,
    digest: op.args.digest,
    cluster: op.args.cluster,
  }
  site.published = [...site.published.filter((candidate) => candidate.name !== file.name), file]
  return said('bytes-boot-server', {
    file: file.name,
    bytes: file.bytes,
    digest: file.digest.slice(0, 12),
  })
})

export const bootDataWithdraw = onSite<'bootdata.withdraw'>(3, (_sim, site, op) => {
  const names = op.args.names
  site.published = site.published.filter((file) => !names.includes(file.name))
  return said('files-taken-off', { namesCount: names.length })
})

/** Machines that were put up somewhere: from now on the site knows them. */
export const boxAdd = onSite<'box.add'>(10, (_sim, site, op) => {
  const boxes = op.args.boxes
  const drop = op.args.drop
  site.boxes = [
    ...site.boxes.filter(
      (box) => !drop.includes(box.name) && !boxes.some((otherBox) => otherBox.name === box.name),
    ),
    ...boxes.map((box) => ({ ...box, disks: [...box.disks], usedBy: null })),
  ]
  return said('entered', { boxes: boxes.map((box) => box.name) })
})

export const boxDrop = onSite<'box.drop'>(5, (_sim, site, op) => {
  const names = op.args.names
  const used = site.boxes.find((box) => names.includes(box.name) && box.usedBy !== null)
  if (used)
    return permanent(
      'machine-used',
      said('machine-used.use', { used: used.name, usedBy: used.usedBy ?? '' }),
      {
        about: `machine/${site.name}/${used.name}`,
        ...said('use'),
      },
    )
  site.boxes = site.boxes.filter((box) => !names.includes(box.name))
  return said('struck', { names })
})
