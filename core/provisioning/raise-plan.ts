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

function raiseOnMachines(graph: Graph, planned: Planned, site: SiteView): void {
  const { intent, machines, statics, managementNetwork, release } = planned
  const members = machines.filter((machine) => machine.role === 'control-plane')
  const workers = machines.filter((machine) => machine.role === 'worker')
  const joined: StepId[] = []
  if (intent.controlPlane.kind === 'managed') {
    graph.steps.push(registerStep(planned, null))
    graph.steps.push(
      step({
        id: 'control-plane',
        after: ['register'],
        group: 'API',
        says: `order a managed control plane, tier ${intent.controlPlane.tier}`,
        command: command('controlplane.create', {
          site: site.name,
          cluster: intent.name,
          tier: intent.controlPlane.tier,
          release: release?.version ?? '',
        }),
        undo: command('controlplane.delete', { site: site.name, cluster: intent.name }),
        seconds: estimates.managedControlPlane,
      }),
    )
    graph.creates.push(ref('control-plane', site.name, intent.name))
    apiStep(graph, planned, ['control-plane'], null, from('control-plane', 'endpoint'))
  } else {
    const addresses = statics?.addresses ?? members.map(() => '')
    const floating = site.kind === 'hall' ? (addresses[0] ?? '') : ''
    const endpoint = site.kind === 'hall' ? `https://${floating}:6443` : null
    graph.steps.push(registerStep(planned, endpoint))
    const network = managementNetwork?.name ?? ''
    const held =
      site.kind === 'hall'
        ? addresses.map((address, i) => ({
            address,
            network,
            for: i === 0 ? `${intent.name} API` : (members[i - 1]?.name ?? `${intent.name} spare`),
          }))
        : []
    if (held.length) graph.steps.push(holdStep(planned, held))
    for (const { address } of held) {
      graph.reserves.push({ kind: 'address', site: site.name, what: address })
      graph.creates.push(ref('address', site.name, address))
    }
    const ready: StepId = held.length ? 'addresses' : 'register'
    const first = members[0]
    const temporary =
      intent.controlPlane.begins === 'temporary-machine' && first
        ? { ...first, name: `${intent.name}-begin`, again: 0 }
        : null
    if (temporary)
      apiStep(
        graph,
        planned,
        [machineSteps(graph, planned, temporary, [ready], null)],
        temporary.name,
        endpoint ?? from(`boot:${temporary.name}`, 'endpoint'),
      )
    const roles = tolerated(planned) ? ['control-plane'] : ['control-plane', 'worker']
    const membersJoined = members.map((member, i) => {
      const begins = i === 0 && !temporary
      const booted = machineSteps(
        graph,
        planned,
        member,
        begins ? [ready] : ['api'],
        held[i + 1]?.address ?? null,
      )
      if (begins)
        apiStep(graph, planned, [booted], member.name, endpoint ?? from(booted, 'endpoint'))
      return joinStep(
        graph,
        planned,
        { ...member, roles },
        member.name,
        begins ? ['api'] : ['api', booted],
      )
    })
    joined.push(...membersJoined)
    if (temporary) {
      graph.steps.push(
        step({
          id: 'leave:begin',
          after: membersJoined,
          group: temporary.name,
          says: 'leave the control plane to the machines that stay',
          command: command('member.leave', { cluster: intent.name, machine: temporary.name }),
          seconds: estimates.joinNode,
          retry: askRetry,
        }),
        step({
          id: 'delete:begin',
          after: ['leave:begin'],
          group: temporary.name,
          says: 'delete the temporary machine',
          command: command('machine.delete', { site: site.name, name: temporary.name }),
          seconds: estimates.deleteMachine,
        }),
      )
      joined.push('delete:begin')
    }
  }
  const outside = publicAddresses(planned, site, [...members, ...workers])
  if (outside.size > 0) {
    const network = site.networks.find((network) => network.role === 'frontage')?.name ?? ''
    graph.steps.push(
      step({
        id: 'public-addresses',
        after: ['register'],
        group: 'network',
        says: `hold ${countText(outside.size, 'address', 'addresses')} outside, one for each node`,
        command: command('address.hold', {
          site: site.name,
          cluster: intent.name,
          addresses: [...outside].map(([name, address]) => ({
            address,
            network,
            for: `${name} outside`,
          })),
        }),
        undo: command('address.release', { site: site.name, addresses: [...outside.values()] }),
        seconds: estimates.holdAddresses,
      }),
    )
    for (const address of outside.values()) {
      graph.reserves.push({ kind: 'address', site: site.name, what: address })
      graph.creates.push(ref('address', site.name, address))
    }
  }
  const staticWorkers = workerAddresses(planned, site, workers)
  if (staticWorkers.size > 0) {
    const network = planned.nodesNetwork?.name ?? ''
    graph.steps.push(
      step({
        id: 'worker-addresses',
        after: ['register'],
        group: 'network',
        says: `hold ${countText(staticWorkers.size, 'address', 'addresses')} for workers`,
        command: command('address.hold', {
          site: site.name,
          cluster: intent.name,
          addresses: [...staticWorkers].map(([name, address]) => ({
            address,
            network,
            for: name,
          })),
        }),
        undo: command('address.release', {
          site: site.name,
          addresses: [...staticWorkers.values()],
        }),
        seconds: estimates.holdAddresses,
      }),
    )
    for (const address of staticWorkers.values()) {
      graph.reserves.push({ kind: 'address', site: site.name, what: address })
      graph.creates.push(ref('address', site.name, address))
    }
  }
  for (const worker of workers) {
    const booted = machineSteps(
      graph,
      planned,
      worker,
      ['api'],
      staticWorkers.get(worker.name) ?? null,
    )
    joined.push(joinStep(graph, planned, { ...worker, roles: ['worker'] }, worker.name, [booted]))
  }
  const pools = [
    ...new Set([...(tolerated(planned) ? [] : members), ...workers].map((machine) => machine.pool)),
  ]
  closingSteps(graph, planned, joined, pools)
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
