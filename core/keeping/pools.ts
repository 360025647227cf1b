/** Pools made, changed and given up in a cluster that stands: `pool.add`, `pool.edit`, `pool.remove`. Resizing is with the machines. */
import { command } from '../contract'
import { z } from 'zod'
import {
  type ChangeKind,
  longestPath,
  type Plan,
  type RawFinding,
  ref,
  type Step,
  stop,
} from '../changes'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  nodesOf,
  type PoolView,
  siteOf,
  objectsHeard,
  listedObjects,
} from '../fleet'
import { drain as drainWorld, place, readWorld } from '../placement'
import {
  addMachineChecks,
  estimates,
  type Graph,
  joinStep,
  machineSteps,
  siteAfter,
  step,
} from '../provisioning'
import { askRetry } from '../provisioning/steps'
import { siteSpend } from '../spend'
import { countText, listText } from '../units'
import { drainFindings } from './draining'
import { turnoverFindings, turnoverPlan } from './turnover'
import { checkAnswers, coming, drain, leave, remove } from './machines'

const name = z.string().max(253)
const poolName = z
  .string()
  .regex(/^[a-z]([-a-z0-9]{0,30}[a-z0-9])?$/, 'Small letters, digits and -, up to 32.')
const taint = z.strictObject({
  key: z.string().min(1).max(317),
  value: z.string().max(63).default(''),
  effect: z.enum(['NoSchedule', 'PreferNoSchedule', 'NoExecute']),
})
const labels = z.record(z.string().min(1).max(317), z.string().max(63))
const range = z.strictObject({ min: z.int().min(0).max(10_000), max: z.int().min(0).max(10_000) })

const guarded = (cluster: string, view: FleetView): string | null =>
  clusterOf(view, cluster)?.guarded === true ? cluster : null
const facts = (cluster: ClusterView, says: string) => [
  { says, source: cluster.name, at: cluster.observedAt },
]

function unknown(cluster: string, view: FleetView): { readonly cluster: ClusterView } | RawFinding {
  const found = clusterOf(view, cluster)
  return found
    ? { cluster: found }
    : stop(
        'cluster.known',
        'cluster',
        cluster === '' ? 'No cluster is chosen.' : `There is no cluster ${cluster}.`,
      )
}

function poolIn(cluster: ClusterView, wish: string): PoolView | RawFinding {
  const pool = cluster.pools.find((one) => one.name === wish && one.name !== 'control-plane')
  return (
    pool ??
    stop(
      'pool.known',
      'pool',
      wish === 'control-plane'
        ? 'The control plane is no pool.'
        : `${cluster.name} has no pool ${wish}.`,
      facts(
        cluster,
        `pools: ${listText(cluster.pools.filter((one) => one.name !== 'control-plane').map((one) => one.name)) || 'none'}`,
      ),
    )
  )
}

// Add

export const addIntent = z.strictObject({
  cluster: name,
  pool: poolName,
  size: z.string().max(100),
  count: z.int().min(0).max(1000).default(1),
  lifetime: z.enum(['on-demand', 'spot']).default('on-demand'),
  range: range.optional(),
  taints: z.array(taint).max(20).default([]),
})
export type AddIntent = z.infer<typeof addIntent>

const fresh = (intent: AddIntent): PoolView => ({
  name: intent.pool,
  size: intent.size,
  lifetime: intent.lifetime,
  range: intent.range ?? null,
  taints: intent.taints,
  nodes: [],
})

const withPool = (cluster: ClusterView, pool: PoolView): ClusterView => ({
  ...cluster,
  pools: [...cluster.pools.filter((one) => one.name !== pool.name), pool],
})

const entryOf = (pool: PoolView) => ({
  name: pool.name,
  size: pool.size,
  lifetime: pool.lifetime,
  range: pool.range,
  taints: pool.taints.map(({ key, value, effect }) => ({ key, value, effect })),
})

export const poolAdd: ChangeKind<AddIntent> = {
  name: 'pool.add',
  title: 'Add a pool',
  intent: addIntent,
  needs: (intent) => ['catalogue', 'ledger', `cluster:${intent.cluster}`],
  subjects: (intent) => [ref('pool', intent.cluster, intent.pool)],
  guardedBy: (intent, view) => guarded(intent.cluster, view),
  label: (intent) => `add pool ${intent.pool || 'a pool'} to ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const found = unknown(intent.cluster, view)
    if ('level' in found) return [found]
    const { cluster } = found
    const findings: RawFinding[] = [...checkAnswers(cluster, view)]
    if (cluster.pools.some((pool) => pool.name === intent.pool))
      findings.push(
        stop(
          'pool.name',
          'pool',
          `${cluster.name} has a pool ${intent.pool} already.`,
          facts(cluster, `pools: ${listText(cluster.pools.map((pool) => pool.name))}`),
        ),
      )
    const site = siteOf(view, cluster.site)
    if (site && !site.sizes.some((size) => size.name === intent.size))
      findings.push(
        stop(
          'size.known',
          'size',
          `${site.name} offers no size ${intent.size || '(none chosen)'}.`,
          [
            {
              says: `sizes: ${listText(site.sizes.map((size) => size.name))}`,
              source: site.name,
              at: site.observedAt,
            },
          ],
          site.sizes.slice(0, 3).map((size) => ({
            says: `Use ${size.name}`,
            change: { patchDraft: [{ op: 'replace' as const, path: '/size', value: size.name }] },
          })),
        ),
      )
    if (intent.range && intent.range.min > intent.range.max)
      findings.push(
        stop(
          'pool.range',
          'range',
          `The lower end ${intent.range.min} is above the upper end ${intent.range.max}.`,
        ),
      )
    if (findings.some((finding) => finding.level === 'stop')) return findings
    const planned = coming(withPool(cluster, fresh(intent)), fresh(intent), intent.count, view)
    return [
      ...findings,
      ...addMachineChecks
        .flatMap((check) => check(planned))
        .map((finding): RawFinding => ({
          ...finding,
          field: 'count',
          offers: (finding.offers ?? []).filter((offer) => 'kind' in offer.change),
        })),
    ]
  },
  plan: (intent, view): Plan => {
    const cluster = clusterOf(view, intent.cluster)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !site) throw new Error('a plan is made only for a cluster that is known')
    const planned = coming(withPool(cluster, fresh(intent)), fresh(intent), intent.count, view)
    const graph: Graph = { steps: [], reserves: [], creates: [] }
    graph.steps.push(
      step({
        id: 'enter',
        after: [],
        group: 'register',
        says: `pool ${intent.pool} of ${intent.size} entered`,
        command: command('pool.set', { cluster: cluster.name, pool: entryOf(fresh(intent)) }),
        undo: command('pool.strike', { cluster: cluster.name, pool: intent.pool }),
        seconds: estimates.ledger,
      }),
    )
    for (const machine of planned.machines) {
      const booted = machineSteps(graph, planned, machine, ['enter'], null)
      joinStep(graph, planned, { ...machine, roles: ['worker'] }, machine.name, [booted])
    }
    const after = siteAfter(site, {
      ...planned,
      intent: { ...planned.intent, controlPlane: { kind: 'own', count: 0, alsoWorkers: false } },
    })
    return {
      steps: graph.steps,
      creates: [ref('pool', cluster.name, intent.pool), ...graph.creates],
      alters: [],
      removes: [],
      ...longestPath(graph.steps),
      spend: { before: siteSpend(site).perMonth, after: siteSpend(after).perMonth },
      reserves: graph.reserves,
    }
  },
  prove: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const nodes = cluster?.pools.find((pool) => pool.name === intent.pool)?.nodes ?? []
    const ready = nodes.filter((node) =>
      node.conditions.some(
        (condition) => condition.type === 'Ready' && condition.status === 'True',
      ),
    ).length
    return [
      {
        says: `${intent.pool} has ${countText(intent.count, 'node')}, every one ready`,
        holds: ready === intent.count && nodes.length === intent.count,
        observed: `${nodes.length} nodes, ${ready} ready`,
      },
    ]
  },
}

// Edit

export const editIntent = z.strictObject({
  cluster: name,
  pool: z.string().max(63),
  labels: labels.optional(),
  taints: z.array(taint).max(20).optional(),
  size: z.string().max(100).optional(),
})
export type EditIntent = z.infer<typeof editIntent>

/** What would no longer find a place once a pool’s nodes bear other labels and taints, were everything placed anew. */
function homeless(
  view: FleetView,
  cluster: ClusterView,
  pool: PoolView,
  intent: EditIntent,
): readonly string[] {
  const objects = objectsHeard(view, cluster.name)
  if (!objects) return []
  const names = new Set(pool.nodes.map((node) => node.name))
  const changed = objects.map((object) => {
    if (object.kind === 'Node' && names.has(object.metadata?.name ?? '')) {
      const node = object as unknown as {
        metadata: { labels?: Record<string, string> }
        spec?: { taints?: readonly unknown[] }
      }
      return {
        ...object,
        metadata: { ...node.metadata, labels: { ...node.metadata.labels, ...intent.labels } },
        spec: { ...node.spec, ...(intent.taints ? { taints: intent.taints } : {}) },
      }
    }
    const pod = object as unknown as { spec?: { nodeName?: string } }
    if (object.kind !== 'Pod' || !names.has(pod.spec?.nodeName ?? '')) return object
    const { nodeName: _node, ...spec } = pod.spec ?? {}
    return { ...object, spec, status: { phase: 'Pending' } }
  })
  const read = readWorld(changed)
  return read.ok ? place(read.world, { remedies: false }).waiting.map((one) => one.pod) : []
}

export const poolEdit: ChangeKind<EditIntent> = {
  name: 'pool.edit',
  title: 'Change a pool’s size, labels and taints',
  intent: editIntent,
  needs: (intent) => [
    ...(intent.size === undefined ? [] : (['catalogue', 'ledger'] as const)),
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
  ],
  subjects: (intent) => [ref('pool', intent.cluster, intent.pool)],
  guardedBy: (intent, view) => guarded(intent.cluster, view),
  label: (intent) => `edit pool ${intent.pool || ''} of ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const found = unknown(intent.cluster, view)
    if ('level' in found) return [found]
    const pool = poolIn(found.cluster, intent.pool)
    if ('level' in pool) return [pool]
    const findings: RawFinding[] = [...checkAnswers(found.cluster, view)]
    if (intent.labels === undefined && intent.taints === undefined && intent.size === undefined)
      findings.push(
        stop(
          'pool.nothing',
          'labels',
          'Neither size nor labels nor taints are given: there is nothing to change.',
        ),
      )
    if (intent.size !== undefined && (intent.labels !== undefined || intent.taints !== undefined))
      findings.push(
        stop(
          'pool.both',
          'size',
          'A turnover makes every node anew; change labels and taints in a change of their own, before it or after it.',
          [],
          [
            {
              says: 'Only the size',
              change: {
                patchDraft: [
                  ...(intent.labels ? [{ op: 'remove' as const, path: '/labels' }] : []),
                  ...(intent.taints ? [{ op: 'remove' as const, path: '/taints' }] : []),
                ],
              },
            },
          ],
        ),
      )
    if (intent.size !== undefined)
      return [
        ...findings,
        ...(findings.some((finding) => finding.level === 'stop')
          ? []
          : turnoverFindings(view, found.cluster, pool, intent.size, 'size')),
      ]
    const own = Object.keys(intent.labels ?? {}).filter(
      (key) => key === 'gyrarch/pool' || key === 'kubernetes.io/hostname',
    )
    if (own.length > 0)
      findings.push(
        stop(
          'pool.label',
          'labels',
          `${listText(own)} says what a node is; it is not changed by hand.`,
        ),
      )
    const lost = homeless(view, found.cluster, pool, intent)
    const evicts = (intent.taints ?? []).some((one) => one.effect === 'NoExecute')
    if (lost.length > 0)
      findings.push({
        level: evicts ? 'stop' : 'caution',
        rule: 'pool.homeless',
        field: 'taints',
        says: `${countText(lost.length, 'pod')} of this pool would find no place if made anew: ${listText(lost, 4)}.${evicts ? ' NoExecute would end them at once.' : ' They stay as long as they run.'}`,
        because: facts(found.cluster, 'placed anew on a copy with the pool as it would be'),
      })
    return findings
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const pool = cluster?.pools.find((one) => one.name === intent.pool)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !pool || !site) throw new Error('a plan is made only for a pool that is known')
    if (intent.size !== undefined) {
      const enter = (size: string) =>
        command('pool.set', { cluster: cluster.name, pool: entryOf({ ...pool, size }) })
      const turned = turnoverPlan(view, cluster, pool, intent.size, ['enter'])
      const steps = [
        step({
          id: 'enter',
          after: [],
          group: 'register',
          says: `new nodes of ${pool.name} are of ${intent.size}`,
          command: enter(intent.size),
          undo: enter(pool.size),
          seconds: estimates.ledger,
        }),
        ...turned.steps,
      ]
      return {
        ...turned,
        steps,
        alters: [ref('pool', cluster.name, pool.name)],
        ...longestPath(steps),
      }
    }
    const taints = intent.taints ?? pool.taints
    const steps: Step[] = [
      ...pool.nodes.map((node) =>
        step({
          id: `set:${node.name}`,
          after: [],
          group: node.name,
          says: 'labels and taints set',
          command: command('node.set', {
            cluster: cluster.name,
            node: node.name,
            labels: intent.labels ?? {},
            ...(intent.taints ? { taints: intent.taints } : {}),
          }),
          undo: command('node.put-back', {
            cluster: cluster.name,
            node: node.name,
            before: { $from: `set:${node.name}`, path: 'before' },
          }),
          seconds: { likely: 2, worst: 8 },
          retry: askRetry,
        }),
      ),
      ...(intent.taints
        ? [
            step({
              id: 'enter',
              after: [],
              group: 'register',
              says: 'new nodes of the pool get them too',
              command: command('pool.set', {
                cluster: cluster.name,
                pool: entryOf({ ...pool, taints }),
              }),
              undo: command('pool.set', { cluster: cluster.name, pool: entryOf(pool) }),
              seconds: estimates.ledger,
            }),
          ]
        : []),
    ]
    const spend = siteSpend(site).perMonth
    return {
      steps,
      creates: [],
      alters: [ref('pool', cluster.name, pool.name)],
      removes: [],
      ...longestPath(steps),
      spend: { before: spend, after: spend },
      reserves: [],
    }
  },
  prove: (intent, view) => {
    if (intent.size !== undefined) {
      const pool = clusterOf(view, intent.cluster)?.pools.find((one) => one.name === intent.pool)
      const machines = siteOf(view, clusterOf(view, intent.cluster)?.site ?? '')?.machines ?? []
      const wrong = (pool?.nodes ?? []).filter(
        (node) => machines.find((machine) => machine.name === node.machine)?.size !== intent.size,
      )
      const ready = (pool?.nodes ?? []).filter((node) =>
        node.conditions.some(
          (condition) => condition.type === 'Ready' && condition.status === 'True',
        ),
      ).length
      return [
        {
          says: `every node of ${intent.pool} is of ${intent.size} and ready`,
          holds: pool !== undefined && wrong.length === 0 && ready === pool.nodes.length,
          observed: `${pool?.nodes.length ?? 0} nodes, ${ready} ready, ${wrong.length} of another size`,
        },
      ]
    }
    const names = new Set(
      clusterOf(view, intent.cluster)
        ?.pools.find((pool) => pool.name === intent.pool)
        ?.nodes.map((node) => node.name),
    )
    const nodes = listedObjects(view, intent.cluster).filter(
      (object) => object.kind === 'Node' && names.has(object.metadata?.name ?? ''),
    ) as unknown as readonly {
      metadata: { name: string; labels?: Record<string, string> }
      spec?: { taints?: readonly { key: string; value?: string; effect: string }[] }
    }[]
    const text = (taints: readonly { key: string; value?: string; effect: string }[]): string =>
      taints
        .filter((one) => !one.key.startsWith('node.kubernetes.io/'))
        .map((one) => `${one.key}=${one.value ?? ''}:${one.effect}`)
        .sort()
        .join()
    const wrong = nodes.filter(
      (node) =>
        Object.entries(intent.labels ?? {}).some(
          ([key, value]) => node.metadata.labels?.[key] !== value,
        ) ||
        (intent.taints !== undefined && text(node.spec?.taints ?? []) !== text(intent.taints)),
    )
    return [
      {
        says: `every node of ${intent.pool} bears them`,
        holds: wrong.length === 0,
        observed:
          wrong.length === 0
            ? countText(nodes.length, 'node')
            : `${listText(
                wrong.map((node) => node.metadata.name),
                3,
              )} ${wrong.length === 1 ? 'does' : 'do'} not`,
      },
    ]
  },
}

// Remove

export const removePoolIntent = z.strictObject({ cluster: name, pool: z.string().max(63) })
export type RemovePoolIntent = z.infer<typeof removePoolIntent>

/** Platform pods that would have no node that takes them, once some nodes are gone. */
function platformHomeless(
  view: FleetView,
  cluster: ClusterView,
  nodes: readonly string[],
): readonly string[] {
  const objects = objectsHeard(view, cluster.name)
  const read = objects && nodes.length > 0 ? readWorld(objects) : null
  if (!read?.ok) return []
  const found = drainWorld(read.world, nodes, { allowLocalData: true, unavailable: '100%' })
  return found.ok
    ? found.drain.blocked
        .filter((one) => one.pod.startsWith('platform/') && one.code === 'no-room')
        .map((one) => one.pod)
    : []
}

export const poolRemove: ChangeKind<RemovePoolIntent> = {
  name: 'pool.remove',
  title: 'Give a pool up',
  intent: removePoolIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  subjects: (intent) => [ref('pool', intent.cluster, intent.pool)],
  guardedBy: (intent, view) => guarded(intent.cluster, view),
  label: (intent) => `give up pool ${intent.pool || ''} of ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const found = unknown(intent.cluster, view)
    if ('level' in found) return [found]
    const pool = poolIn(found.cluster, intent.pool)
    if ('level' in pool) return [pool]
    const { cluster } = found
    const nodes = pool.nodes.map((node) => node.name)
    const findings: RawFinding[] = [...checkAnswers(cluster, view)]
    const lost = platformHomeless(view, cluster, nodes)
    if (lost.length > 0)
      findings.push(
        stop(
          'pool.platform',
          'pool',
          `Without ${pool.name} the platform’s own pods have no node that takes them: ${listText(lost, 4)}.`,
          facts(cluster, 'placed on a copy without the pool'),
        ),
      )
    else if (
      nodes.length ===
        nodesOf(cluster).filter((node) => !node.roles.includes('control-plane')).length &&
      nodes.length > 0
    )
      findings.push(
        stop(
          'pool.last',
          'pool',
          `${pool.name} is the last pool: no worker would be left.`,
          facts(cluster, `${nodes.length} workers`),
        ),
      )
    else findings.push(...drainFindings(view, cluster, nodes, 'pool', false))
    return findings
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const pool = cluster?.pools.find((one) => one.name === intent.pool)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !pool || !site) throw new Error('a plan is made only for a pool that is known')
    const steps: Step[] = []
    let last: string[] = []
    for (const node of pool.nodes) {
      steps.push(
        drain(cluster.name, node.name, last),
        leave(cluster.name, node.name, [`drain:${node.name}`]),
        remove(site.name, node.machine, [`leave:${node.name}`]),
      )
      last = [`drain:${node.name}`]
    }
    steps.push(
      step({
        id: 'strike',
        after: pool.nodes.map((node) => `delete:${node.machine}`),
        group: 'register',
        says: `pool ${pool.name} struck`,
        command: command('pool.strike', { cluster: cluster.name, pool: pool.name }),
        undo: command('pool.set', { cluster: cluster.name, pool: entryOf(pool) }),
        seconds: estimates.ledger,
      }),
    )
    const lost = new Set(pool.nodes.map((node) => node.machine))
    const after = {
      ...site,
      machines: site.machines.filter((machine) => !lost.has(machine.name)),
      disks: site.disks.filter((disk) => disk.machine === null || !lost.has(disk.machine)),
    }
    return {
      steps,
      creates: [],
      alters: [],
      removes: [
        ref('pool', cluster.name, pool.name),
        ...pool.nodes.map((node) => ref('node', cluster.name, node.name)),
      ],
      ...longestPath(steps),
      spend: { before: siteSpend(site).perMonth, after: siteSpend(after).perMonth },
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const left = clusterOf(view, intent.cluster)?.pools.find((pool) => pool.name === intent.pool)
    return [
      {
        says: `${intent.cluster} has no pool ${intent.pool}`,
        holds: left === undefined,
        observed: left === undefined ? 'not listed any more' : `${left.nodes.length} nodes left`,
      },
    ]
  },
}
