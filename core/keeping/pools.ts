/** Pools made, changed and given up in a cluster that stands: `pool.add`, `pool.edit`, `pool.remove`. Resizing is with the machines. */
import { answering, guardedCluster } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import type { ChangeKind, RawFinding, Step } from '../changes'
import { longestPath, ref, stop } from '../changes'
import type { ClusterView, FleetView, PoolView } from '../fleet'
import { clusterOf, siteOf, objectsHeard, listedObjects } from '../fleet'
import { place, readWorld } from '../placement'
import { estimates, step } from '../provisioning'
import { askRetry } from '../provisioning/steps'
import { siteSpend } from '../spend'
import { countText, listText } from '../units'
import { turnoverFindings, turnoverPlan } from './turnover'
import { entryOf } from './pool-parts'
import { facts, labels, name, poolIn, taint, unknown } from './pool-parts'
import { said } from './says'
import { isOfKind, ofKind, type Taint } from '../objects'

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
    if (isOfKind(object, 'Node') && names.has(object.metadata.name))
      return {
        ...object,
        metadata: { ...object.metadata, labels: { ...object.metadata.labels, ...intent.labels } },
        spec: { ...object.spec, ...(intent.taints ? { taints: intent.taints } : {}) },
      }
    if (!isOfKind(object, 'Pod') || !names.has(object.spec?.nodeName ?? '')) return object
    const { nodeName: _node, ...spec } = object.spec ?? {}
    return { ...object, spec, status: { phase: 'Pending' } }
  })
  const read = readWorld(changed)
  return read.ok
    ? place(read.world, { remedies: false }).waiting.map((waitingAnswer) => waitingAnswer.pod)
    : []
}

export const poolEdit: ChangeKind<EditIntent> = {
  name: 'pool.edit',
  title: 'Change a pool’s size, labels and taints',
  intent: editIntent,
  needs: (intent) => [
    ...(intent.size === undefined ? [] : (['catalogue', 'ledger', 'names'] as const)),
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
  ],
  subjects: (intent) => [ref('pool', intent.cluster, intent.pool)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `edit pool ${intent.pool || ''} of ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const result = unknown(intent.cluster, view)
    if ('level' in result) return [result]
    const pool = poolIn(result.cluster, intent.pool)
    if ('level' in pool) return [pool]
    const findings: RawFinding[] = [...answering(result.cluster, view)]
    if (intent.labels === undefined && intent.taints === undefined && intent.size === undefined)
      findings.push(stop('pool.nothing', 'labels', said('pool.nothing')))
    if (intent.size !== undefined && (intent.labels !== undefined || intent.taints !== undefined))
      findings.push(
        stop(
          'pool.both',
          'size',
          said('pool.both'),
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
          : turnoverFindings(view, result.cluster, pool, intent.size, 'size')),
      ]
    const own = Object.keys(intent.labels ?? {}).filter(
      (key) => key === 'gyrarch/pool' || key === 'kubernetes.io/hostname',
    )
    if (own.length > 0) findings.push(stop('pool.label', 'labels', said('pool.label', { own })))
    const lost = homeless(view, result.cluster, pool, intent)
    const evicts = (intent.taints ?? []).some((taint) => taint.effect === 'NoExecute')
    if (lost.length > 0)
      findings.push({
        level: evicts ? 'stop' : 'caution',
        rule: 'pool.homeless',
        field: 'taints',
        ...said('pool.homeless', { lost, evicts }),
        because: facts(result.cluster, said('placed-anew-copy')),
      })
    return findings
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const pool = cluster?.pools.find((pool) => pool.name === intent.pool)
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
      const pool = clusterOf(view, intent.cluster)?.pools.find((pool) => pool.name === intent.pool)
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
          observed: `${countText(pool?.nodes.length ?? 0, 'node')}, ${ready} ready, ${wrong.length} of another size`,
        },
      ]
    }
    const names = new Set(
      clusterOf(view, intent.cluster)
        ?.pools.find((pool) => pool.name === intent.pool)
        ?.nodes.map((node) => node.name),
    )
    const nodes = ofKind(listedObjects(view, intent.cluster), 'Node').filter((node) =>
      names.has(node.metadata.name),
    )
    const text = (taints: readonly Taint[]): string =>
      taints
        .filter((taint) => !taint.key.startsWith('node.kubernetes.io/'))
        .map((taint) => `${taint.key}=${taint.value ?? ''}:${taint.effect}`)
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
