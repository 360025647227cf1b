/** A site itself: entered, described, removed; its services, hosts, quota, images and boot files. */
import { z } from 'zod'
import { ref } from '../refs'
import { siteReport } from '../reports/site'
import { host, publishedFile, size } from '../shapes'
import { atSite, siteSlice } from '../places'
import { verb } from '../verb'

export const siteAdd = verb({
  name: 'site.add',
  port: 'site',
  /** As it will tell of itself, with nothing running on it. */
  args: z.object({ name: z.string(), definition: siteReport }),
  result: z.object({}),
  failures: ['site-unreadable'],
  at: ({ name }) => ref('site', name),
  touches: ({ name }) => [`site:${name}`],
  makes: ({ name }) => [ref('site', name)],
})

/** Replaces a site’s own description: zones, hosts, sizes and figures, given whole. */
export const siteSet = verb({
  name: 'site.set',
  port: 'site',
  args: z.object({
    site: z.string(),
    zones: z.array(z.string()),
    hosts: z.array(host),
    sizes: z.array(size.extend({ gpus: z.number().optional() })),
    overcommit: z.number(),
    reservePerZone: z.number(),
  }),
  result: z.object({}),
  failures: ['host-used', 'zone-used'],
  at: atSite,
  touches: siteSlice,
})

export const siteRemove = verb({
  name: 'site.remove',
  port: 'site',
  args: z.object({ site: z.string() }),
  result: z.object({}),
  failures: ['site-used'],
  at: atSite,
  touches: siteSlice,
  removes: ({ site }) => [ref('site', site)],
})

export const serviceRestart = verb({
  name: 'service.restart',
  port: 'site',
  args: z.object({
    site: z.string(),
    service: z.string(),
    /** Of DHCP: the network; null is every one. */
    network: z.string().nullable().default(null),
  }),
  result: z.object({}),
  failures: ['no-service'],
  at: atSite,
  touches: siteSlice,
})

export const hostService = verb({
  name: 'host.service',
  port: 'site',
  args: z.object({
    site: z.string(),
    hosts: z.array(z.string()),
    service: z.enum(['in', 'out']),
  }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
})

export const quotaAsk = verb({
  name: 'quota.ask',
  port: 'site',
  args: z.object({ site: z.string(), cores: z.number() }),
  result: z.object({}),
  failures: ['no-quota', 'quota-refused'],
  at: atSite,
  touches: siteSlice,
})

export const imagePlace = verb({
  name: 'image.place',
  port: 'site',
  args: z.object({
    site: z.string(),
    name: z.string(),
    release: z.string(),
    minimumDiskGb: z.number(),
  }),
  result: z.object({}),
  failures: ['no-route'],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, release }) => [ref('image', site, release)],
})

export const imageRemove = verb({
  name: 'image.remove',
  port: 'site',
  args: z.object({ site: z.string(), release: z.string() }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, release }) => [ref('image', site, release)],
})

export const bootDataPublish = verb({
  name: 'bootdata.publish',
  port: 'site',
  args: publishedFile.extend({ site: z.string() }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, name }) => [ref('boot-data', site, name)],
})

export const bootDataWithdraw = verb({
  name: 'bootdata.withdraw',
  port: 'site',
  args: z.object({ site: z.string(), names: z.array(z.string()) }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, names }) => names.map((name) => ref('boot-data', site, name)),
})

const orphan = z.enum(['machine', 'disk', 'address', 'balancer'])

export const orphanRemove = verb({
  name: 'orphan.remove',
  port: 'site',
  args: z.object({
    site: z.string(),
    items: z.array(z.object({ kind: orphan, name: z.string() })),
  }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, items }) => items.map(({ kind, name }) => ref(kind, site, name)),
})

export const orphanAdopt = verb({
  name: 'orphan.adopt',
  port: 'site',
  args: z.object({ site: z.string(), kind: orphan, name: z.string(), cluster: z.string() }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, kind, name }) => [ref(kind, site, name)],
})
