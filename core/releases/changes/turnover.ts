/**
 * A pool’s machines taken to another release: made anew from its base image, updated where they are, or all of them beside
 * the old ones. Wave by wave, so many more and so many fewer than the pool has.
 */
import type { Step } from '../../changes'
import { command } from '../../contract'
import type { ClusterView, FleetView, NodeView, PoolView } from '../../fleet'
import { nodesOf, siteOf } from '../../fleet'
import { close, drain, leave, open, remove, standing } from '../../keeping'
import {
  estimates,
  type Graph,
  joinStep,
  machineSteps,
  type Planned,
  step,
} from '../../provisioning'
import { askRetry } from '../../provisioning/steps'
import { besideSeconds, drainSeconds, type Moves, paceOf, type PoolWay } from './ways'

/** The cluster as it is when its control plane runs a release. */
const withRelease = (cluster: ClusterView, release: string): ClusterView => ({
  ...cluster,
  release,
})

/** A node of a pool, as it stands or as it will. */
export type TurnedNode = Pick<NodeView, 'name' | 'machine' | 'zone' | 'roles' | 'release'>

/** The machine of a node as it is made anew: its zone and size stay, and so does its name unless another is given. */
export function madeAnew(
  cluster: ClusterView,
  pool: PoolView,
  node: TurnedNode,
  release: string,
  view: FleetView,
  name: string | null = null,
): Planned {
  const site = siteOf(view, cluster.site)
  const machine = site?.machines.find((candidate) => candidate.name === node.machine)
  const without: FleetView = {
    ...view,
    sites: view.sites.map((each) =>
      each.name === cluster.site
        ? {
            ...each,
            machines: each.machines.filter((candidate) => candidate.name !== node.machine),
            disks: each.disks.filter((disk) => disk.machine !== node.machine),
          }
        : each,
    ),
  }
  return standing(withRelease(cluster, release), name === null ? without : view, [
    {
      name: name ?? node.machine,
      role: 'worker',
      pool: pool.name,
      zone: node.zone,
      size: machine?.size ?? pool.size,
      rootDiskGb:
        machine?.diskGb ??
        view.catalogue.find(({ version }) => version === release)?.minimumRootDiskGb ??
        0,
      lifetime: pool.lifetime,
    },
  ])
}

/** Names for machines beside those of a pool: the lowest numbers that nothing bears. */
export function namesBeside(
  cluster: ClusterView,
  pool: PoolView,
  taken: ReadonlySet<string>,
  count: number,
): readonly string[] {
  const names: string[] = []
  for (let number = 1; names.length < count; number++) {
    const name = `${cluster.name}-${pool.name}-${number}`
    if (!taken.has(name)) names.push(name)
  }
  return names
}

/** Ids of steps, and what refers to them, under a beginning of their own. */
function under(prefix: string, steps: readonly Step[]): readonly Step[] {
  const own = new Set(steps.map(({ id }) => id))
  const named = (id: string): string => (own.has(id) ? `${prefix}/${id}` : id)
  return steps.map((each) => ({ ...each, id: named(each.id), after: each.after.map(named) }))
}

export interface Turned {
  readonly steps: readonly Step[]
  /** Ids of the steps that end it. */
  readonly last: readonly string[]
  /** What has become of the nodes. */
  readonly nodes: readonly TurnedNode[]
}

interface Asked {
  readonly cluster: ClusterView
  readonly pool: PoolView
  /** Those that do not run the release yet. */
  readonly nodes: readonly TurnedNode[]
  readonly way: PoolWay
  readonly moves: Moves | null
  readonly release: string
  readonly view: FleetView
  readonly after: readonly string[]
}

/** Steps of one turnover while they are put together. */
class Turning {
  readonly graph: Graph = { steps: [], reserves: [], creates: [] }
  readonly taken: Set<string>

  constructor(readonly asked: Asked) {
    const site = siteOf(asked.view, asked.cluster.site)
    this.taken = new Set([
      ...asked.nodes.flatMap(({ name, machine }) => [name, machine]),
      ...(site?.machines ?? []).map(({ name }) => name),
    ])
  }

  /** Empties nodes one after the other: their budgets are shared. Ids of the drains, by node. */
  drain(nodes: readonly TurnedNode[], after: readonly string[]): readonly string[] {
    const { cluster, pool, way, moves } = this.asked
    let before = after
    return nodes.map(({ name }) => {
      // What stands beside for a while takes what others gave away.
      const seconds = pool.nodes.some((node) => node.name === name)
        ? drainSeconds(moves, name, way)
        : besideSeconds(
            moves,
            new Set(nodesOf(cluster).map((node) => node.name)),
            nodes.length,
            way,
          )
      const drained = drain(cluster.name, name, before)
      this.graph.steps.push({
        ...drained,
        ...(way.budgets === 'past'
          ? {
              says: `cordon, move its pods away, past their budgets after ${way.graceSeconds} s`,
              command: command('node.drain', {
                cluster: cluster.name,
                node: name,
                allowLocalData: true,
                pastBudgetsAfter: way.graceSeconds,
              }),
            }
          : {}),
        seconds:
          seconds === null
            ? drained.seconds
            : {
                likely: seconds,
                worst: Math.max(estimates.drainNode.worst, 4 * seconds),
              },
      })
      before = [drained.id]
      return drained.id
    })
  }

  /** Takes a node out of its cluster and its machine away; the id of the last step. */
  goes(node: TurnedNode, after: readonly string[]): string {
    const { cluster } = this.asked
    const left = leave(cluster.name, node.name, after)
    const gone = remove(cluster.site, node.machine, [left.id])
    this.graph.steps.push(left, gone)
    this.taken.delete(node.name)
    this.taken.delete(node.machine)
    return gone.id
  }

  /** Makes a node’s machine anew, under its own name or another; the id of the step by which it has joined. */
  comes(node: TurnedNode, name: string | null, after: readonly string[]): string {
    const { cluster, pool, release, view } = this.asked
    const planned = madeAnew(cluster, pool, node, release, view, name)
    const [machine] = planned.machines
    if (!machine) throw new Error('a machine that is planned is there')
    this.taken.add(machine.name)
    const booted = machineSteps(this.graph, planned, machine, after, null)
    return joinStep(this.graph, planned, { ...machine, roles: node.roles }, machine.name, [booted])
  }

  ended(last: readonly string[], nodes: readonly TurnedNode[]): Turned {
    const { release, pool } = this.asked
    const prefix = `${release}/${pool.name}`
    const own = new Set(this.graph.steps.map(({ id }) => id))
    return {
      steps: under(prefix, this.graph.steps),
      last: last.map((id) => (own.has(id) ? `${prefix}/${id}` : id)),
      nodes,
    }
  }
}

const called = (node: TurnedNode, name: string): TurnedNode => ({ ...node, name, machine: name })

function anew(asked: Asked): Turned {
  const turning = new Turning(asked)
  const { nodes, way, cluster, pool } = asked
  const { surge, wave } = paceOf(way, nodes.length)
  let before = asked.after
  const stands: TurnedNode[] = []
  for (let start = 0; start < nodes.length; start += wave) {
    const going = nodes.slice(start, start + wave)
    const early = namesBeside(cluster, pool, turning.taken, Math.min(surge, going.length))
    const came = early.map((name, nth) => {
      const node = going[nth]
      if (!node) throw new Error('no more come than go')
      stands.push(called(node, name))
      return turning.comes(node, name, before)
    })
    const drained = turning.drain(going, came.length > 0 ? came : before)
    const gone = going.map((node, nth) => turning.goes(node, drained.slice(nth, nth + 1)))
    const late = going.slice(early.length).map((node, nth) => {
      stands.push(node)
      return turning.comes(node, null, gone.slice(early.length + nth, early.length + nth + 1))
    })
    before = [...gone.slice(0, early.length), ...late]
  }
  return turning.ended(before, stands)
}

/** All new machines first; the old ones are emptied one by one, and go only once all of them are empty. */
function beside(asked: Asked): Turned {
  const turning = new Turning(asked)
  const { nodes, cluster, pool } = asked
  const names = namesBeside(cluster, pool, turning.taken, nodes.length)
  const came = nodes.map((node, nth) => turning.comes(node, names[nth] ?? null, asked.after))
  const closed = nodes.map(({ name }) => ({ ...close(cluster.name, name), after: came }))
  turning.graph.steps.push(...closed)
  const drained = turning.drain(
    nodes,
    closed.map(({ id }) => id),
  )
  const gone = nodes.map((node) => turning.goes(node, drained))
  return turning.ended(
    gone,
    nodes.map((node, nth) => called(node, names[nth] ?? node.name)),
  )
}

/** Agents updated where they are: emptied, updated, open again. Machines beside come before and go after all of it. */
function inPlace(asked: Asked): Turned {
  const turning = new Turning(asked)
  const { nodes, way, cluster, pool, release } = asked
  const { surge, wave } = paceOf(way, nodes.length)
  const extras = namesBeside(cluster, pool, turning.taken, Math.min(surge, nodes.length)).flatMap(
    (name, nth) => nodes.slice(nth, nth + 1).map((node) => called(node, name)),
  )
  const came = extras.map((extra) =>
    turning.comes({ ...extra, machine: '' }, extra.name, asked.after),
  )
  let before = came.length > 0 ? came : asked.after
  for (let start = 0; start < nodes.length; start += wave) {
    const going = nodes.slice(start, start + wave)
    const drained = turning.drain(going, before)
    before = going.map(({ name, release: from }, nth) => {
      const move = (to: string) => command('agent.move', { cluster: cluster.name, node: name, to })
      const opened = open(cluster.name, name, [`agent:${name}`])
      turning.graph.steps.push(
        step({
          id: `agent:${name}`,
          after: drained.slice(nth, nth + 1),
          group: name,
          says: `its agent to ${release}`,
          command: move(release),
          undo: move(from),
          seconds: { likely: 75, worst: 150 },
          retry: askRetry,
        }),
        opened,
      )
      return opened.id
    })
  }
  const emptied = turning.drain(extras, before)
  const gone = extras.map((extra, nth) => turning.goes(extra, emptied.slice(nth, nth + 1)))
  return turning.ended(gone.length > 0 ? gone : before, nodes)
}

const waysToTurn = { anew, beside, 'in-place': inPlace } as const

/** The steps of a turnover of a pool to a release, after some others. */
export const turnoverSteps = (asked: Asked): Turned => {
  const turned = waysToTurn[asked.way.how](asked)
  return {
    ...turned,
    steps: turned.steps.map((each) => ({ ...each, group: groupOf(each, asked) })),
  }
}

/** A node’s steps stand together, its machine’s among them. */
const groupOf = (each: Step, { nodes }: Asked): string =>
  nodes.find(({ machine }) => machine === each.group)?.name ?? each.group
