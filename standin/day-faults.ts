/** Faults of what runs: machines, workloads, services and webhooks that were well and are not any more. */
import { ail, ailmentOf, recover } from './sites/ailments'
import { nodeOn, machineAt, powerLost } from './sites/power'
import { endAiling, startAiling, workloadAilmentOf } from './cluster/ailing'
import { ageGate, type Before, closeGate, slowGate, putBack, turnService } from './cluster/turned'
import { mountsClaims } from './cluster/claims'
import {
  budgetNamed,
  closePolicy,
  cutQuota,
  namespaceNamed,
  pinAway,
  pullAnew,
  raiseSecurity,
  rolled,
  type Tag,
  tagBack,
  tightenBudget,
  withdrawTag,
} from './cluster/withdrawn'
import type { Sim } from './engine/sim'
import { type Cluster, dayFaults, type Fault, type FaultKind } from './world'

const turns: Partial<Record<FaultKind, 'selector' | 'port'>> = {
  'selector-turned': 'selector',
  'port-turned': 'port',
}

type DayFault = (typeof dayFaults)[number]

export const isDayFault = (kind: FaultKind): kind is DayFault =>
  dayFaults.some((fault) => fault === kind)

const isRegistryFault = (kind: FaultKind): boolean =>
  kind === 'registry-silent' || kind === 'registry-denies'

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
  if (kind === 'pods-pinned' || kind === 'volume-held') {
    const hit = workloadAt(sim, about)
    if (what === 'workload' && hit && mountsClaims(hit.workload)) return null
    return `There is no workload ${third}/${fourth} with a volume in ${second}.`
  }
  if (kind === 'security-raised' || kind === 'quota-cut') {
    const cluster = sim.cluster(second)
    return what === 'namespace' && cluster && namespaceNamed(cluster, third)
      ? null
      : `There is no namespace ${third} in ${second}.`
  }
  if (kind === 'members-lost' && sim.cluster(second)?.managed)
    return `The control plane of ${second} is managed: its members are its cloud’s.`
  if (kind === 'budget-tightened') {
    const cluster = sim.cluster(second)
    return what === 'budget' && cluster && budgetNamed(cluster, third, fourth)
      ? null
      : `There is no disruption budget ${third}/${fourth} in ${second}.`
  }
  if (
    workloadAilmentOf(kind) ||
    kind === 'tag-withdrawn' ||
    kind === 'gate-slow' ||
    isRegistryFault(kind)
  )
    return what === 'workload' && workloadAt(sim, about)
      ? null
      : `There is no workload ${third}/${fourth} in ${second}.`
  if (turns[kind] || kind === 'policy-closes') {
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
  sim.touchSite(site.name)
  return was
}

/** So many members of a control plane lose their power that the others are no majority; or they start again. */
function loseMembers(sim: Sim, cluster: Cluster, isLost: boolean): void {
  const site = sim.site(cluster.site)
  const members = (site?.machines ?? []).filter(({ name }) => cluster.members.includes(name))
  const lost = members.slice(0, Math.ceil(members.length / 2))
  for (const machine of lost) {
    if (site && isLost) powerLost(sim, site, machine)
    else if (machine.power === 'off') {
      machine.power = 'starting'
      sim.schedule(60_000, {
        kind: 'power',
        site: cluster.site,
        machine: machine.name,
        what: 'up',
      })
    }
  }
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
  if (kind === 'tag-withdrawn' && hit)
    fault.was = JSON.stringify(withdrawTag(sim, hit.cluster, hit.workload))
  if ((isRegistryFault(kind) || kind === 'volume-held') && hit)
    pullAnew(sim, hit.cluster, hit.workload, true)
  if (kind === 'pods-pinned' && hit)
    fault.was = JSON.stringify(pinAway(sim, hit.cluster, hit.workload))
  const cluster = sim.cluster(second)
  if (!cluster) return
  if (kind === 'security-raised') fault.was = JSON.stringify(raiseSecurity(sim, cluster, third))
  if (kind === 'policy-closes') fault.was = JSON.stringify(closePolicy(sim, cluster, third, fourth))
  if (kind === 'quota-cut') fault.was = JSON.stringify(cutQuota(sim, cluster, third))
  if (kind === 'members-lost') loseMembers(sim, cluster, true)
  if (kind === 'budget-tightened')
    fault.was = JSON.stringify(tightenBudget(sim, cluster, third, fourth))
  const turn = turns[kind]
  if (turn) fault.was = JSON.stringify(turnService(sim, cluster, third, fourth, turn))
  if (kind === 'gate-closes') fault.was = JSON.stringify(closeGate(sim, cluster, third))
  if (kind === 'gate-behind') fault.was = JSON.stringify(ageGate(sim, cluster))
  if (kind === 'gate-slow' && hit) fault.was = JSON.stringify(slowGate(sim, cluster, hit.workload))
  sim.touchCluster(cluster.name)
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
  if (kind === 'members-lost') loseMembers(sim, cluster, false)
  const had = workloadAt(sim, about)
  if ((isRegistryFault(kind) || kind === 'volume-held') && had)
    pullAnew(sim, cluster, had.workload, false)
  if (kind === 'tag-withdrawn') {
    if (had && fault.was !== undefined)
      tagBack(sim, cluster, had.workload, JSON.parse(fault.was) as Tag)
    return
  }
  if (fault.was !== undefined) putBack(sim, cluster, JSON.parse(fault.was) as Before)
  if (kind === 'pods-pinned' && had) rolled(sim, cluster, had.workload)
  sim.touchCluster(cluster.name)
}
