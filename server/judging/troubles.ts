/** What is broken in a cluster of a picture, with its causes and what can be done about the first. */
import {
  clusterOf,
  type ClusterView,
  type FleetView,
  knownObjects,
  siteOf,
  type TrafficView,
} from '~/core/fleet'
import {
  answerTroubles,
  type CaseRemedy,
  caseRemedies,
  diskTroubles,
  Evidence,
  expectationTroubles,
  type Log,
  lookAgain,
  spotTroubles,
  type Trouble,
  withHost,
  troublesOf,
} from '~/core/diagnosis'
import { sharedCauses } from '~/core/keeping'
import { record } from '~/core/objects'
import { expectations, presentQuery, readyWorldOf, walk, walkRemedies } from '~/core/wire'
import { changeFor } from '~/core/wire/changes'
import { said } from './says'

export interface KnownTrouble extends Trouble<string> {
  readonly remedies: readonly CaseRemedy[]
}

/** What is looked at beside what the cluster lists. */
export interface TroublesAsked {
  readonly cluster: string
  readonly events: readonly Readonly<Record<string, unknown>>[]
  readonly logs: readonly Log[]
  readonly traffic: readonly TrafficView[]
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

/** Whether a clock that is started again would be set: one time server of its site answers. */
const isTimed = (view: FleetView, { site }: ClusterView): boolean => {
  const servers = siteOf(view, site)?.timeServers ?? []
  return servers.length === 0 || servers.some(({ answers }) => answers)
}

export function troublesIn(asked: TroublesAsked, view: FleetView): readonly KnownTrouble[] {
  const { cluster } = asked
  const shown = clusterOf(view, cluster)
  if (!shown) return []
  const evidence = new Evidence(
    [...(knownObjects(view, cluster) ?? []), ...asked.events],
    asked.logs,
    Date.parse(view.now),
    () => {
      const world = readyWorldOf(view)
      return world.ok ? world.world : null
    },
  )
  const troubles = troublesOf(evidence, cluster).filter(
    (trouble) => !waitsForGrowth(evidence, shown, trouble),
  )
  const ofFleet = [
    ...diskTroubles(shown),
    ...answerTroubles(cluster, asked.traffic),
    ...spotTroubles(shown, asked.events),
  ]
  const withRemedies = troubles.map((trouble): KnownTrouble => {
    const [first] = trouble.diagnosis.causes
    if (!first) return { ...trouble, remedies: [] }
    const isWay = first.because.some(({ type }) => type === 'walk')
    const node = trouble.subject.split('/')[1] ?? ''
    // A machine that finds no time drifts on, however often it is started.
    if (first.cause === 'clock-off' && !isTimed(view, shown))
      return { ...withHost(trouble, shown, view), remedies: [] }
    const remedies = isWay
      ? wayRemedies(view, cluster, node)
      : caseRemedies(
          evidence,
          cluster,
          trouble.subject,
          first,
          lookAgain(evidence, trouble.subject),
        )
    return { ...withHost(trouble, shown, view), remedies }
  })
  return [...withRemedies, ...ofFleet.map((trouble) => ({ ...trouble, remedies: [] }))]
}

/** Expectations that do not hold, with what is proven to let through what is to arrive. `view` carries their objects. */
export function brokenExpectations(view: FleetView): readonly KnownTrouble[] {
  const kept = view.expectations ?? []
  const read = readyWorldOf(view)
  if (!read.ok) return []
  const { world } = read
  return expectationTroubles(kept, expectations(view)).map((trouble): KnownTrouble => {
    const expectation = kept.find(({ name }) => trouble.subject === `expectation/${name}`)
    const query = expectation?.delivered === true ? presentQuery(world, expectation) : null
    const walked = query ? walk(world, query) : null
    if (!query || !walked?.ok) return { ...trouble, remedies: [] }
    const remedies = walkRemedies(world, query, walked.walk).flatMap((remedy) => {
      const change = changeFor(world.given, remedy)
      return change === null
        ? []
        : [{ says: remedy.says, because: said('walked-again').says, change }]
    })
    return { ...trouble, remedies }
  })
}
