/** Load balancers of a site, and whether anything answers behind them. */

import { parseAddress, parseRange } from '../../core/addresses'
import { onSite } from './ground'
import { permanent } from '../failures'

export const inRange = (address: string, range: string): boolean => {
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
export const balancerCreate = onSite<'balancer.create'>(20, (_sim, site, op) => {
  const name = op.args.name
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
      address: op.args.address,
      port: op.args.port || 443,
      cluster: op.args.cluster,
      service: op.args.service,
    },
  ]
  return `${name} answers at ${op.args.address}:${op.args.port || 443}`
})

export const balancerDelete = onSite<'balancer.delete'>(10, (_sim, site, op) => {
  site.balancers = site.balancers.filter((other) => other.name !== op.args.name)
  return `${op.args.name} deleted`
})

/** A connection from outside to the balancer’s address: it needs a way from that network to the nodes. */
export const frontTry = onSite<'front.try'>(
  6,
  (_sim, site, op) => {
    const balancer = site.balancers.find((other) => other.name === op.args.name)
    if (!balancer)
      return permanent('balancer-gone', `There is no balancer ${op.args.name}.`, {
        about: `balancer/${site.name}/${op.args.name}`,
        says: 'does not exist',
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
