/** What nodes tell of themselves. */
import type { Sim } from '../engine/sim'
import type { Cluster, Condition, Node } from '../world'
import { record } from './pod-events'

/** A condition of a node, from now on. */
export const setCondition = (
  node: Node,
  condition: Pick<Condition, 'type' | 'status' | 'reason' | 'message'>,
  at: number,
): void => {
  node.conditions = [
    ...node.conditions.filter(({ type }) => type !== condition.type),
    { ...condition, since: at },
  ]
}

export const setReady = (
  node: Node,
  status: 'True' | 'False' | 'Unknown',
  reason: string,
  message: string,
  at: number,
): void => {
  setCondition(node, { type: 'Ready', status, reason, message }, at)
}

/** A node that was ready has no pod network any more: it is not ready until it has one. */
export function networkLost(node: Node, at: number): void {
  node.lacksNetwork = true
  setReady(
    node,
    'False',
    'KubeletNotReady',
    'container runtime network not ready: NetworkReady=false reason:NetworkPluginNotReady message:Network plugin returns error: cni plugin not initialized',
    at,
  )
}

/** The pod network of a node runs: a node that waited for it is ready. */
export function networkRuns(sim: Sim, cluster: Cluster, nodeName: string): void {
  const node = cluster.nodes.find((each) => each.name === nodeName)
  if (node?.lacksNetwork !== true) return
  delete node.lacksNetwork
  const ready = node.conditions.find(({ type }) => type === 'Ready')
  if (ready?.status !== 'False') return
  setReady(node, 'True', 'KubeletReady', 'kubelet is posting ready status', sim.now)
  record(
    sim,
    cluster,
    'Normal',
    'NodeReady',
    `node/${node.name}`,
    `Node ${node.name} status is now: NodeReady`,
  )
}
