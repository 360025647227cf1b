/**
 * Pods tried out in a world: how many of them find a place, one after another, with or without more nodes. Whatever is
 * tried is taken back, so that one reading of a cluster serves many questions. Time: pods tried × nodes.
 */
import type { NodeObject, PodObject } from '../objects'
import { choose } from './choose'
import { FITS, look, RESOURCES, tallyOf, verdict } from './filters'
import { freshName, oneMore } from './new-node'
import type { Pod } from './room'
import { waitingText } from './schedule'
import { compileShape } from './shape'
import type { World } from './world'

export interface TrialResult {
  /** How many found a place. */
  readonly fits: number
  /** Why the first that did not found none; null where all did. */
  readonly why: string | null
  /** Number of nodes by reason, for that first one. */
  readonly tally: Readonly<Record<string, number>>
}

/** Places pods in their order; those that found a place stand there until they are taken back. */
export class Trial {
  private readonly standing: { readonly pod: Pod; readonly node: number }[] = []

  constructor(private readonly world: World) {}

  /** Tries pods and leaves standing those that fit. */
  put(pods: readonly Pod[]): TrialResult {
    const { room } = this.world
    let fits = 0
    let why: string | null = null
    let tally: Readonly<Record<string, number>> = {}
    for (const pod of pods) {
      const seen = look(room, pod.shape)
      const choice = choose(room, seen, { scores: false })
      if (choice.node >= 0) {
        room.put(pod, choice.node)
        this.standing.push({ pod, node: choice.node })
        fits++
      } else if (why === null) {
        tally = tallyOf(room, seen, choice.codes)
        why = waitingText(tally, room.count)
      }
    }
    return { fits, why, tally }
  }

  /** Takes back all but the first `keep` pods that stand. */
  takeBack(keep = 0): void {
    while (this.standing.length > keep) {
      const last = this.standing.pop()
      if (last) this.world.room.take(last.pod, last.node)
    }
  }

  /** How many pods stand by this trial. */
  get count(): number {
    return this.standing.length
  }

  /** Whether all pods fit with some more nodes like one of those that are there. */
  fitsWith(pods: readonly Pod[], like: NodeObject, count: number): boolean {
    const { room } = this.world
    const before = this.count
    let added = 0
    while (added < count && !room.isFull) {
      const name = freshName(room, like.metadata.name)
      room.addNode(oneMore(like, name), 'node')
      added++
    }
    const all = added === count && this.put(pods).fits === pods.length
    this.takeBack(before)
    for (; added > 0; added--) room.dropLastNode()
    return all
  }

  /** Nodes that would take the pod but for the resources it asks for: where a daemon of it could not start. */
  shortNodes(pod: Pod): readonly string[] {
    const { room } = this.world
    const seen = look(room, pod.shape)
    return Array.from({ length: room.standing }, (_, node) => node)
      .filter((node) => {
        const code = verdict(room, seen, node)
        return code !== FITS && code === RESOURCES
      })
      .map((node) => room.names[node] ?? '')
  }
}

/** The same pod with another spec. */
export const altered = (world: World, pod: Pod, object: PodObject): Pod => ({
  ...pod,
  object,
  shape: compileShape(object, 'objects', world.labelsOf),
})
