/** The API of the ground and of what a raise leaves behind: boot data, joins, templates, credentials, names, packing, orphans. */
import { stringify } from 'yaml'
import { z } from 'zod'
import Papa from 'papaparse'
import { addressBook, leftovers, siteOf } from '~/core/fleet'
import { readLedgerCsv, readZone, resolve, serialNewer, writeZone } from '~/core/ground'
import { usualHealth } from '~/core/keeping'
import { readLayers, renderedText, renderLayers } from '~/core/manifests'
import { priceBook, writePrices } from '~/core/spend'
import { hallRoom, hostLoss } from '~/core/sizing'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { callBody } from '../joins/joins'
import { ClusterRow } from '../records/models'
import type { Route } from './routes'

const any = z.unknown()
const ok = (json: unknown) => ({ json })

async function siteCalled(gyrarch: Gyrarch, name: string | undefined) {
  const view = await gyrarch.fleet.view()
  const site = siteOf(view, name ?? '')
  if (!site) throw new Refusal('not-found', `There is no site ${(name ?? '').slice(0, 80)}.`)
  return { view, site }
}

/** What a run made, one row a thing. */
export function inventory(
  record: {
    readonly id: string
    readonly intent: unknown
    readonly plan: { readonly creates: readonly string[] } | null
  },
  view: Awaited<ReturnType<Gyrarch['fleet']['view']>>,
) {
  const site = siteOf(view, String((record.intent as { site?: unknown }).site ?? ''))
  return (record.plan?.creates ?? []).map((ref) => {
    const [kind = '', ...path] = ref.split('/')
    const name = path[path.length - 1] ?? ''
    const machine =
      kind === 'machine' || kind === 'node'
        ? site?.machines.find((other) => other.name === name)
        : undefined
    const held =
      kind === 'address' ? site?.addresses.find((other) => other.address === name) : undefined
    const disk = kind === 'disk' ? site?.disks.find((other) => other.name === name) : undefined
    return {
      kind,
      name,
      site: site?.name ?? '',
      zone: machine?.zone ?? disk?.zone ?? '',
      host: machine?.host ?? '',
      size: machine?.size ?? '',
      address: machine?.address ?? held?.address ?? '',
      for: held?.for ?? disk?.machine ?? '',
      diskGb: machine?.diskGb ?? disk?.sizeGb ?? null,
      there:
        machine !== undefined || held !== undefined || disk !== undefined || kind === 'cluster'
          ? true
          : site?.balancers.some((other) => other.name === name) === true,
    }
  })
}

const healthBody = z.strictObject({
  enabled: z.boolean().default(true),
  afterSeconds: z.number().min(30).max(86_400).default(usualHealth.afterSeconds),
  mostShare: z.number().min(0.01).max(1).default(usualHealth.mostShare),
})

export const groundRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/sites',
    says: 'All sites.',
    answer: z.object({ sites: z.array(any) }),
    handle: async (gyrarch) =>
      ok({
        sites: (await gyrarch.fleet.view()).sites.map(
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
    answer: z.object({ hosts: z.array(any), trial: any }),
    handle: async (gyrarch, { params, query }) => {
      const { site } = await siteCalled(gyrarch, params['name'])
      const wish = query as { cores?: string; memoryGiB?: string; count?: string; zone?: string }
      const trial =
        wish.cores === undefined
          ? null
          : hallRoom(
              site.hosts,
              site.machines,
              Array.from({ length: Math.min(200, Number(wish.count ?? 1)) }, (_, i) => ({
                name: `trial-${String(i + 1).padStart(3, '0')}`,
                zone: wish.zone ?? site.zones[i % site.zones.length] ?? '',
                cores: Number(wish.cores),
                memoryBytes: Number(wish.memoryGiB ?? 0) * 2 ** 30,
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
    answer: z.object({ orphans: z.array(any), perMonth: z.number() }),
    handle: async (gyrarch, { params }) => {
      const { view, site } = await siteCalled(gyrarch, params['name'])
      const orphans = leftovers(site, view.clusters)
      return ok({ orphans, perMonth: orphans.reduce((sum, one) => sum + one.perMonth, 0) })
    },
  },
  {
    method: 'get',
    path: '/sites/:name/zone',
    says: 'The records of a site’s name server as a zone file (RFC 1035).',
    answer: 'text',
    handle: async (gyrarch, { params }) => {
      const { site } = await siteCalled(gyrarch, params['name'])
      return {
        text: {
          type: 'text/dns',
          body: writeZone(site.records, site.nameDomain),
          fileName: `${site.name}.zone`,
        },
      }
    },
  },
  {
    method: 'post',
    path: '/sites/:name/zone',
    says: 'Read a zone file against what the site serves: the good records, the bad lines, and the change that would set them.',
    body: z.strictObject({ text: z.string().max(4_000_000) }),
    answer: z.object({ records: z.array(any), problems: z.array(any), change: any }),
    handle: async (gyrarch, { params, body }) => {
      const { site } = await siteCalled(gyrarch, params['name'])
      return ok(zoneAgainst((body as { text: string }).text, site))
    },
  },
  {
    method: 'get',
    path: '/sites/:name/resolve',
    says: 'What a name leads to, asked of the site’s name server.',
    query: z.object({ name: z.string().min(1).max(253) }),
    answer: z.object({
      name: z.string(),
      addresses: z.array(z.string()),
      path: z.array(z.string()),
    }),
    handle: async (gyrarch, { params, query }) => {
      const { site } = await siteCalled(gyrarch, params['name'])
      const { name } = query as { name: string }
      return ok({ name, ...resolve(site.records, site.nameDomain, name) })
    },
  },
  {
    method: 'get',
    path: '/ledger',
    says: 'The address ledger: every range of every routing domain.',
    answer: z.object({ entries: z.array(any) }),
    handle: async (gyrarch) => ok({ entries: addressBook(await gyrarch.fleet.view()) }),
  },
  {
    method: 'get',
    path: '/ledger.csv',
    says: 'The address ledger as CSV.',
    answer: 'text',
    handle: async (gyrarch) => ({
      text: {
        type: 'text/csv',
        body: Papa.unparse(
          addressBook(await gyrarch.fleet.view()).map(({ domain, range, name, kind, about }) => ({
            domain,
            range,
            name,
            kind,
            holder: about ?? '',
          })),
        ),
        fileName: 'addresses.csv',
      },
    }),
  },
  {
    method: 'post',
    path: '/ledger/csv',
    says: 'Read ranges from CSV (domain, range, name): the good lines, and the bad ones by number.',
    body: z.strictObject({ text: z.string().max(8_000_000) }),
    answer: z.object({ good: z.array(any), bad: z.array(any), known: z.number(), change: any }),
    handle: async (gyrarch, { body }) => {
      const read = readLedgerCsv((body as { text: string }).text, await gyrarch.fleet.view())
      return ok({
        ...read,
        change:
          read.good.length > 0
            ? { kind: 'ledger.enter', intent: { add: read.good, remove: [] } }
            : null,
      })
    },
  },
  {
    method: 'get',
    path: '/credentials',
    says: 'Site credentials: never their secrets.',
    answer: z.object({ credentials: z.array(any) }),
    handle: async (gyrarch) => ok({ credentials: (await gyrarch.fleet.view()).credentials }),
  },
  {
    method: 'post',
    path: '/credentials',
    says: 'Enter a credential. It is encrypted at rest, checked with the site, and never shown again.',
    body: z.strictObject({
      site: z.string().max(253),
      name: z.string().max(63),
      secret: z.string().max(10_000),
      until: z.string().max(40),
    }),
    answer: z.object({ credentials: z.array(any) }),
    status: 201,
    handle: async (gyrarch, { body }) => {
      const wish = body as { site: string; name: string; secret: string; until: string }
      await siteCalled(gyrarch, wish.site)
      await gyrarch.credentials.enter(wish)
      return {
        status: 201,
        json: {
          credentials: (await gyrarch.fleet.view()).credentials.filter(
            (one) => one.site === wish.site,
          ),
        },
      }
    },
  },
  {
    method: 'post',
    path: '/credentials/:site/:name/check',
    says: 'Ask the site whether it takes a credential.',
    answer: z.object({ credential: any }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.credentials.check(params['site'] ?? '', params['name'] ?? '')
      return ok({
        credential: (await gyrarch.fleet.view()).credentials.find(
          (one) => one.site === params['site'] && one.name === params['name'],
        ),
      })
    },
  },
  {
    method: 'delete',
    path: '/credentials/:site/:name',
    says: 'Remove a credential.',
    answer: z.object({ name: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.credentials.remove(params['site'] ?? '', params['name'] ?? '')
      return ok({ name: params['name'] })
    },
  },
  {
    method: 'get',
    path: '/templates',
    says: 'Drafts kept with fields left open.',
    answer: z.object({ templates: z.array(any) }),
    handle: async (gyrarch) => ok({ templates: await gyrarch.templates.list() }),
  },
  {
    method: 'post',
    path: '/templates',
    says: 'Keep a draft as a template: a change, or a kind with its intent.',
    body: z.strictObject({
      name: z.string().max(63),
      says: z.string().max(300).default(''),
      change: z.string().max(20).optional(),
      kind: z.string().max(80).optional(),
      intent: z.record(z.string(), any).optional(),
      open: z.array(z.string().max(300)).max(50).default([]),
    }),
    answer: any,
    status: 201,
    handle: async (gyrarch, { body }) => {
      const wish = body as {
        name: string
        says: string
        change?: string
        kind?: string
        intent?: unknown
        open: string[]
      }
      const from = wish.change === undefined ? null : await gyrarch.changes.get(wish.change)
      if (!from && (wish.kind === undefined || wish.intent === undefined))
        throw new Refusal('invalid', 'Say which draft: a change, or a kind and its intent.', [
          { path: 'change', says: 'is missing' },
        ])
      return {
        status: 201,
        json: await gyrarch.templates.keep({
          name: wish.name,
          says: wish.says,
          kind: from?.kind ?? wish.kind ?? '',
          intent: from?.intent ?? wish.intent,
          open: wish.open,
        }),
      }
    },
  },
  {
    method: 'get',
    path: '/templates/:name',
    says: 'One template.',
    answer: any,
    handle: async (gyrarch, { params }) => ok(await gyrarch.templates.get(params['name'] ?? '')),
  },
  {
    method: 'delete',
    path: '/templates/:name',
    says: 'Remove a template.',
    answer: z.object({ name: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.templates.remove(params['name'] ?? '')
      return ok({ name: params['name'] })
    },
  },
  {
    method: 'post',
    path: '/templates/:name/draft',
    says: 'Draft a change from a template; values by the pointers it leaves open.',
    body: z.strictObject({ values: z.record(z.string().max(300), any).default({}) }),
    answer: any,
    status: 201,
    handle: async (gyrarch, { params, body }) => ({
      status: 201,
      json: await gyrarch.templates.draft(
        params['name'] ?? '',
        (body as { values: Record<string, unknown> }).values,
      ),
    }),
  },
  {
    method: 'get',
    path: '/changes/:id/boot-data',
    says: 'Boot data of every machine, secrets masked, with its size against the site’s limit.',
    answer: z.object({ machines: z.array(any) }),
    handle: async (gyrarch, { params }) =>
      ok({ machines: await gyrarch.boot.views(params['id'] ?? '') }),
  },
  {
    method: 'get',
    path: '/changes/:id/boot-data.tar',
    says: 'The boot data of all machines in one archive.',
    answer: 'text',
    handle: async (gyrarch, { params }) => ({
      text: {
        type: 'application/x-tar',
        body: await gyrarch.boot.tar(params['id'] ?? ''),
        fileName: `${params['id'] ?? 'change'}-boot-data.tar`,
      },
    }),
  },
  {
    method: 'get',
    path: '/changes/:id/boot-data/:machine/:file',
    says: 'One file: user-data (as it is handed over), full-user-data, meta-data, network-config or seed.iso.',
    answer: 'text',
    handle: async (gyrarch, { params }) => ({
      text: await gyrarch.boot.file(
        params['id'] ?? '',
        params['machine'] ?? '',
        params['file'] ?? '',
      ),
    }),
  },
  {
    method: 'get',
    path: '/changes/:id/draft.yaml',
    says: 'The draft as YAML.',
    answer: 'yaml',
    handle: async (gyrarch, { params }) => {
      const { id, kind, title, intent } = await gyrarch.changes.get(params['id'] ?? '')
      return {
        text: {
          type: 'application/yaml',
          body: stringify({ gyrarch: 'draft/1', kind, title, intent }, { lineWidth: 0 }),
          fileName: `${id}.draft.yaml`,
        },
      }
    },
  },
  {
    method: 'get',
    path: '/changes/:id/inventory',
    says: 'What a run made, as JSON or CSV.',
    query: z.object({ format: z.enum(['json', 'csv']).optional() }),
    answer: z.object({ inventory: z.array(any) }),
    handle: async (gyrarch, { params, query }) => {
      const rows = inventory(
        await gyrarch.changes.get(params['id'] ?? ''),
        await gyrarch.fleet.view(),
      )
      if ((query as { format?: string }).format === 'csv')
        return {
          text: {
            type: 'text/csv',
            body: Papa.unparse(rows),
            fileName: `${params['id'] ?? ''}-inventory.csv`,
          },
        }
      return ok({ inventory: rows })
    },
  },
  {
    method: 'get',
    path: '/changes/:id/joins',
    says: 'The machines a run waits for: their scripts, who has called, what is wrong, what is missing to a majority.',
    answer: z.object({ machines: z.array(any), missing: z.string().nullable() }),
    handle: async (gyrarch, { params, base }) =>
      ok(await gyrarch.joins.of(params['id'] ?? '', base)),
  },
  {
    method: 'post',
    path: '/changes/:id/joins/:machine/renew',
    says: 'A new join script in place of one that has ended.',
    answer: z.object({ machines: z.array(any), missing: z.string().nullable() }),
    handle: async (gyrarch, { params, base }) => {
      await gyrarch.joins.renew(params['id'] ?? '', params['machine'] ?? '')
      return ok(await gyrarch.joins.of(params['id'] ?? '', base))
    },
  },
  {
    method: 'post',
    path: '/changes/:id/joins/:machine/stand-in',
    says: 'Run the join script on the stand-in machine, as the person in front of it would.',
    answer: z.object({ says: z.string() }),
    handle: async (gyrarch, { params }) =>
      ok(await gyrarch.joins.runOnStandIn(params['id'] ?? '', params['machine'] ?? '')),
  },
  {
    method: 'post',
    path: '/join/:token',
    says: 'What a join script calls: what the machine finds on itself.',
    body: callBody,
    answer: z.object({ says: z.string() }),
    handle: async (gyrarch, { params, body }) =>
      ok(await gyrarch.joins.call(params['token'] ?? '', body as z.infer<typeof callBody>)),
  },
  {
    method: 'get',
    path: '/clusters/:name/health',
    says: 'How its nodes are kept healthy.',
    answer: healthBody,
    handle: async (gyrarch, { params }) => {
      await gyrarch.cluster(params['name'] ?? '')
      return ok((await gyrarch.health.policies()).get(params['name'] ?? '') ?? usualHealth)
    },
  },
  {
    method: 'post',
    path: '/clusters/:name/health',
    says: 'Set how its nodes are kept healthy.',
    body: healthBody,
    answer: healthBody,
    handle: async (gyrarch, { params, body }) =>
      ok(await setHealth(gyrarch, params['name'] ?? '', body as z.infer<typeof healthBody>)),
  },
]

const layerBody = z.strictObject({ name: z.string().max(80), text: z.string() })

export const layerRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/prices.csv',
    says: 'The price books of all sites.',
    answer: 'text',
    handle: async (gyrarch) => ({
      text: {
        type: 'text/csv',
        body: writePrices((await gyrarch.fleet.view()).sites.flatMap(priceBook)),
        fileName: 'prices.csv',
      },
    }),
  },
  {
    method: 'get',
    path: '/layers',
    says: 'Layered files that are kept.',
    answer: z.object({ layers: z.array(any) }),
    handle: async (gyrarch) => ok({ layers: await gyrarch.layers.list() }),
  },
  {
    method: 'post',
    path: '/layers',
    says: 'Keep a layered file.',
    body: layerBody,
    answer: any,
    status: 201,
    handle: async (gyrarch, { body }) => {
      const { name, text } = body as z.infer<typeof layerBody>
      await gyrarch.layers.keep(name, text)
      return ok({ name })
    },
  },
  {
    method: 'get',
    path: '/layers/:name/rendered',
    says: 'A layered file rendered for an environment, or its base alone.',
    query: z.object({ environment: z.string().max(63).optional() }),
    answer: 'yaml',
    handle: async (gyrarch, { params, query }) => {
      const read = readLayers(await gyrarch.layers.get(params['name'] ?? ''))
      if (!read.ok) throw new Refusal('invalid', read.says)
      const rendered = renderLayers(read.file, (query['environment'] as string | undefined) ?? null)
      if (!rendered.ok)
        throw new Refusal('invalid', rendered.says, [{ path: 'environment', says: rendered.says }])
      return {
        json: null,
        text: { type: 'application/yaml', body: renderedText(rendered.objects) },
      }
    },
  },
]

export async function setHealth(
  gyrarch: Gyrarch,
  name: string,
  policy: z.infer<typeof healthBody>,
) {
  await gyrarch.cluster(name)
  await gyrarch.database.write((transaction) =>
    ClusterRow.update({ health: policy }, { where: { name }, transaction }),
  )
  await gyrarch.journalLine({
    kind: 'health.set',
    about: `cluster/${name}`,
    says: `health keeping of ${name}: ${policy.enabled ? `after ${policy.afterSeconds} s, at most ${Math.round(policy.mostShare * 100)} % at once` : 'off'}`,
  })
  gyrarch.health.stirred()
  return policy
}

/** A zone file laid against what a site serves: what it would set and what it would remove. */
export function zoneAgainst(
  text: string,
  site: {
    readonly name: string
    readonly nameDomain: string
    readonly records: readonly {
      readonly name: string
      readonly type: string
      readonly ttl: number
      readonly value: string
    }[]
  },
) {
  const { records, problems } = readZone(text, site.nameDomain)
  const serial = (list: typeof site.records): number | null => {
    const soa = list.find((record) => record.type === 'SOA')
    return soa ? Number(soa.value.split(' ')[2]) : null
  }
  const [was, is] = [serial(site.records), serial(records)]
  const stale =
    was !== null && is !== null && !serialNewer(is, was)
      ? [
          {
            line: 0,
            level: 'caution' as const,
            says: `Its serial ${is} is not newer than ${was}, which is served (RFC 1982). Setting it raises the serial once more.`,
          },
        ]
      : []
  const key = (record: {
    readonly name: string
    readonly type: string
    readonly value: string
  }): string => `${record.name} ${record.type} ${record.value}`
  const [have, want] = [
    new Map(site.records.map((record) => [key(record), record])),
    new Set(records.map(key)),
  ]
  const set = records.filter((record) => have.get(key(record))?.ttl !== record.ttl)
  const remove = site.records
    .filter((record) => !want.has(key(record)))
    .map(({ name, type, value }) => ({ name, type, value }))
  return {
    records,
    problems: [...stale, ...problems],
    change:
      set.length + remove.length === 0
        ? null
        : { kind: 'wire.record', intent: { site: site.name, set, remove } },
  }
}
