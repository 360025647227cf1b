/** Things at a site that no cluster owns: removed, or given to a cluster. */
import { command } from '../contract'
import { z } from 'zod'
import { ref, stop } from '../changes'
import { clusterOf, leftovers, type SiteView } from '../fleet'
import { countText, listText } from '../units'
import { oneStep, put, seen } from './one-step'
import { said } from './says'

const name = z.string().max(253)
const item = z.strictObject({ kind: z.enum(['machine', 'disk', 'address', 'balancer']), name })
export type OrphanItem = z.infer<typeof item>

const without = (site: SiteView, items: readonly OrphanItem[]): SiteView => {
  const has = new Set(items.map((orphan) => `${orphan.kind}/${orphan.name}`))
  return {
    ...site,
    machines: site.machines.filter((machine) => !has.has(`machine/${machine.name}`)),
    disks: site.disks.filter(
      (disk) =>
        !has.has(`disk/${disk.name}`) &&
        !(disk.machine !== null && has.has(`machine/${disk.machine}`)),
    ),
    addresses: site.addresses.filter((address) => !has.has(`address/${address.address}`)),
    balancers: site.balancers.filter((balancer) => !has.has(`balancer/${balancer.name}`)),
  }
}

export const orphansRemove = oneStep({
  name: 'orphans.remove',
  title: 'Remove what no cluster owns',
  intent: z.strictObject({ site: name, items: z.array(item).max(5000) }),
  label: (intent) =>
    `remove ${intent.items.length === 1 ? (intent.items[0]?.name ?? '') : `${intent.items.length} orphans`} at ${intent.site}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('orphans', intent.site, intent.items[0]?.name ?? 'none'),
  check: (intent, site, view) => {
    const left = leftovers(site, view.clusters)
    if (intent.items.length === 0)
      return [
        stop(
          'orphans.none',
          'items',
          said('orphans.none'),
          [seen(site, said('leftovers', { leftCount: left.length }))],
          left.length > 0
            ? [
                {
                  says: `All ${left.length}`,
                  change: put(
                    '/items',
                    left
                      .filter((leftover) => leftover.kind !== 'control plane')
                      .map((leftover) => ({ kind: leftover.kind, name: leftover.name })),
                  ),
                },
              ]
            : [],
        ),
      ]
    const keys = new Set(left.map((leftover) => `${leftover.kind}/${leftover.name}`))
    const owned = intent.items.filter((orphan) => !keys.has(`${orphan.kind}/${orphan.name}`))
    if (owned.length === 0) return []
    return [
      stop(
        'orphans.owned',
        'items',
        said('orphans.owned.several', {
          owned: owned.map((entry) => entry.name),
        }),
        [seen(site, said('leftovers', { leftCount: left.length }))],
        [
          {
            says: 'Leave them out',
            change: put(
              '/items',
              intent.items.filter((orphan) => !owned.includes(orphan)),
            ),
          },
        ],
      ),
    ]
  },
  says: (intent) => `remove ${countText(intent.items.length, 'thing')} that no cluster owns`,
  command: (intent) => command('orphan.remove', { site: intent.site, items: intent.items }),
  seconds: { likely: 15, worst: 60 },
  makes: 'removes',
  after: (intent, site) => without(site, intent.items),
  prove: (intent, site) => {
    const still = site
      ? intent.items.filter((orphan) => {
          if (orphan.kind === 'disk') return site.disks.some((disk) => disk.name === orphan.name)
          if (orphan.kind === 'address')
            return site.addresses.some(
              (address) => address.address === orphan.name && address.cluster === null,
            )
          if (orphan.kind === 'balancer')
            return site.balancers.some((balancer) => balancer.name === orphan.name)
          return site.machines.some((machine) => machine.name === orphan.name)
        })
      : intent.items
    return [
      {
        says: 'They are gone',
        holds: still.length === 0,
        observed:
          still.length === 0
            ? `${intent.items.length} of ${intent.items.length} removed`
            : `still there: ${listText(
                still.map((entry) => entry.name),
                4,
              )}`,
      },
    ]
  },
})

export const orphansAdopt = oneStep({
  name: 'orphans.adopt',
  title: 'Give an orphan to a cluster',
  intent: z.strictObject({
    site: name,
    kind: z.enum(['disk', 'address', 'balancer']),
    name,
    cluster: name,
  }),
  label: (intent) => `give ${intent.name} to ${intent.cluster}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('orphans', intent.site, intent.name),
  check: (intent, site, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const here = view.clusters
      .filter((otherCluster) => otherCluster.site === site.name)
      .map((otherCluster) => otherCluster.name)
    if (!cluster || cluster.site !== site.name)
      return [
        stop(
          'cluster.known',
          'cluster',
          said('cluster.known', { cluster: intent.cluster, site: site.name }),
          [seen(site, said('here', { here }))],
          here.slice(0, 2).map((otherName) => ({
            says: `Give it to ${otherName}`,
            change: put('/cluster', otherName),
          })),
        ),
      ]
    if (
      !leftovers(site, view.clusters).some(
        (leftover) => leftover.kind === intent.kind && leftover.name === intent.name,
      )
    )
      return [stop('orphans.owned', 'name', said('orphans.owned.one', { name: intent.name }), [])]
    return []
  },
  says: (intent) => `${intent.name} belongs to ${intent.cluster}`,
  command: (intent) => command('orphan.adopt', { ...intent }),
  seconds: { likely: 5, worst: 20 },
  after: (intent, site) => ({
    ...site,
    disks: site.disks.map((disk) =>
      intent.kind === 'disk' && disk.name === intent.name
        ? { ...disk, cluster: intent.cluster }
        : disk,
    ),
    addresses: site.addresses.map((address) =>
      intent.kind === 'address' && address.address === intent.name
        ? { ...address, cluster: intent.cluster }
        : address,
    ),
    balancers: site.balancers.map((balancer) =>
      intent.kind === 'balancer' && balancer.name === intent.name
        ? { ...balancer, cluster: intent.cluster }
        : balancer,
    ),
  }),
  prove: (intent, site) => {
    let owner: string | null | undefined
    if (intent.kind === 'disk')
      owner = site?.disks.find((disk) => disk.name === intent.name)?.cluster
    else if (intent.kind === 'address')
      owner = site?.addresses.find((address) => address.address === intent.name)?.cluster
    else owner = site?.balancers.find((balancer) => balancer.name === intent.name)?.cluster
    return [
      {
        says: `${intent.name} belongs to ${intent.cluster}`,
        holds: owner === intent.cluster,
        observed: owner ?? 'nobody',
      },
    ]
  },
})
