/** Placement at the size of a whole fleet: 5,000 nodes, 90,000 running and 10,000 waiting pods of 200 shapes, one in ten with spread or affinity. */
import { place, readWorld } from '../core/placement'
import { node, pod, type TestObject } from '../core/placement/testing/worlds'
import { seeded } from '../core/units'
import { type Figure, measure } from './figure'

/** Objects of a cluster with as many nodes and pods; pods are of `shapes` shapes, one in ten with spread or affinity. */
export function largeCluster(
  nodes: number,
  running: number,
  waiting: number,
  shapes: number,
): readonly TestObject[] {
  const random = seeded(7)
  const zones = ['a', 'b', 'c']
  const made: TestObject[] = Array.from({ length: nodes }, (_, i) =>
    node(`node-${String(i).padStart(5, '0')}`, {
      cpu: '16',
      memory: '64Gi',
      labels: {
        'topology.kubernetes.io/zone': zones[i % 3] ?? 'a',
        'gyrarch/pool': `pool-${i % 10}`,
      },
      ...(i % 10 === 9 ? { taints: [{ key: 'use', value: 'storage', effect: 'NoSchedule' }] } : {}),
    }),
  )
  const shapeOf = (s: number) => {
    const app = `app-${s}`
    const constraint = [
      {
        topologySpreadConstraints: [
          {
            maxSkew: 5,
            topologyKey: 'topology.kubernetes.io/zone',
            whenUnsatisfiable: 'DoNotSchedule',
            labelSelector: { matchLabels: { app } },
          },
        ],
      },
      {
        affinity: {
          podAntiAffinity: {
            preferredDuringSchedulingIgnoredDuringExecution: [
              {
                weight: 10,
                podAffinityTerm: {
                  topologyKey: 'kubernetes.io/hostname',
                  labelSelector: { matchLabels: { app } },
                },
              },
            ],
          },
        },
      },
      {
        affinity: {
          podAffinity: {
            requiredDuringSchedulingIgnoredDuringExecution: [
              {
                topologyKey: 'topology.kubernetes.io/zone',
                labelSelector: { matchLabels: { app } },
              },
            ],
          },
        },
      },
    ]
    return {
      app,
      spec: s % 10 === 0 ? (constraint[(s / 10) % 3] ?? {}) : {},
      cpu: `${100 + (s % 20) * 50}m`,
      memory: `${128 + (s % 16) * 128}Mi`,
    }
  }
  const add = (i: number, on: string | undefined): void => {
    const shape = shapeOf(Math.floor(random() * shapes))
    made.push(
      pod(`ns-${i % 20}/${shape.app}-${i}`, {
        cpu: shape.cpu,
        memory: shape.memory,
        labels: { app: shape.app },
        spec: {
          ...(on === undefined ? {} : { nodeName: on }),
          containers: [
            { name: 'main', resources: { requests: { cpu: shape.cpu, memory: shape.memory } } },
          ],
          ...shape.spec,
        },
        ...(on === undefined ? {} : { on }),
      }),
    )
  }
  for (let i = 0; i < running; i++)
    add(i, `node-${String(Math.floor(random() * nodes)).padStart(5, '0')}`)
  for (let i = 0; i < waiting; i++) add(running + i, undefined)
  return made
}

/** All of a fleet placed in one go. */
export function placementFigures(): readonly Figure[] {
  const objects = largeCluster(5000, 90_000, 10_000, 200)
  const from = performance.now()
  const read = readWorld(objects)
  if (!read.ok) throw new Error(read.says)
  const placement = place(read.world, { remedies: false })
  const seconds = (performance.now() - from) / 1000
  const memory = process.memoryUsage().rss / 2 ** 30
  const detail = `${placement.placed.length} placed`
  const name = 'placement of 90,000 + 10,000 pods on 5,000 nodes'
  return [
    { name, value: seconds, unit: 's', aim: { atMost: 10 }, detail },
    { name: `${name}, memory`, value: memory, unit: 'GiB', aim: { atMost: 1.5 } },
  ]
}

export function boardFigures(): readonly Figure[] {
  const board = largeCluster(500, 9000, 200, 60)
  const { median } = measure(17, () => {
    const world = readWorld(board)
    if (world.ok) place(world.world, { remedies: false })
  })
  return [
    {
      name: 'board of 500 nodes and 9,200 pods placed anew',
      value: median,
      unit: 'ms',
      aim: { atMost: 100 },
    },
  ]
}
