/**
 * A stopped cluster started again: `cluster.start`. Its machines are taken anew from their site, so each is checked as a new
 * one is: whether its size is in stock, within quota, on a host with room. A pool may come back in another size or other
 * zones, or stay empty for now.
 */
import {
  type ChangeKind,
  guardedCluster,
  longestPath,
  noCluster,
  type Offer,
  type RawFinding,
  ref,
  type Step,
  stop,
} from '../changes'
import { command } from '../contract'
import { clusterOf, type ClusterView, type FleetView, nodesOf, siteOf } from '../fleet'
import { estimates, step } from '../provisioning'
import { clusterHourly, siteSpend } from '../spend'
import { countText } from '../units'
import { againFindings } from './again'
import { isReady } from './machines'
import { entryOf } from './pool-parts'
import { said } from './says'
import {
  afterStart,
  backAgain,
  machinesAfter,
  startIntent,
  type StartIntent,
} from './started-cluster'

const isAsItWas = (intent: StartIntent): boolean =>
  intent.leaveOut.length === 0 && intent.otherwise.length === 0

/** Pools named that the cluster does not have, and its control plane, which cannot stay out. */
function poolFindings(intent: StartIntent, cluster: ClusterView): readonly RawFinding[] {
  const pools = cluster.pools
    .filter((pool) => pool.name !== 'control-plane')
    .map(({ name }) => name)
  const because = [{ ...said('pools', { pools }), source: 'register of clusters' }]
  const unknown = (field: string, pool: string, isAlso: boolean): readonly RawFinding[] =>
    pools.includes(pool) || isAlso
      ? []
      : [
          stop(
            `pool.known.${field}`,
            field,
            pool === 'control-plane'
              ? said('start.control-plane')
              : said('pool.known.no-pool', { cluster: cluster.name, wanted: pool }),
            because,
          ),
        ]
  return [
    ...intent.leaveOut.flatMap((pool, i) => unknown(`leaveOut[${i}]`, pool, false)),
    ...intent.otherwise.flatMap((entry, i) =>
      unknown(`otherwise[${i}].pool`, entry.pool, entry.pool === 'control-plane'),
    ),
  ]
}

const without = (intent: StartIntent, pool: string): Offer => ({
  says: `Start it without ${pool} first`,
  change: {
    patchDraft: [{ op: 'replace', path: '/leaveOut', value: [...intent.leaveOut, pool] }],
  },
})

const otherwise = (
  intent: StartIntent,
  pool: string,
  asked: { readonly size?: string; readonly zones?: readonly string[] },
  says: string,
): Offer => {
  const before = intent.otherwise.find((entry) => entry.pool === pool)
  return {
    says,
    change: {
      patchDraft: [
        {
          op: 'replace',
          path: '/otherwise',
          value: [
            ...intent.otherwise.filter((entry) => entry.pool !== pool),
            { ...before, pool, ...asked },
          ],
        },
      ],
    },
  }
}

function check(intent: StartIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const seen = { source: cluster.name, at: cluster.observedAt }
  if (!cluster.resting)
    return [
      stop('cluster.runs', 'cluster', said('cluster.runs', { cluster: cluster.name }), [
        { ...(cluster.apiAnswers ? said('api-answers') : said('api-does-not')), ...seen },
      ]),
    ]
  const wrong = poolFindings(intent, cluster)
  const site = siteOf(view, cluster.site)
  if (wrong.length > 0 || !site) return wrong
  const back = backAgain(cluster, site, intent)
  const findings: RawFinding[] = againFindings(cluster, site, view, back, {
    without: (pool) => without(intent, pool),
    otherwise: (pool, asked, says) => otherwise(intent, pool, asked, says),
  })
  const moved = back.filter(
    (machine) =>
      cluster.restingMachines.find((before) => before.name === machine.name)?.zone !== machine.zone,
  )
  if (moved.length > 0)
    findings.push({
      level: 'caution',
      rule: 'start.zones',
      field: 'otherwise',
      ...said('start.zones', { machines: moved.map((machine) => machine.name) }),
      because: [{ ...said('volumes-zone'), ...seen }],
    })
  const smaller = back.filter((machine) => {
    const before = cluster.restingMachines.find((candidate) => candidate.name === machine.name)
    return (
      before !== undefined &&
      (machine.cores < before.cores || machine.memoryBytes < before.memoryBytes)
    )
  })
  if (smaller.length > 0)
    findings.push({
      level: 'caution',
      rule: 'start.smaller',
      field: 'otherwise',
      ...said('start.smaller', {
        machines: smaller.map((machine) => machine.name),
        sizes: [...new Set(smaller.map((machine) => machine.size))],
      }),
      because: [{ ...said('pods-unseen', { cluster: cluster.name }), ...seen }],
    })
  if (intent.leaveOut.length > 0)
    findings.push({
      level: 'note',
      rule: 'start.part',
      field: 'leaveOut',
      ...said('start.part', { pools: intent.leaveOut }),
      because: [],
    })
  const scaled = cluster.pools.filter((pool) => pool.range !== null)
  if (scaled.length > 0)
    findings.push({
      level: 'note',
      rule: 'cluster.counts',
      field: 'cluster',
      ...said('cluster.counts.scale-themselves-may', { scaled: scaled.map((pool) => pool.name) }),
      because: [],
    })
  return findings
}

/** The register learns of another size once the machines are there. */
function enterSteps(intent: StartIntent, cluster: ClusterView): readonly Step[] {
  return cluster.pools.flatMap((pool) => {
    const size = intent.otherwise.find((entry) => entry.pool === pool.name)?.size
    return size === undefined || size === pool.size || pool.name === 'control-plane'
      ? []
      : [
          step({
            id: `enter:${pool.name}`,
            after: ['wake'],
            group: 'register',
            says: `pool ${pool.name} is of ${size}`,
            command: command('pool.set', {
              cluster: cluster.name,
              pool: { ...entryOf(pool), size },
            }),
            undo: command('pool.set', { cluster: cluster.name, pool: entryOf(pool) }),
            seconds: estimates.ledger,
          }),
        ]
  })
}

export const clusterStart: ChangeKind<StartIntent> = {
  name: 'cluster.start',
  title: 'Start a cluster',
  intent: startIntent,
  needs: (intent) => ['catalogue', 'ledger', `cluster:${intent.cluster}`],
  subjects: (intent) => [ref('cluster', intent.cluster)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `start ${intent.cluster || 'a cluster'}`,
  check,
  after: afterStart,
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !site) throw new Error('a plan is made only for a cluster that is known')
    const back = backAgain(cluster, site, intent)
    const args = { cluster: intent.cluster }
    const steps = [
      step({
        id: 'wake',
        after: [],
        group: intent.cluster,
        says: `take ${countText(back.length, 'machine')} again, open its API, make its pods anew`,
        command: command('cluster.wake', {
          ...args,
          ...(isAsItWas(intent)
            ? {}
            : { machines: back.map(({ name, zone, size }) => ({ name, zone, size })) }),
        }),
        undo: command('cluster.rest', args),
        seconds: { likely: 145, worst: 330 },
      }),
      ...enterSteps(intent, cluster),
    ]
    const now = siteSpend(site).perMonth
    const taken = machinesAfter(cluster, back)
    return {
      steps,
      creates: back.map((machine) => ref('machine', site.name, machine.name)),
      alters: [ref('cluster', intent.cluster)],
      removes: [],
      ...longestPath(steps),
      spend: {
        before: now,
        after: now + clusterHourly(site, { ...cluster, restingMachines: taken }) * 730,
      },
      reserves: back.map((machine) => ({
        kind: 'machine' as const,
        site: site.name,
        zone: machine.zone,
        what: machine.name,
        cores: machine.cores,
        memoryBytes: machine.memoryBytes,
      })),
    }
  },
  prove: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const nodes = cluster ? nodesOf(cluster) : []
    const ready = nodes.filter(isReady).length
    return [
      {
        says: `the API of ${intent.cluster} answers`,
        holds: cluster?.apiAnswers === true,
        observed: cluster?.apiAnswers === true ? cluster.endpoint : 'no answer',
      },
      {
        says: 'every node is ready',
        holds: nodes.length > 0 && ready === nodes.length,
        observed: `${ready} of ${nodes.length} ready`,
      },
      ...intent.leaveOut.map((pool) => {
        const left = nodes.filter((node) => node.pool === pool).length
        return {
          says: `${pool} is empty`,
          holds: left === 0,
          observed: countText(left, 'node'),
        }
      }),
      ...intent.otherwise.flatMap((entry) => {
        const own = nodes.filter((node) => node.pool === entry.pool)
        const zones = [...new Set(own.map((node) => node.zone))]
        return entry.zones === undefined
          ? []
          : [
              {
                says: `${entry.pool} stands in ${entry.zones.join(', ')}`,
                holds:
                  own.length > 0 && zones.every((zone) => entry.zones?.includes(zone) === true),
                observed: zones.join(', ') || 'it has no node',
              },
            ]
      }),
    ]
  },
}
