/**
 * The change kind `cluster.upgrade`: a cluster goes from release to release along the catalogue’s ways; add-ons before they
 * would not fit, pools before they would lag too far, each machine made anew from the base image of the release.
 */
import {
  type ChangeKind,
  guardedCluster,
  longestPath,
  type Plan,
  ref,
  type Step,
} from '../../changes'
import { command } from '../../contract'
import { clusterOf, type FleetView, listedObjects, siteOf } from '../../fleet'
import { shownBy } from '../../keeping'
import { record } from '../../objects'
import { estimates, step } from '../../provisioning'
import { askRetry } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { compareReleases, countText, listText } from '../../units'
import { findRelease } from '../release'
import type { UpgradeStep } from '../upgrade'
import { checkUpgrade } from './checks'
import {
  type Ordered,
  orderedUpgrade,
  turnedPools,
  upgradeIntent,
  type UpgradeIntent,
} from './order'
import { spendMeanwhile } from './meanwhile'
import { type TurnedNode, turnoverSteps } from './turnover'
import { movesOf, wayOf } from './ways'

/** How long one control-plane member takes, and an add-on (s). */
const memberMove = { likely: 95, worst: 170 }
const begin = { likely: 15, worst: 40 }

function controlPlaneStep({ cluster }: Ordered, to: string, after: readonly string[]): Step {
  const members =
    cluster.controlPlane.kind === 'own' ? Math.max(1, cluster.controlPlane.members.length) : 1
  return step({
    id: `control-plane:${to}`,
    after,
    group: 'control plane',
    says: `control plane to ${to}${members > 1 ? `, ${countText(members, 'member')} one at a time` : ''}`,
    command: command('controlplane.move', { cluster: cluster.name, to }),
    final: true,
    seconds: {
      likely: begin.likely + members * memberMove.likely,
      worst: begin.worst + members * memberMove.worst,
    },
    retry: askRetry,
  })
}

function addOnStep(
  { cluster }: Ordered,
  of: UpgradeStep & { kind: 'add-on' },
  after: readonly string[],
): Step {
  const { name: addOn, from, to } = of
  const move = (version: string) =>
    command('addon.move', { cluster: cluster.name, addOn, to: version })
  return step({
    id: `add-on:${addOn}:${to}`,
    after,
    group: addOn,
    says: `${addOn} from ${from} to ${to}`,
    command: move(to),
    undo: move(from),
    seconds: { likely: 60, worst: 150 },
    retry: askRetry,
  })
}

function plan(intent: UpgradeIntent, view: FleetView): Plan {
  const ordered = orderedUpgrade(intent, view)
  const site = ordered && siteOf(view, ordered.cluster.site)
  if (!ordered || !site) throw new Error('a plan is made only for a release that can be gone to')
  const { cluster, upgrade, release } = ordered
  const backup = `before-${release.version}`
  const steps: Step[] = [
    step({
      id: 'backup',
      after: [],
      group: 'control plane',
      says: 'back the state store up',
      command: command('backup.take', { cluster: cluster.name, backup }),
      seconds: estimates.takeBackup,
      retry: askRetry,
    }),
  ]
  let before: readonly string[] = ['backup']
  const stands = new Map<string, readonly TurnedNode[]>()
  for (const each of upgrade.steps) {
    if (each.kind === 'turnover') {
      const pool = cluster.pools.find(({ name }) => name === each.pool)
      if (!pool) continue
      const way = wayOf(intent.pools, cluster, pool, site)
      const all = stands.get(pool.name) ?? pool.nodes
      const isBehind = ({ release: runs }: TurnedNode): boolean =>
        compareReleases(runs, each.to) < 0
      const turnover = turnoverSteps({
        cluster,
        pool,
        nodes: all.filter(isBehind),
        way,
        moves: movesOf(view, cluster, pool, way),
        release: each.to,
        view,
        after: before,
      })
      steps.push(...turnover.steps)
      before = turnover.last
      stands.set(pool.name, [
        ...all.filter((node) => !isBehind(node)),
        ...turnover.nodes.map((node) => ({ ...node, release: each.to })),
      ])
      continue
    }
    const next =
      each.kind === 'control-plane'
        ? controlPlaneStep(ordered, each.to, before)
        : addOnStep(ordered, each, before)
    steps.push(next)
    before = [next.id]
  }
  const spend = siteSpend(site).perMonth
  return {
    steps,
    creates: [],
    alters: [
      ref('cluster', cluster.name),
      ...turnedPools(cluster).map(({ name }) => ref('pool', cluster.name, name)),
    ],
    removes: [],
    ...longestPath(steps),
    spend: { before: spend, after: spend, meanwhile: spendMeanwhile(steps, site) },
    reserves: [],
  }
}

/** Workloads with fewer pods ready than they ask for. */
function unready(view: FleetView, cluster: string): readonly string[] {
  return listedObjects(view, cluster).flatMap((object) => {
    if (object.kind !== 'Deployment' && object.kind !== 'StatefulSet') return []
    const body = record(object)
    const wanted = Number(record(body['spec'])['replicas'] ?? 1)
    const ready = Number(record(body['status'])['readyReplicas'] ?? 0)
    return ready < wanted ? [`${object.metadata?.name ?? ''} ${ready} of ${wanted}`] : []
  })
}

export const clusterUpgradeKind: ChangeKind<UpgradeIntent> = {
  name: 'cluster.upgrade',
  title: 'Take a cluster to another release',
  intent: upgradeIntent,
  needs: (intent) => [
    'catalogue',
    'published',
    'ledger',
    'names',
    'registries',
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
    `walks:cluster/${intent.cluster}`,
  ],
  subjects: (intent) => [ref('cluster', intent.cluster)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: ({ cluster, to }) => `take ${cluster || 'a cluster'} to ${to || 'another release'}`,
  check: checkUpgrade,
  after: (intent, view) => {
    const ordered = orderedUpgrade(intent, view)
    if (!ordered) return view
    const { version } = ordered.release
    return {
      ...view,
      clusters: view.clusters.map((cluster) =>
        cluster.name === intent.cluster
          ? {
              ...cluster,
              release: version,
              pools: cluster.pools.map((pool) => ({
                ...pool,
                nodes: pool.nodes.map((node) => ({ ...node, release: version })),
              })),
            }
          : cluster,
      ),
    }
  },
  answeredBy: (failure) => shownBy[failure.reason] ?? [],
  plan,
  prove: (intent, view, results) => {
    const cluster = clusterOf(view, intent.cluster)
    const to = findRelease(view.catalogue, intent.to)?.version ?? intent.to
    const nodes = cluster?.pools.flatMap((pool) => pool.nodes) ?? []
    const behind = nodes.filter(({ release }) => release !== to)
    const waiting = unready(view, intent.cluster)
    return [
      {
        says: `the control plane of ${intent.cluster} runs ${to}`,
        holds: cluster?.release === to,
        observed: cluster?.release ?? 'no cluster',
      },
      {
        says: 'every node does too',
        holds: nodes.length > 0 && behind.length === 0,
        observed: `${nodes.length - behind.length} of ${countText(nodes.length, 'node')}`,
      },
      {
        says: 'every workload is ready',
        holds: waiting.length === 0,
        observed: waiting.length === 0 ? 'all of them' : listText(waiting, 4),
      },
      {
        says: `a backup from before is there`,
        holds: results['backup'] !== undefined,
        observed: `before-${to}, ${countText(Number(results['backup']?.['objects'] ?? 0), 'object')}`,
      },
    ]
  },
}
