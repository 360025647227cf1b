/** The change kind `cluster.takedown`: everything a cluster owns at its site goes, and what is left is named. */
import { z } from 'zod'
import {
  type ChangeKind,
  longestPath,
  type Plan,
  type RawFinding,
  ref,
  type Step,
} from '../changes'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  leftovers,
  nodesOf,
  type SiteView,
  siteOf,
} from '../fleet'
import { siteSpend } from '../spend'
import { countText, listText } from '../units'
import { estimates, step } from './steps'

export const takedownIntent = z.strictObject({ cluster: z.string().max(253) })
export type TakedownIntent = z.infer<typeof takedownIntent>

/** What a cluster owns at its site, by the tags the site reports. */
function owned(cluster: ClusterView, site: SiteView) {
  return {
    machines: site.machines.filter((machine) => machine.cluster === cluster.name),
    boxes: site.boxes.filter((box) => box.usedBy === cluster.name),
    addresses: site.addresses.filter((address) => address.cluster === cluster.name),
    balancers: site.balancers.filter((balancer) => balancer.cluster === cluster.name),
    published: site.published.filter((file) => file.cluster === cluster.name),
    controlPlane: site.controlPlanes.find((plane) => plane.cluster === cluster.name),
  }
}

function check(intent: TakedownIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) {
    return [
      {
        level: 'stop',
        rule: 'cluster.known',
        field: 'cluster',
        says:
          intent.cluster === ''
            ? 'No cluster is chosen.'
            : `There is no cluster ${intent.cluster}.`,
        because: [
          {
            says: `clusters: ${listText(
              view.clusters.map((other) => other.name),
              10,
            )}`,
            source: 'register of clusters',
          },
        ],
      },
    ]
  }
  const about = ref('cluster', cluster.name)
  const driven = cluster.drives.filter((name) => clusterOf(view, name))
  return [
    ...(driven.length
      ? [
          {
            level: 'stop',
            rule: 'cluster.drives',
            about,
            says: `${cluster.name} drives ${listText(driven)}. Take those down or hand them over first.`,
            because: [{ says: `drives ${listText(driven)}`, source: 'register of clusters' }],
          } satisfies RawFinding,
        ]
      : []),
    ...(cluster.podCount > 0
      ? [
          {
            level: 'caution',
            rule: 'cluster.pods',
            about,
            says: `${countText(cluster.podCount, 'pod')} on ${countText(nodesOf(cluster).length, 'node')} end. Nothing of them is kept.`,
            because: [
              {
                says: `${cluster.podCount} pods observed`,
                source: cluster.name,
                at: cluster.observedAt,
              },
            ],
          } satisfies RawFinding,
        ]
      : []),
  ]
}

function plan(intent: TakedownIntent, view: FleetView): Plan {
  const cluster = clusterOf(view, intent.cluster)
  const site = cluster && siteOf(view, cluster.site)
  if (!cluster || !site) throw new Error('a plan is made only for a cluster that is known')
  const { machines, boxes, addresses, controlPlane, balancers, published } = owned(cluster, site)
  const steps: Step[] = [
    step({
      id: 'close',
      after: [],
      group: cluster.name,
      says: 'end its pods, close its API',
      command: { port: 'cluster', verb: 'cluster.close', args: { cluster: cluster.name } },
      final: true,
      seconds: estimates.closeCluster,
    }),
  ]
  const gone: string[] = []
  const add = (
    id: string,
    group: string,
    says: string,
    verb: string,
    args: Readonly<Record<string, unknown>>,
    seconds: Step['seconds'],
    after: readonly string[] = ['close'],
  ): void => {
    steps.push(
      step({
        id,
        after,
        group,
        says,
        command: { port: 'site', verb, args: { site: site.name, ...args } },
        final: true,
        seconds,
      }),
    )
    gone.push(id)
  }
  // A box is cleared, not deleted: it stays where it stands.
  const standing = new Set(boxes.map((box) => box.name))
  for (const box of boxes)
    add(
      `clear:${box.name}`,
      box.name,
      'clear its install disk, power off',
      'box.clear',
      { name: box.name },
      estimates.clearBox,
    )
  for (const machine of machines)
    if (!standing.has(machine.name))
      add(
        `delete:${machine.name}`,
        machine.name,
        'delete the machine and its disk',
        'machine.delete',
        { name: machine.name },
        estimates.deleteMachine,
      )
  for (const balancer of balancers)
    add(
      `balancer:${balancer.name}`,
      'front',
      `delete the balancer at ${balancer.address}`,
      'balancer.delete',
      { name: balancer.name },
      estimates.balancer,
    )
  if (published.length > 0)
    add(
      'published',
      'boot data',
      `take ${countText(published.length, 'file')} off the boot server`,
      'bootdata.withdraw',
      { names: published.map((file) => file.name) },
      estimates.publishBootData,
    )
  if (controlPlane)
    add(
      'control-plane',
      'API',
      'delete the managed control plane',
      'controlplane.delete',
      { cluster: cluster.name },
      estimates.deleteControlPlane,
    )
  const held = addresses
    .filter((address) => address.how !== 'dhcp')
    .map((address) => address.address)
  if (held.length)
    add(
      'addresses',
      'network',
      `release ${countText(held.length, 'address', 'addresses')}`,
      'address.release',
      { addresses: held },
      estimates.releaseAddresses,
      [...gone],
    )
  steps.push(
    step({
      id: 'strike',
      after: gone.length ? gone : ['close'],
      group: 'register',
      says: `strike ${cluster.name} from the register`,
      command: { port: 'ledger', verb: 'cluster.strike', args: { name: cluster.name } },
      final: true,
      seconds: estimates.ledger,
    }),
  )
  const after: SiteView = {
    ...site,
    machines: site.machines.filter((machine) => machine.cluster !== cluster.name),
    disks: site.disks.filter((disk) => disk.cluster !== cluster.name),
    balancers: site.balancers.filter((balancer) => balancer.cluster !== cluster.name),
    controlPlanes: site.controlPlanes.filter((plane) => plane.cluster !== cluster.name),
  }
  return {
    steps,
    creates: [],
    alters: boxes.map((box) => ref('machine', site.name, box.name)),
    removes: [
      ref('cluster', cluster.name),
      ...nodesOf(cluster).map((node) => ref('node', cluster.name, node.name)),
      ...machines
        .filter((machine) => !standing.has(machine.name))
        .map((machine) => ref('machine', site.name, machine.name)),
      ...site.disks
        .filter((disk) => disk.cluster === cluster.name)
        .map((disk) => ref('disk', site.name, disk.name)),
      ...addresses.map((address) => ref('address', site.name, address.address)),
    ],
    ...longestPath(steps),
    spend: { before: siteSpend(site).perMonth, after: siteSpend(after).perMonth },
    reserves: [],
  }
}

export const clusterTakedown: ChangeKind<TakedownIntent> = {
  name: 'cluster.takedown',
  title: 'Take a cluster down',
  intent: takedownIntent,
  needs: (intent) => ['names', 'ledger', `cluster:${intent.cluster}`],
  subjects: (intent) => [ref('cluster', intent.cluster)],
  guardedBy: (intent, view) => (clusterOf(view, intent.cluster)?.guarded ? intent.cluster : null),
  label: (intent) => `take down ${intent.cluster || 'a cluster'}`,
  check,
  plan,
  prove: (intent, view, results) => {
    const closed = results['close']
    const site = view.sites.find(
      (other) => other.name === (typeof closed?.['site'] === 'string' ? closed['site'] : ''),
    )
    const left = site ? leftovers(site, view.clusters) : []
    const mine = left.filter((item) => item.was === intent.cluster)
    return [
      {
        says: 'It is no longer in the register',
        holds: clusterOf(view, intent.cluster) === undefined,
        observed: clusterOf(view, intent.cluster) ? 'still entered' : 'struck',
      },
      {
        says: 'Nothing of it is left at the site',
        holds: mine.length === 0,
        observed:
          mine.length === 0
            ? `${countText(site?.machines.length ?? 0, 'machine')}, ${countText(site?.disks.length ?? 0, 'disk')}, ${countText(site?.addresses.length ?? 0, 'address', 'addresses')} at ${site?.name ?? 'the site'}, ${left.length === 0 ? 'all owned' : `${countText(left.length, 'thing')} that no cluster owns, none of it made for ${intent.cluster}`}`
            : mine.map((item) => `${item.kind} ${item.name} (${item.says})`).join('; '),
      },
    ]
  },
}
