/**
 * The step graph of raising a cluster:
 * register → addresses → first control-plane machine → API answers → other control-plane machines and workers,
 * in parallel → add-ons → tokens revoked → DNS asked and a pod tried on each pool.
 */
import { longestPath, type Plan, ref, type Step, type StepId } from '../changes'
import { clusterRanges, formatAddress, parseCidr } from '../addresses'
import type { Reservation, SiteView } from '../fleet'
import { siteSpend } from '../spend'
import { boxAddress, cardNetwork } from './checks/box'
import { controlPlanePool, type Planned, type PlannedMachine } from './planned'
import { estimates, from, step } from './steps'
import { askRetry } from './steps'

interface Graph {
  readonly steps: Step[]
  readonly reserves: Reservation[]
  readonly creates: string[]
}

const tolerated = (planned: Planned): boolean => planned.intent.controlPlane.kind === 'own' && !planned.intent.controlPlane.alsoWorkers

function registerStep(planned: Planned, endpoint: string | null): Step {
  const { intent, release } = planned
  const args = {
    name: intent.name,
    site: intent.site,
    guarded: intent.guarded,
    labels: intent.labels,
    release: release?.version ?? intent.release,
    controlPlane: intent.controlPlane,
    pools: [
      ...(intent.controlPlane.kind === 'own' ? [{ name: controlPlanePool, size: planned.machines.find((m) => m.role === 'control-plane')?.size ?? planned.intent.machines[0]?.machine ?? '', lifetime: 'on-demand', range: null, taints: tolerated(planned) ? [{ key: 'node-role.kubernetes.io/control-plane', value: '', effect: 'NoSchedule' }] : [] }] : []),
      ...intent.pools.map((pool) => ({ name: pool.name, size: pool.size, lifetime: pool.lifetime, range: pool.range ?? null, taints: pool.taints })),
    ],
    pods: intent.ranges.pods,
    services: intent.ranges.services,
    maxPodsPerNode: intent.ranges.maxPodsPerNode,
    endpoint,
  }
  return step({
    id: 'register',
    after: [],
    group: 'register',
    says: `enter ${intent.name} and its ranges in the register`,
    command: { port: 'ledger', verb: 'cluster.enter', args },
    undo: { port: 'ledger', verb: 'cluster.strike', args: { name: intent.name } },
    seconds: estimates.ledger,
  })
}

/** Addresses of the API service and of DNS inside the cluster. */
function serviceAddresses(planned: Planned): { readonly api: string; readonly dns: string } {
  const { pods, services, maxPodsPerNode } = planned.intent.ranges
  const podRange = parseCidr(pods)
  const serviceRange = parseCidr(services)
  const holds = podRange.ok && serviceRange.ok ? clusterRanges(podRange.value, maxPodsPerNode, serviceRange.value) : null
  if (holds?.ok) return { api: holds.value.apiAddress ?? '', dns: holds.value.dnsAddress ?? '' }
  const first = serviceRange.ok ? formatAddress({ family: serviceRange.value.family, value: serviceRange.value.first + 1n }) : ''
  return { api: first, dns: first }
}

const joinArgs = (planned: Planned, machine: { name: string; pool: string; zone: string; roles: readonly string[] }, machineName: string) => {
  const pool = planned.intent.pools.find((other) => other.name === machine.pool)
  return {
    cluster: planned.intent.name,
    site: planned.intent.site,
    machine: machineName,
    node: machine.name,
    pool: machine.pool,
    zone: machine.zone,
    roles: machine.roles,
    labels: pool?.labels ?? {},
    taints: machine.pool === controlPlanePool && tolerated(planned) ? [{ key: 'node-role.kubernetes.io/control-plane', value: '', effect: 'NoSchedule' }] : (pool?.taints ?? []),
  }
}

/** Create and boot one machine; returns the id of the last step. */
function machineSteps(graph: Graph, planned: Planned, machine: PlannedMachine, after: readonly StepId[], address: string | null): StepId {
  const { intent, site, release } = planned
  const hall = site?.kind === 'hall'
  const create = `create:${machine.name}`
  const boot = `boot:${machine.name}`
  const network = machine.role === 'control-plane' && hall ? planned.managementNetwork?.name : hall ? planned.nodesNetwork?.name : undefined
  graph.steps.push(
    step({
      id: create,
      after,
      group: machine.name,
      says: hall ? 'place on a host, clone the disk' : `create in ${machine.zone}`,
      command: {
        port: 'site',
        verb: 'machine.create',
        args: {
          site: intent.site,
          name: machine.name,
          zone: machine.zone,
          size: machine.size,
          release: release?.version ?? '',
          rootDiskGb: machine.rootDiskGb,
          lifetime: machine.lifetime,
          cluster: intent.name,
          apart: machine.role === 'control-plane' ? intent.name : null,
          network: network ?? null,
          address,
        },
      },
      undo: { port: 'site', verb: 'machine.delete', args: { site: intent.site, name: machine.name } },
      seconds: hall ? estimates.createInHall : estimates.createInCloud,
    }),
    step({
      id: boot,
      after: [create],
      group: machine.name,
      says: 'power on, first boot, runtime and agent',
      command: { port: 'site', verb: 'machine.boot', args: { site: intent.site, name: machine.name } },
      undo: { port: 'site', verb: 'machine.stop', args: { site: intent.site, name: machine.name } },
      seconds: hall ? estimates.bootInHall : estimates.bootInCloud,
    }),
  )
  graph.reserves.push({ kind: 'machine', site: intent.site, zone: machine.zone, what: machine.name, cores: machine.offered?.cores ?? 0, memoryBytes: machine.offered?.memoryBytes ?? 0 })
  graph.creates.push(ref('machine', intent.site, machine.name), ref('disk', intent.site, `${machine.name}-root`), ref('node', intent.name, machine.name))
  return boot
}

function joinStep(graph: Graph, planned: Planned, machine: { name: string; pool: string; zone: string; roles: readonly string[] }, machineName: string, after: readonly StepId[]): StepId {
  const id = `join:${machine.name}`
  const member = machine.roles.includes('control-plane')
  graph.steps.push(
    step({
      id,
      after,
      group: machine.name,
      says: member ? 'join the control plane, become ready' : 'join, become ready',
      command: { port: 'cluster', verb: 'node.join', args: joinArgs(planned, machine, machineName) },
      undo: { port: 'cluster', verb: 'node.remove', args: { cluster: planned.intent.name, node: machine.name } },
      seconds: member ? estimates.joinControlPlane : estimates.joinNode,
      retry: askRetry,
    }),
  )
  return id
}

function apiStep(graph: Graph, planned: Planned, after: readonly StepId[], machine: string | null, endpoint: unknown): void {
  const { intent, release } = planned
  const inside = serviceAddresses(planned)
  graph.steps.push(
    step({
      id: 'api',
      after,
      group: 'API',
      says: 'start the control plane, API answers',
      command: {
        port: 'cluster',
        verb: 'api.start',
        args: { cluster: intent.name, site: intent.site, release: release?.version ?? '', machine, managed: intent.controlPlane.kind === 'managed', endpoint, pods: intent.ranges.pods, services: intent.ranges.services, apiAddress: inside.api, dnsAddress: inside.dns, maxPodsPerNode: intent.ranges.maxPodsPerNode },
      },
      undo: { port: 'cluster', verb: 'api.stop', args: { cluster: intent.name } },
      seconds: estimates.startApi,
      retry: askRetry,
    }),
  )
}

/** Everything after the nodes have joined. */
function closingSteps(graph: Graph, planned: Planned, joined: readonly StepId[], pools: readonly string[]): void {
  const { intent } = planned
  const add = (id: string, after: readonly StepId[], group: string, says: string, verb: string, args: Readonly<Record<string, unknown>>, seconds: Step['seconds']): void => {
    graph.steps.push(step({ id, after, group, says, command: { port: 'cluster', verb, args: { cluster: intent.name, ...args } }, seconds, retry: askRetry }))
  }
  add('add-ons', joined, 'add-ons', 'DNS, ingress, policy webhook, metrics, log shipping', 'addons.place', {}, estimates.addOns)
  add('tidy', ['add-ons'], 'add-ons', 'revoke join tokens', 'tokens.revoke', {}, estimates.revokeTokens)
  add('dns', ['add-ons'], 'proof', 'ask the cluster’s DNS', 'dns.ask', {}, estimates.askDns)
  for (const pool of pools) add(`try:${pool}`, ['add-ons'], 'proof', `run a pod on ${pool}`, 'pod.try', { pool }, estimates.tryPod)
}

function holdStep(planned: Planned, addresses: readonly { address: string; network: string; for: string }[]): Step {
  const { intent } = planned
  return step({
    id: 'addresses',
    after: ['register'],
    group: 'network',
    says: `hold ${addresses.length === 1 ? (addresses[0]?.address ?? '') : `${addresses.length} addresses from ${addresses[0]?.address ?? ''}`}`,
    command: { port: 'site', verb: 'address.hold', args: { site: intent.site, cluster: intent.name, addresses } },
    undo: { port: 'site', verb: 'address.release', args: { site: intent.site, addresses: addresses.map((held) => held.address) } },
    seconds: estimates.holdAddresses,
  })
}

function raiseOnBoxes(graph: Graph, planned: Planned, site: SiteView): void {
  const { intent, release } = planned
  const used = intent.machines.flatMap((machine) => {
    const box = site.boxes.find((other) => other.name === machine.machine)
    const address = box ? boxAddress(site, box, machine, planned) : null
    return box && address !== null ? [{ machine, box, address, network: cardNetwork(site, box, machine)?.name ?? '' }] : []
  })
  const endpoint = `https://${used[0]?.address ?? ''}:6443`
  graph.steps.push(registerStep(planned, endpoint))
  const held = used.map(({ machine, address, network }) => ({ address, network, for: machine.nodeName }))
  graph.steps.push(holdStep(planned, held))
  for (const { address } of held) {
    graph.reserves.push({ kind: 'address', site: site.name, what: address })
    graph.creates.push(ref('address', site.name, address))
  }
  const booted = used.map(({ machine, box, address, network }) => {
    const install = `install:${box.name}`
    const boot = `boot:${box.name}`
    const disk = machine.disk ?? box.disks[0]?.identifier ?? ''
    graph.steps.push(
      step({
        id: install,
        after: ['addresses'],
        group: machine.nodeName,
        says: `install ${release?.baseImage ?? ''} ${release?.version ?? ''} on ${disk.split('/').pop() ?? disk}`,
        command: { port: 'site', verb: 'box.install', args: { site: site.name, name: box.name, cluster: intent.name, release: release?.version ?? '', disk, wipe: machine.wipe ?? null, card: machine.card ?? box.cards[0]?.name ?? '', address, network } },
        undo: { port: 'site', verb: 'box.clear', args: { site: site.name, name: box.name } },
        seconds: estimates.installBox,
      }),
      step({ id: boot, after: [install], group: machine.nodeName, says: 'restart from disk, first boot, runtime and agent', command: { port: 'site', verb: 'machine.boot', args: { site: site.name, name: box.name } }, undo: { port: 'site', verb: 'machine.stop', args: { site: site.name, name: box.name } }, seconds: estimates.bootBox }),
    )
    graph.reserves.push({ kind: 'machine', site: site.name, zone: box.zone, what: box.name, cores: box.cores, memoryBytes: box.memoryBytes })
    graph.creates.push(ref('node', intent.name, machine.nodeName))
    return { machine, box, boot }
  })
  const first = booted.find(({ machine }) => machine.roles.includes('control-plane'))
  apiStep(graph, planned, first ? [first.boot] : [], first?.box.name ?? null, endpoint)
  const pool = (roles: readonly string[]): string => (roles.includes('control-plane') ? controlPlanePool : 'worker')
  const joined = booted.map(({ machine, box, boot }) =>
    joinStep(graph, planned, { name: machine.nodeName, pool: pool(machine.roles), zone: box.zone, roles: machine.roles }, box.name, ['api', boot]),
  )
  closingSteps(graph, planned, joined, [...new Set(booted.filter(({ machine }) => machine.roles.includes('worker')).map(({ machine }) => pool(machine.roles)))])
}

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
        command: { port: 'site', verb: 'controlplane.create', args: { site: site.name, cluster: intent.name, tier: intent.controlPlane.tier, release: release?.version ?? '' } },
        undo: { port: 'site', verb: 'controlplane.delete', args: { site: site.name, cluster: intent.name } },
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
    const held = site.kind === 'hall' ? addresses.map((address, i) => ({ address, network, for: i === 0 ? `${intent.name} API` : (members[i - 1]?.name ?? `${intent.name} spare`) })) : []
    if (held.length) graph.steps.push(holdStep(planned, held))
    for (const { address } of held) {
      graph.reserves.push({ kind: 'address', site: site.name, what: address })
      graph.creates.push(ref('address', site.name, address))
    }
    const ready: StepId = held.length ? 'addresses' : 'register'
    members.forEach((member, i) => {
      const booted = machineSteps(graph, planned, member, i === 0 ? [ready] : ['api'], held[i + 1]?.address ?? null)
      if (i === 0) apiStep(graph, planned, [booted], member.name, endpoint ?? from(booted, 'endpoint'))
      const roles = tolerated(planned) ? ['control-plane'] : ['control-plane', 'worker']
      joined.push(joinStep(graph, planned, { ...member, roles }, member.name, i === 0 ? ['api'] : ['api', booted]))
    })
  }
  for (const worker of workers) {
    const booted = machineSteps(graph, planned, worker, ['api'], null)
    joined.push(joinStep(graph, planned, { ...worker, roles: ['worker'] }, worker.name, [booted]))
  }
  const pools = [...new Set([...(tolerated(planned) ? [] : members), ...workers].map((machine) => machine.pool))]
  closingSteps(graph, planned, joined, pools)
}

/** The site as it will be once the draft has run, as far as it costs anything. */
function siteAfter(site: SiteView, planned: Planned): SiteView {
  const { intent, machines } = planned
  const boxes = intent.machines.flatMap((machine) => site.boxes.find((box) => box.name === machine.machine) ?? [])
  return {
    ...site,
    machines: [
      ...site.machines,
      ...machines.map((machine) => ({ name: machine.name, zone: machine.zone, host: null, size: machine.size, cores: machine.offered?.cores ?? 0, memoryBytes: 0, diskGb: machine.rootDiskGb, lifetime: machine.lifetime, power: 'on' as const, address: null, cluster: intent.name })),
      ...boxes.map((box) => ({ name: box.name, zone: box.zone, host: box.name, size: box.name, cores: box.cores, memoryBytes: box.memoryBytes, diskGb: 0, lifetime: 'on-demand' as const, power: 'on' as const, address: null, cluster: intent.name })),
    ],
    disks: [...site.disks, ...machines.map((machine) => ({ name: `${machine.name}-root`, sizeGb: machine.rootDiskGb, machine: machine.name, cluster: intent.name }))],
    controlPlanes: intent.controlPlane.kind === 'managed' ? [...site.controlPlanes, { cluster: intent.name, tier: intent.controlPlane.tier, release: '', address: '' }] : site.controlPlanes,
  }
}

/** The plan of a draft without a stop. The site must be known. */
export function raisePlan(planned: Planned): Plan {
  const { intent, site } = planned
  const graph: Graph = { steps: [], reserves: [{ kind: 'name', site: intent.site, what: intent.name }], creates: [ref('cluster', intent.name)] }
  if (!site) throw new Error('a plan is made only for a draft whose site is known')
  graph.reserves.push(
    { kind: 'range', site: site.name, domain: site.domain, what: intent.ranges.pods },
    { kind: 'range', site: site.name, domain: site.domain, what: intent.ranges.services },
  )
  if (site.kind === 'edge') raiseOnBoxes(graph, planned, site)
  else raiseOnMachines(graph, planned, site)
  return {
    steps: graph.steps,
    creates: graph.creates,
    alters: site.kind === 'edge' ? intent.machines.map((machine) => ref('machine', site.name, machine.machine)) : [],
    removes: [],
    ...longestPath(graph.steps),
    spend: { before: siteSpend(site).perMonth, after: siteSpend(siteAfter(site, planned)).perMonth },
    reserves: graph.reserves,
  }
}
