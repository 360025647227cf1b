/** The change kind `cluster.takedown`: everything a cluster owns at its site goes, and what is left is named. */
import { guardedCluster, noCluster } from '../changes'
import { command } from '../contract'
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
import { countText } from '../units'
import { estimates, step } from './steps'
import { said } from './says'

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
  if (!cluster) return [noCluster(intent.cluster, view)]
  const about = ref('cluster', cluster.name)
  const driven = cluster.drives.filter((name) => clusterOf(view, name))
  return [
    ...(driven.length
      ? [
          {
            level: 'stop',
            rule: 'cluster.drives',
            about,
            ...said('cluster.drives', { cluster: cluster.name, driven }),
            because: [{ ...said('drives', { driven }), source: 'register of clusters' }],
          } satisfies RawFinding,
        ]
      : []),
    ...(cluster.podCount > 0
      ? [
          {
            level: 'caution',
            rule: 'cluster.pods',
            about,
            ...said('cluster.pods', {
              podCount: cluster.podCount,
              nodesCount: nodesOf(cluster).length,
            }),
            because: [
              {
                ...said('pods-observed', { podCount: cluster.podCount }),
                source: cluster.name,
                at: cluster.observedAt,
              },
            ],
          } satisfies RawFinding,
        ]
      : []),
  ]
}

type Removal = Pick<Step, 'id' | 'group' | 'says' | 'command' | 'seconds'>

/** What goes once the cluster is closed, in no order: its machines, fronts, files and control plane. */
function removals(cluster: ClusterView, site: SiteView): readonly Removal[] {
  const { machines, boxes, controlPlane, balancers, published } = owned(cluster, site)
  const existing = new Set(boxes.map((box) => box.name))
  // A box is cleared, not deleted: it stays where it stands.
  const cleared = boxes.map((box): Removal => ({
    id: `clear:${box.name}`,
    group: box.name,
    says: 'clear its install disk, power off',
    command: command('box.clear', { site: site.name, name: box.name }),
    seconds: estimates.clearBox,
  }))
  const deleted = machines
    .filter((machine) => !existing.has(machine.name))
    .map((machine): Removal => ({
      id: `delete:${machine.name}`,
      group: machine.name,
      says: 'delete the machine and its disk',
      command: command('machine.delete', { site: site.name, name: machine.name }),
      seconds: estimates.deleteMachine,
    }))
  const fronts = balancers.map((balancer): Removal => ({
    id: `balancer:${balancer.name}`,
    group: 'front',
    says: `delete the balancer at ${balancer.address}`,
    command: command('balancer.delete', { site: site.name, name: balancer.name }),
    seconds: estimates.balancer,
  }))
  const files: readonly Removal[] =
    published.length === 0
      ? []
      : [
          {
            id: 'published',
            group: 'boot data',
            says: `take ${countText(published.length, 'file')} off the boot server`,
            command: command('bootdata.withdraw', {
              site: site.name,
              names: published.map((file) => file.name),
            }),
            seconds: estimates.publishBootData,
          },
        ]
  const planes: readonly Removal[] = controlPlane
    ? [
        {
          id: 'control-plane',
          group: 'API',
          says: 'delete the managed control plane',
          command: command('controlplane.delete', { site: site.name, cluster: cluster.name }),
          seconds: estimates.deleteControlPlane,
        },
      ]
    : []
  return [...cleared, ...deleted, ...fronts, ...files, ...planes]
}

/** Addresses that were held for it, released once nothing has them any more; or nothing. */
function release(cluster: ClusterView, site: SiteView): readonly Removal[] {
  const held = owned(cluster, site)
    .addresses.filter((address) => address.how !== 'dhcp')
    .map((address) => address.address)
  if (held.length === 0) return []
  return [
    {
      id: 'addresses',
      group: 'network',
      says: `release ${countText(held.length, 'address', 'addresses')}`,
      command: command('address.release', { site: site.name, addresses: held }),
      seconds: estimates.releaseAddresses,
    },
  ]
}

function plan(intent: TakedownIntent, view: FleetView): Plan {
  const cluster = clusterOf(view, intent.cluster)
  const site = cluster && siteOf(view, cluster.site)
  if (!cluster || !site) throw new Error('a plan is made only for a cluster that is known')
  const { machines, boxes, addresses } = owned(cluster, site)
  const existing = new Set(boxes.map((box) => box.name))
  const removed = removals(cluster, site)
  const released = release(cluster, site)
  const removedIds = removed.map(({ id }) => id)
  const gone = [...removedIds, ...released.map(({ id }) => id)]
  const steps: Step[] = [
    step({
      id: 'close',
      after: [],
      group: cluster.name,
      says: 'end its pods, close its API',
      command: command('cluster.close', { cluster: cluster.name }),
      final: true,
      seconds: estimates.closeCluster,
    }),
    ...removed.map((removal) => step({ ...removal, after: ['close'], final: true })),
    ...released.map((removal) =>
      step({ ...removal, after: removedIds.length > 0 ? removedIds : ['close'], final: true }),
    ),
  ]
  steps.push(
    step({
      id: 'strike',
      after: gone.length ? gone : ['close'],
      group: 'register',
      says: `strike ${cluster.name} from the register`,
      command: command('cluster.strike', { name: cluster.name }),
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
        .filter((machine) => !existing.has(machine.name))
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
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `take down ${intent.cluster || 'a cluster'}`,
  check,
  plan,
  prove: (intent, view, results) => {
    const closed = results['close']
    const site = view.sites.find(
      (site) => site.name === (typeof closed?.['site'] === 'string' ? closed['site'] : ''),
    )
    const left = site ? leftovers(site, view.clusters) : []
    const own = left.filter((item) => item.was === intent.cluster)
    return [
      {
        says: 'It is no longer in the register',
        holds: clusterOf(view, intent.cluster) === undefined,
        observed: clusterOf(view, intent.cluster) ? 'still entered' : 'struck',
      },
      {
        says: 'Nothing of it is left at the site',
        holds: own.length === 0,
        observed:
          own.length === 0
            ? `${countText(site?.machines.length ?? 0, 'machine')}, ${countText(site?.disks.length ?? 0, 'disk')}, ${countText(site?.addresses.length ?? 0, 'address', 'addresses')} at ${site?.name ?? 'the site'}, ${left.length === 0 ? 'all owned' : `${countText(left.length, 'thing')} that no cluster owns, none of it made for ${intent.cluster}`}`
            : own.map((item) => `${item.kind} ${item.name} (${item.says})`).join('; '),
      },
    ]
  },
}
