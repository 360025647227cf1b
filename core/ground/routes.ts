/** Routes between the networks of a site. */
import { unreadableRange } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import { ref, stop } from '../changes'
import { contains, parseCidr } from '../addresses'
import { oneStep, seen } from './one-step'
import { said } from './says'

const name = z.string().max(253)
const range = z.string().max(100)

export const wireRouteIntent = z.strictObject({
  site: name,
  network: name,
  to: range,
  via: range,
  remove: z.boolean().default(false),
})

export const addRoute = ({ site, network, to, via }: z.infer<typeof wireRouteIntent>) =>
  command('route.add', { site, network, to, via })
export const removeRoute = ({ site, network, to }: z.infer<typeof wireRouteIntent>) =>
  command('route.remove', { site, network, to })

export const wireRoute = oneStep({
  name: 'wire.route',
  title: 'Add or remove a route',
  intent: wireRouteIntent,
  label: (intent) =>
    `${intent.remove ? 'remove' : 'add'} the route from ${intent.network} to ${intent.to}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('route', intent.site, `${intent.network}→${intent.to}`),
  check: (intent, site) => {
    const because = [
      seen(
        site,
        said('routes', { routes: site.routes.map((route) => `${route.network} → ${route.to}`) }),
      ),
    ]
    if (!site.networks.some((network) => network.name === intent.network))
      return [
        stop(
          'network.known',
          'network',
          said('network.known.no-network', { site: site.name, network: intent.network }),
          because,
        ),
      ]
    const to = parseCidr(intent.to)
    if (!to.ok) return [unreadableRange('range.readable', 'to', to)]
    const there = site.routes.some(
      (route) => route.network === intent.network && route.to === intent.to,
    )
    if (intent.remove && !there)
      return [
        stop(
          'route.known',
          'to',
          said('route.known', { network: intent.network, to: intent.to }),
          because,
        ),
      ]
    if (!intent.remove && there)
      return [
        stop(
          'route.there',
          'to',
          said('route.there', { network: intent.network, to: intent.to }),
          because,
        ),
      ]
    const own = parseCidr(
      site.networks.find((network) => network.name === intent.network)?.range ?? '',
    )
    if (!intent.remove && own.ok && contains(own.value, to.value))
      return [
        stop(
          'route.self',
          'to',
          said('route.self', { to: intent.to, network: intent.network }),
          because,
        ),
      ]
    return []
  },
  says: (intent) =>
    intent.remove
      ? `remove the route to ${intent.to}`
      : `${intent.network} reaches ${intent.to} by ${intent.via}`,
  command: (intent) => (intent.remove ? removeRoute(intent) : addRoute(intent)),
  undo: (intent) => (intent.remove ? addRoute(intent) : removeRoute(intent)),
  seconds: { likely: 6, worst: 20 },
  makes: 'creates',
  after: (intent, site) => ({
    ...site,
    routes: intent.remove
      ? site.routes.filter((route) => route.network !== intent.network || route.to !== intent.to)
      : [...site.routes, { network: intent.network, to: intent.to, via: intent.via }],
  }),
  prove: (intent, site) => {
    const there = (site?.routes ?? []).some(
      (route) => route.network === intent.network && route.to === intent.to,
    )
    return [
      {
        says: `The route ${intent.remove ? 'is gone' : 'stands'}`,
        holds: there !== intent.remove,
        observed: there ? `${intent.network} → ${intent.to}` : 'no such route',
      },
    ]
  },
})
