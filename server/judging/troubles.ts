/** What is broken in a cluster of a picture, with its causes and what can be done about the first. */
import { clusterOf, type ClusterView, type FleetView, knownObjects } from '~/core/fleet'
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
import { record } from '~/core/objects'
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

const poolLabel = 'gyrarch/pool'
const forNodes: ReadonlySet<string> = new Set(['selector', 'affinity', 'no-room', 'taint'])

/** Whether pods only wait for nodes of a pool that may still grow: that is for its scaling, and told there. */
function waitsForGrowth(evidence: Evidence, cluster: ClusterView, trouble: Trouble): boolean {
  const [first] = trouble.diagnosis.causes
  if (!first || !forNodes.has(first.cause)) return false
  const pod = evidence.object(first.about)
  const wanted = record(record(pod?.['spec'])['nodeSelector'])[poolLabel]
  const pool = cluster.pools.find(({ name }) => name === wanted)
  return (pool?.range ?? null) !== null && (pool?.nodes.length ?? 0) < (pool?.range?.max ?? 0)
}

export function troublesIn(asked: TroublesAsked, view: FleetView): readonly KnownTrouble[] {
  const { cluster } = asked
  const shown = clusterOf(view, cluster)
  if (!shown) return []
  const world = readyWorldOf(view)
  const evidence = new Evidence(
    [...(knownObjects(view, cluster) ?? []), ...asked.events],
    asked.logs,
    Date.parse(view.now),
    world.ok ? world.world : null,
  )
  const troubles = troublesOf(evidence, cluster).filter(
    (trouble) => !waitsForGrowth(evidence, shown, trouble),
  )
  return troubles.map((trouble): KnownTrouble => {
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
