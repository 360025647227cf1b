import { describe, expect, it } from 'vitest'
import { seeded } from '../units'
import { drain } from './drain'
import { giveOrder } from './give'
import { node, pod } from './testing/worlds'
import { readWorld } from './world'

const worldOf = (objects: readonly unknown[]) => {
  const read = readWorld(objects)
  if (!read.ok) throw new Error(read.says)
  return read.world
}
const set = { kind: 'ReplicaSet', metadata: { name: 'web', namespace: 'climate' }, spec: {} }
const owned = (name: string, on: string, cpu = '1') => {
  const made = pod(name, { cpu, on })
  return {
    ...made,
    metadata: {
      ...made.metadata,
      ownerReferences: [{ kind: 'ReplicaSet', name: 'web', controller: true }],
    },
  }
}

describe('the nodes that a pool gives up', () => {
  const nodes = ['n1', 'n2', 'n3', 'n4'].map((name) => node(name, { cpu: '4' }))
  it('are those whose pods can move, then those that move least', () => {
    const objects = [
      ...nodes,
      set,
      owned('a', 'n1', '500m'),
      pod('alone', { cpu: '100m', on: 'n2' }),
      owned('b', 'n3', '2'),
      owned('c', 'n4', '1'),
    ]
    expect(giveOrder(worldOf(objects), ['n4', 'n3', 'n2', 'n1'], 3)).toEqual({
      nodes: ['n1', 'n4', 'n3'],
      free: 3,
    })
    // Alone on the last node: its pods have nowhere to go.
    expect(giveOrder(worldOf(objects), ['n4', 'n3', 'n2', 'n1'], 4)).toEqual({
      nodes: ['n1', 'n4', 'n3', 'n2'],
      free: 3,
    })
  })
  it('are first the ones that are named, whatever is on them', () => {
    const objects = [...nodes, set, owned('b', 'n3', '2')]
    expect(giveOrder(worldOf(objects), ['n4', 'n3', 'n2', 'n1'], 2, ['n3']).nodes).toEqual([
      'n3',
      'n4',
    ])
  })
  it('do not count on the room of what is closed', () => {
    const objects = [node('n1', { cpu: '1' }), node('n2', { cpu: '1' }), set, owned('a', 'n1')]
    expect(giveOrder(worldOf(objects), ['n1'], 1, [], { closed: ['n2'] }).free).toBe(0)
    expect(giveOrder(worldOf(objects), ['n1'], 1).free).toBe(1)
  })
  it('as many as are told free can all be drained together, in 200 random clusters', () => {
    const random = seeded(7)
    for (let turn = 0; turn < 200; turn++) {
      const names = Array.from({ length: 6 }, (_, i) => `n${i}`)
      const objects = [
        ...names.map((name) => node(name, { cpu: '4' })),
        set,
        ...Array.from({ length: 8 }, (_, i) =>
          owned(
            `p${i}`,
            names[Math.floor(random() * 6)] ?? '',
            `${100 * Math.ceil(random() * 15)}m`,
          ),
        ),
      ]
      const order = giveOrder(worldOf(objects), names, 5)
      const read = drain(worldOf(objects), order.nodes.slice(0, order.free))
      expect(order.free).toBeGreaterThan(0)
      expect(read.ok && read.drain.blocked).toEqual([])
    }
  })
})

describe('a drain that is undone', () => {
  it('leaves the room as it was', () => {
    const objects = [
      node('n1', { cpu: '4' }),
      node('n2', { cpu: '4' }),
      set,
      owned('a', 'n1'),
      owned('b', 'n2', '2'),
    ]
    const world = worldOf(objects)
    const used = () => world.room.used.map((resource) => [...(resource ?? [])].slice(0, 2))
    const before = used()
    const read = drain(world, ['n1'])
    expect(used()).not.toEqual(before)
    if (read.ok) read.undo()
    expect(used()).toEqual(before)
  })
})
