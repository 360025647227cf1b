/** The objects of a cluster as they are once the machine of a node has begun anew, or another took its place. */
import { type Json, record, records, text } from '../objects'
import type { Evidence } from './facts'

/** Taints that the cluster itself sets for what a node tells: they go with it. */
const told = /^node\.(?:kubernetes\.io\/(?!unschedulable)|cloudprovider\.kubernetes\.io\/)/

const wellNode = (node: Json, at: string): Json => {
  const spec = record(node['spec'])
  const status = record(node['status'])
  return {
    ...node,
    spec: {
      ...spec,
      taints: records(spec['taints']).filter(({ key }) => !told.test(text(key))),
    },
    status: {
      ...status,
      conditions: records(status['conditions']).map((condition) => ({
        type: condition['type'],
        status: condition['type'] === 'Ready' ? 'True' : 'False',
        lastTransitionTime: at,
      })),
    },
  }
}

/** A pod that runs again: nothing of what it ended with or waits for is left. */
const startedPod = (pod: Json, at: string): Json => {
  const status = record(pod['status'])
  const { deletionTimestamp: _leaving, ...metadata } = record(pod['metadata'])
  const started = (container: Json): Json => ({
    name: container['name'],
    restartCount: 0,
    ready: true,
    state: { running: { startedAt: at } },
  })
  return {
    ...pod,
    metadata,
    status: {
      ...status,
      phase: 'Running',
      conditions: records(status['conditions']).map(({ type }) => ({
        type,
        status: 'True',
        lastTransitionTime: at,
      })),
      containerStatuses: records(status['containerStatuses']).map(started),
    },
  }
}

/** What a start from the power on leaves: the node tells that it is well, and its pods run. What somebody set stays. */
export function begunAnew(evidence: Evidence, node: string): readonly Json[] {
  const at = new Date(evidence.now).toISOString()
  return evidence.objects.map((object) => {
    if (object['kind'] === 'Node' && record(object['metadata'])['name'] === node)
      return wellNode(object, at)
    const isOnIt = object['kind'] === 'Pod' && record(object['spec'])['nodeName'] === node
    return isOnIt ? startedPod(object, at) : object
  })
}
