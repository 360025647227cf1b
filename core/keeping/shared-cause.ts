/**
 * Nodes that fell silent by one cause. Two ways to see it: the walk from a node’s agent to its API is stopped, and the
 * same thing stops others; or several nodes of a cluster or a site fell silent within a short time of each other.
 * Such nodes are ill of nothing that a restart would mend. O(silent nodes) walks, and one for each remedy and node.
 */
import { type RawFinding, type Remedy, stop } from '../changes'
import type { Said } from '../contract'
import { type ClusterView, type FleetView, nodesOf, type NodeView, clusterOf } from '../fleet'
import {
  type ReadyWorld,
  patchedWorld,
  prepareWorld,
  readyWorldOf,
  type Walk,
  walk,
  walkAnswer,
  type WalkQuery,
  walkRemedies,
} from '../wire'
import { agentWays, byText, changeFor } from '../wire/changes'
import { said } from './says'

export interface SilentNode {
  readonly cluster: string
  readonly node: string
  /** ISO time since which its agent has not been heard. */
  readonly since: string
}

/** What several nodes are silent of, or what stops the way of one. */
export interface SharedCause extends Said {
  readonly site: string
  readonly nodes: readonly SilentNode[]
  /** Proven for every one of the nodes; none where the cause is not known. */
  readonly remedies: readonly Remedy[]
}

/** Nodes whose silence began no further apart than this fell silent together (ms). */
const togetherMs = 120_000
/** So many of one cluster, or of one site, are several. */
const several = { cluster: 2, site: 3 } as const

const notReadySince = (node: NodeView): string | null => {
  const ready = node.conditions.find((condition) => condition.type === 'Ready')
  return ready === undefined || ready.status === 'True' ? null : ready.since
}

/** The nodes of clusters that answer and run which are not ready. */
export function silentNodes(view: FleetView): readonly SilentNode[] {
  return view.clusters.flatMap((shown) => {
    const cluster = clusterOf(view, shown.name)
    if (!cluster || !cluster.apiAnswers || cluster.resting) return []
    return nodesOf(cluster).flatMap((node): readonly SilentNode[] => {
      const since = notReadySince(node)
      return since === null ? [] : [{ cluster: cluster.name, node: node.name, since }]
    })
  })
}

interface Stopped {
  readonly silent: SilentNode
  readonly query: WalkQuery
  readonly walked: Walk
}

/** The silent nodes whose way to their API is stopped, by what stops it. */
function stoppedWays(
  world: ReadyWorld,
  view: FleetView,
  silent: readonly SilentNode[],
): readonly (readonly Stopped[])[] {
  const groups = new Map<string, Stopped[]>()
  for (const cluster of view.clusters) {
    const own = silent.filter((node) => node.cluster === cluster.name)
    if (own.length === 0) continue
    const ways = agentWays(view, cluster)
    for (const node of own) {
      const query = ways.find(({ from }) => 'node' in from && from.node === node.node)
      const read = query ? walk(world, query) : null
      if (!query || !read?.ok || read.walk.delivered) continue
      const last = read.walk.hops.at(-1)
      const key = JSON.stringify([cluster.site, last?.hop, last?.by])
      const group = groups.get(key)
      const stopped = { silent: node, query, walked: read.walk }
      if (group) group.push(stopped)
      else groups.set(key, [stopped])
    }
  }
  return [...groups.values()]
}

/** Remedies of the first that let all the others through too. */
function provenForAll(world: ReadyWorld, group: readonly Stopped[]): readonly Remedy[] {
  const [first] = group
  if (!first) return []
  return walkRemedies(world, first.query, first.walked).flatMap((remedy): readonly Remedy[] => {
    const mended = prepareWorld(patchedWorld(world.given, remedy.patch))
    const change = changeFor(world.given, remedy)
    if (!mended.ok || change === null) return []
    const helpsAll = group.every(({ query }) => {
      const again = walk(mended.world, query)
      return again.ok && again.walk.delivered
    })
    return helpsAll ? [{ says: remedy.says, change, clears: [] }] : []
  })
}

/**
 * Whether agents of a cluster’s nodes get to its API: what joins it now would go the same way. `view` carries the walks
 * of the cluster. At most so many nodes are walked: a remedy must help each of them.
 */
export function checkAgentWays(
  cluster: ClusterView,
  view: FleetView,
  field: string,
): readonly RawFinding[] {
  const queries = agentWays(view, cluster).slice(0, mostWalked)
  const read = queries.length === 0 ? null : readyWorldOf(view)
  if (!read?.ok) return []
  const stopped = queries.flatMap((query): readonly Stopped[] => {
    const walked = walk(read.world, query)
    const node = 'node' in query.from ? query.from.node : ''
    return walked.ok && !walked.walk.delivered
      ? [{ silent: { cluster: cluster.name, node, since: view.now }, query, walked: walked.walk }]
      : []
  })
  const [first] = stopped
  const last = first?.walked.hops.at(-1)
  if (!first || !last || stopped.length < queries.length) return []
  return [
    stop(
      'agents.reach',
      field,
      said('agents.reach', { cluster: cluster.name, hop: last.hop, by: byText(last.by) }),
      [
        {
          ...said('agents-walked', { nodes: queries.length }),
          source: cluster.name,
          at: cluster.observedAt,
        },
      ],
      provenForAll(read.world, stopped).map(({ says, change }) => ({ says, change })),
    ),
  ]
}

const mostWalked = 20

function wayCause(view: FleetView, world: ReadyWorld, group: readonly Stopped[]): SharedCause[] {
  const [first] = group
  const site = view.clusters.find((cluster) => cluster.name === first?.silent.cluster)?.site
  const last = first?.walked.hops.at(-1)
  if (!first || !last || site === undefined) return []
  const nodes = group.map(({ silent }) => silent)
  const isRule = last.hop === 'firewall-out' || last.hop === 'firewall-in'
  return [
    {
      site,
      nodes,
      remedies: provenForAll(world, group),
      ...(isRule && last.by !== 'default'
        ? said('shared-cause.rule', {
            nodes: nodes.map(({ node }) => node),
            rule: byText(last.by),
          })
        : said('shared-cause.way', {
            nodes: nodes.map(({ node }) => node),
            decided: walkAnswer(first.walked).hops.at(-1)?.says ?? '',
          })),
    },
  ]
}

/** Runs of nodes in the order of their silence, each no further than `togetherMs` from the one before. */
function runsOf(silent: readonly SilentNode[]): readonly (readonly SilentNode[])[] {
  const runs: SilentNode[][] = []
  for (const node of [...silent].sort((a, b) => Date.parse(a.since) - Date.parse(b.since))) {
    const run = runs.at(-1)
    const before = run?.at(-1)
    if (run && before && Date.parse(node.since) - Date.parse(before.since) <= togetherMs)
      run.push(node)
    else runs.push([node])
  }
  return runs
}

function together(view: FleetView, silent: readonly SilentNode[]): readonly SharedCause[] {
  const siteFor = (node: SilentNode): string =>
    view.clusters.find((cluster) => cluster.name === node.cluster)?.site ?? ''
  const causes: SharedCause[] = []
  const told = new Set<SilentNode>()
  const tell = (where: string, least: number, from: readonly SilentNode[]): void => {
    for (const nodes of runsOf(from.filter((node) => !told.has(node)))) {
      const [first, last] = [nodes[0], nodes.at(-1)]
      if (!first || !last || nodes.length < least) continue
      nodes.forEach((node) => told.add(node))
      causes.push({
        site: siteFor(first),
        nodes,
        remedies: [],
        ...said('shared-cause.together', {
          nodes: nodes.map(({ node }) => node),
          where,
          seconds: Math.round((Date.parse(last.since) - Date.parse(first.since)) / 1000),
        }),
      })
    }
  }
  for (const site of new Set(silent.map(siteFor)))
    tell(
      site,
      several.site,
      silent.filter((node) => siteFor(node) === site),
    )
  for (const cluster of new Set(silent.map((node) => node.cluster)))
    tell(
      cluster,
      several.cluster,
      silent.filter((node) => node.cluster === cluster),
    )
  return causes
}

/**
 * Why nodes are silent, where one cause explains several of them, or where a node’s way to its API is stopped.
 * `view` carries the walks of the clusters with silent nodes. `leftAlone` are nodes whose silence is explained already.
 */
export function sharedCauses(
  view: FleetView,
  leftAlone: (cluster: ClusterView, node: string) => boolean = () => false,
): readonly SharedCause[] {
  const silent = silentNodes(view).filter(({ cluster, node }) => {
    const shown = clusterOf(view, cluster)
    return shown !== undefined && !leftAlone(shown, node)
  })
  if (silent.length === 0) return []
  const read = readyWorldOf(view)
  const stopped = read.ok ? stoppedWays(read.world, view, silent) : []
  const ways = read.ok ? stopped.flatMap((group) => wayCause(view, read.world, group)) : []
  const explained = new Set(ways.flatMap((cause) => cause.nodes))
  return [
    ...ways,
    ...together(
      view,
      silent.filter((node) => !explained.has(node)),
    ),
  ]
}
