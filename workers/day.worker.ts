/** Replays a day of scaling off the page’s thread. */
import type { NodeObject } from '~/core/objects'
import {
  dayAhead,
  type DayAhead,
  type DayPlan,
  type PoolOrder,
  type ScalablePool,
} from '~/core/scaling'

export interface DayQuestion {
  readonly id: number
  /** Functions do not travel: prices by node, and a node of each pool to make others like. */
  readonly plan: Omit<DayPlan, 'hourly' | 'nodes'> & {
    readonly hourly: Readonly<Record<string, number>>
    readonly nodes: {
      readonly pools: readonly (Omit<ScalablePool, 'make'> & { readonly like: NodeObject })[]
      readonly order: PoolOrder
      readonly startSeconds: number
    } | null
  }
}

export interface DayAnswer {
  readonly id: number
  readonly day: DayAhead | null
  readonly says: string | null
}

self.onmessage = ({ data }: MessageEvent<DayQuestion>): void => {
  const { hourly, nodes, ...plan } = data.plan
  const made = nodes
    ? {
        ...nodes,
        pools: nodes.pools.map(({ like, ...pool }): ScalablePool => ({
          ...pool,
          make: (name) => ({
            ...like,
            metadata: {
              ...like.metadata,
              name,
              labels: { ...like.metadata.labels, 'kubernetes.io/hostname': name },
            },
          }),
        })),
      }
    : null
  const dayRead = dayAhead({
    ...plan,
    hourly: (node) => hourly[node] ?? 0,
    ...(made ? { nodes: made } : {}),
  })
  self.postMessage({
    id: data.id,
    day: dayRead.ok ? dayRead.day : null,
    says: dayRead.ok ? null : dayRead.says,
  } satisfies DayAnswer)
}
