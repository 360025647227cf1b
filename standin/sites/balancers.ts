/** Load balancers of a site, and whether anything answers behind them. */

import { parseAddress, parseRange } from '../../core/addresses'
import { onSite } from './ground'
import { permanent } from '../failures'
import { said } from './says'

export const inRange = (address: string, range: string): boolean => {
  const entry = parseAddress(address)
  const many = parseRange(range)
  return (
    entry.ok &&
    many.ok &&
    entry.value.family === many.value.family &&
    many.value.first <= entry.value.value &&
    entry.value.value <= many.value.last
  )
}

/** A balancer takes an address that was held for it, or the site’s lowest free one, within its quota. */
export const balancerCreate = onSite<'balancer.create'>(20, (_sim, site, op) => {
  const name = op.args.name
  const about = `balancer/${site.name}/${name}`
  if (site.balancers.some((balancer) => balancer.name === name))
    return said('stands-already', { name })
  if (site.quotaBalancers !== null && site.balancers.length >= site.quotaBalancers)
    return permanent(
      'quota-balancers',
      said('quota-balancers', { site: site.name, quotaBalancers: site.quotaBalancers }),
      {
        about: `quota/${site.name}/balancers`,
        ...said('balancers-in-use', {
          balancersCount: site.balancers.length,
          quotaBalancers: site.quotaBalancers,
        }),
      },
      { about, ...said('not-created') },
    )
  site.balancers = [
    ...site.balancers,
    {
      name,
      address: op.args.address,
      port: op.args.port || 443,
      cluster: op.args.cluster,
      service: op.args.service,
    },
  ]
  return said('answers', { name, address: op.args.address, port: op.args.port || 443 })
})

export const balancerDelete = onSite<'balancer.delete'>(10, (_sim, site, op) => {
  site.balancers = site.balancers.filter((balancer) => balancer.name !== op.args.name)
  return said('deleted', { name: op.args.name })
})

/** A connection from outside to the balancer’s address: it needs a way from that network to the nodes. */
export const frontTry = onSite<'front.try'>(
  6,
  (_sim, site, op) => {
    const balancer = site.balancers.find((balancer) => balancer.name === op.args.name)
    if (!balancer)
      return permanent('balancer-gone', said('balancer-gone', { name: op.args.name }), {
        about: `balancer/${site.name}/${op.args.name}`,
        ...said('does-not-exist'),
      })
    const front = site.networks.find((network) => inRange(balancer.address, network.range))
    const nodes = site.networks.find((network) => network.name === op.args.nodes)
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
        said('route-missing', { address: balancer.address, front: front.name, nodes: nodes.name }),
        { about: `route/${site.name}/${front.name}`, ...said('range', { range: nodes.range }) },
        {
          about: `balancer/${site.name}/${balancer.name}`,
          ...said('no-pool-member'),
        },
      )
    }
    return said('address-port', { address: balancer.address, port: balancer.port })
  },
  (_sim, op) => ({ answers: true, says: op.evidence.at(-1)?.says ?? '' }),
)
