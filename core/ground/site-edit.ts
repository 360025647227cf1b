/** The change kind `site.edit`: zones, hosts, sizes and figures of a site. */
import { z } from 'zod'
import type { FleetView, HostView, SiteView } from '../fleet'
import { name, host, size, sizeView, hostView, checkSizes, checkHosts } from './sites'
import { command, ref } from '../contract'
import type { RawFinding } from '../changes'
import { stop } from '../changes'
import { listText } from '../units'
import { oneStep, seen, put } from './one-step'
import { said } from './says'
import { countText } from '../units'

// Edit
export const editIntent = z.strictObject({
  site: name,
  addZones: z.array(name).max(50).default([]),
  removeZones: z.array(name).max(50).default([]),
  addHosts: z.array(host).max(2000).default([]),
  removeHosts: z.array(name).max(2000).default([]),
  setSizes: z.array(size).max(200).default([]),
  removeSizes: z.array(name).max(200).default([]),
  overcommit: z.number().min(1).max(16).optional(),
  reservePerZone: z.int().min(0).max(100).optional(),
})

export type EditIntent = z.infer<typeof editIntent>
export function edited(intent: EditIntent, site: SiteView): SiteView {
  const zones = [
    ...site.zones.filter((zone) => !intent.removeZones.includes(zone)),
    ...intent.addZones,
  ]
  const sizes = intent.setSizes.map((setSize) => sizeView(setSize, zones))
  return {
    ...site,
    zones,
    overcommit: intent.overcommit ?? site.overcommit,
    reservePerZone: intent.reservePerZone ?? site.reservePerZone,
    hosts: [
      ...site.hosts.filter((host) => !intent.removeHosts.includes(host.name)),
      ...intent.addHosts.map(hostView),
    ],
    sizes: [
      ...site.sizes.filter(
        (size) =>
          !intent.removeSizes.includes(size.name) &&
          !sizes.some((otherSize) => otherSize.name === size.name),
      ),
      ...sizes,
    ],
  }
}

export const setCommand = (site: SiteView) =>
  command('site.set', {
    site: site.name,
    zones: site.zones,
    hosts: site.hosts,
    sizes: site.sizes.map(({ soldOut: _soldOut, ...rest }) => rest),
    overcommit: site.overcommit,
    reservePerZone: site.reservePerZone,
  })

/** Whether a draft asks for anything at all. */
const isEmpty = (intent: EditIntent): boolean =>
  Object.entries(intent).every(
    ([key, value]) =>
      key === 'site' || value === undefined || (Array.isArray(value) && value.length === 0),
  )

/** A zone goes only where it is, once no machine stands in it, and with its hosts. */
function checkZoneGone(
  zone: string,
  intent: EditIntent,
  site: SiteView,
  hosts: readonly HostView[],
): readonly RawFinding[] {
  const findings: RawFinding[] = []
  if (!site.zones.includes(zone))
    findings.push(
      stop('zone.known', 'removeZones', said('zone.known.no-zone', { site: site.name, zone }), [
        seen(site, said('zones', { zones: site.zones })),
      ]),
    )
  const held = site.machines.filter((machine) => machine.zone === zone)
  if (held.length > 0)
    findings.push(
      stop(
        'zone.used',
        'removeZones',
        said('zone.used', { zone, heldCount: held.length, held: held[0]?.name ?? '' }),
        [seen(site, said('machines', { heldCount: held.length, zone }))],
      ),
    )
  else if (hosts.length > 0) {
    const names = hosts.map((host) => host.name)
    findings.push(
      stop(
        'zone.hosts',
        'removeZones',
        said('zone.hosts', { zone, hosts: names }),
        [],
        [
          {
            says: 'Remove them, too',
            change: put('/removeHosts', [...intent.removeHosts, ...names]),
          },
        ],
      ),
    )
  }
  return findings
}

function checkZones(intent: EditIntent, site: SiteView, next: SiteView): readonly RawFinding[] {
  const gone = intent.removeZones.flatMap((zone) =>
    checkZoneGone(
      zone,
      intent,
      site,
      next.hosts.filter((host) => host.zone === zone),
    ),
  )
  const twice = intent.addZones
    .filter((zone) => site.zones.includes(zone))
    .map((zone) => stop('zone.twice', 'addZones', said('zone.twice', { site: site.name, zone })))
  const none =
    next.zones.length === 0
      ? [stop('zone.none', 'removeZones', said('zone.none.site-keeps-least'))]
      : []
  return [...gone, ...twice, ...none]
}

/** A host goes only where it is, and once no machine stands on it. */
function checkHostGone(gone: string, site: SiteView): readonly RawFinding[] {
  if (!site.hosts.some((host) => host.name === gone))
    return [
      stop('host.known', 'removeHosts', said('host.known.no-host', { site: site.name, gone }), [
        seen(site, said('hosts', { hosts: site.hosts.map((host) => host.name) })),
      ]),
    ]
  const on = site.machines.filter((machine) => machine.host === gone)
  if (on.length === 0) return []
  return [
    stop('host.used', 'removeHosts', said('host.used', { gone, on: on.map(({ name }) => name) }), [
      seen(site, said('host-machines', { onCount: on.length, gone })),
    ]),
  ]
}

function checkHostsEdited(
  intent: EditIntent,
  site: SiteView,
  next: SiteView,
): readonly RawFinding[] {
  const kept = site.hosts
    .map((host) => host.name)
    .filter((name) => !intent.removeHosts.includes(name))
  const findings = [
    ...intent.removeHosts.flatMap((gone) => checkHostGone(gone, site)),
    ...checkHosts(intent.addHosts, next.zones, 'addHosts', kept),
  ]
  if (intent.addHosts.length > 0 && site.kind !== 'hall')
    findings.push(
      stop(
        'host.site',
        'addHosts',
        said('host.site.site-kind', { site: site.name, kind: site.kind }),
      ),
    )
  return findings
}

/** A size goes only where it is; pools that are of it keep their machines and get no more. */
function checkSizeGone(gone: string, site: SiteView, view: FleetView): readonly RawFinding[] {
  if (!site.sizes.some((size) => size.name === gone))
    return [stop('size.known', 'removeSizes', said('size.known', { site: site.name, gone }))]
  const used = view.clusters
    .filter((cluster) => cluster.site === site.name)
    .filter((cluster) => cluster.pools.some((pool) => pool.size === gone))
  if (used.length === 0) return []
  return [
    {
      level: 'caution',
      rule: 'size.used',
      field: 'removeSizes',
      ...said('size.used', { used: used.map((cluster) => cluster.name), gone }),
      because: [],
    },
  ]
}

/** Fewer or smaller hosts must still hold what stands. */
function checkRoom(site: SiteView, next: SiteView): readonly RawFinding[] {
  if (site.kind !== 'hall') return []
  return next.zones.flatMap((zone) => {
    const cores = next.hosts
      .filter((host) => host.zone === zone)
      .reduce((sum, host) => sum + host.cores * next.overcommit, 0)
    const used = site.machines
      .filter((machine) => machine.zone === zone && machine.host !== null)
      .reduce((sum, machine) => sum + machine.cores, 0)
    if (used <= cores) return []
    return [
      stop('hosts.room', 'removeHosts', said('hosts.room', { zone, cores, used }), [
        seen(site, said('cores-use', { used, zone })),
      ]),
    ]
  })
}

export const siteEdit = oneStep<EditIntent>({
  name: 'site.edit',
  title: 'Edit a site',
  intent: editIntent,
  label: (intent) => `edit site ${intent.site}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('ground', intent.site, 'site'),
  check: (intent, site, view) => {
    const next = edited(intent, site)
    return [
      ...(isEmpty(intent) ? [stop('edit.none', 'site', said('edit.none'))] : []),
      ...checkZones(intent, site, next),
      ...checkHostsEdited(intent, site, next),
      ...checkSizes(intent.setSizes, next.zones, 'setSizes'),
      ...intent.removeSizes.flatMap((gone) => checkSizeGone(gone, site, view)),
      ...checkRoom(site, next),
    ]
  },
  says: (intent) =>
    [
      intent.addZones.length && countText(intent.addZones.length, 'more zone'),
      intent.removeZones.length && countText(intent.removeZones.length, 'zone less', 'zones less'),
      intent.addHosts.length && countText(intent.addHosts.length, 'more host'),
      intent.removeHosts.length && countText(intent.removeHosts.length, 'host less', 'hosts less'),
      intent.setSizes.length && `${countText(intent.setSizes.length, 'size')} set`,
      intent.removeSizes.length && `${countText(intent.removeSizes.length, 'size')} gone`,
      intent.overcommit && `overcommit ${intent.overcommit}`,
      intent.reservePerZone !== undefined && `reserve ${intent.reservePerZone}`,
    ]
      .filter(Boolean)
      .join(', '),
  command: (intent, site) => setCommand(edited(intent, site)),
  undo: (_intent, site) => setCommand(site),
  seconds: { likely: 25, worst: 60 },
  after: edited,
  prove: (intent, site) => {
    const missing = [
      ...intent.addHosts
        .map((addHost) => addHost.name)
        .filter((name) => !site?.hosts.some((host) => host.name === name)),
      ...intent.addZones.filter((zone) => !site?.zones.includes(zone)),
      ...intent.setSizes
        .map((setSize) => setSize.name)
        .filter((name) => !site?.sizes.some((size) => size.name === name)),
    ]
    const still = [
      ...intent.removeHosts.filter((removeHost) =>
        site?.hosts.some((host) => host.name === removeHost),
      ),
      ...intent.removeZones.filter((zone) => site?.zones.includes(zone)),
      ...intent.removeSizes.filter((removeSize) =>
        site?.sizes.some((size) => size.name === removeSize),
      ),
    ]
    return [
      {
        says: 'The site is as drafted',
        holds: missing.length + still.length === 0,
        observed:
          missing.length + still.length === 0
            ? `${countText(site?.zones.length ?? 0, 'zone')}, ${countText(site?.hosts.length ?? 0, 'host')}, ${countText(site?.sizes.length ?? 0, 'size')}`
            : `missing: ${listText(missing) || 'none'}; still there: ${listText(still) || 'none'}`,
      },
    ]
  },
})
