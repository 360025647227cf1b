/** The ways of a site: networks, routes, addresses, balancers, names, firewall, translations. */
import { z } from 'zod'
import { ref } from '../refs'
import { firewallRule, nameRecord, network, route, translation } from '../shapes'
import { atSite, siteSlice } from '../places'
import { verb } from '../verb'

const onSite = z.object({ site: z.string() })

export const networkSet = verb({
  name: 'network.set',
  port: 'site',
  args: onSite.extend({ network }),
  result: z.object({}),
  failures: ['network-unreadable'],
  at: atSite,
  touches: siteSlice,
  makes: (args) => [ref('network', args.site, args.network.name)],
})

export const networkRemove = verb({
  name: 'network.remove',
  port: 'site',
  args: onSite.extend({ name: z.string() }),
  result: z.object({}),
  failures: ['network-used'],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, name }) => [ref('network', site, name)],
})

export const routeAdd = verb({
  name: 'route.add',
  port: 'site',
  args: route.extend({ site: z.string() }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, network, to }) => [ref('route', site, network, to)],
})

export const routeRemove = verb({
  name: 'route.remove',
  port: 'site',
  args: onSite.extend({ network: z.string(), to: z.string() }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, network, to }) => [ref('route', site, network, to)],
})

export const addressHold = verb({
  name: 'address.hold',
  port: 'site',
  args: onSite.extend({
    cluster: z.string(),
    addresses: z.array(z.object({ address: z.string(), network: z.string(), for: z.string() })),
    how: z.enum(['static', 'virtual']).default('static'),
  }),
  result: z.object({ addresses: z.array(z.string()) }),
  failures: ['address-taken', 'no-network'],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, addresses }) => addresses.map(({ address }) => ref('address', site, address)),
})

export const addressRelease = verb({
  name: 'address.release',
  port: 'site',
  args: onSite.extend({ addresses: z.array(z.string()) }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, addresses }) => addresses.map((address) => ref('address', site, address)),
})

export const balancerCreate = verb({
  name: 'balancer.create',
  port: 'site',
  args: onSite.extend({
    name: z.string(),
    address: z.string(),
    port: z.number(),
    cluster: z.string().nullable(),
    service: z.string(),
  }),
  result: z.object({}),
  failures: ['quota-balancers'],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, name }) => [ref('balancer', site, name)],
})

export const balancerDelete = verb({
  name: 'balancer.delete',
  port: 'site',
  args: onSite.extend({ name: z.string() }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  removes: ({ site, name }) => [ref('balancer', site, name)],
})

/** A connection from outside to a balancer’s address. */
export const frontTry = verb({
  name: 'front.try',
  port: 'site',
  args: onSite.extend({ name: z.string(), nodes: z.string(), cluster: z.string().optional() }),
  result: z.object({ answers: z.boolean(), says: z.string() }),
  failures: ['balancer-gone', 'route-missing'],
  at: atSite,
  touches: () => [],
})

export const recordsSet = verb({
  name: 'records.set',
  port: 'site',
  args: onSite.extend({ records: z.array(nameRecord) }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, records }) =>
    records.map(({ name, type, value }) => ref('record', site, `${name} ${type} ${value}`)),
})

export const firewallSet = verb({
  name: 'firewall.set',
  port: 'site',
  args: onSite.extend({ rules: z.array(firewallRule) }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, rules }) => rules.map(({ name }) => ref('firewall-rule', site, name)),
})

export const translationsSet = verb({
  name: 'translations.set',
  port: 'site',
  args: onSite.extend({ translations: z.array(translation) }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: siteSlice,
  makes: ({ site, translations }) => translations.map(({ name }) => ref('translation', site, name)),
})
