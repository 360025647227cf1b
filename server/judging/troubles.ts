/** What is broken in a cluster of a picture, with its causes and what can be done about the first. */
import { clusterOf, type FleetView, knownObjects } from '~/core/fleet'
import {
  type CaseRemedy,
  caseRemedies,
  Evidence,
  type Log,
  lookAgain,
  type Trouble,
  troublesOf,
} from '~/core/diagnosis'
import { sharedCauses } from '~/core/keeping'
import { readyWorldOf } from '~/core/wire'

export interface KnownTrouble extends Trouble {
  readonly remedies: readonly CaseRemedy[]
}

/** What is looked at beside what the cluster lists. */
export interface TroublesAsked {
  readonly cluster: string
  readonly events: readonly Readonly<Record<string, unknown>>[]
  readonly logs: readonly Log[]
}

/** Changes that let through what a walk is stopped by, proven for every node behind it. */
const wayRemedies = (view: FleetView, cluster: string, node: string): readonly CaseRemedy[] =>
  sharedCauses(view)
    .filter(({ nodes }) => nodes.some((each) => each.cluster === cluster && each.node === node))
    .flatMap(({ remedies, nodes }) =>
      remedies.map(({ says, change }) => ({
        says,
        because: nodes.map((each) => each.node).join(', '),
        change,
      })),
    )

export function troublesIn(asked: TroublesAsked, view: FleetView): readonly KnownTrouble[] {
  const { cluster } = asked
  if (!clusterOf(view, cluster)) return []
  const world = readyWorldOf(view)
  const evidence = new Evidence(
    [...(knownObjects(view, cluster) ?? []), ...asked.events],
    asked.logs,
    Date.parse(view.now),
    world.ok ? world.world : null,
  )
  return troublesOf(evidence, cluster).map((trouble): KnownTrouble => {
    const [first] = trouble.diagnosis.causes
    if (!first) return { ...trouble, remedies: [] }
    const isWay = first.because.some(({ type }) => type === 'walk')
    const node = trouble.subject.split('/')[1] ?? ''
    const remedies = isWay
      ? wayRemedies(view, cluster, node)
      : caseRemedies(
          evidence,
          cluster,
          trouble.subject,
          first,
          lookAgain(evidence, trouble.subject),
        )
    return { ...trouble, remedies }
  })
}
