/** A pool’s nodes replaced one after another by nodes of another size: what stands against it, computed by placement, and the steps. */
import type { Plan, RawFinding, StepId } from '../changes'
import { ref } from '../changes'
import type { ClusterView, FleetView, PoolView, SiteView, SizeView } from '../fleet'
import { siteOf, objectsHeard } from '../fleet'
import type { ApiObject } from '../objects'
import { drain as drainWorld, readWorld } from '../placement'
import type { Graph, Planned, PlannedMachine } from '../provisioning'
import { addMachineChecks, joinStep, machineSteps } from '../provisioning'
import { allocatable } from '../sizing'
import { siteSpend } from '../spend'
import { remove } from './leaving'
import { leave } from './leaving'
import { drain } from './leaving'
import { coming } from './resized-pool'
import { said } from './says'

const sizeLabel = 'node.kubernetes.io/instance-type'

interface NodeLike {
  readonly kind: 'Node'
  readonly apiVersion: 'v1'
  readonly metadata: { readonly name: string; readonly labels?: Readonly<Record<string, string>> }
  readonly spec?: Readonly<Record<string, unknown>>
  readonly status?: { readonly allocatable?: Readonly<Record<string, string>> }
}

/** The pool with nodes of another size in place of those it has: same zones, new names. */
function replaced(cluster: ClusterView, pool: PoolView, size: string, view: FleetView): Planned {
  const zones = pool.nodes.map((node) => node.zone)
  const planned = coming(cluster, { ...pool, size }, 2 * pool.nodes.length, view)
  return {
    ...planned,
    machines: planned.machines.map((machine, i): PlannedMachine => ({
      ...machine,
      zone: zones[i] ?? machine.zone,
    })),
  }
}

const sizeOf = (site: SiteView | undefined, name: string): SizeView | undefined =>
  site?.sizes.find((size) => size.name === name)

/** A node as it will be: like an old one, of the new size. */
function nodeOf(like: NodeLike, name: string, size: SizeView): NodeLike {
  const room = allocatable(size.cores * 1000, size.memoryBytes)
  const { unschedulable: _closed, ...spec } = like.spec ?? {}
  return {
    ...like,
    metadata: {
      name,
      labels: {
        ...like.metadata.labels,
        'kubernetes.io/hostname': name,
        ...(like.metadata.labels?.[sizeLabel] === undefined ? {} : { [sizeLabel]: size.name }),
      },
    },
    spec,
    status: {
      allocatable: {
        ...like.status?.allocatable,
        cpu: `${room.cpuMilli}m`,
        memory: String(room.memoryBytes),
      },
    },
  }
}

/** What happens node by node: a new one comes, an old one is emptied and goes. Old ones that still stand take nothing new. */
function walkThrough(
  objects: readonly ApiObject[],
  pool: PoolView,
  names: readonly string[],
  size: SizeView,
): {
  readonly blocked: readonly {
    readonly pod: string
    readonly says: string
    readonly node: string
  }[]
  readonly moved: number
  readonly seconds: number
} {
  const olds = new Set(pool.nodes.map((node) => node.name))
  let state = objects.map((object): ApiObject =>
    object.kind === 'Node' && olds.has(object.metadata?.name ?? '')
      ? ({
          ...object,
          spec: { ...(object as unknown as NodeLike).spec, unschedulable: true },
        } as ApiObject)
      : object,
  )
  const blocked: { pod: string; says: string; node: string }[] = []
  let moved = 0
  let seconds = 0
  for (const [i, old] of pool.nodes.entries()) {
    const like = objects.find(
      (object) => object.kind === 'Node' && object.metadata?.name === old.name,
    ) as unknown as NodeLike | undefined
    if (!like) continue
    state = [...state, nodeOf(like, names[i] ?? `${old.name}-new`, size) as unknown as ApiObject]
    const read = readWorld(state)
    const done = read.ok ? drainWorld(read.world, [old.name], { allowLocalData: true }) : null
    if (!done?.ok) continue
    blocked.push(...done.drain.blocked.map((eachBlocked) => ({ ...eachBlocked, node: old.name })))
    moved += done.drain.evictions.length
    seconds += done.drain.seconds
    const to = new Map(done.drain.evictions.map((eviction) => [eviction.pod, eviction.to]))
    state = state.flatMap((object): readonly ApiObject[] => {
      if (object.kind === 'Node') return object.metadata?.name === old.name ? [] : [object]
      const pod = object as unknown as {
        metadata: { name: string; namespace?: string }
        spec?: { nodeName?: string }
      }
      if (object.kind !== 'Pod' || pod.spec?.nodeName !== old.name) return [object]
      const goal = to.get(`${pod.metadata.namespace ?? 'default'}/${pod.metadata.name}`)
      return goal ? [{ ...object, spec: { ...pod.spec, nodeName: goal } } as ApiObject] : []
    })
  }
  return { blocked, moved, seconds }
}

/** What stands against turning a pool over to another size. `field` is the field of the intent that asks for it. */
export function turnoverFindings(
  view: FleetView,
  cluster: ClusterView,
  pool: PoolView,
  size: string,
  field: string,
): readonly RawFinding[] {
  const site = siteOf(view, cluster.site)
  const wanted = sizeOf(site, size)
  const because = [
    {
      ...said('sizes', { sizes: site?.sizes.map((eachSize) => eachSize.name) ?? [] }),
      source: cluster.site,
    },
  ]
  if (!wanted)
    return [
      {
        level: 'stop',
        rule: 'size.known',
        field,
        ...said('size.known', { site: cluster.site, size: size || '(none chosen)' }),
        because,
      },
    ]
  if (size === pool.size)
    return [
      {
        level: 'stop',
        rule: 'size.same',
        field,
        ...said('size.same', { pool: pool.name, size }),
        because,
      },
    ]
  if (site?.boxes.some((box) => pool.nodes.some((node) => node.machine === box.name)))
    return [
      {
        level: 'stop',
        rule: 'machine.box',
        field,
        ...said('machine.box.stands-machines-nobody', { pool: pool.name }),
        because,
      },
    ]
  const planned = replaced(cluster, pool, size, view)
  const findings: RawFinding[] = []
  // One new machine stands beside the old ones at the beginning, and one old one beside the new ones at the end.
  const last = planned.machines.at(-1)
  const early = { ...planned, machines: planned.machines.slice(0, 1) }
  const late =
    site && last
      ? {
          ...planned,
          machines: [last],
          view: {
            ...view,
            sites: view.sites.map((eachSite) =>
              eachSite === site ? after(site, pool, planned, 1) : eachSite,
            ),
          },
          site: after(site, pool, planned, 1),
        }
      : null
  for (const stage of [early, ...(late && pool.nodes.length > 1 ? [late] : [])]) {
    for (const finding of addMachineChecks.flatMap((check) => check(stage))) {
      if (!findings.some((rawFinding) => rawFinding.rule === finding.rule))
        findings.push({
          ...finding,
          field,
          offers: (finding.offers ?? []).filter((offer) => 'kind' in offer.change),
        })
    }
  }
  const objects = objectsHeard(view, cluster.name)
  if (!objects) return findings
  const done = walkThrough(
    objects,
    pool,
    planned.machines.map((machine) => machine.name),
    wanted,
  )
  const facts = [
    {
      ...said('moved-node-node', { cluster: cluster.name }),
      source: cluster.name,
      at: cluster.observedAt,
    },
  ]
  for (const entry of done.blocked)
    findings.push({
      level: 'stop',
      rule: `drain.${entry.pod}`,
      field,
      ...said('pod-node-name', { pod: entry.pod, node: entry.node, obstacle: entry.says }),
      because: facts,
    })
  if (done.blocked.length === 0)
    findings.push({
      level: 'caution',
      rule: 'pool.turnover',
      field,
      ...said('pool.turnover', {
        nodesCount: pool.nodes.length,
        moved: done.moved,
        seconds: done.seconds,
      }),
      because: facts,
    })
  return findings
}

/** The site with all but `left` of a pool’s old machines gone and as many new ones there. */
function after(site: SiteView, pool: PoolView, planned: Planned, left: number): SiteView {
  const count = pool.nodes.length - left
  const gone = new Set(pool.nodes.slice(0, count).map((node) => node.machine))
  const made = planned.machines.slice(0, count).map((machine) => ({
    name: machine.name,
    zone: machine.zone,
    host: null,
    size: machine.size,
    cores: machine.offered?.cores ?? 0,
    memoryBytes: machine.offered?.memoryBytes ?? 0,
    diskGb: machine.rootDiskGb,
    lifetime: machine.lifetime,
    power: 'on' as const,
    address: null,
    cluster: planned.intent.name,
    apart: null,
  }))
  return {
    ...site,
    machines: [...site.machines.filter((machine) => !gone.has(machine.name)), ...made],
    disks: [
      ...site.disks.filter((disk) => disk.machine === null || !gone.has(disk.machine)),
      ...made.map((machine) => ({
        name: `${machine.name}-root`,
        sizeGb: machine.diskGb,
        machine: machine.name,
        cluster: planned.intent.name,
      })),
    ],
  }
}

/** The steps of a turnover, each new node made once the old one before it is gone. */
export function turnoverPlan(
  view: FleetView,
  cluster: ClusterView,
  pool: PoolView,
  size: string,
  first: readonly StepId[],
): Pick<Plan, 'steps' | 'creates' | 'removes' | 'spend' | 'reserves'> {
  const site = siteOf(view, cluster.site)
  if (!site) throw new Error('a cluster that is known has a site')
  const planned = replaced(cluster, pool, size, view)
  const graph: Graph = { steps: [], reserves: [], creates: [] }
  let reserved = 0
  let before = first
  for (const [i, machine] of planned.machines.entries()) {
    const old = pool.nodes[i]
    if (!old) break
    const booted = machineSteps(graph, planned, machine, before, null)
    const joined = joinStep(graph, planned, { ...machine, roles: ['worker'] }, machine.name, [
      booted,
    ])
    // Never more than one machine beyond what stands.
    if (i === 0) reserved = graph.reserves.length
    graph.steps.push(
      drain(cluster.name, old.name, [joined]),
      leave(cluster.name, old.name, [`drain:${old.name}`]),
      remove(site.name, old.machine, [`leave:${old.name}`]),
    )
    before = [`delete:${old.machine}`]
  }
  return {
    steps: graph.steps,
    creates: graph.creates,
    removes: pool.nodes.flatMap((node) => [
      ref('node', cluster.name, node.name),
      ref('machine', site.name, node.machine),
    ]),
    spend: {
      before: siteSpend(site).perMonth,
      after: siteSpend(after(site, pool, planned, 0)).perMonth,
    },
    reserves: graph.reserves.slice(0, reserved),
  }
}
