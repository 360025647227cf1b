/** Nodes added, removed, restarted and replaced in a cluster that stands: `pool.resize`, `machine.restart`, `machine.replace`. */
import { command } from '../contract'
import { z } from 'zod'
import {
  type ChangeKind,
  type Command,
  longestPath,
  type Plan,
  type Proof,
  type RawFinding,
  ref,
  type Step,
  type StepId,
  stop,
} from '../changes'
import {
  clusterOf,
  clusterState,
  type ClusterView,
  type FleetView,
  nodesOf,
  type NodeView,
  type PoolView,
  siteOf,
  stateContext,
} from '../fleet'
import {
  addMachineChecks,
  controlPlanePool,
  estimates,
  type Graph,
  joinStep,
  machineSteps,
  type Planned,
  type PlannedMachine,
  siteAfter,
  step,
} from '../provisioning'
import { askRetry } from '../provisioning/steps'
import { siteSpend } from '../spend'
import { countText, listText, numberText } from '../units'
import { drainFindings } from './draining'
import { freeNames, standing, thinnestZone } from './standing'

const name = z.string().max(253)

/** The finding that a cluster is not there, or null. */
function unknownCluster(wish: string, view: FleetView): RawFinding | null {
  if (clusterOf(view, wish)) return null
  return stop(
    'cluster.known',
    'cluster',
    wish === '' ? 'No cluster is chosen.' : `There is no cluster ${wish}.`,
    [
      {
        says: `clusters: ${listText(
          view.clusters.map((other) => other.name),
          10,
        )}`,
        source: 'register of clusters',
      },
    ],
  )
}

/** Whether the API takes orders; where its certificates have ended, renewing them is what helps. */
export function checkAnswers(cluster: ClusterView, view: FleetView): readonly RawFinding[] {
  if (cluster.apiAnswers) return []
  const { says } = clusterState(cluster, stateContext(view))
  const expired = cluster.certificatesUntil !== null && cluster.certificatesUntil <= view.now
  return [
    {
      level: 'stop',
      rule: 'cluster.answers',
      about: ref('cluster', cluster.name),
      says: expired
        ? `The certificates of ${cluster.name} ended on ${cluster.certificatesUntil?.slice(0, 10) ?? ''}: its API takes no orders.`
        : `The API of ${cluster.name} does not answer.`,
      because: [
        {
          says: expired ? `certificates until ${cluster.certificatesUntil ?? ''}` : says,
          source: cluster.name,
          at: cluster.observedAt,
        },
      ],
      offers: expired
        ? [
            {
              says: `Renew the certificates of ${cluster.name}`,
              change: { kind: 'cluster.renew-certificates', intent: { cluster: cluster.name } },
            },
          ]
        : [],
    },
  ]
}

const isReady = (node: NodeView): boolean =>
  node.conditions.some((condition) => condition.type === 'Ready' && condition.status === 'True')

// Resize

export const resizeIntent = z.strictObject({
  cluster: name,
  pool: name,
  count: z.int().min(0).max(10_000),
  range: z
    .strictObject({ min: z.int().min(0).max(10_000), max: z.int().min(0).max(10_000) })
    .optional(),
})
export type ResizeIntent = z.infer<typeof resizeIntent>

const poolOf = (cluster: ClusterView | undefined, wish: string): PoolView | undefined =>
  cluster?.pools.find((pool) => pool.name === wish && wish !== controlPlanePool)

/** Nodes that leave when a pool shrinks: those not ready first, then the ones with the highest numbers. */
function leaving(pool: PoolView, count: number): readonly NodeView[] {
  const number = (node: NodeView): number => Number(/(\d+)$/.exec(node.name)?.[1] ?? 0)
  return [...pool.nodes]
    .sort((a, b) => Number(isReady(a)) - Number(isReady(b)) || number(b) - number(a))
    .slice(0, Math.max(0, pool.nodes.length - count))
}

/** The machines a pool is still to be given, spread over the zones that offer its size. */
export function coming(
  cluster: ClusterView,
  pool: PoolView,
  count: number,
  view: FleetView,
): Planned {
  const site = siteOf(view, cluster.site)
  const size = site?.sizes.find((other) => other.name === pool.size)
  const zones = (site?.zones ?? []).filter(
    (zone) => size === undefined || size.zones.includes(zone),
  )
  const nodes: { zone: string }[] = [...pool.nodes]
  const machines = freeNames(
    cluster,
    pool,
    Math.max(0, count - pool.nodes.length),
    site?.machines.map((machine) => machine.name) ?? [],
  ).map((machine): Omit<PlannedMachine, 'field' | 'offered' | 'again'> => {
    const zone = thinnestZone(zones, nodes)
    nodes.push({ zone })
    return {
      name: machine,
      role: 'worker',
      pool: pool.name,
      zone,
      size: pool.size,
      rootDiskGb:
        (site?.kind === 'hall' ? size?.diskGb : undefined) ??
        view.catalogue.find((release) => release.version === cluster.release)?.minimumRootDiskGb ??
        30,
      lifetime: pool.lifetime,
    }
  })
  return standing(cluster, view, machines)
}

function checkResize(intent: ResizeIntent, view: FleetView): readonly RawFinding[] {
  const unknown = unknownCluster(intent.cluster, view)
  const cluster = clusterOf(view, intent.cluster)
  if (unknown || !cluster) return unknown ? [unknown] : []
  const pool = poolOf(cluster, intent.pool)
  const pools = cluster.pools.filter((other) => other.name !== controlPlanePool)
  if (!pool) {
    return [
      stop(
        'pool.known',
        'pool',
        intent.pool === controlPlanePool
          ? 'The control plane is no pool; its machines are replaced, not resized.'
          : `${cluster.name} has no pool ${intent.pool}.`,
        [
          {
            says: `pools: ${listText(pools.map((other) => other.name)) || 'none'}`,
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
        pools.slice(0, 2).map((other) => ({
          says: `Resize ${other.name}`,
          change: { patchDraft: [{ op: 'replace', path: '/pool', value: other.name } as const] },
        })),
      ),
    ]
  }
  const findings: RawFinding[] = [...checkAnswers(cluster, view)]
  if (intent.range && intent.range.min > intent.range.max)
    findings.push(
      stop(
        'pool.range',
        'range',
        `The lower end ${intent.range.min} is above the upper end ${intent.range.max}.`,
        [],
        [
          {
            says: 'Turn them round',
            change: {
              patchDraft: [
                {
                  op: 'replace',
                  path: '/range',
                  value: { min: intent.range.max, max: intent.range.min },
                },
              ],
            },
          },
        ],
      ),
    )
  const range = intent.range ?? pool.range
  if (range && (intent.count < range.min || intent.count > range.max)) {
    const within = Math.max(range.min, Math.min(range.max, intent.count))
    findings.push(
      stop(
        'pool.within',
        'count',
        `${pool.name} scales by itself between ${range.min} and ${range.max}; ${intent.count} lies outside.`,
        [
          {
            says: `range ${range.min} to ${range.max}`,
            source: intent.range ? 'draft' : 'register of clusters',
          },
        ],
        [
          {
            says: `Use ${within}`,
            change: { patchDraft: [{ op: 'replace', path: '/count', value: within }] },
          },
        ],
      ),
    )
  }
  if (intent.count === pool.nodes.length && !intent.range)
    findings.push(
      stop('pool.same', 'count', `${pool.name} has ${countText(intent.count, 'node')} already.`, [
        { says: `${pool.nodes.length} nodes`, source: cluster.name, at: cluster.observedAt },
      ]),
    )
  if (intent.count > pool.nodes.length) {
    const planned = coming(cluster, pool, intent.count, view)
    const most = 2 ** Math.max(0, (24 - Number(cluster.pods.split('/')[1] ?? 24)) | 0)
    const found = addMachineChecks.flatMap((check) => check(planned))
    // Amendments are written for a raise; here the amendment that counts is fewer nodes.
    const fewer = Array.from(
      { length: Math.min(3, intent.count - pool.nodes.length - 1) },
      (_, i) => ({
        says: countText(intent.count - 1 - i, 'node'),
        change: {
          patchDraft: [{ op: 'replace' as const, path: '/count', value: intent.count - 1 - i }],
        },
      }),
    )
    findings.push(
      ...found.map((finding): RawFinding => ({
        ...finding,
        field: 'count',
        offers: [
          ...(finding.offers ?? []).filter((offer) => 'kind' in offer.change),
          ...fewer,
        ].slice(0, 3),
      })),
    )
    const total = nodesOf(cluster).length + intent.count - pool.nodes.length
    if (total > most && cluster.maxPodsPerNode === 110)
      findings.push(
        stop(
          'range.size',
          'count',
          `The pod range ${cluster.pods} holds ${numberText(most)} nodes; there would be ${numberText(total)}.`,
          [{ says: 'one /24 a node', source: 'address plan' }],
        ),
      )
  }
  if (intent.count < pool.nodes.length) {
    const gone = leaving(pool, intent.count)
    const others = nodesOf(cluster).filter(
      (node) => !gone.includes(node) && !node.roles.includes('control-plane') && isReady(node),
    )
    const moved = gone.reduce((sum, node) => sum + node.requestedCpuMilli, 0)
    const room = others.reduce(
      (sum, node) => sum + node.allocatableCpuMilli - node.requestedCpuMilli,
      0,
    )
    const because = [
      {
        says: `${gone.map((node) => node.name).join(', ')}: ${numberText(moved)} m requested`,
        source: cluster.name,
        at: cluster.observedAt,
      },
      {
        says: `${others.length} other workers have ${numberText(room)} m free`,
        source: cluster.name,
        at: cluster.observedAt,
      },
    ]
    if (others.length === 0 && cluster.podCount > 0)
      findings.push(
        stop(
          'pool.last',
          'count',
          'No worker would be left for the platform’s own pods.',
          because,
          [
            {
              says: 'Keep one node',
              change: { patchDraft: [{ op: 'replace', path: '/count', value: 1 }] },
            },
          ],
        ),
      )
    findings.push(
      ...drainFindings(
        view,
        cluster,
        gone.filter(isReady).map((node) => node.name),
        'count',
        false,
      ).filter((finding) => finding.level !== 'note'),
    )
    if (others.length > 0)
      findings.push({
        level: 'caution',
        rule: 'pool.moves',
        field: 'count',
        says: `${countText(
          gone.reduce((sum, node) => sum + node.pods, 0),
          'pod',
        )} on ${listText(
          gone.map((node) => node.name),
          3,
        )} end and are made anew elsewhere${moved > room ? `; ${numberText(moved - room)} m of CPU find no room` : ''}.`,
        because,
      })
  }
  return findings
}

export const drain = (cluster: string, node: string, after: readonly StepId[]): Step =>
  step({
    id: `drain:${node}`,
    after,
    group: node,
    says: 'cordon, move its pods away',
    command: command('node.drain', { cluster, node, allowLocalData: true }),
    undo: command('node.uncordon', { cluster, node }),
    seconds: estimates.drainNode,
    retry: askRetry,
  })

export const leave = (cluster: string, node: string, after: readonly StepId[]): Step =>
  step({
    id: `leave:${node}`,
    after,
    group: node,
    says: 'leave the cluster',
    command: command('node.remove', { cluster, node }),
    final: true,
    seconds: estimates.joinNode,
    retry: askRetry,
  })

export const remove = (site: string, machine: string, after: readonly StepId[]): Step =>
  step({
    id: `delete:${machine}`,
    after,
    group: machine,
    says: 'delete the machine and its disk',
    command: command('machine.delete', { site, name: machine }),
    final: true,
    seconds: estimates.deleteMachine,
  })

function planResize(intent: ResizeIntent, view: FleetView): Plan {
  const cluster = clusterOf(view, intent.cluster)
  const pool = poolOf(cluster, intent.pool)
  const site = cluster && siteOf(view, cluster.site)
  if (!cluster || !pool || !site) throw new Error('a plan is made only for a pool that is known')
  const planned = coming(cluster, pool, intent.count, view)
  const graph: Graph = { steps: [], reserves: [], creates: [] }
  for (const machine of planned.machines) {
    const booted = machineSteps(graph, planned, machine, [], null)
    joinStep(graph, planned, { ...machine, roles: ['worker'] }, machine.name, [booted])
  }
  const gone = leaving(pool, intent.count)
  for (const node of gone)
    graph.steps.push(
      drain(cluster.name, node.name, []),
      leave(cluster.name, node.name, [`drain:${node.name}`]),
      remove(site.name, node.machine, [`leave:${node.name}`]),
    )
  if (intent.range) {
    const setRange = (range: PoolView['range']): Command =>
      command('pool.range', { cluster: cluster.name, pool: pool.name, range })
    graph.steps.push(
      step({
        id: 'range',
        after: [],
        group: 'register',
        says: `scale between ${intent.range.min} and ${intent.range.max}`,
        command: setRange(intent.range),
        undo: setRange(pool.range),
        seconds: estimates.ledger,
      }),
    )
  }
  const lost = new Set(gone.map((node) => node.machine))
  const after = siteAfter(
    {
      ...site,
      machines: site.machines.filter((machine) => !lost.has(machine.name)),
      disks: site.disks.filter((disk) => disk.machine === null || !lost.has(disk.machine)),
    },
    {
      ...planned,
      intent: { ...planned.intent, controlPlane: { kind: 'own', count: 0, alsoWorkers: false } },
    },
  )
  return {
    steps: graph.steps,
    creates: graph.creates,
    alters: [ref('pool', cluster.name, pool.name)],
    removes: gone.flatMap((node) => [
      ref('node', cluster.name, node.name),
      ref('machine', site.name, node.machine),
    ]),
    ...longestPath(graph.steps),
    spend: { before: siteSpend(site).perMonth, after: siteSpend(after).perMonth },
    reserves: graph.reserves,
  }
}

const shownBy: Readonly<Record<string, readonly string[]>> = {
  'certificate-expired': ['cluster.answers'],
  'image-missing': ['image.present'],
  'no-room': ['hosts.room'],
  'store-full': ['store.room'],
  quota: ['quota.cores'],
  'no-address': ['network.leases'],
  'dhcp-silent': ['network.dhcp'],
  'name-server': ['names.server'],
  'clock-skew': ['time.reachable'],
  'size-unknown': ['size.zone'],
  'no-stock': ['size.stock'],
}

const guarded = (cluster: string, view: FleetView): string | null =>
  clusterOf(view, cluster)?.guarded ? cluster : null

export const poolResize: ChangeKind<ResizeIntent> = {
  name: 'pool.resize',
  title: 'Resize a pool',
  intent: resizeIntent,
  needs: (intent) => [
    'catalogue',
    'ledger',
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
  ],
  subjects: (intent) => [ref('pool', intent.cluster, intent.pool)],
  guardedBy: (intent, view) => guarded(intent.cluster, view),
  label: (intent) => `resize ${intent.pool} of ${intent.cluster || 'a cluster'} to ${intent.count}`,
  check: checkResize,
  plan: planResize,
  answeredBy: (failure) => shownBy[failure.reason] ?? [],
  prove: (intent, view): readonly Proof[] => {
    const pool = poolOf(clusterOf(view, intent.cluster), intent.pool)
    const nodes = pool?.nodes ?? []
    const ready = nodes.filter(isReady).length
    return [
      {
        says: `${intent.pool} has ${countText(intent.count, 'node')}, every one ready`,
        holds: nodes.length === intent.count && ready === intent.count,
        observed: `${nodes.length} nodes, ${ready} ready`,
      },
    ]
  },
}

// Restart and replace

export const nodeIntent = z.strictObject({
  cluster: name,
  node: name,
  reason: z.string().max(500).optional(),
})
export type NodeIntent = z.infer<typeof nodeIntent>

const nodeOf = (cluster: ClusterView | undefined, wish: string): NodeView | undefined =>
  cluster ? nodesOf(cluster).find((node) => node.name === wish) : undefined

function checkNode(
  intent: NodeIntent,
  view: FleetView,
): { readonly cluster: ClusterView; readonly node: NodeView } | RawFinding {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster)
    return (
      unknownCluster(intent.cluster, view) ??
      stop('cluster.known', 'cluster', 'No cluster is chosen.')
    )
  const node = nodeOf(cluster, intent.node)
  return node
    ? { cluster, node }
    : stop(
        'node.known',
        'node',
        intent.node === '' ? 'No node is chosen.' : `${cluster.name} has no node ${intent.node}.`,
        [
          {
            says: `${nodesOf(cluster).length} nodes listed`,
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      )
}

/** Members of an own control plane that are well, without this one. */
const membersLeft = (cluster: ClusterView, node: NodeView): number =>
  nodesOf(cluster).filter(
    (other) => other.roles.includes('control-plane') && other !== node && isReady(other),
  ).length

export const machineRestart: ChangeKind<NodeIntent> = {
  name: 'machine.restart',
  title: 'Restart a node’s machine',
  intent: nodeIntent,
  needs: (intent) => [`cluster:${intent.cluster}`],
  subjects: (intent) => [ref('node', intent.cluster, intent.node)],
  guardedBy: (intent, view) => guarded(intent.cluster, view),
  label: (intent) => `restart ${intent.node || 'a node'}`,
  check: (intent, view) => {
    const found = checkNode(intent, view)
    if ('level' in found) return [found]
    const { cluster, node } = found
    if (!isReady(node)) return []
    const member =
      node.roles.includes('control-plane') &&
      membersLeft(cluster, node) * 2 <=
        (cluster.controlPlane.kind === 'own' ? cluster.controlPlane.members.length : 0)
    return [
      {
        level: 'caution',
        rule: 'node.ready',
        field: 'node',
        says: member
          ? `${node.name} is ready, and without it the control plane has no majority: its API will not answer while it restarts.`
          : `${node.name} is ready. Its ${countText(node.pods, 'pod')} stop for as long as it restarts.`,
        because: [{ says: `${node.pods} pods`, source: cluster.name, at: cluster.observedAt }],
      },
    ]
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const node = nodeOf(cluster, intent.node)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !node || !site) throw new Error('a plan is made only for a node that is known')
    const steps = [
      step({
        id: 'restart',
        after: [],
        group: node.name,
        says: 'power off and on again, agent speaks up',
        command: command('machine.restart', { site: site.name, name: node.machine }),
        final: true,
        seconds: estimates.restartMachine,
        retry: { attempts: 2, firstSeconds: 20, mostSeconds: 60 },
      }),
    ]
    const spend = siteSpend(site).perMonth
    return {
      steps,
      creates: [],
      alters: [ref('node', cluster.name, node.name)],
      removes: [],
      ...longestPath(steps),
      spend: { before: spend, after: spend },
      reserves: [],
    }
  },
  answers: () => [],
  prove: (intent, view) => {
    const node = nodeOf(clusterOf(view, intent.cluster), intent.node)
    return [
      {
        says: `${intent.node} is ready`,
        holds: node !== undefined && isReady(node),
        observed:
          node?.conditions.find((condition) => condition.type === 'Ready')?.message ?? 'not listed',
      },
    ]
  },
}

/** The machine a node will stand on once it is replaced: the same name, zone and size. */
function replacement(
  cluster: ClusterView,
  node: NodeView,
  view: FleetView,
): { readonly planned: Planned; readonly address: string | null } {
  const site = siteOf(view, cluster.site)
  const machine = site?.machines.find((other) => other.name === node.machine)
  const pool = cluster.pools.find((other) => other.name === node.pool)
  const member = node.roles.includes('control-plane')
  const wanted = {
    name: node.machine,
    role: member ? ('control-plane' as const) : ('worker' as const),
    pool: node.pool,
    zone: node.zone,
    size: machine?.size ?? pool?.size ?? '',
    rootDiskGb: machine?.diskGb ?? 0,
    lifetime: pool?.lifetime ?? ('on-demand' as const),
  }
  const without: FleetView = {
    ...view,
    sites: view.sites.map((other) =>
      other.name === cluster.site
        ? {
            ...other,
            machines: other.machines.filter((one) => one.name !== node.machine),
            disks: other.disks.filter((disk) => disk.machine !== node.machine),
          }
        : other,
    ),
  }
  const held = site?.addresses.find(
    (address) => address.for === node.machine && address.how === 'static',
  )
  return { planned: standing(cluster, without, [wanted]), address: held?.address ?? null }
}

export const machineReplace: ChangeKind<NodeIntent> = {
  name: 'machine.replace',
  title: 'Replace a node’s machine',
  intent: nodeIntent,
  needs: (intent) => [
    'catalogue',
    'ledger',
    `cluster:${intent.cluster}`,
    `objects:${intent.cluster}`,
  ],
  subjects: (intent) => [ref('node', intent.cluster, intent.node)],
  guardedBy: (intent, view) => guarded(intent.cluster, view),
  label: (intent) => `replace ${intent.node || 'a node'}`,
  check: (intent, view) => {
    const found = checkNode(intent, view)
    if ('level' in found) return [found]
    const { cluster, node } = found
    const site = siteOf(view, cluster.site)
    if (site?.boxes.some((box) => box.name === node.machine))
      return [
        stop(
          'machine.box',
          'node',
          `${node.name} stands on ${node.machine}, which nobody can make anew. Restart it instead.`,
          [
            {
              says: `${node.machine} is a machine that stood there`,
              source: site.name,
              at: site.observedAt,
            },
          ],
        ),
      ]
    const findings: RawFinding[] = [...checkAnswers(cluster, view)]
    if (node.roles.includes('control-plane') && cluster.controlPlane.kind === 'own') {
      const members = cluster.controlPlane.members.length
      if (members === 1)
        findings.push(
          stop(
            'member.only',
            'node',
            `${node.name} is the only control-plane machine: its state store would be gone. Take a backup and restore it on a new cluster.`,
            [{ says: '1 member', source: cluster.name }],
          ),
        )
      else if (membersLeft(cluster, node) * 2 <= members)
        findings.push(
          stop(
            'member.majority',
            'node',
            `Without ${node.name} the control plane has ${membersLeft(cluster, node)} of ${members} members: no majority.`,
            [{ says: 'more than half must answer', source: 'majority rule' }],
          ),
        )
    }
    findings.push(
      ...addMachineChecks
        .flatMap((check) => check(replacement(cluster, node, view).planned))
        .map((finding): RawFinding => ({
          ...finding,
          field: 'node',
          offers: (finding.offers ?? []).filter((offer) => 'kind' in offer.change),
        })),
    )
    if (isReady(node))
      findings.push(
        ...drainFindings(view, cluster, [node.name], 'node', true).filter(
          (finding) => finding.level !== 'note',
        ),
      )
    if (isReady(node))
      findings.push({
        level: 'caution',
        rule: 'node.ready',
        field: 'node',
        says: `${node.name} is ready. Its ${countText(node.pods, 'pod')} are moved away, and its disk is lost.`,
        because: [
          {
            says: `${node.pods} pods, ${numberText(node.requestedCpuMilli)} m requested`,
            source: cluster.name,
            at: cluster.observedAt,
          },
        ],
      })
    return findings
  },
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const node = nodeOf(cluster, intent.node)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !node || !site) throw new Error('a plan is made only for a node that is known')
    const { planned, address } = replacement(cluster, node, view)
    const machine = planned.machines[0]
    if (!machine) throw new Error('a replacement has one machine')
    const graph: Graph = { steps: [], reserves: [], creates: [] }
    graph.steps.push(
      drain(cluster.name, node.name, []),
      leave(cluster.name, node.name, [`drain:${node.name}`]),
      remove(site.name, node.machine, [`leave:${node.name}`]),
    )
    const booted = machineSteps(graph, planned, machine, [`delete:${node.machine}`], address)
    joinStep(graph, planned, { ...machine, roles: node.roles }, machine.name, [booted])
    const spend = siteSpend(site).perMonth
    return {
      steps: graph.steps,
      creates: [],
      alters: [ref('node', cluster.name, node.name)],
      removes: [],
      ...longestPath(graph.steps),
      spend: { before: spend, after: spend },
      reserves: graph.reserves,
    }
  },
  answeredBy: (failure) => shownBy[failure.reason] ?? [],
  prove: (intent, view) => {
    const node = nodeOf(clusterOf(view, intent.cluster), intent.node)
    return [
      {
        says: `${intent.node} is ready, on a new machine`,
        holds: node !== undefined && isReady(node),
        observed: node ? `ready since ${node.createdAt.slice(11, 16)}` : 'not listed',
      },
    ]
  },
}
