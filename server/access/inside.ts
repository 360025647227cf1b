/** Whether anything can be asked from inside a cluster: of one that is reached through its API alone, nothing can. */
import type { ClusterView } from '~/core/fleet'
import { Refusal } from '../changes/errors'

/** What asks from inside a pod would have to be put into it, and stays there until the pod ends. */
export function mustBeInside({ name, reach }: ClusterView): void {
  if (reach)
    throw new Refusal(
      'conflict',
      `${name} is reached through its API alone: outside runs it is only read, so nothing is put into its pods or onto its nodes to ask from there. What its pods write can be read.`,
    )
}
