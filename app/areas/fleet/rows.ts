/** Sites and clusters of the fleet as rows, the worst first. */

import type { FleetNode, State } from '../../../core/fleet'

export interface Want {
  readonly ref: string
  readonly name: string
  readonly state: State
  readonly says: string
  /** An own page to open instead of a selection. */
  readonly path: string | null
}

export interface Row {
  readonly ref: string
  readonly kind: string
  readonly name: string
  readonly within: string
  readonly state: State
  readonly release: string
  readonly nodes: number
  readonly cores: number
  readonly asked: number
  readonly memory: number
  readonly pods: number
  readonly spend: number
}

export function rowsOf(root: FleetNode): readonly Row[] {
  const rows: Row[] = []
  const visit = (node: FleetNode, within: string): void => {
    rows.push({
      ref: node.ref,
      kind: node.kind,
      name: node.name,
      within,
      state: node.state,
      release: node.release ?? '',
      nodes: node.nodes,
      cores: node.cpuMilli / 1000,
      asked: node.cpuMilli === 0 ? 0 : node.requestedCpuMilli / node.cpuMilli,
      memory: node.memoryBytes,
      pods: node.pods,
      spend: node.spend,
    })
    for (const child of node.children.filter((fleetNode) => !fleetNode.ref.startsWith('free/')))
      visit(child, node.kind === 'fleet' ? '' : node.kind === 'pool' ? within : node.name)
  }
  for (const child of root.children) visit(child, root.kind === 'fleet' ? '' : root.name)
  return rows
}

export const severity: Readonly<Record<State, number>> = {
  broken: 0,
  unknown: 1,
  strained: 2,
  working: 3,
  resting: 4,
  well: 5,
}

export function notWell(root: FleetNode): readonly Want[] {
  const wants: Want[] = []
  const visit = (node: FleetNode): void => {
    // The deepest thing that is not well is the one to look at; what only contains it says nothing new.
    const below = node.children.some((child) => child.state !== 'well' && child.state !== 'working')
    if (!below && node.kind !== 'fleet' && node.state !== 'well' && node.state !== 'working')
      wants.push({ ref: node.ref, name: node.name, state: node.state, says: node.says, path: null })
    node.children.forEach(visit)
  }
  visit(root)
  return wants.sort((a, b) => severity[a.state] - severity[b.state])
}
