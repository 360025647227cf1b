/** A cluster raised on machines that stand already: installed from a boot server, or joined by a script somebody runs. */
import { command } from '../contract'
import type { StepId } from '../changes'
import { ref } from '../changes'
import type { SiteView } from '../fleet'
import { bootOfBox } from './boot-plan'
import { boxAddress } from './checks/box-address'
import { cardNetwork } from './checks/box-address'
import { apiStep, closingSteps, holdStep, registerStep } from './common-steps'
import { joinsBy } from './join'
import type { Graph } from './machine-steps'
import { bootArgs, joinStep, surroundings } from './machine-steps'
import type { Planned } from './planned'
import { controlPlanePool } from './planned'
import { estimates, step } from './steps'

/** A machine that stands, with the part it plays in the draft and the address it will be reached at. */
interface UsedBox {
  readonly machine: Planned['intent']['machines'][number]
  readonly box: SiteView['boxes'][number]
  readonly address: string
  readonly network: string
}

const usedBoxes = (planned: Planned, site: SiteView): readonly UsedBox[] =>
  planned.intent.machines.flatMap((machine) => {
    const box = site.boxes.find((candidate) => candidate.name === machine.machine)
    const address = box ? boxAddress(site, box, machine, planned) : null
    return box && address !== null
      ? [{ machine, box, address, network: cardNetwork(site, box, machine)?.name ?? '' }]
      : []
  })

const poolOf = (roles: readonly string[]): string =>
  roles.includes('control-plane') ? controlPlanePool : 'worker'

/** A machine installed anew and booted; returns the id of the last step. */
function installSteps(
  graph: Graph,
  planned: Planned,
  site: SiteView,
  { machine, box, address, network }: UsedBox,
  index: number,
): StepId {
  const { intent, release } = planned
  const made = bootOfBox(planned, site, box, index)
  const install = `install:${box.name}`
  const boot = `boot:${box.name}`
  const disk = machine.disk ?? box.disks[0]?.identifier ?? ''
  graph.steps.push(
    step({
      id: install,
      after: ['addresses'],
      group: machine.nodeName,
      says: `install ${release?.baseImage ?? ''} ${release?.version ?? ''} on ${disk.split('/').pop() ?? disk}`,
      command: command('box.install', {
        site: site.name,
        name: box.name,
        cluster: intent.name,
        release: release?.version ?? '',
        disk,
        wipe: machine.wipe ?? null,
        card: machine.card ?? box.cards[0]?.name ?? '',
        address,
        network,
      }),
      undo: command('box.clear', { site: site.name, name: box.name }),
      seconds: estimates.installBox,
    }),
    step({
      id: boot,
      after: [install],
      group: machine.nodeName,
      says: 'restart from disk, first boot, runtime and agent',
      command: command('machine.boot', {
        site: site.name,
        name: box.name,
        ...(made ? { bootData: bootArgs(made) } : {}),
        ...surroundings(planned),
      }),
      undo: command('machine.stop', { site: site.name, name: box.name }),
      seconds: estimates.bootBox,
    }),
  )
  graph.reserves.push({
    kind: 'machine',
    site: site.name,
    zone: box.zone,
    what: box.name,
    cores: box.cores,
    memoryBytes: box.memoryBytes,
  })
  graph.creates.push(ref('node', intent.name, machine.nodeName))
  return boot
}

export function raiseOnBoxes(graph: Graph, planned: Planned, site: SiteView): void {
  const used = usedBoxes(planned, site)
  const endpoint = `https://${used[0]?.address ?? ''}:6443`
  graph.steps.push(registerStep(planned, endpoint))
  const held = used.map(({ machine, address, network }) => ({
    address,
    network,
    for: machine.nodeName,
  }))
  graph.steps.push(holdStep(planned, held))
  for (const { address } of held) {
    graph.reserves.push({ kind: 'address', site: site.name, what: address })
    graph.creates.push(ref('address', site.name, address))
  }
  const booted = used.map((usedBox, i) => {
    const { machine, box, address, network } = usedBox
    const boot =
      joinsBy(machine, box) === 'script'
        ? callSteps(graph, planned, machine, box, address, network)
        : installSteps(graph, planned, site, usedBox, i)
    return { machine, box, boot }
  })
  const first = booted.find(({ machine }) => machine.roles.includes('control-plane'))
  apiStep(graph, planned, first ? [first.boot] : [], first?.box.name ?? null, endpoint)
  const joined = booted.map(({ machine, box, boot }) =>
    joinStep(
      graph,
      planned,
      {
        name: machine.nodeName,
        pool: poolOf(machine.roles),
        zone: box.zone,
        roles: machine.roles,
      },
      box.name,
      ['api', boot],
    ),
  )
  const workers = booted.filter(({ machine }) => machine.roles.includes('worker'))
  closingSteps(graph, planned, joined, [
    ...new Set(workers.map(({ machine }) => poolOf(machine.roles))),
  ])
}

/** A machine that somebody runs the join script on: its call is waited for, then it is taken into use as it stands. */
function callSteps(
  graph: Graph,
  planned: Planned,
  machine: Planned['intent']['machines'][number],
  box: SiteView['boxes'][number],
  address: string,
  network: string,
): StepId {
  const { intent } = planned
  const call = `call:${box.name}`
  const take = `take:${box.name}`
  graph.steps.push(
    step({
      id: call,
      after: ['register'],
      group: machine.nodeName,
      says: `wait for the call of ${box.name}: run its join script there`,
      command: command('join.await', {
        cluster: intent.name,
        site: intent.site,
        machine: box.name,
        node: machine.nodeName,
        card: machine.card ?? box.cards[0]?.name ?? '',
        address,
      }),
      undo: command('join.forget', { cluster: intent.name, machine: box.name }),
      seconds: estimates.awaitCall,
      retry: { attempts: 1, firstSeconds: 10, mostSeconds: 10 },
    }),
    step({
      id: take,
      after: [call, 'addresses'],
      group: machine.nodeName,
      says: 'take it into use: agent set up for the cluster',
      command: command('box.take', {
        site: intent.site,
        name: box.name,
        cluster: intent.name,
        release: planned.release?.version ?? '',
        card: machine.card ?? box.cards[0]?.name ?? '',
        address,
        network,
      }),
      undo: command('box.clear', { site: intent.site, name: box.name }),
      seconds: estimates.takeBox,
    }),
  )
  graph.reserves.push({ kind: 'machine', site: intent.site, zone: box.zone, what: box.name })
  graph.creates.push(ref('node', intent.name, machine.nodeName))
  return take
}
