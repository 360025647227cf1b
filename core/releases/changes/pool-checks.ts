/** What stands against the pools of an upgrade: ways that do not go, machines that cannot be made, pods that cannot leave. */
import { stringify } from 'yaml'
import { caution, note, type Offer, type RawFinding, stop } from '../../changes'
import {
  type ClusterView,
  type FleetView,
  listedObjects,
  type PoolView,
  siteOf,
  type SiteView,
} from '../../fleet'
import { movesFindings } from '../../keeping'
import { tidied, type WrittenObject } from '../../manifests'
import { record } from '../../objects'
import { addMachineChecks } from '../../provisioning'
import { siteSpend } from '../../spend'
import { type Ordered, turnedPools, type UpgradeIntent } from './order'
import { said } from './says'
import { madeAnew, namesBeside } from './turnover'
import {
  allowsInPlace,
  drainSeconds,
  holdsDisks,
  movesOf,
  paceOf,
  type PoolWay,
  wayOf,
} from './ways'

/** The draft with another way for a pool. */
const withWay = (intent: UpgradeIntent, way: PoolWay) => ({
  patchDraft: [
    {
      op: 'add' as const,
      path: '/pools',
      value: [...intent.pools.filter(({ pool }) => pool !== way.pool), way],
    },
  ],
})

const isBox = (pool: PoolView, site: SiteView | undefined): boolean =>
  pool.nodes.some(({ machine }) => site?.boxes.some(({ name }) => name === machine))

/** Whether machines of a pool may go, or have to stay where they are. */
function stayFindings(
  intent: UpgradeIntent,
  of: {
    readonly cluster: ClusterView
    readonly pool: PoolView
    readonly way: PoolWay
    readonly site: SiteView | undefined
    readonly field: string
  },
): readonly RawFinding[] {
  const { cluster, pool, way, site, field } = of
  const usual = { ...way, how: 'anew' as const, surge: 1, unavailable: 0 }
  if (way.how === 'in-place' && site && !allowsInPlace(site))
    return [
      stop(
        `pool.in-place.${pool.name}`,
        `${field}.how`,
        said('pool.in-place', { pool: pool.name, site: site.name }),
        [{ ...said('site.is-cloud', { site: site.name }), source: site.name }],
        [{ says: 'Make them anew, one beside first', change: withWay(intent, usual) }],
      ),
    ]
  if (way.how !== 'in-place' && isBox(pool, site))
    return [
      stop(
        `machine.box.${pool.name}`,
        `${field}.how`,
        said('pool.box', { pool: pool.name }),
        [
          {
            ...said('box.stands', { machine: pool.nodes[0]?.machine ?? '' }),
            source: cluster.site,
          },
        ],
        [
          {
            says: 'Update their agents where they are',
            change: withWay(intent, { ...way, how: 'in-place' }),
          },
        ],
      ),
    ]
  const disks = holdsDisks(cluster, pool)
    ? cluster.storage?.disks.filter(({ node }) => pool.nodes.some(({ name }) => name === node))
    : undefined
  if (way.how !== 'in-place' && disks && site && allowsInPlace(site))
    return [
      stop(
        `pool.disks.${pool.name}`,
        `${field}.how`,
        said('pool.disks', { pool: pool.name, disks: disks.length }),
        disks.slice(0, 4).map(({ node, name }) => ({
          ...said('disk.of', { disk: `${node}/${name}` }),
          source: cluster.name,
          at: cluster.observedAt,
        })),
        [
          {
            says: 'Update their agents where they are',
            change: withWay(intent, { ...way, how: 'in-place' }),
          },
        ],
      ),
    ]
  return []
}

/** Ways that are said for a pool and cannot be gone. */
export function wayFindings(
  intent: UpgradeIntent,
  { cluster }: Ordered,
  view: FleetView,
): readonly RawFinding[] {
  const site = siteOf(view, cluster.site)
  const pools = turnedPools(cluster)
  return intent.pools.flatMap((way, index): readonly RawFinding[] => {
    const field = `pools[${index}]`
    const pool = pools.find(({ name }) => name === way.pool)
    if (!pool)
      return [
        stop(`pool.known.${index}`, `${field}.pool`, said('pool.unknown', { pool: way.pool }), [
          { ...said('pools.are', { pools: pools.map(({ name }) => name) }), source: cluster.name },
        ]),
      ]
    const stays = stayFindings(intent, { cluster, pool, way, site, field })
    if (stays.length > 0) return stays
    if (way.how !== 'beside' && way.unavailable + way.surge === 0)
      return [
        stop(
          `pool.pace.${pool.name}`,
          `${field}.unavailable`,
          said('pool.pace', { pool: pool.name }),
          [],
          [
            {
              says: 'Let one at a time be missing',
              change: withWay(intent, { ...way, unavailable: 1 }),
            },
          ],
        ),
      ]
    return []
  })
}

/** Base images of the releases that pools are turned over to, and what else new machines need. */
export function machineFindings(
  intent: UpgradeIntent,
  { cluster, upgrade }: Ordered,
  view: FleetView,
): readonly RawFinding[] {
  const site = siteOf(view, cluster.site)
  const findings = new Map<string, RawFinding>()
  const seen = new Set<string>()
  for (const step of upgrade.steps) {
    if (step.kind !== 'turnover') continue
    const pool = cluster.pools.find(({ name }) => name === step.pool)
    const [node] = pool?.nodes ?? []
    if (!pool || !node || seen.has(`${step.pool} ${step.to}`)) continue
    seen.add(`${step.pool} ${step.to}`)
    const way = wayOf(intent.pools, cluster, pool, site)
    const { surge } = paceOf(way, pool.nodes.length)
    if (isBox(pool, site) || (way.how === 'in-place' && surge === 0)) continue
    const taken = new Set(site?.machines.map(({ name }) => name))
    const names = namesBeside(cluster, pool, taken, Math.min(surge, pool.nodes.length))
    const comes =
      names.length === 0
        ? madeAnew(cluster, pool, node, step.to, view)
        : names.reduce(
            (planned, name, nth) => {
              const like = pool.nodes[nth] ?? node
              const next = madeAnew(cluster, pool, like, step.to, view, name)
              return planned ? { ...next, machines: [...planned.machines, ...next.machines] } : next
            },
            null as ReturnType<typeof madeAnew> | null,
          )
    if (!comes) continue
    for (const { offers = [], ...finding } of addMachineChecks.flatMap((check) => check(comes))) {
      const rule = `${finding.rule}.${step.to}`
      if (findings.has(rule)) continue
      findings.set(rule, {
        ...finding,
        rule,
        field: 'to',
        offers: [
          ...offers.filter(({ change }) => 'kind' in change),
          ...(surge > 0
            ? [
                {
                  says: `Turn ${pool.name} over without machines beside`,
                  change: withWay(intent, {
                    ...way,
                    how: way.how === 'beside' ? 'anew' : way.how,
                    surge: 0,
                    unavailable: 1,
                  }),
                },
              ]
            : []),
        ],
      })
    }
  }
  return [...findings.values()]
}

/** The workload that a pod belongs to, with one pod more, as it was last written. */
function oneMorePod(view: FleetView, cluster: string, pod: string): Offer | null {
  const slash = pod.indexOf('/')
  const [namespace, name] = [pod.slice(0, slash), pod.slice(slash + 1)]
  const workload = listedObjects(view, cluster).find(
    (object) =>
      (object.kind === 'Deployment' || object.kind === 'StatefulSet') &&
      object.metadata?.namespace === namespace &&
      name.startsWith(`${object.metadata.name}-`),
  )
  if (!workload) return null
  const written = tidied(workload as WrittenObject)
  const spec = record((written as Readonly<Record<string, unknown>>)['spec'])
  const replicas = Number(spec['replicas'] ?? 1)
  return {
    says: `Give ${workload.metadata?.name ?? ''} one pod more first`,
    change: {
      kind: 'manifest.apply',
      intent: {
        cluster,
        text: stringify({ ...written, spec: { ...spec, replicas: replicas + 1 } }),
      },
    },
  }
}

/** Pods that cannot leave, whichever node of a pool goes; what moves; what goes past its budget. */
export function evictionFindings(
  intent: UpgradeIntent,
  { cluster, upgrade }: Ordered,
  view: FleetView,
): readonly RawFinding[] {
  const site = siteOf(view, cluster.site)
  const findings = new Map<string, RawFinding>()
  for (const pool of turnedPools(cluster)) {
    if (!upgrade.steps.some((step) => step.kind === 'turnover' && step.pool === pool.name)) continue
    const way = wayOf(intent.pools, cluster, pool, site)
    const moves = movesOf(view, cluster, pool, way)
    if (!moves) continue
    const { drain, past } = moves
    for (const finding of movesFindings(cluster, drain, 'to')) {
      if (finding.level === 'note' || findings.has(finding.rule)) continue
      const isBudget = finding.rule.startsWith('drain.budget')
      const [held] = drain.blocked.filter(({ code }) => code.startsWith('budget') === isBudget)
      const more = isBudget && held ? oneMorePod(view, cluster.name, held.pod) : null
      findings.set(finding.rule, {
        ...finding,
        offers: [
          ...(finding.offers ?? []).filter(({ change }) => 'kind' in change),
          ...(more ? [more] : []),
          ...waysAround(intent, way, isBudget),
        ],
      })
    }
    if (past.length > 0)
      findings.set(
        `budgets.past.${pool.name}`,
        caution(
          `budgets.past.${pool.name}`,
          'pools',
          said('budgets.past', {
            pool: pool.name,
            pods: past.map(({ pod }) => pod),
            graceSeconds: way.graceSeconds,
          }),
          past.slice(0, 6).map(({ says }) => ({
            ...said('budget.says', { says }),
            source: cluster.name,
            at: cluster.observedAt,
          })),
          [
            {
              says: 'Wait for the budgets',
              change: withWay(intent, { ...way, budgets: 'within' }),
            },
          ],
        ),
      )
    if (drain.evictions.length > 0 && drain.blocked.length === 0)
      findings.set(
        `pool.moves.${pool.name}`,
        note(
          `pool.moves.${pool.name}`,
          'pools',
          said('pool.moves', {
            pool: pool.name,
            pods: drain.evictions.length,
            nodes: pool.nodes.length,
            seconds: pool.nodes.reduce(
              (sum, { name }) => sum + (drainSeconds(moves, name, way) ?? 0),
              0,
            ),
            how: way.how,
          }),
        ),
      )
    const extra = site ? spendBeside(pool, way, site) : null
    if (extra !== null)
      findings.set(
        `pool.spend.${pool.name}`,
        note(`pool.spend.${pool.name}`, 'pools', said('pool.spend', { pool: pool.name, ...extra })),
      )
  }
  return [...findings.values()]
}

/** Other ways for a pool whose pods are held: past the budgets, one machine beside, or all of them. */
function waysAround(intent: UpgradeIntent, way: PoolWay, isBudget: boolean): readonly Offer[] {
  if (isBudget)
    return way.budgets === 'past'
      ? []
      : [
          {
            says: `Go past the budget after ${Math.round(way.graceSeconds / 60)} minutes`,
            change: withWay(intent, { ...way, budgets: 'past' }),
          },
        ]
  if (way.how === 'beside') return []
  const oneBeside = { ...way, surge: way.surge + 1, unavailable: 0 }
  return [
    {
      says: `Let ${way.surge === 0 ? 'one machine' : `${way.surge + 1} machines`} of ${way.pool} stand beside meanwhile`,
      change: withWay(intent, oneBeside),
    },
    ...(way.how === 'in-place'
      ? []
      : [
          {
            says: `Make all machines of ${way.pool} beside first`,
            change: withWay(intent, { ...way, how: 'beside' }),
          },
        ]),
  ]
}

const hoursOfMonth = 730

/** What machines beside cost for each hour that they stand; null where none come. */
function spendBeside(
  pool: PoolView,
  way: PoolWay,
  site: SiteView,
): { readonly machines: number; readonly perHour: number } | null {
  const machines = Math.min(paceOf(way, pool.nodes.length).surge, pool.nodes.length)
  const like = site.machines.find(({ name }) => name === pool.nodes[0]?.machine)
  if (machines === 0 || !like) return null
  const more = {
    ...site,
    machines: [
      ...site.machines,
      ...Array.from({ length: machines }, (_, nth) => ({ ...like, name: `${like.name}+${nth}` })),
    ],
  }
  const perMonth = siteSpend(more).perMonth - siteSpend(site).perMonth
  return perMonth > 0 ? { machines, perHour: perMonth / hoursOfMonth } : null
}
