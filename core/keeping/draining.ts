/** Nodes closed for new pods and emptied: `node.cordon`, `node.drain`; and what stands against emptying a node, computed by placement. */
import { answering, guardedCluster, noCluster } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import { type ChangeKind, longestPath, type RawFinding, ref, type Step } from '../changes'
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  nodesOf,
  objectsHeard,
  listedObjects,
} from '../fleet'
import { drain, readWorld, type Drain } from '../placement'
import { askRetry, estimates, step } from '../provisioning/steps'
import { spendUnchanged } from '../spend'
import { listText } from '../units'
import { said } from './says'
import { facts, movesFindings } from './held'
import { budgetRules, refusingBudget } from './slack'
import { controllerOf, ofKind } from '../objects'

const name = z.string().max(253)

/** What draining nodes would do, or null where the cluster’s objects were not looked at. */
export function drainOf(
  view: FleetView,
  cluster: string,
  nodes: readonly string[],
  allowLocalData: boolean,
): Drain | null {
  const objects = objectsHeard(view, cluster)
  if (!objects || nodes.length === 0) return null
  const read = readWorld(objects)
  if (!read.ok) return null
  const drainRead = drain(read.world, nodes, { allowLocalData })
  return drainRead.ok ? drainRead.drain : null
}

/** Findings about pods that cannot be moved, one for each reason. `field` is the field of the intent that asks for it. */
export function drainFindings(
  view: FleetView,
  cluster: ClusterView,
  nodes: readonly string[],
  field: string,
  allowLocalData: boolean,
): readonly RawFinding[] {
  const drain = drainOf(view, cluster.name, nodes, allowLocalData)
  return drain ? movesFindings(cluster, drain, field, listedObjects(view, cluster.name)) : []
}

function unknown(
  cluster: string,
  nodes: readonly string[],
  field: string,
  view: FleetView,
): { readonly cluster: ClusterView } | RawFinding {
  const matchingCluster = clusterOf(view, cluster)
  if (!matchingCluster) return noCluster(cluster, view)
  const [silent] = answering(matchingCluster, view)
  if (silent) return silent
  const missing = nodes.filter(
    (node) => !nodesOf(matchingCluster).some((otherNode) => otherNode.name === node),
  )
  if (nodes.length === 0)
    return {
      level: 'stop',
      rule: 'node.known',
      field,
      ...said('node.known.no-node-chosen'),
      because: [],
    }
  if (missing.length > 0)
    return {
      level: 'stop',
      rule: 'node.known',
      field,
      ...said('node.known.no-node', { cluster, missing }),
      because: facts(
        matchingCluster,
        said('nodes-listed', { nodesCount: nodesOf(matchingCluster).length }),
      ),
    }
  return { cluster: matchingCluster }
}

export const cordonIntent = z.strictObject({
  cluster: name,
  node: name,
  open: z.boolean().default(false),
})
export type CordonIntent = z.infer<typeof cordonIntent>

const withCordon = (
  view: FleetView,
  cluster: string,
  nodes: readonly string[],
  cordoned: boolean,
): FleetView => ({
  ...view,
  clusters: view.clusters.map((eachCluster) =>
    eachCluster.name === cluster
      ? {
          ...eachCluster,
          pools: eachCluster.pools.map((pool) => ({
            ...pool,
            nodes: pool.nodes.map((node) =>
              nodes.includes(node.name) ? { ...node, cordoned } : node,
            ),
          })),
        }
      : eachCluster,
  ),
})

export const nodeCordon: ChangeKind<CordonIntent> = {
  name: 'node.cordon',
  title: 'Close or open a node for new pods',
  intent: cordonIntent,
  needs: (intent) => [`cluster:${intent.cluster}`],
  subjects: (intent) => [ref('node', intent.cluster, intent.node)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `${intent.open ? 'open' : 'cordon'} ${intent.node || 'a node'}`,
  check: (intent, view) => {
    const result = unknown(intent.cluster, intent.node === '' ? [] : [intent.node], 'node', view)
    if ('level' in result) return [result]
    const node = nodesOf(result.cluster).find((node) => node.name === intent.node)
    return node?.cordoned === !intent.open
      ? [
          {
            level: 'note',
            rule: 'node.cordoned',
            field: 'node',
            ...said('node.cordoned', { node: intent.node, open: intent.open }),
            because: facts(result.cluster, intent.open ? said('takes-pods') : said('cordoned')),
          },
        ]
      : []
  },
  plan: (intent, view) => {
    const { cluster, node, open } = intent
    const set = (isOpen: boolean) =>
      command(isOpen ? 'node.uncordon' : 'node.cordon', { cluster, node })
    const steps: readonly Step[] = [
      step({
        id: 'do',
        after: [],
        group: node,
        says: open ? 'takes pods again' : 'takes no new pods',
        command: set(open),
        undo: set(!open),
        seconds: { likely: 2, worst: 8 },
        retry: askRetry,
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [ref('node', cluster, node)],
      removes: [],
      ...longestPath(steps),
      spend: spendUnchanged(view, cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const node = cluster && nodesOf(cluster).find((node) => node.name === intent.node)
    let observed: 'open' | 'cordoned' | 'not listed'
    if (node) {
      if (node.cordoned) observed = 'cordoned'
      else observed = 'open'
    } else observed = 'not listed'
    return [
      {
        says: `${intent.node} ${intent.open ? 'takes' : 'takes no'} new pods`,
        holds: node?.cordoned === !intent.open,
        observed,
      },
    ]
  },
  after: (intent, view) => withCordon(view, intent.cluster, [intent.node], !intent.open),
}

export const drainIntent = z.strictObject({
  cluster: name,
  nodes: z.array(name).max(200),
  allowLocalData: z.boolean().default(false),
})
export type DrainIntent = z.infer<typeof drainIntent>

export const nodeDrain: ChangeKind<DrainIntent> = {
  name: 'node.drain',
  title: 'Empty nodes',
  intent: drainIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `objects:${intent.cluster}`],
  subjects: (intent) => intent.nodes.map((node) => ref('node', intent.cluster, node)),
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) => `drain ${intent.nodes.length === 0 ? 'nodes' : listText(intent.nodes, 3)}`,
  check: (intent, view) => {
    const result = unknown(intent.cluster, intent.nodes, 'nodes', view)
    if ('level' in result) return [result]
    return drainFindings(view, result.cluster, intent.nodes, 'nodes', intent.allowLocalData)
  },
  plan: (intent, view) => {
    const { cluster, allowLocalData } = intent
    const drain = drainOf(view, cluster, intent.nodes, allowLocalData)
    const seconds = (node: string): number =>
      (drain?.evictions ?? [])
        .filter((eviction) => eviction.from === node)
        .reduce((sum, eviction) => sum + eviction.seconds + 5, 0)
    const steps: Step[] = intent.nodes.map((node, i) =>
      step({
        id: `drain:${node}`,
        // One node after another: the budgets are shared.
        after: i === 0 ? [] : [`drain:${intent.nodes[i - 1] ?? ''}`],
        group: node,
        says: 'cordon, move its pods away one after another',
        command: command('node.drain', { cluster, node, allowLocalData }),
        undo: command('node.uncordon', { cluster, node }),
        seconds: {
          likely: Math.max(estimates.drainNode.likely, seconds(node)),
          worst: Math.max(estimates.drainNode.worst, 4 * seconds(node)),
        },
        retry: askRetry,
      }),
    )
    return {
      steps,
      creates: [],
      alters: intent.nodes.map((node) => ref('node', cluster, node)),
      removes: [],
      ...longestPath(steps),
      spend: spendUnchanged(view, cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const objects = listedObjects(view, intent.cluster)
    return intent.nodes.map((node) => {
      const left = ofKind(objects, 'Pod').filter(
        (pod) => pod.spec?.nodeName === node && controllerOf(pod)?.kind !== 'DaemonSet',
      )
      return {
        says: `${node} holds no pod but those of DaemonSets`,
        holds: left.length === 0,
        observed:
          left.length === 0
            ? 'none'
            : listText(
                left.map((pod) => pod.metadata.name),
                4,
              ),
      }
    })
  },
  answeredBy: ({ reason, chain }) => {
    const key = reason === 'eviction-refused' ? refusingBudget(chain) : null
    return key === null ? [] : budgetRules(key)
  },
  after: (intent, view) => withCordon(view, intent.cluster, intent.nodes, true),
}
