/** Sites and clusters of the fleet as rows, the worst first. */

import { type FleetNode, labelsInUse, type State } from '~/core/fleet'

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
  /** Roles of a node. */
  readonly role: string
  /** Of a cluster, as `key=value`. */
  readonly labels: string
  readonly nodes: number
  readonly cores: number
  readonly asked: number
  readonly memory: number
  readonly pods: number
  readonly spend: number
}

/** A number as it is shown and exported, without the digits behind that nobody reads. */
const rounded = (value: number, digits: number): number => Number(value.toFixed(digits))

/** What is told of a part as the place it lies in: the fleet is everywhere, and a pool stands for its cluster. */
function placeOf(node: FleetNode, within: string): string {
  if (node.kind === 'fleet') return ''
  return node.kind === 'pool' ? within : node.name
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
      role: (node.roles ?? []).join(', '),
      labels: labelsInUse([{ labels: node.labels ?? {} }]).join(', '),
      nodes: node.nodes,
      cores: node.cpuMilli / 1000,
      asked: node.cpuMilli === 0 ? 0 : rounded(node.requestedCpuMilli / node.cpuMilli, 4),
      memory: node.memoryBytes,
      pods: node.pods,
      spend: rounded(node.spend, 2),
    })
    for (const child of node.children.filter((fleetNode) => !fleetNode.ref.startsWith('free/')))
      visit(child, placeOf(node, within))
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

/** Things that want the same for the same reason, gathered; or one alone. */
export interface WantGroup {
  readonly key: string
  readonly says: string
  readonly state: State
  readonly wants: readonly Want[]
}

/** So many that say the same are told in one line. */
const gatheredFrom = 3

/**
 * Wants in their order, those that say the same at the same level gathered at the place of the first: forty clusters
 * whose release is out of support are one line, not forty.
 */
export function gathered(wants: readonly Want[]): readonly WantGroup[] {
  const alike = new Map<string, Want[]>()
  for (const want of wants) {
    const kind = want.ref.split('/')[0] ?? ''
    // A change is a thing of its own, whatever it says.
    const key = kind === 'change' ? want.ref : `${kind} ${want.state} ${want.says}`
    const group = alike.get(key)
    if (group) group.push(want)
    else alike.set(key, [want])
  }
  return [...alike].flatMap(([key, group]): WantGroup[] => {
    const each = (want: Want): WantGroup => ({
      key: `${want.ref} ${want.says}`,
      says: want.says,
      state: want.state,
      wants: [want],
    })
    const [first] = group
    if (!first || group.length < gatheredFrom) return group.map(each)
    return [{ key, says: first.says, state: first.state, wants: group }]
  })
}
