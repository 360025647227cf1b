import { describe, expect, it } from 'vitest'
import { type FleetNode, type State, withPods } from '~/core/fleet'
import { withAt } from './areas/raise/fields'
import { leaves } from './areas/raise/compare'
import { gyreLayout } from './drawings/gyre-layout'
import { sortRows } from './kit/table/columns'
import { csvOf } from './kit/table/csv'

const sums = {
  cpuMilli: 4000,
  requestedCpuMilli: 2000,
  memoryBytes: 1,
  requestedMemoryBytes: 0,
  pods: 3,
  spend: 1,
  createdAt: '2026-01-01T00:00:00Z',
}
const node = (name: string, state: State = 'well'): FleetNode => ({
  ref: `node/c/${name}`,
  kind: 'node',
  name,
  state,
  says: '',
  release: '1.33.2',
  ...sums,
  nodes: 1,
  states: { [state]: 1 },
  children: [],
})
const inner = (
  kind: FleetNode['kind'],
  name: string,
  children: readonly FleetNode[],
): FleetNode => {
  const states: Partial<Record<State, number>> = {}
  for (const child of children)
    for (const [state, count] of Object.entries(child.states))
      states[state as State] = (states[state as State] ?? 0) + count
  return {
    ref: kind === 'fleet' ? 'fleet' : `${kind}/${name}`,
    kind,
    name,
    state: 'well',
    says: '',
    release: kind === 'site' ? null : '1.33.2',
    ...sums,
    nodes: children.reduce((sum, child) => sum + child.nodes, 0),
    states,
    children,
  }
}
const fleet = (pools: readonly (readonly FleetNode[])[]): FleetNode =>
  inner('fleet', 'fleet', [
    inner('site', 's', [
      inner(
        'cluster',
        'c',
        pools.map((nodes, i) => inner('pool', `p${i}`, nodes)),
      ),
    ]),
  ])
const many = (count: number, broken = 0): readonly FleetNode[] =>
  Array.from({ length: count }, (_, i) => node(`n${i}`, i < broken ? 'broken' : 'well'))

describe('the gyre', () => {
  it('draws every node of a small fleet, each as long as its measure', () => {
    const layout = gyreLayout(fleet([many(3), many(2)]), null, 'cpu', 'state', 0)
    const nodes = layout.arcs.filter((arc) => arc.kind === 'node')
    expect(nodes).toHaveLength(5)
    for (const arc of nodes) expect(arc.end - arc.start).toBeCloseTo((2 * Math.PI) / 5)
    expect(layout.centre.value).toBe(4)
  })

  it('merges arcs under two pixels into a band of its pool, by the share of states', () => {
    const layout = gyreLayout(fleet([many(5000, 50), many(2)]), null, 'cpu', 'state', 0)
    expect(layout.arcs.filter((arc) => arc.kind === 'node')).toHaveLength(0)
    expect(layout.arcs.find((arc) => arc.band && arc.name === 'p0')?.band).toEqual({
      broken: 50,
      well: 4950,
    })
    expect(layout.arcs.length).toBeLessThan(12)
  })

  it('unfolds what it is zoomed into, and tells the way back', () => {
    const layout = gyreLayout(fleet([many(40, 1), many(2)]), 'pool/p0', 'pods', 'state', 0)
    expect(layout.arcs.filter((arc) => arc.kind === 'node')).toHaveLength(40)
    expect(layout.trail.map((part) => part.name)).toEqual(['fleet', 's', 'c', 'p0'])
    expect(gyreLayout(fleet([many(2)]), 'pool/lost', 'cpu', 'state', 0).trail).toHaveLength(1)
  })

  it('goes down to pods where they are hung in, and leaves what a node has left blank', () => {
    const pods = [
      {
        namespace: 'market',
        name: 'desk-1',
        node: 'n0',
        phase: 'Running',
        cpuMilli: 1000,
        memoryBytes: 0,
        createdAt: null,
      },
      {
        namespace: 'market',
        name: 'desk-2',
        node: 'n0',
        phase: 'Pending',
        cpuMilli: 1000,
        memoryBytes: 0,
        createdAt: null,
      },
    ]
    const layout = gyreLayout(withPods(fleet([many(2)]), 'c', pods), 'cluster/c', 'cpu', 'state', 0)
    expect(layout.rings).toBe(3)
    expect(
      layout.arcs.filter((arc) => arc.kind === 'pod').map((arc) => [arc.name, arc.state]),
    ).toEqual([
      ['desk-1', 'well'],
      ['desk-2', 'strained'],
    ])
    const [node, pod] = [
      layout.arcs.find((arc) => arc.name === 'n0'),
      layout.arcs.find((arc) => arc.name === 'desk-1'),
    ]
    expect((pod?.end ?? 0) - (pod?.start ?? 0)).toBeCloseTo(
      ((node?.end ?? 0) - (node?.start ?? 0)) / 4,
    )
  })

  it('keeps a sliver for what measures nothing', () => {
    const layout = gyreLayout(fleet([many(2), []]), null, 'cpu', 'state', 0)
    const empty = layout.arcs.find((arc) => arc.kind === 'pool' && arc.name === 'p1')
    expect(empty && empty.end > empty.start).toBe(true)
  })
})

describe('tables', () => {
  const columns = [
    { name: 'name', value: (row: { n: string; v: number }) => row.n },
    { name: 'value', value: (row: { n: string; v: number }) => row.v },
  ]
  const rows = [
    { n: 'node-10', v: 2 },
    { n: 'node-9', v: 10 },
  ]
  it('sort numbers as numbers, in names too', () => {
    expect(sortRows(rows, columns[0], false).map((row) => row.n)).toEqual(['node-9', 'node-10'])
    expect(sortRows(rows, columns[1], true).map((row) => row.v)).toEqual([10, 2])
  })
  it('write CSV that no spreadsheet takes for a formula', () => {
    expect(
      csvOf(columns, [
        { n: '=1+1', v: 1 },
        { n: 'a "b", c', v: 2 },
      ]),
    ).toBe('name,value\r\n"\'=1+1",1\r\n"a ""b"", c",2')
  })
})

describe('the sheet', () => {
  it('puts a value at its place, makes what lacks, and removes on undefined', () => {
    const draft = { pools: [{ name: 'a' }, { name: 'b' }] }
    expect(withAt(draft, 'pools[1].name', 'c')).toEqual({ pools: [{ name: 'a' }, { name: 'c' }] })
    expect(withAt(draft, 'ranges.pods', 'x')).toEqual({ ...draft, ranges: { pods: 'x' } })
    expect(withAt({ a: 1, b: 2 }, 'b', undefined)).toEqual({ a: 1 })
    expect(draft.pools[1]?.name).toBe('b')
  })
  it('compares field by field', () => {
    expect([...leaves({ a: [{ b: 1 }], c: 'x' })]).toEqual([
      ['a[0].b', '1'],
      ['c', 'x'],
    ])
  })
})
