/**
 * The step graph of raising a cluster:
 * register → addresses → first control-plane machine → API answers → other control-plane machines and workers,
 * in parallel → add-ons → tokens revoked → DNS asked and a pod tried on each pool.
 */
import { command } from '../contract'
import { longestPath, type Plan, ref, type StepId } from '../changes'
import type { SiteView } from '../fleet'
import { siteSpend } from '../spend'
import { raiseOnBoxes } from './box-steps'
import { apiStep, closingSteps, holdStep, registerStep } from './common-steps'
import { expectationFor } from './expects'
import { frontSteps } from './front-steps'
import { type Graph, joinStep, machineSteps } from './machine-steps'
import { type Planned, type PlannedMachine, reservationsAt, tolerated } from './planned'
import { lowestFree, takenIn } from './static-addresses'
import { askRetry, estimates, from, step } from './steps'
import { countText } from '../units'

/** Holds addresses at the site and says so to other drafts. */
function reserveAddresses(graph: Graph, site: SiteView, addresses: Iterable<string>): void {
  for (const address of addresses) {
    graph.reserves.push({ kind: 'address', site: site.name, what: address })
    graph.creates.push(ref('address', site.name, address))
  }
}

/** A control plane that the site runs itself, of a tier. */
function managedControlPlane(
  graph: Graph,
  planned: Planned,
  site: SiteView,
  { tier }: Extract<Planned['intent']['controlPlane'], { readonly kind: 'managed' }>,
): void {
  const { intent, release } = planned
  graph.steps.push(
    registerStep(planned, null),
    step({
      id: 'control-plane',
      after: ['register'],
      group: 'API',
      says: `order a managed control plane, tier ${tier}`,
      command: command('controlplane.create', {
        site: site.name,
        cluster: intent.name,
        tier,
        release: release?.version ?? '',
      }),
      undo: command('controlplane.delete', { site: site.name, cluster: intent.name }),
      seconds: estimates.managedControlPlane,
    }),
  )
  graph.creates.push(ref('control-plane', site.name, intent.name))
  apiStep(graph, planned, ['control-plane'], null, from('control-plane', 'endpoint'))
}

/** The address of the API, which moves to whichever member lives, and one for each member; a cloud gives its own. */
function heldByMembers(planned: Planned, site: SiteView, members: readonly PlannedMachine[]) {
  if (site.kind !== 'hall') return []
  const { intent, statics, managementNetwork } = planned
  const addresses = statics?.addresses ?? members.map(() => '')
  return addresses.map((address, i) => ({
    address,
    network: managementNetwork?.name ?? '',
    for: i === 0 ? `${intent.name} API` : (members[i - 1]?.name ?? `${intent.name} spare`),
  }))
}

/** The machine that began the control plane leaves it to those that stay; returns the last step. */
function leaveSteps(
  graph: Graph,
  planned: Planned,
  temporary: PlannedMachine,
  after: readonly StepId[],
): StepId {
  const { intent } = planned
  const [leave, gone] = ['leave:begin', 'delete:begin']
  graph.steps.push(
    step({
      id: leave,
      after,
      group: temporary.name,
      says: 'leave the control plane to the machines that stay',
      command: command('member.leave', { cluster: intent.name, machine: temporary.name }),
      seconds: estimates.joinNode,
      retry: askRetry,
    }),
    step({
      id: gone,
      after: [leave],
      group: temporary.name,
      says: 'delete the temporary machine',
      command: command('machine.delete', { site: intent.site, name: temporary.name }),
      seconds: estimates.deleteMachine,
    }),
  )
  return gone
}

/** A control plane of own members; returns the steps after which they have joined. */
function ownControlPlane(
  graph: Graph,
  planned: Planned,
  site: SiteView,
  members: readonly PlannedMachine[],
): readonly StepId[] {
  const { intent } = planned
  const held = heldByMembers(planned, site, members)
  const endpoint = site.kind === 'hall' ? `https://${held[0]?.address ?? ''}:6443` : null
  graph.steps.push(registerStep(planned, endpoint))
  if (held.length > 0) graph.steps.push(holdStep(planned, held))
  reserveAddresses(
    graph,
    site,
    held.map(({ address }) => address),
  )
  const ready: StepId = held.length > 0 ? 'addresses' : 'register'
  const begin = (machine: PlannedMachine, booted: StepId): void =>
    apiStep(graph, planned, [booted], machine.name, endpoint ?? from(booted, 'endpoint'))
  const first = members[0]
  const temporary =
    intent.controlPlane.kind === 'own' &&
    intent.controlPlane.begins === 'temporary-machine' &&
    first
      ? { ...first, name: `${intent.name}-begin`, again: 0 }
      : null
  if (temporary) begin(temporary, machineSteps(graph, planned, temporary, [ready], null))
  const roles = tolerated(planned) ? ['control-plane'] : ['control-plane', 'worker']
  const joined = members.map((member, i) => {
    const begins = i === 0 && !temporary
    const address = held[i + 1]?.address ?? null
    const booted = machineSteps(graph, planned, member, begins ? [ready] : ['api'], address)
    if (begins) begin(member, booted)
    return joinStep(
      graph,
      planned,
      { ...member, roles },
      member.name,
      begins ? ['api'] : ['api', booted],
    )
  })
  return temporary ? [...joined, leaveSteps(graph, planned, temporary, joined)] : joined
}

/** A step that holds addresses for machines by their name, where there are any. */
function holdForMachines(
  graph: Graph,
  planned: Planned,
  site: SiteView,
  {
    id,
    network,
    addresses,
    purpose,
    suffix = '',
  }: {
    readonly id: StepId
    readonly network: string | undefined
    readonly addresses: ReadonlyMap<string, string>
    readonly purpose: string
    readonly suffix?: string
  },
): void {
  if (addresses.size === 0) return
  graph.steps.push(
    step({
      id,
      after: ['register'],
      group: 'network',
      says: `hold ${countText(addresses.size, 'address', 'addresses')} ${purpose}`,
      command: command('address.hold', {
        site: site.name,
        cluster: planned.intent.name,
        addresses: [...addresses].map(([name, address]) => ({
          address,
          network: network ?? '',
          for: `${name}${suffix}`,
        })),
      }),
      undo: command('address.release', { site: site.name, addresses: [...addresses.values()] }),
      seconds: estimates.holdAddresses,
    }),
  )
  reserveAddresses(graph, site, addresses.values())
}

function raiseOnMachines(graph: Graph, planned: Planned, site: SiteView): void {
  const { intent, machines } = planned
  const members = machines.filter((machine) => machine.role === 'control-plane')
  const workers = machines.filter((machine) => machine.role === 'worker')
  const joined: StepId[] = []
  if (intent.controlPlane.kind === 'managed')
    managedControlPlane(graph, planned, site, intent.controlPlane)
  else joined.push(...ownControlPlane(graph, planned, site, members))
  holdForMachines(graph, planned, site, {
    id: 'public-addresses',
    network: site.networks.find((network) => network.role === 'frontage')?.name,
    addresses: publicAddresses(planned, site, [...members, ...workers]),
    purpose: 'outside, one for each node',
    suffix: ' outside',
  })
  const staticWorkers = workerAddresses(planned, site, workers)
  holdForMachines(graph, planned, site, {
    id: 'worker-addresses',
    network: planned.nodesNetwork?.name,
    addresses: staticWorkers,
    purpose: 'for workers',
  })
  for (const worker of workers) {
    const address = staticWorkers.get(worker.name) ?? null
    const booted = machineSteps(graph, planned, worker, ['api'], address)
    joined.push(joinStep(graph, planned, { ...worker, roles: ['worker'] }, worker.name, [booted]))
  }
  const running = [...(tolerated(planned) ? [] : members), ...workers]
  closingSteps(graph, planned, joined, [...new Set(running.map((machine) => machine.pool))])
  frontSteps(graph, planned, site, joined)
}

/** Addresses outside for the nodes of a cloud, where the draft wants them: the lowest free virtual ones. */
function publicAddresses(
  planned: Planned,
  site: SiteView,
  machines: readonly PlannedMachine[],
): ReadonlyMap<string, string> {
  const network = site.networks.find((network) => network.role === 'frontage')
  if (site.kind !== 'cloud' || planned.intent.networks.nodeAddresses !== 'public' || !network)
    return new Map()
  const free = lowestFree(
    network,
    takenIn(network, site, reservationsAt(planned.view, site.name)),
    machines.length + 1,
  )
  // The first is left to what comes in.
  return new Map(
    machines.flatMap((machine, i): [string, string][] =>
      free[i + 1] === undefined ? [] : [[machine.name, free[i + 1] ?? '']],
    ),
  )
}

/** Static addresses for a hall’s workers, where the draft wants them: the lowest free ones of the node network. */
function workerAddresses(
  planned: Planned,
  site: SiteView,
  workers: readonly PlannedMachine[],
): ReadonlyMap<string, string> {
  const network = planned.nodesNetwork
  if (site.kind !== 'hall' || planned.intent.networks.addressing !== 'static' || !network)
    return new Map()
  const free = lowestFree(
    network,
    takenIn(network, site, reservationsAt(planned.view, site.name)),
    workers.length,
  )
  return new Map(
    workers.flatMap((worker, i): [string, string][] =>
      free[i] === undefined ? [] : [[worker.name, free[i]]],
    ),
  )
}

/** The site as it will be once the draft has run, as far as it costs anything. */
export function siteAfter(site: SiteView, planned: Planned): SiteView {
  const { intent, machines } = planned
  const boxes = intent.machines.flatMap(
    (machine) => site.boxes.find((box) => box.name === machine.machine) ?? [],
  )
  return {
    ...site,
    machines: [
      ...site.machines,
      ...machines.map((machine) => ({
        name: machine.name,
        zone: machine.zone,
        host: null,
        size: machine.size,
        cores: machine.offered?.cores ?? 0,
        memoryBytes: 0,
        diskGb: machine.rootDiskGb,
        lifetime: machine.lifetime,
        power: 'on' as const,
        address: null,
        cluster: intent.name,
      })),
      ...boxes.map((box) => ({
        name: box.name,
        zone: box.zone,
        host: box.name,
        size: box.name,
        cores: box.cores,
        memoryBytes: box.memoryBytes,
        diskGb: 0,
        lifetime: 'on-demand' as const,
        power: 'on' as const,
        address: null,
        cluster: intent.name,
      })),
    ],
    disks: [
      ...site.disks,
      ...machines.map((machine) => ({
        name: `${machine.name}-root`,
        sizeGb: machine.rootDiskGb,
        machine: machine.name,
        cluster: intent.name,
      })),
    ],
    controlPlanes:
      intent.controlPlane.kind === 'managed'
        ? [
            ...site.controlPlanes,
            { cluster: intent.name, tier: intent.controlPlane.tier, release: '', address: '' },
          ]
        : site.controlPlanes,
  }
}

/** Keeps the walks that came with the draft as expectations, once all else is done. */
function expectStep(graph: Graph, { intent }: Planned): void {
  const expects = intent.expects ?? []
  if (expects.length === 0) return
  const before = new Set(graph.steps.flatMap(({ after }) => [...after]))
  const expectations = expects.map((expect) => expectationFor(intent.name, expect))
  graph.steps.push(
    step({
      id: 'expect',
      after: graph.steps.map(({ id }) => id).filter((id) => !before.has(id)),
      group: 'proof',
      says: `keep ${countText(expects.length, 'walk')} as ${expects.length === 1 ? 'an expectation' : 'expectations'}`,
      command: command('expectations.keep', { expectations }),
      undo: command('expectations.forget', { names: expectations.map(({ name }) => name) }),
      seconds: estimates.ledger,
    }),
  )
}

/** The plan of a draft without a stop. The site must be known. */
export function raisePlan(planned: Planned): Plan {
  const { intent, site } = planned
  const graph: Graph = {
    steps: [],
    reserves: [{ kind: 'name', site: intent.site, what: intent.name }],
    creates: [ref('cluster', intent.name)],
  }
  if (!site) throw new Error('a plan is made only for a draft whose site is known')
  graph.reserves.push(
    { kind: 'range', site: site.name, domain: site.domain, what: intent.ranges.pods },
    { kind: 'range', site: site.name, domain: site.domain, what: intent.ranges.services },
  )
  if (site.kind === 'edge' || intent.machines.length > 0) raiseOnBoxes(graph, planned, site)
  else raiseOnMachines(graph, planned, site)
  expectStep(graph, planned)
  return {
    steps: graph.steps,
    creates: graph.creates,
    alters:
      intent.machines.length > 0
        ? intent.machines.map((machine) => ref('machine', site.name, machine.machine))
        : [],
    removes: [],
    ...longestPath(graph.steps),
    spend: {
      before: siteSpend(site).perMonth,
      after: siteSpend(siteAfter(site, planned)).perMonth,
    },
    reserves: graph.reserves,
  }
}
