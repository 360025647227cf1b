/** A pool’s nodes replaced one after another by nodes of another size: what stands against it, computed by placement, and the steps. */
import type { Plan, RawFinding, StepId } from '../changes'
import { ref } from '../changes'
import type { Said } from '../contract'
import type { ClusterView, FleetView, PoolView, SiteView, SizeView } from '../fleet'
import { siteOf, objectsHeard } from '../fleet'
import { type ApiObject, isOfKind, type NodeObject, ofKind } from '../objects'
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
function nodeOf(like: NodeObject, name: string, size: SizeView): NodeObject {
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
    isOfKind(object, 'Node') && olds.has(object.metadata.name)
      ? { ...object, spec: { ...object.spec, unschedulable: true } }
      : object,
  )
  const blocked: { pod: string; says: string; node: string }[] = []
  let moved = 0
  let seconds = 0
  for (const [i, old] of pool.nodes.entries()) {
    const like = ofKind(objects, 'Node').find((node) => node.metadata.name === old.name)
    if (!like) continue
    state = [...state, nodeOf(like, names[i] ?? `${old.name}-new`, size)]
    const read = readWorld(state)
    const done = read.ok ? drainWorld(read.world, [old.name], { allowLocalData: true }) : null
    if (!done?.ok) continue
    blocked.push(...done.drain.blocked.map((eachBlocked) => ({ ...eachBlocked, node: old.name })))
    moved += done.drain.evictions.length
    seconds += done.drain.seconds
    const to = new Map(done.drain.evictions.map((eviction) => [eviction.pod, eviction.to]))
    state = state.flatMap((object): readonly ApiObject[] => {
      if (object.kind === 'Node') return object.metadata?.name === old.name ? [] : [object]
      if (!isOfKind(object, 'Pod') || object.spec?.nodeName !== old.name) return [object]
      const goal = to.get(`${object.metadata.namespace ?? 'default'}/${object.metadata.name}`)
      return goal ? [{ ...object, spec: { ...object.spec, nodeName: goal } }] : []
    })
  }
  return { blocked, moved, seconds }
}

/** A size that the site has, that is another than before, for machines that can be made anew. */
function sizeFinding(
  site: SiteView | undefined,
  cluster: ClusterView,
  pool: PoolView,
  size: string,
): Pick<RawFinding, 'rule' | keyof Said> | null {
  if (!sizeOf(site, size))
    return {
      rule: 'size.known',
      ...said('size.known', { site: cluster.site, size: size || '(none chosen)' }),
    }
  if (size === pool.size)
    return { rule: 'size.same', ...said('size.same', { pool: pool.name, size }) }
  const standsThere = site?.boxes.some((box) =>
    pool.nodes.some((node) => node.machine === box.name),
  )
  return standsThere
    ? { rule: 'machine.box', ...said('machine.box.stands-machines-nobody', { pool: pool.name }) }
    : null
}

/** The two tight moments: one new machine beside all the old ones, and one old one beside all the new ones. */
function tightMoments(
  planned: Planned,
  site: SiteView | undefined,
  pool: PoolView,
  view: FleetView,
): readonly Planned[] {
  const first = { ...planned, machines: planned.machines.slice(0, 1) }
  const last = planned.machines.at(-1)
  if (!site || !last || pool.nodes.length < 2) return [first]
  const nearlyDone = after(site, pool, planned, 1)
  return [
    first,
    {
      ...planned,
      machines: [last],
      view: {
        ...view,
        sites: view.sites.map((candidate) => (candidate === site ? nearlyDone : candidate)),
      },
      site: nearlyDone,
    },
  ]
}

/** What stands against making the machines, each rule told once. Offers that would amend another draft are left out. */
function machineRoom(moments: readonly Planned[], field: string): readonly RawFinding[] {
  const findings = new Map<string, RawFinding>()
  for (const moment of moments)
    for (const finding of addMachineChecks.flatMap((check) => check(moment)))
      if (!findings.has(finding.rule))
        findings.set(finding.rule, {
          ...finding,
          field,
          offers: (finding.offers ?? []).filter((offer) => 'kind' in offer.change),
        })
  return [...findings.values()]
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
  const sizes = site?.sizes.map((candidate) => candidate.name) ?? []
  const wrong = sizeFinding(site, cluster, pool, size)
  if (wrong)
    return [
      {
        level: 'stop',
        field,
        ...wrong,
        because: [{ ...said('sizes', { sizes }), source: cluster.site }],
      },
    ]
  const offered = sizeOf(site, size)
  if (!offered) return []
  const planned = replaced(cluster, pool, size, view)
  const findings = machineRoom(tightMoments(planned, site, pool, view), field)
  const objects = objectsHeard(view, cluster.name)
  if (!objects) return findings
  const names = planned.machines.map((machine) => machine.name)
  return [
    ...findings,
    ...drainFindings(cluster, walkThrough(objects, pool, names, offered), pool, field),
  ]
}

/** Pods that find no other place stop it; else it is said how many move and how long that takes. */
function drainFindings(
  cluster: ClusterView,
  done: ReturnType<typeof walkThrough>,
  pool: PoolView,
  field: string,
): readonly RawFinding[] {
  const because = [
    {
      ...said('moved-node-node', { cluster: cluster.name }),
      source: cluster.name,
      at: cluster.observedAt,
    },
  ]
  if (done.blocked.length > 0)
    return done.blocked.map((entry) => ({
      level: 'stop',
      rule: `drain.${entry.pod}`,
      field,
      ...said('pod-node-name', { pod: entry.pod, node: entry.node, obstacle: entry.says }),
      because,
    }))
  return [
    {
      level: 'caution',
      rule: 'pool.turnover',
      field,
      ...said('pool.turnover', {
        nodesCount: pool.nodes.length,
        moved: done.moved,
        seconds: done.seconds,
      }),
      because,
    },
  ]
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
