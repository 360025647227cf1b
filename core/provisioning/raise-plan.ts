/**
 * The step graph of raising a cluster:
 * register → addresses → first control-plane machine → API answers → other control-plane machines and workers,
 * in parallel → add-ons → tokens revoked → DNS asked and a pod tried on each pool.
 */
import { longestPath, type Plan, ref, type Step, type StepId } from '../changes'
import { clusterRanges, formatAddress, parseCidr, parseRange } from '../addresses'
import type { Reservation, SiteView } from '../fleet'
import { siteSpend } from '../spend'
import { boxAddress, cardNetwork } from './checks/box'
import { bootOfBox, bootOfMachine, type BootOf } from './boot-plan'
import { joinsBy } from './join'
import { controlPlanePool, type Planned, type PlannedMachine, reservationsAt, tolerated } from './planned'
import { lowestFree, takenIn } from './static-addresses'
import { estimates, from, step } from './steps'
import { askRetry } from './steps'

export interface Graph {
  readonly steps: Step[]
  readonly reserves: Reservation[]
  readonly creates: string[]
}

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
    ...(planned.intent.services?.timeServers ? { timeServers: planned.intent.services.timeServers } : {}),
    taints: machine.pool === controlPlanePool && tolerated(planned) ? [{ key: 'node-role.kubernetes.io/control-plane', value: '', effect: 'NoSchedule' }] : (pool?.taints ?? []),
  }
}

/** What the boot step tells the site of a machine’s boot data: how much arrives, and what it must turn out to be. */
const bootArgs = (boot: BootOf) => ({ handed: boot.handed.handed, bytes: boot.handed.bytes, lines: boot.handed.lines, digest: boot.handed.digest, instance: boot.wish.instance })

/** Boot data that is too large for its field is put on the boot server first; returns what the boot waits for. */
function publishStep(graph: Graph, planned: Planned, boot: BootOf, after: readonly StepId[]): readonly StepId[] {
  if (boot.handed.handed === 'inline') return []
  const id = `publish:${boot.machine}${boot.wish.instance.endsWith('-1') ? '' : `@${boot.wish.instance.split('-').pop() ?? ''}`}`
  const name = `${planned.intent.name}/${boot.machine}/user-data`
  graph.steps.push(
    step({
      id,
      after,
      group: boot.machine,
      says: `publish ${boot.handed.fullBytes} bytes of boot data, hand over a pointer`,
      command: { port: 'site', verb: 'bootdata.publish', args: { site: planned.intent.site, cluster: planned.intent.name, name, bytes: boot.handed.fullBytes, digest: boot.handed.digest } },
      undo: { port: 'site', verb: 'bootdata.withdraw', args: { site: planned.intent.site, names: [name] } },
      seconds: estimates.publishBootData,
    }),
  )
  return [id]
}

/** Names that the boot step hands on, as the machine will use them. */
const surroundings = (planned: Planned) => ({ nameServers: planned.intent.services?.nameServers ?? [], timeServers: planned.intent.services?.timeServers ?? [] })

/** Create and boot one machine; returns the id of the last step. */
export function machineSteps(graph: Graph, planned: Planned, machine: PlannedMachine, after: readonly StepId[], address: string | null): StepId {
  const { intent, site, release } = planned
  const hall = site?.kind === 'hall'
  const suffix = machine.again === 0 ? '' : `@${machine.again}`
  const create = `create:${machine.name}${suffix}`
  const boot = `boot:${machine.name}${suffix}`
  if (machine.again > 0) {
    // What was made before and turned out bad goes first; those steps are taken back by this one.
    const before = Array.from({ length: machine.again }, (_, i) => (i === 0 ? '' : `@${i}`))
    graph.steps.push(
      step({
        id: `discard:${machine.name}${suffix}`,
        after,
        group: machine.name,
        says: 'discard the machine that would not run',
        command: { port: 'site', verb: 'machine.delete', args: { site: intent.site, name: machine.name } },
        replaces: before.flatMap((was) => [`create:${machine.name}${was}`, `boot:${machine.name}${was}`, `publish:${machine.name}${was}`, `discard:${machine.name}${was}`]),
        seconds: estimates.deleteMachine,
      }),
    )
  }
  const made = site ? bootOfMachine(planned, site, machine, address) : null
  const network = machine.role === 'control-plane' && hall ? planned.managementNetwork?.name : hall ? planned.nodesNetwork?.name : undefined
  graph.steps.push(
    step({
      id: create,
      after: machine.again > 0 ? [`discard:${machine.name}${suffix}`] : after,
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
  )
  const published = made ? publishStep(graph, planned, made, [create]) : []
  graph.steps.push(
    step({
      id: boot,
      after: [create, ...published],
      group: machine.name,
      says: 'power on, first boot, runtime and agent',
      command: { port: 'site', verb: 'machine.boot', args: { site: intent.site, name: machine.name, ...(made ? { bootData: bootArgs(made) } : {}), ...surroundings(planned) } },
      undo: { port: 'site', verb: 'machine.stop', args: { site: intent.site, name: machine.name } },
      seconds: hall ? estimates.bootInHall : estimates.bootInCloud,
    }),
  )
  graph.reserves.push({ kind: 'machine', site: intent.site, zone: machine.zone, what: machine.name, cores: machine.offered?.cores ?? 0, memoryBytes: machine.offered?.memoryBytes ?? 0 })
  graph.creates.push(ref('machine', intent.site, machine.name), ref('disk', intent.site, `${machine.name}-root`), ref('node', intent.name, machine.name))
  return boot
}

export function joinStep(graph: Graph, planned: Planned, machine: { name: string; pool: string; zone: string; roles: readonly string[] }, machineName: string, after: readonly StepId[]): StepId {
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
  if (intent.storageClass) add('storage', ['add-ons'], 'add-ons', `make ${intent.storageClass} the storage class`, 'storage.class', { name: intent.storageClass, zones: planned.site?.storageClasses.find((one) => one.name === intent.storageClass)?.zones ?? [] }, estimates.ledger)
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
  const booted = used.map(({ machine, box, address, network }, i) => {
    const made = bootOfBox(planned, site, box, i)
    if (joinsBy(machine, box) === 'script') return { machine, box, boot: callSteps(graph, planned, machine, box, address, network) }
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
      step({ id: boot, after: [install], group: machine.nodeName, says: 'restart from disk, first boot, runtime and agent', command: { port: 'site', verb: 'machine.boot', args: { site: site.name, name: box.name, ...(made ? { bootData: bootArgs(made) } : {}), ...surroundings(planned) } }, undo: { port: 'site', verb: 'machine.stop', args: { site: site.name, name: box.name } }, seconds: estimates.bootBox }),
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

/** A machine that somebody runs the join script on: its call is waited for, then it is taken into use as it stands. */
function callSteps(graph: Graph, planned: Planned, machine: Planned['intent']['machines'][number], box: SiteView['boxes'][number], address: string, network: string): StepId {
  const { intent } = planned
  const call = `call:${box.name}`
  const take = `take:${box.name}`
  graph.steps.push(
    step({
      id: call,
      after: ['register'],
      group: machine.nodeName,
      says: `wait for the call of ${box.name}: run its join script there`,
      command: { port: 'ledger', verb: 'join.await', args: { cluster: intent.name, site: intent.site, machine: box.name, node: machine.nodeName, card: machine.card ?? box.cards[0]?.name ?? '', address } },
      undo: { port: 'ledger', verb: 'join.forget', args: { cluster: intent.name, machine: box.name } },
      seconds: estimates.awaitCall,
      retry: { attempts: 1, firstSeconds: 10, mostSeconds: 10 },
    }),
    step({
      id: take,
      after: [call, 'addresses'],
      group: machine.nodeName,
      says: 'take it into use: agent set up for the cluster',
      command: { port: 'site', verb: 'box.take', args: { site: intent.site, name: box.name, cluster: intent.name, release: planned.release?.version ?? '', card: machine.card ?? box.cards[0]?.name ?? '', address, network } },
      undo: { port: 'site', verb: 'box.clear', args: { site: intent.site, name: box.name } },
      seconds: estimates.takeBox,
    }),
  )
  graph.reserves.push({ kind: 'machine', site: intent.site, zone: box.zone, what: box.name })
  graph.creates.push(ref('node', intent.name, machine.nodeName))
  return take
}

/** Virtual addresses held for the cluster, and a balancer on the first of them. Returns what the closing steps wait for. */
function frontSteps(graph: Graph, planned: Planned, site: SiteView, after: readonly StepId[]): void {
  const { intent } = planned
  const virtual = virtualAddresses(planned, site)
  const first = virtual[0]
  if (first === undefined) return
  const network = frontNetwork(planned, site)?.name ?? ''
  const name = `${intent.name}-ingress`
  graph.steps.push(
    step({
      id: 'virtual',
      after: ['register'],
      group: 'front',
      says: `hold ${virtual.length === 1 ? first : `${virtual.length} virtual addresses from ${first}`}`,
      command: { port: 'site', verb: 'address.hold', args: { site: site.name, cluster: intent.name, how: 'virtual', addresses: virtual.map((address) => ({ address, network, for: `${intent.name} virtual` })) } },
      undo: { port: 'site', verb: 'address.release', args: { site: site.name, addresses: virtual } },
      seconds: estimates.holdAddresses,
    }),
    step({
      id: 'balancer',
      after: ['virtual', ...after],
      group: 'front',
      says: `put ingress behind ${first}:443`,
      command: { port: 'site', verb: 'balancer.create', args: { site: site.name, cluster: intent.name, name, address: first, port: 443, service: 'platform/ingress' } },
      undo: { port: 'site', verb: 'balancer.delete', args: { site: site.name, name } },
      seconds: estimates.balancer,
    }),
    step({
      id: 'front',
      after: ['balancer', 'add-ons'],
      group: 'proof',
      says: `connect to ${first}:443 from outside`,
      command: { port: 'site', verb: 'front.try', args: { site: site.name, cluster: intent.name, name, nodes: planned.nodesNetwork?.name ?? '' } },
      seconds: estimates.askDns,
      retry: askRetry,
    }),
  )
  for (const address of virtual) {
    graph.reserves.push({ kind: 'address', site: site.name, what: address })
    graph.creates.push(ref('address', site.name, address))
  }
  graph.creates.push(ref('balancer', site.name, name))
}

const frontNetwork = (planned: Planned, site: SiteView) => site.networks.find((other) => (planned.intent.networks.frontage === undefined ? other.role === 'frontage' : other.name === planned.intent.networks.frontage))

/** The virtual addresses of a draft: those asked for; in a cloud, its lowest free one where a front is wanted. */
function virtualAddresses(planned: Planned, site: SiteView): readonly string[] {
  const { virtualAddresses: wish, frontage } = planned.intent.networks
  const range = wish === undefined || wish === '' ? null : parseRange(wish)
  if (range?.ok) return Array.from({ length: Number(range.value.last - range.value.first + 1n) }, (_, i) => formatAddress({ family: range.value.family, value: range.value.first + BigInt(i) })).slice(0, 256)
  const network = frontNetwork(planned, site)
  if (site.kind !== 'cloud' || frontage === undefined || !network) return []
  return lowestFree(network, takenIn(network, site, reservationsAt(planned.view, site.name)), 1)
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
    const first = members[0]
    const temporary = intent.controlPlane.begins === 'temporary-machine' && first ? { ...first, name: `${intent.name}-begin`, again: 0 } : null
    if (temporary) apiStep(graph, planned, [machineSteps(graph, planned, temporary, [ready], null)], temporary.name, endpoint ?? from(`boot:${temporary.name}`, 'endpoint'))
    const roles = tolerated(planned) ? ['control-plane'] : ['control-plane', 'worker']
    const membersJoined = members.map((member, i) => {
      const begins = i === 0 && !temporary
      const booted = machineSteps(graph, planned, member, begins ? [ready] : ['api'], held[i + 1]?.address ?? null)
      if (begins) apiStep(graph, planned, [booted], member.name, endpoint ?? from(booted, 'endpoint'))
      return joinStep(graph, planned, { ...member, roles }, member.name, begins ? ['api'] : ['api', booted])
    })
    joined.push(...membersJoined)
    if (temporary) {
      graph.steps.push(
        step({
          id: 'leave:begin',
          after: membersJoined,
          group: temporary.name,
          says: 'leave the control plane to the machines that stay',
          command: { port: 'cluster', verb: 'member.leave', args: { cluster: intent.name, machine: temporary.name } },
          seconds: estimates.joinNode,
          retry: askRetry,
        }),
        step({ id: 'delete:begin', after: ['leave:begin'], group: temporary.name, says: 'delete the temporary machine', command: { port: 'site', verb: 'machine.delete', args: { site: site.name, name: temporary.name } }, seconds: estimates.deleteMachine }),
      )
      joined.push('delete:begin')
    }
  }
  const outside = publicAddresses(planned, site, [...members, ...workers])
  if (outside.size > 0) {
    const network = site.networks.find((other) => other.role === 'frontage')?.name ?? ''
    graph.steps.push(
      step({
        id: 'public-addresses',
        after: ['register'],
        group: 'network',
        says: `hold ${outside.size} addresses outside, one for each node`,
        command: { port: 'site', verb: 'address.hold', args: { site: site.name, cluster: intent.name, addresses: [...outside].map(([name, address]) => ({ address, network, for: `${name} outside` })) } },
        undo: { port: 'site', verb: 'address.release', args: { site: site.name, addresses: [...outside.values()] } },
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
        says: `hold ${staticWorkers.size} addresses for workers`,
        command: { port: 'site', verb: 'address.hold', args: { site: site.name, cluster: intent.name, addresses: [...staticWorkers].map(([name, address]) => ({ address, network, for: name })) } },
        undo: { port: 'site', verb: 'address.release', args: { site: site.name, addresses: [...staticWorkers.values()] } },
        seconds: estimates.holdAddresses,
      }),
    )
    for (const address of staticWorkers.values()) {
      graph.reserves.push({ kind: 'address', site: site.name, what: address })
      graph.creates.push(ref('address', site.name, address))
    }
  }
  for (const worker of workers) {
    const booted = machineSteps(graph, planned, worker, ['api'], staticWorkers.get(worker.name) ?? null)
    joined.push(joinStep(graph, planned, { ...worker, roles: ['worker'] }, worker.name, [booted]))
  }
  const pools = [...new Set([...(tolerated(planned) ? [] : members), ...workers].map((machine) => machine.pool))]
  closingSteps(graph, planned, joined, pools)
  frontSteps(graph, planned, site, joined)
}

/** Addresses outside for the nodes of a cloud, where the draft wants them: the lowest free virtual ones. */
function publicAddresses(planned: Planned, site: SiteView, machines: readonly PlannedMachine[]): ReadonlyMap<string, string> {
  const network = site.networks.find((other) => other.role === 'frontage')
  if (site.kind !== 'cloud' || planned.intent.networks.nodeAddresses !== 'public' || !network) return new Map()
  const free = lowestFree(network, takenIn(network, site, reservationsAt(planned.view, site.name)), machines.length + 1)
  // The first is left to what comes in.
  return new Map(machines.flatMap((machine, i): [string, string][] => (free[i + 1] === undefined ? [] : [[machine.name, free[i + 1] ?? '']])))
}

/** Static addresses for a hall’s workers, where the draft wants them: the lowest free ones of the node network. */
function workerAddresses(planned: Planned, site: SiteView, workers: readonly PlannedMachine[]): ReadonlyMap<string, string> {
  const network = planned.nodesNetwork
  if (site.kind !== 'hall' || planned.intent.networks.addressing !== 'static' || !network) return new Map()
  const free = lowestFree(network, takenIn(network, site, reservationsAt(planned.view, site.name)), workers.length)
  return new Map(workers.flatMap((worker, i): [string, string][] => (free[i] === undefined ? [] : [[worker.name, free[i]]])))
}

/** The site as it will be once the draft has run, as far as it costs anything. */
export function siteAfter(site: SiteView, planned: Planned): SiteView {
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
  if (site.kind === 'edge' || intent.machines.length > 0) raiseOnBoxes(graph, planned, site)
  else raiseOnMachines(graph, planned, site)
  return {
    steps: graph.steps,
    creates: graph.creates,
    alters: intent.machines.length > 0 ? intent.machines.map((machine) => ref('machine', site.name, machine.machine)) : [],
    removes: [],
    ...longestPath(graph.steps),
    spend: { before: siteSpend(site).perMonth, after: siteSpend(siteAfter(site, planned)).perMonth },
    reserves: graph.reserves,
  }
}
