/** Nodes of a cluster: joined, set, cordoned, drained, removed. */
import { z } from 'zod'
import { ref } from '../refs'
import { labels, taint } from '../shapes'
import { atCluster, clusterSlice } from '../places'
import { verb } from '../verb'

const ofNode = z.object({ cluster: z.string(), node: z.string() })
type OfNode = z.infer<typeof ofNode>

const nodeRef = ({ cluster, node }: OfNode) => ref('node', cluster, node)

export const nodeJoin = verb({
  name: 'node.join',
  port: 'cluster',
  args: ofNode.extend({
    site: z.string(),
    machine: z.string(),
    pool: z.string(),
    zone: z.string(),
    roles: z.array(z.string()),
    labels: labels.default({}),
    taints: z.array(taint).default([]),
    timeServers: z.array(z.string()).default([]),
  }),
  result: z.object({ node: z.string() }),
  failures: [
    'agent-down',
    'clock-skew',
    'api-not-reached',
    'agent-silent',
    'pod-range-full',
    'node-gone',
  ],
  at: atCluster,
  touches: clusterSlice,
  makes: (args) => [nodeRef(args)],
})

export const nodeRemove = verb({
  name: 'node.remove',
  port: 'cluster',
  args: ofNode,
  result: z.object({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
  removes: (args) => [nodeRef(args)],
})

export const nodeDrain = verb({
  name: 'node.drain',
  port: 'cluster',
  args: ofNode.extend({
    /** Whether pods with data of their own on the node may go. */
    allowLocalData: z.boolean().default(false),
    /** Seconds after which a pod goes though its budget does not let it; absent: it is waited for. */
    pastBudgetsAfter: z.number().optional(),
  }),
  result: z.object({}),
  failures: ['eviction-refused'],
  at: atCluster,
  touches: clusterSlice,
})

export const nodeCordon = verb({
  name: 'node.cordon',
  port: 'cluster',
  args: ofNode,
  result: z.object({}),
  failures: ['node-gone'],
  at: atCluster,
  touches: clusterSlice,
})

export const nodeUncordon = verb({
  name: 'node.uncordon',
  port: 'cluster',
  args: ofNode,
  result: z.object({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
})

const asBefore = z.object({ labels, taints: z.array(taint) })

export const nodeSet = verb({
  name: 'node.set',
  port: 'cluster',
  args: ofNode.extend({
    /** Added to what it has. */
    labels: labels.default({}),
    /** Replace what it has; absent leaves them. */
    taints: z.array(taint).optional(),
  }),
  result: z.object({ before: asBefore.nullable() }),
  failures: ['node-gone'],
  at: atCluster,
  touches: clusterSlice,
})

/** Labels and taints as they were before a `node.set`. */
export const nodePutBack = verb({
  name: 'node.put-back',
  port: 'cluster',
  args: ofNode.extend({ before: asBefore.nullable() }),
  result: z.object({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
})
