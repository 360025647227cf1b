/** Clusters stopped, by hand or by a calendar: `cluster.stop`. */
import { guardedCluster, noCluster } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import { type ChangeKind, longestPath, type Plan, type RawFinding, ref, stop } from '../changes'
import { clusterOf, type ClusterView, type FleetView, nodesOf, siteOf } from '../fleet'
import { step } from '../provisioning/steps'
import { clusterHourly, siteSpend } from '../spend'
import { listText } from '../units'
import { againNote } from './again'
import { said } from './says'
import { keptUntil } from './kept-until'

export const name = z.string().max(253)

const intent = z.strictObject({ cluster: name })
export type StopIntent = z.infer<typeof intent>

/** The spend of a cluster’s site with and without what goes while it rests. */
function spend(view: FleetView, cluster: ClusterView | undefined): Plan['spend'] {
  const site = cluster && siteOf(view, cluster.site)
  if (!cluster || !site) return { before: 0, after: 0 }
  const now = siteSpend(site).perMonth
  return { before: now, after: now - clusterHourly(site, cluster) * 730 }
}

export const clusterStop: ChangeKind<StopIntent> = {
  name: 'cluster.stop',
  title: 'Stop a cluster',
  intent,
  needs: (intent) => ['catalogue', 'ledger', `cluster:${intent.cluster}`],
  subjects: (intent) => [ref('cluster', intent.cluster)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `stop ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const missing = clusterOf(view, intent.cluster) ? null : noCluster(intent.cluster, view)
    const cluster = clusterOf(view, intent.cluster)
    if (missing || !cluster) return missing ? [missing] : []
    const because = [
      {
        ...said('nodes-and-pods', {
          nodesCount: nodesOf(cluster).length,
          podCount: cluster.podCount,
        }),
        source: cluster.name,
        at: cluster.observedAt,
      },
    ]
    if (cluster.resting)
      return [
        stop('cluster.rests', 'cluster', said('cluster.rests', { cluster: cluster.name }), because),
      ]
    const site = siteOf(view, cluster.site)
    const findings: RawFinding[] = []
    const boxes = nodesOf(cluster).filter((node) =>
      site?.boxes.some((box) => box.name === node.machine),
    )
    if (boxes.length > 0)
      findings.push(
        stop(
          'machine.box',
          'cluster',
          said('machine.box.stand-there-they', {
            boxes: boxes.map((node) => node.machine),
          }),
          because,
        ),
      )
    const driven = view.clusters.filter((otherCluster) =>
      cluster.drives.includes(otherCluster.name),
    )
    if (driven.length > 0)
      findings.push(
        stop(
          'cluster.drives',
          'cluster',
          said('cluster.drives.drives-without-nothing', {
            cluster: cluster.name,
            driven: driven.map((otherCluster) => otherCluster.name),
          }),
          [{ ...said('drives', { drives: cluster.drives }), source: 'register of clusters' }],
        ),
      )
    findings.push({
      level: 'caution',
      rule: 'cluster.pods',
      field: 'cluster',
      ...said('cluster.pods', { podCount: cluster.podCount, keptUntil: keptUntil(view.now) }),
      because,
    })
    if (site) findings.push(...againNote(cluster, site, view))
    const scaled = cluster.pools.filter((pool) => pool.range !== null)
    if (scaled.length > 0)
      findings.push({
        level: 'note',
        rule: 'cluster.counts',
        field: 'cluster',
        ...said('cluster.counts.scale-themselves-after', {
          scaled: scaled.map((pool) => pool.name),
          counts: scaled.map((pool) => pool.nodes.length),
        }),
        because: scaled.map((pool) => ({
          ...said('pool-range', {
            pool: pool.name,
            min: pool.range?.min ?? 0,
            max: pool.range?.max ?? 0,
          }),
          source: 'register of clusters',
        })),
      })
    return findings
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const args = { cluster: intent.cluster }
    const steps = [
      step({
        id: 'rest',
        after: [],
        group: intent.cluster,
        says: 'end its pods, close its API, give its machines back',
        command: command('cluster.rest', args),
        undo: command('cluster.wake', args),
        seconds: { likely: 55, worst: 140 },
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [ref('cluster', intent.cluster)],
      removes: cluster ? nodesOf(cluster).map((node) => ref('node', cluster.name, node.name)) : [],
      ...longestPath(steps),
      spend: spend(view, cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const machines = (siteOf(view, cluster?.site ?? '')?.machines ?? []).filter(
      (machine) => machine.cluster === intent.cluster,
    )
    return [
      {
        says: `${intent.cluster} rests`,
        holds: cluster?.resting === true,
        observed: cluster?.restingSince
          ? `since ${cluster.restingSince.slice(11, 16)}`
          : 'it does not',
      },
      {
        says: 'its machines are given back',
        holds: machines.length === 0,
        observed:
          machines.length === 0
            ? 'none left at its site'
            : listText(
                machines.map((machine) => machine.name),
                3,
              ),
      },
    ]
  },
}
