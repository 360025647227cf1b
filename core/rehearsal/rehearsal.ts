/**
 * A change run through a model of the fleet before it is run: when each step begins and ends there, who has to leave which
 * node, what the nodes look like meanwhile, and what stood still. Times are seconds after the beginning.
 */
import { z } from 'zod'

const seconds = z.number()

export const rehearsedStep = z.object({
  id: z.string(),
  group: z.string(),
  says: z.string(),
  startedAt: seconds.nullable(),
  endedAt: seconds.nullable(),
  /** `trusted`: nothing of the outside is asked, so it is taken to go well. `open`: it had not ended when the rehearsal did. */
  state: z.enum(['done', 'trusted', 'failed', 'open', 'not-begun']),
  /** Why it failed; null where it did not. */
  why: z.string().nullable(),
  /** Pods that left a node, with the node that their successors were given, or why these wait. */
  left: z.array(z.object({ pod: z.string(), to: z.string().nullable(), waits: z.string() })),
})
export type RehearsedStep = Readonly<z.infer<typeof rehearsedStep>>

export const frameNode = z.object({
  cluster: z.string(),
  name: z.string(),
  release: z.string(),
  ready: z.boolean(),
  cordoned: z.boolean(),
  pods: z.number(),
})
export type FrameNode = Readonly<z.infer<typeof frameNode>>

/** A moment: nodes that are other than in the frame before, those that are gone, and how pods stand. */
export const frame = z.object({
  at: seconds,
  nodes: z.array(frameNode),
  /** `cluster/node` */
  gone: z.array(z.string()),
  /** Pods that have no place, and pods that have one and are not ready. */
  waiting: z.number(),
  starting: z.number(),
})
export type Frame = Readonly<z.infer<typeof frame>>

export const rehearsal = z.object({
  /** The plan that was rehearsed, by its digest, and when (ISO, on the clock). */
  plan: z.string(),
  at: z.string(),
  seconds,
  steps: z.array(rehearsedStep),
  frames: z.array(frame),
  /** Workloads of which fewer pods were ready at the end than before, as `cluster namespace/name`. */
  short: z.array(z.object({ workload: z.string(), before: z.number(), after: z.number() })),
})
export type Rehearsal = Readonly<z.infer<typeof rehearsal>>

/** All nodes as they are in the frame with this index, by `cluster/node`. */
export function nodesAt(frames: readonly Frame[], index: number): ReadonlyMap<string, FrameNode> {
  const nodes = new Map<string, FrameNode>()
  for (const { nodes: changed, gone } of frames.slice(0, index + 1)) {
    for (const key of gone) nodes.delete(key)
    for (const node of changed) nodes.set(`${node.cluster}/${node.name}`, node)
  }
  return nodes
}

/** The frame that follows another: only what is different in it. */
export function frameAfter(
  before: ReadonlyMap<string, FrameNode>,
  moment: {
    readonly at: number
    readonly nodes: readonly FrameNode[]
    readonly waiting: number
    readonly starting: number
  },
): Frame {
  const now = new Set(moment.nodes.map(({ cluster, name }) => `${cluster}/${name}`))
  return {
    ...moment,
    nodes: moment.nodes.filter((node) => {
      const old = before.get(`${node.cluster}/${node.name}`)
      return (
        old?.release !== node.release ||
        old.ready !== node.ready ||
        old.cordoned !== node.cordoned ||
        old.pods !== node.pods
      )
    }),
    gone: [...before.keys()].filter((key) => !now.has(key)),
  }
}

/** The longest time without a break in which some pod had no place (s). */
export function longestWait(frames: readonly Frame[]): number {
  let longest = 0
  let since: number | null = null
  for (const { at, waiting } of frames) {
    if (since !== null) longest = Math.max(longest, at - since)
    if (waiting === 0) since = null
    else since ??= at
  }
  return longest
}
