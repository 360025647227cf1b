/** Faults of what runs: machines, workloads, services and webhooks that were well and are not any more. */
import { ail, ailmentOf, recover } from './sites/ailments'
import { nodeOn, machineAt } from './sites/power'
import { endAiling, startAiling, workloadAilmentOf } from './cluster/ailing'
import { type Before, closeGate, putBack, turnService } from './cluster/turned'
import type { Sim } from './engine/sim'
import type { Fault, FaultKind } from './world'

const turns: Partial<Record<FaultKind, 'selector' | 'port'>> = {
  'selector-turned': 'selector',
  'port-turned': 'port',
}

const dayFaults = [
  'runtime-dies',
  'agent-stops',
  'clock-drifts',
  'host-certificate-ends',
  'disk-fills',
  'memory-fills',
  'process-ends',
  'memory-short',
  'not-answering',
  'process-hangs',
  'selector-turned',
  'port-turned',
  'gate-closes',
  'state-store-slow',
  'state-store-full',
  'rule-switched',
] as const satisfies readonly FaultKind[]
type DayFault = (typeof dayFaults)[number]

export const isDayFault = (kind: FaultKind): kind is DayFault =>
  dayFaults.some((fault) => fault === kind)

const workloadAt = (sim: Sim, about: string) => {
  const [, clusterName, namespace, name] = about.split('/')
  const cluster = sim.cluster(clusterName)
  const workload = cluster?.workloads.find(
    (each) => each.namespace === namespace && each.name === name,
  )
  return cluster && workload ? { cluster, workload } : null
}

/** Why a fault of what runs cannot be about this; null where it can. */
export function dayFaultObjection(sim: Sim, kind: FaultKind, about: string): string | null {
  const [what = '', second = '', third = '', fourth = ''] = about.split('/')
  if (ailmentOf(kind)) {
    const on = what === 'machine' ? machineAt(sim, second, third) : undefined
    if (!on) return `There is no machine ${third} at ${second}.`
    return nodeOn(sim, on.machine) ? null : `${third} carries no node.`
  }
  if (workloadAilmentOf(kind))
    return what === 'workload' && workloadAt(sim, about)
      ? null
      : `There is no workload ${third}/${fourth} in ${second}.`
  if (turns[kind]) {
    const service = sim
      .cluster(second)
      ?.serviceList.find((each) => each.namespace === third && each.name === fourth)
    return what === 'service' && service
      ? null
      : `There is no service ${third}/${fourth} in ${second}.`
  }
  if (kind === 'rule-switched')
    return what === 'rule' && sim.site(second)?.firewall?.some(({ name }) => name === third)
      ? null
      : `There is no rule ${third} at ${second}.`
  if (kind === 'gate-closes')
    return what === 'node' && sim.cluster(second)?.nodes.some(({ name }) => name === third)
      ? null
      : `There is no node ${third} in ${second}.`
  return what === 'cluster' && sim.cluster(second) ? null : `There is no cluster ${second}.`
}

/** Somebody switches a firewall rule on that was off, or off that was on; or puts it back. Tells how it was. */
function switchRule(sim: Sim, siteName: string, rule: string, to: boolean | null): boolean {
  const site = sim.site(siteName)
  const was = site?.firewall?.find(({ name }) => name === rule)?.enabled !== false
  if (!site) return was
  const enabled = to ?? !was
  site.firewall = (site.firewall ?? []).map((each) =>
    each.name === rule ? { ...each, enabled } : each,
  )
  sim.touch(`site:${site.name}`)
  return was
}

/** Brings a fault about; what stood where it was put, to be put back. */
export function startDayFault(sim: Sim, fault: Fault): void {
  const { kind, about } = fault
  const [, second = '', third = '', fourth = ''] = about.split('/')
  const ailment = ailmentOf(kind)
  const on = ailment ? machineAt(sim, second, third) : undefined
  if (ailment && on) ail(sim, on.site, on.machine, ailment)
  const hit = workloadAt(sim, about)
  const suffering = workloadAilmentOf(kind)
  if (suffering && hit) startAiling(sim, hit.cluster, hit.workload, suffering)
  if (kind === 'rule-switched') fault.was = JSON.stringify(switchRule(sim, second, third, null))
  const cluster = sim.cluster(second)
  if (!cluster) return
  const turn = turns[kind]
  if (turn) fault.was = JSON.stringify(turnService(sim, cluster, third, fourth, turn))
  if (kind === 'gate-closes') fault.was = JSON.stringify(closeGate(sim, cluster, third))
  sim.touch(`cluster:${cluster.name}`)
}

export function endDayFault(sim: Sim, fault: Fault): void {
  const { kind, about } = fault
  const [, second = '', third = ''] = about.split('/')
  const ailment = ailmentOf(kind)
  const on = ailment ? machineAt(sim, second, third) : undefined
  if (ailment && on) recover(sim, on.machine, ailment)
  const hit = workloadAilmentOf(kind) ? workloadAt(sim, about) : null
  if (hit) endAiling(sim, hit.cluster, hit.workload)
  if (kind === 'rule-switched' && fault.was !== undefined)
    switchRule(sim, second, third, JSON.parse(fault.was) as boolean)
  const cluster = sim.cluster(second)
  if (!cluster) return
  if (fault.was !== undefined) putBack(sim, cluster, JSON.parse(fault.was) as Before)
  sim.touch(`cluster:${cluster.name}`)
}
