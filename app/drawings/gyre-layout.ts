/**
 * The layout of the gyre: concentric rings, sites in the middle, then clusters, pools, nodes.
 * An arc’s length is the chosen measure. Arcs under two pixels on the outer ring are merged into one band per pool,
 * which is filled by the share of states in it. Angles in radians, clockwise from the top. O(nodes).
 */
import { hierarchy, partition } from 'd3-hierarchy'
import type { FleetNode, State } from '~/core/fleet'
import { countText } from '~/core/units'

export type Measure = 'cpu' | 'memory' | 'pods' | 'spend'
export type Reading = 'state' | 'pressure' | 'release' | 'age'

export const measures: readonly Measure[] = ['cpu', 'memory', 'pods', 'spend']
export const readings: readonly Reading[] = ['state', 'pressure', 'release', 'age']

export interface Arc {
  readonly ref: string
  readonly kind: FleetNode['kind']
  readonly name: string
  readonly depth: number
  readonly start: number
  readonly end: number
  readonly state: State
  readonly says: string
  readonly value: number
  /** The chosen reading from 0 to 1; null where it says nothing. */
  readonly reading: number | null
  readonly readingText: string
  /** For a band: how many nodes it stands for, by state. */
  readonly band: Readonly<Partial<Record<State, number>>> | null
}

export interface GyreLayout {
  readonly arcs: readonly Arc[]
  readonly rings: number
  readonly centre: {
    readonly ref: string
    readonly kind: FleetNode['kind']
    readonly name: string
    readonly value: number
    readonly asked: number | null
    readonly nodes: number
  }
  /** From the fleet to what is in the centre. */
  readonly trail: readonly { readonly ref: string; readonly name: string }[]
}

const depthOf: Readonly<Record<FleetNode['kind'], number>> = {
  fleet: 0,
  site: 1,
  cluster: 2,
  pool: 3,
  node: 4,
  pod: 5,
}

/** Radius in pixels at which an arc has to be two pixels long to be drawn alone. */
const outerRadius = 300
const leastPixels = 2

export function measureOf(node: FleetNode, measure: Measure): number {
  switch (measure) {
    case 'cpu':
      return node.cpuMilli / 1000
    case 'memory':
      return node.memoryBytes
    case 'pods':
      return node.pods
    case 'spend':
      return node.spend
  }
}

function askedOf(node: FleetNode, measure: Measure): number | null {
  if (measure === 'cpu' && node.cpuMilli > 0) return node.requestedCpuMilli / node.cpuMilli
  if (measure === 'memory' && node.memoryBytes > 0)
    return node.requestedMemoryBytes / node.memoryBytes
  return null
}

interface Scales {
  readonly releases: readonly string[]
  readonly now: number
}

function readingOf(
  node: FleetNode,
  reading: Reading,
  scales: Scales,
): { readonly value: number | null; readonly text: string } {
  switch (reading) {
    case 'state':
      return { value: null, text: node.state }
    case 'pressure': {
      const share = Math.max(
        node.cpuMilli === 0 ? 0 : node.requestedCpuMilli / node.cpuMilli,
        node.memoryBytes === 0 ? 0 : node.requestedMemoryBytes / node.memoryBytes,
      )
      return {
        value: node.nodes === 0 ? null : Math.min(1, share),
        text: node.nodes === 0 ? 'no nodes' : `${Math.round(share * 100)} % asked`,
      }
    }
    case 'release': {
      if (node.release === null) return { value: null, text: '' }
      const at = scales.releases.indexOf(node.release)
      return {
        value: scales.releases.length < 2 ? 0.5 : 1 - at / (scales.releases.length - 1),
        text: node.release,
      }
    }
    case 'age': {
      if (node.createdAt === null) return { value: null, text: '' }
      const days = (scales.now - Date.parse(node.createdAt)) / 86_400_000
      return {
        value: Math.min(1, Math.max(0, days / 730)),
        text:
          days < 1 ? `${Math.round(days * 24)} h old` : `${countText(Math.round(days), 'day')} old`,
      }
    }
  }
}

/** Whether the tree goes down to pods here. */
const hasPods = (node: FleetNode): boolean =>
  node.children.some((child) => child.kind === 'pod' || hasPods(child))

/** The node a ref names, with its ancestors from the root on. */
export function findInTree(root: FleetNode, ref: string): readonly FleetNode[] | null {
  if (root.ref === ref) return [root]
  for (const child of root.children) {
    const fleetNodes = findInTree(child, ref)
    if (fleetNodes) return [root, ...fleetNodes]
  }
  return null
}

function releasesIn(root: FleetNode): readonly string[] {
  const results = new Set<string>()
  const visit = (node: FleetNode): void => {
    if (node.kind === 'pod') return
    if (node.release !== null) results.add(node.release)
    if (node.kind !== 'cluster') node.children.forEach(visit)
  }
  visit(root)
  return [...results].sort((a, b) => a.localeCompare(b, 'en', { numeric: true }))
}

/** Lays out what lies below `zoom` (a ref; the whole fleet if it names nothing). `now` in milliseconds. */
export function gyreLayout(
  root: FleetNode,
  zoom: string | null,
  measure: Measure,
  reading: Reading,
  now: number,
): GyreLayout {
  const trail = (zoom === null ? null : findInTree(root, zoom)) ?? [root]
  const deepest = hasPods(trail[trail.length - 1] ?? root) ? depthOf.pod : depthOf.node
  const centre = trail[trail.length - 1] ?? root
  const scales: Scales = { releases: releasesIn(root), now }
  const laid = partition<FleetNode>().size([2 * Math.PI, 1])(
    // What measures nothing keeps a sliver, so that an empty pool is still there to be seen.
    hierarchy(centre, (node) => node.children).sum((node) =>
      node.children.length > 0 ? 0 : Math.max(measureOf(node, measure), 1e-6),
    ),
  )
  const arcs: Arc[] = []
  const base = depthOf[centre.kind]
  const leastAngle = leastPixels / outerRadius
  const arcOf = (node: FleetNode, start: number, end: number, band: Arc['band']): Arc => {
    const read = readingOf(node, reading, scales)
    return {
      ref: node.ref,
      kind: node.kind,
      name: node.name,
      depth: depthOf[node.kind] - base,
      start,
      end,
      state: node.state,
      says: node.says,
      value: measureOf(node, measure),
      reading: read.value,
      readingText: read.text,
      band,
    }
  }
  for (const entry of laid.descendants()) {
    if (entry.depth === 0) continue
    const node = entry.data
    if (node.kind === 'pod') {
      // What is left of a node is kept blank, and so is what is too narrow to be seen.
      if (!node.ref.startsWith('free/') && entry.x1 - entry.x0 >= leastAngle / 2)
        arcs.push(arcOf(node, entry.x0, entry.x1, null))
      continue
    }
    if (node.kind !== 'node') arcs.push(arcOf(node, entry.x0, entry.x1, null))
    if (node.kind !== 'pool' || !entry.children) continue
    const narrow = entry.children.some((child) => child.x1 - child.x0 < leastAngle)
    if (narrow)
      arcs.push({
        ...arcOf(node, entry.x0, entry.x1, node.states),
        depth: depthOf.node - base,
        readingText: countText(node.nodes, 'node'),
      })
    else for (const child of entry.children) arcs.push(arcOf(child.data, child.x0, child.x1, null))
  }
  if (centre.kind === 'pool')
    for (const child of laid.children ?? [])
      if (child.data.kind === 'node') arcs.push(arcOf(child.data, child.x0, child.x1, null))
  return {
    arcs,
    rings: deepest - base,
    centre: {
      ref: centre.ref,
      kind: centre.kind,
      name: centre.name,
      value: measureOf(centre, measure),
      asked: askedOf(centre, measure),
      nodes: centre.nodes,
    },
    trail: trail.map((node) => ({ ref: node.ref, name: node.name })),
  }
}
