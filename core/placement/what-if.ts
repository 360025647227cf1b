/** Objects as they would be if nodes came or went, or workloads were altered. */

import { type NodeObject, record, text } from '../objects'
import { controllerOf, type PodObject, type PodSpec } from '../objects'
import { compareText } from '../units'
import { oneMore } from './new-node'

export interface BoardObject {
  readonly kind: string
  readonly metadata?: unknown
  readonly [field: string]: unknown
}

export type WhatIf =
  | { readonly kind: 'drain'; readonly node: string }
  /** Nodes that are suddenly gone: those with a label, or one by name. */
  | { readonly kind: 'loss'; readonly label: string; readonly value: string }
  | { readonly kind: 'nodes'; readonly like: string; readonly count: number }
  | { readonly kind: 'replicas'; readonly workload: string; readonly count: number }
  | {
      readonly kind: 'request'
      readonly workload: string
      readonly container: string
      readonly resource: 'cpu' | 'memory'
      readonly amount: string
    }
  | {
      readonly kind: 'toleration'
      readonly workload: string
      readonly key: string
      readonly value: string
      readonly effect: string
    }

export const isPod = (object: BoardObject): object is BoardObject & PodObject =>
  object.kind === 'Pod'
export const isNode = (object: BoardObject): object is BoardObject & NodeObject =>
  object.kind === 'Node'
export const namespaceOf = (pod: PodObject): string => pod.metadata.namespace || 'default'
export const podKey = (pod: PodObject): string => `${namespaceOf(pod)}/${pod.metadata.name}`
/** The workload at the top of a pod’s owners, by way of its replica set; a pod of its own is its own workload. */
export function workloadsOf(objects: readonly BoardObject[]): (pod: PodObject) => string {
  const above = new Map<string, string>()
  for (const object of objects) {
    if (object.kind !== 'ReplicaSet' && object.kind !== 'Job') continue
    const owner = controllerOf(object)
    const metadata = record(object.metadata)
    const namespace = text(metadata['namespace']) || 'default'
    if (owner)
      above.set(
        `${object.kind}/${namespace}/${text(metadata['name'])}`,
        `${owner.kind}/${namespace}/${owner.name}`,
      )
  }
  const workloads = new Map<PodObject, string>()
  return (pod) => {
    const before = workloads.get(pod)
    if (before !== undefined) return before
    const owner = controllerOf(pod)
    const key = owner && `${owner.kind}/${namespaceOf(pod)}/${owner.name}`
    const workload = key ? (above.get(key) ?? key) : `Pod/${podKey(pod)}`
    workloads.set(pod, workload)
    return workload
  }
}

export const isStanding = (pod: PodObject): boolean =>
  pod.status?.phase !== 'Succeeded' &&
  pod.status?.phase !== 'Failed' &&
  !pod.metadata.deletionTimestamp
/** A pod as its controller would make it again: without a node, with a name of its own unless its name is kept. */
export function again(pod: BoardObject & PodObject, keepsName: boolean): BoardObject & PodObject {
  const { nodeName: _node, ...spec } = pod.spec ?? {}
  return {
    ...pod,
    metadata: { ...pod.metadata, name: keepsName ? pod.metadata.name : `${pod.metadata.name}~` },
    spec,
    status: { phase: 'Pending' },
  }
}

export const isStateful = (pod: PodObject): boolean => controllerOf(pod)?.kind === 'StatefulSet'
export const isDaemonPod = (pod: PodObject): boolean => controllerOf(pod)?.kind === 'DaemonSet'
export function withReplicas(
  objects: readonly BoardObject[],
  workload: string,
  count: number,
): readonly BoardObject[] {
  const ownerOf = workloadsOf(objects)
  const pods = objects.filter(isPod).filter((pod) => isStanding(pod) && ownerOf(pod) === workload)
  const number = (pod: PodObject): number => Number(/-(\d+)$/.exec(pod.metadata.name)?.[1] ?? 0)
  if (count <= pods.length) {
    const gone = new Set(
      [...pods]
        .sort(
          (a, b) =>
            Number(Boolean(a.spec?.nodeName)) - Number(Boolean(b.spec?.nodeName)) ||
            number(b) - number(a) ||
            compareText(b.metadata.name, a.metadata.name),
        )
        .slice(0, pods.length - count),
    )
    return objects.filter((object) => !gone.has(object as BoardObject & PodObject))
  }
  const like = pods[0]
  if (!like) return objects
  const [, , name = ''] = workload.split('/')
  const highest = Math.max(-1, ...pods.map(number))
  const made = Array.from({ length: count - pods.length }, (_, i) => {
    const fresh = again(like, false)
    const own = isStateful(like) ? `${name}-${highest + 1 + i}` : `${name}-new-${i + 1}`
    return { ...fresh, metadata: { ...fresh.metadata, name: own, creationTimestamp: null } }
  })
  return [...objects, ...made]
}

/** Pods of a workload with another spec: made anew, as a roll-out would. */
export function withSpec(
  objects: readonly BoardObject[],
  workload: string,
  change: (spec: PodSpec) => PodSpec,
): readonly BoardObject[] {
  const ownerOf = workloadsOf(objects)
  return objects.map((object) => {
    if (!isPod(object) || !isStanding(object) || ownerOf(object) !== workload) return object
    const fresh = again(object, true)
    return { ...fresh, spec: change(fresh.spec ?? {}) }
  })
}

/** The objects once a what-if that is not a drain has happened. Draining is done on the world they make. */
export function applied(
  objects: readonly BoardObject[],
  whatIf: Exclude<WhatIf, { readonly kind: 'drain' }>,
): readonly BoardObject[] {
  switch (whatIf.kind) {
    case 'nodes': {
      const like = objects.filter(isNode).find((node) => node.metadata.name === whatIf.like)
      if (!like) return objects
      const taken = new Set(objects.filter(isNode).map((node) => node.metadata.name))
      const made: BoardObject[] = []
      for (let i = 1; made.length < whatIf.count; i++) {
        const name = `${like.metadata.name}-more-${i}`
        if (!taken.has(name)) made.push(oneMore(like, name))
      }
      return [...objects, ...made]
    }
    case 'loss': {
      const lost = new Set(
        objects
          .filter(isNode)
          .filter(
            (node) =>
              (whatIf.label === 'name'
                ? node.metadata.name
                : node.metadata.labels?.[whatIf.label]) === whatIf.value,
          )
          .map((node) => node.metadata.name),
      )
      return objects.flatMap((object): readonly BoardObject[] => {
        if (isNode(object)) return lost.has(object.metadata.name) ? [] : [object]
        if (!isPod(object) || !lost.has(object.spec?.nodeName ?? '') || !isStanding(object))
          return [object]
        // A daemon’s pod goes with its node; what nobody makes anew is gone; a stateful one waits until its node is given up.
        return isDaemonPod(object) || !controllerOf(object) ? [] : [again(object, true)]
      })
    }
    case 'replicas':
      return withReplicas(objects, whatIf.workload, whatIf.count)
    case 'request':
      return withSpec(objects, whatIf.workload, (spec) => ({
        ...spec,
        containers: (spec.containers ?? []).map((container) =>
          container.name === whatIf.container
            ? {
                ...container,
                resources: {
                  ...container.resources,
                  requests: { ...container.resources?.requests, [whatIf.resource]: whatIf.amount },
                },
              }
            : container,
        ),
      }))
    case 'toleration':
      return withSpec(objects, whatIf.workload, (spec) => ({
        ...spec,
        tolerations: [
          ...(spec.tolerations ?? []),
          { key: whatIf.key, operator: 'Equal', value: whatIf.value, effect: whatIf.effect },
        ],
      }))
  }
}
