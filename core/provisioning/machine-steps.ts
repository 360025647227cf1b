/** Steps for one machine: made, handed its boot data, booted, joined; shared by a raise and by what is added to a cluster that stands. */
import { command } from '../contract'
import { ref, type Step, type StepId } from '../changes'
import type { Reservation } from '../fleet'
import { bootOfMachine, type BootOf } from './boot-plan'
import { controlPlanePool, controlPlaneTaints, type Planned, type PlannedMachine } from './planned'
import { askRetry, estimates, step } from './steps'

export interface Graph {
  readonly steps: Step[]
  readonly reserves: Reservation[]
  readonly creates: string[]
}

const joinArgs = (
  planned: Planned,
  machine: { name: string; pool: string; zone: string; roles: readonly string[] },
  machineName: string,
) => {
  const pool = planned.intent.pools.find((pool) => pool.name === machine.pool)
  return {
    cluster: planned.intent.name,
    site: planned.intent.site,
    machine: machineName,
    node: machine.name,
    pool: machine.pool,
    zone: machine.zone,
    roles: machine.roles,
    labels: pool?.labels ?? {},
    ...(planned.intent.services?.timeServers
      ? { timeServers: planned.intent.services.timeServers }
      : {}),
    taints: machine.pool === controlPlanePool ? controlPlaneTaints(planned) : (pool?.taints ?? []),
  }
}

/** What the boot step tells the site of a machine’s boot data: how much arrives, and what it must turn out to be. */
export const bootArgs = (boot: BootOf) => ({
  handed: boot.handed.handed,
  bytes: boot.handed.bytes,
  lines: boot.handed.lines,
  digest: boot.handed.digest,
  instance: boot.wish.instance,
})

/** Boot data that is too large for its field is put on the boot server first; returns what the boot waits for. */
function publishStep(
  graph: Graph,
  planned: Planned,
  boot: BootOf,
  after: readonly StepId[],
): readonly StepId[] {
  if (boot.handed.handed === 'inline') return []
  const id = `publish:${boot.machine}${boot.wish.instance.endsWith('-1') ? '' : `@${boot.wish.instance.split('-').pop() ?? ''}`}`
  const name = `${planned.intent.name}/${boot.machine}/user-data`
  graph.steps.push(
    step({
      id,
      after,
      group: boot.machine,
      says: `publish ${boot.handed.fullBytes} bytes of boot data, hand over a pointer`,
      command: command('bootdata.publish', {
        site: planned.intent.site,
        cluster: planned.intent.name,
        name,
        bytes: boot.handed.fullBytes,
        digest: boot.handed.digest,
      }),
      undo: command('bootdata.withdraw', { site: planned.intent.site, names: [name] }),
      seconds: estimates.publishBootData,
    }),
  )
  return [id]
}

/** Names that the boot step hands on, as the machine will use them. */
export const surroundings = (planned: Planned) => ({
  nameServers: planned.intent.services?.nameServers ?? [],
  timeServers: planned.intent.services?.timeServers ?? [],
})

/** What was made before and turned out bad goes first; those steps are taken back by this one. */
function discardStep({ intent }: Planned, machine: PlannedMachine, after: readonly StepId[]): Step {
  const earlier = Array.from({ length: machine.again }, (_, i) => suffixOf(i))
  return step({
    id: `discard:${machine.name}${suffixOf(machine.again)}`,
    after,
    group: machine.name,
    says: 'discard the machine that would not run',
    command: command('machine.delete', { site: intent.site, name: machine.name }),
    replaces: earlier.flatMap((suffix) =>
      ['create', 'boot', 'publish', 'discard'].map((what) => `${what}:${machine.name}${suffix}`),
    ),
    seconds: estimates.deleteMachine,
  })
}

/** What tells the steps of a machine made again from those before. */
const suffixOf = (again: number): string => (again === 0 ? '' : `@${again}`)

/** The network a machine of a hall is put on; a cloud chooses by itself. */
function networkOf(planned: Planned, machine: PlannedMachine): string | null {
  if (planned.site?.kind !== 'hall') return null
  const network =
    machine.role === 'control-plane' ? planned.managementNetwork : planned.nodesNetwork
  return network?.name ?? null
}

function createStep(
  planned: Planned,
  machine: PlannedMachine,
  after: readonly StepId[],
  address: string | null,
): Step {
  const { intent, site, release } = planned
  const isHall = site?.kind === 'hall'
  return step({
    id: `create:${machine.name}${suffixOf(machine.again)}`,
    after,
    group: machine.name,
    says: isHall ? 'place on a host, clone the disk' : `create in ${machine.zone}`,
    command: command('machine.create', {
      site: intent.site,
      name: machine.name,
      zone: machine.zone,
      size: machine.size,
      release: release?.version ?? '',
      rootDiskGb: machine.rootDiskGb,
      lifetime: machine.lifetime,
      cluster: intent.name,
      apart: machine.role === 'control-plane' ? intent.name : null,
      network: networkOf(planned, machine),
      address,
    }),
    undo: command('machine.delete', { site: intent.site, name: machine.name }),
    seconds: isHall ? estimates.createInHall : estimates.createInCloud,
  })
}

/** Create and boot one machine; returns the id of the last step. */
export function machineSteps(
  graph: Graph,
  planned: Planned,
  machine: PlannedMachine,
  after: readonly StepId[],
  address: string | null,
): StepId {
  const { intent, site } = planned
  const discard = machine.again > 0 ? discardStep(planned, machine, after) : null
  if (discard) graph.steps.push(discard)
  const create = createStep(planned, machine, discard ? [discard.id] : after, address)
  graph.steps.push(create)
  const made = site ? bootOfMachine(planned, site, machine, address) : null
  const published = made ? publishStep(graph, planned, made, [create.id]) : []
  const boot = `boot:${machine.name}${suffixOf(machine.again)}`
  graph.steps.push(
    step({
      id: boot,
      after: [create.id, ...published],
      group: machine.name,
      says: 'power on, first boot, runtime and agent',
      command: command('machine.boot', {
        site: intent.site,
        name: machine.name,
        ...(made ? { bootData: bootArgs(made) } : {}),
        ...surroundings(planned),
      }),
      undo: command('machine.stop', { site: intent.site, name: machine.name }),
      seconds: site?.kind === 'hall' ? estimates.bootInHall : estimates.bootInCloud,
    }),
  )
  graph.reserves.push({
    kind: 'machine',
    site: intent.site,
    zone: machine.zone,
    what: machine.name,
    cores: machine.offered?.cores ?? 0,
    memoryBytes: machine.offered?.memoryBytes ?? 0,
  })
  graph.creates.push(
    ref('machine', intent.site, machine.name),
    ref('disk', intent.site, `${machine.name}-root`),
    ref('node', intent.name, machine.name),
  )
  return boot
}

export function joinStep(
  graph: Graph,
  planned: Planned,
  machine: { name: string; pool: string; zone: string; roles: readonly string[] },
  machineName: string,
  after: readonly StepId[],
): StepId {
  const id = `join:${machine.name}`
  const member = machine.roles.includes('control-plane')
  graph.steps.push(
    step({
      id,
      after,
      group: machine.name,
      says: member ? 'join the control plane, become ready' : 'join, become ready',
      command: command('node.join', joinArgs(planned, machine, machineName)),
      undo: command('node.remove', { cluster: planned.intent.name, node: machine.name }),
      seconds: member ? estimates.joinControlPlane : estimates.joinNode,
      retry: askRetry,
    }),
  )
  return id
}
