/** Sites: what stands there, host packing, name records. */
import { z } from 'zod'
import { leftovers, siteState, stateContext } from '~/core/fleet'
import { resolve, serialAt, writeZone } from '~/core/ground'
import { hallRoom, hostLoss } from '~/core/sizing'
import { host, machineReport, nameRecord, siteReport } from '~/core/contract'
import { ok, okText, siteCalled } from './answers'
import { draftShape, reasoned, saidShape } from './shapes'
import type { Route } from './route'

const packing = z.object({
  overcommit: z.number(),
  reservePerZone: z.number(),
  hosts: z.array(
    host.extend({
      machines: z.array(
        machineReport.pick({ name: true, cores: true, memoryBytes: true, cluster: true }),
      ),
      loss: z.object({
        host: z.string(),
        moves: z.array(z.object({ machine: z.string(), to: z.string() })),
        homeless: z.array(saidShape.extend({ machine: z.string() })),
      }),
    }),
  ),
  trial: z
    .object({
      placed: z.array(z.object({ name: z.string(), host: z.string() })),
      unfit: z.array(saidShape.extend({ name: z.string() })),
    })
    .nullable(),
})

const orphan = z.object({
  kind: z.enum(['machine', 'disk', 'address', 'balancer', 'control plane']),
  name: z.string(),
  was: z.string().nullable(),
  says: z.string(),
  perMonth: z.number(),
})

export const siteRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/sites/:name',
    says: 'One site: zones, hosts, machines, networks, images.',
    past: true,
    answer: siteReport
      .extend({ observedAt: z.string(), gyrarchAt: z.string().optional() })
      .extend(reasoned.shape),
    handle: async (_gyrarch, { fleet, params }) => {
      const { view, site } = await siteCalled(fleet, params['name'])
      return ok({ ...site, ...siteState(site, view.clusters, stateContext(view)) })
    },
  },
  {
    method: 'get',
    path: '/sites',
    says: 'All sites.',
    past: true,
    answer: z.object({
      sites: z.array(
        siteReport.pick({
          name: true,
          title: true,
          kind: true,
          domain: true,
          zones: true,
          connected: true,
        }),
      ),
    }),
    handle: async (_gyrarch, { fleet }) =>
      ok({
        sites: (await fleet.view()).sites.map(
          ({ name, title, kind, domain, zones, connected }) => ({
            name,
            title,
            kind,
            domain,
            zones,
            connected,
          }),
        ),
      }),
  },
  {
    method: 'get',
    path: '/sites/:name/packing',
    says: 'The hosts of a hall with what they hold, and what the loss of each would do.',
    past: true,
    query: z.object({
      cores: z
        .string()
        .regex(/^\d{1,4}$/)
        .optional(),
      memoryGiB: z
        .string()
        .regex(/^\d{1,6}$/)
        .optional(),
      count: z
        .string()
        .regex(/^\d{1,3}$/)
        .optional(),
      zone: z.string().max(253).optional(),
    }),
    answer: packing,
    handle: async (_gyrarch, { fleet, params, query }) => {
      const { site } = await siteCalled(fleet, params['name'])
      const request = query as { cores?: string; memoryGiB?: string; count?: string; zone?: string }
      const trial =
        request.cores === undefined
          ? null
          : hallRoom(
              site.hosts,
              site.machines,
              Array.from({ length: Math.min(200, Number(request.count ?? 1)) }, (_, i) => ({
                name: `trial-${String(i + 1).padStart(3, '0')}`,
                zone: request.zone ?? site.zones[i % site.zones.length] ?? '',
                cores: Number(request.cores),
                memoryBytes: Number(request.memoryGiB ?? 0) * 2 ** 30,
                apart: null,
              })),
              site.overcommit,
              site.reservePerZone > 0,
            )
      return ok({
        overcommit: site.overcommit,
        reservePerZone: site.reservePerZone,
        hosts: site.hosts.map((host) => ({
          ...host,
          machines: site.machines
            .filter((machine) => machine.host === host.name)
            .map(({ name, cores, memoryBytes, cluster }) => ({
              name,
              cores,
              memoryBytes,
              cluster,
            })),
          loss: hostLoss(site.hosts, site.machines, host.name, site.overcommit),
        })),
        trial,
      })
    },
  },
  {
    method: 'get',
    path: '/sites/:name/orphans',
    says: 'What no cluster owns at a site, and what it costs a month.',
    past: true,
    answer: z.object({ orphans: z.array(orphan), perMonth: z.number() }),
    handle: async (_gyrarch, { fleet, params }) => {
      const { view, site } = await siteCalled(fleet, params['name'])
      const orphans = leftovers(site, view.clusters)
      return ok({ orphans, perMonth: orphans.reduce((sum, orphan) => sum + orphan.perMonth, 0) })
    },
  },
  {
    method: 'get',
    path: '/sites/:name/zone',
    says: 'The records of a site’s name server as a zone file (RFC 1035).',
    past: true,
    texts: ['text/dns'],
    handle: async (_gyrarch, { fleet, params }) => {
      const { view, site } = await siteCalled(fleet, params['name'])
      return {
        text: {
          type: 'text/dns',
          body: writeZone(site.records, site.nameDomain, {
            nameServers: site.nameServers.map((server) => server.address),
            serial: serialAt(view.now),
          }),
          fileName: `${site.name}.zone`,
        },
      }
    },
  },
  {
    method: 'post',
    path: '/sites/:name/zone',
    says: 'Read a zone file against what the site serves: the good records, the bad lines, and the change that would set them.',
    body: z.strictObject({ text: z.string().max(4000000) }),
    answer: z.object({
      records: z.array(nameRecord),
      problems: z.array(saidShape.extend({ line: z.number(), level: z.enum(['stop', 'caution']) })),
      change: draftShape.nullable(),
    }),
    handle: async (gyrarch, { params, body }) => {
      const { site } = await siteCalled(gyrarch.fleet, params['name'])
      const { text } = body as { text: string }
      return okText(await gyrarch.judges.zone(text, site.name, await gyrarch.fleet.view()))
    },
  },
  {
    method: 'get',
    path: '/sites/:name/resolve',
    says: 'What a name leads to, asked of the site’s name server.',
    past: true,
    query: z.object({ name: z.string().min(1).max(253) }),
    answer: z.object({
      name: z.string(),
      addresses: z.array(z.string()),
      path: z.array(z.string()),
    }),
    handle: async (_gyrarch, { fleet, params, query }) => {
      const { site } = await siteCalled(fleet, params['name'])
      const { name } = query as { name: string }
      return ok({ name, ...resolve(site.records, site.nameDomain, name) })
    },
  },
]
