/** Placement at the size of a whole fleet: 5,000 nodes, 90,000 running and 10,000 waiting pods of 200 shapes, one in ten with spread or affinity. */
import { place, readWorld } from '../core/placement'
import { node, pod, type TestObject } from '../core/placement/testing/worlds'
import { seeded } from '../core/units'
import { type Figure, measure } from './figure'

/** One in ten shapes has one of these: spread over zones, apart from its like, beside its like. */
const constraints = (app: string) => {
  const labelSelector = { matchLabels: { app } }
  const zone = 'topology.kubernetes.io/zone'
  return [
    {
      topologySpreadConstraints: [
        { maxSkew: 5, topologyKey: zone, whenUnsatisfiable: 'DoNotSchedule', labelSelector },
      ],
    },
    {
      affinity: {
        podAntiAffinity: {
          preferredDuringSchedulingIgnoredDuringExecution: [
            {
              weight: 10,
              podAffinityTerm: { topologyKey: 'kubernetes.io/hostname', labelSelector },
            },
          ],
        },
      },
    },
    {
      affinity: {
        podAffinity: {
          requiredDuringSchedulingIgnoredDuringExecution: [{ topologyKey: zone, labelSelector }],
        },
      },
    },
  ]
}

const shapeOf = (s: number) => {
  const app = `app-${s}`
  return {
    app,
    spec: s % 10 === 0 ? (constraints(app)[(s / 10) % 3] ?? {}) : {},
    cpu: `${100 + (s % 20) * 50}m`,
    memory: `${128 + (s % 16) * 128}Mi`,
  }
}

const nodeName = (i: number): string => `node-${String(i).padStart(5, '0')}`

function largeNode(i: number): TestObject {
  const zones = ['a', 'b', 'c']
  const taints = [{ key: 'use', value: 'storage', effect: 'NoSchedule' }]
  return node(nodeName(i), {
    cpu: '16',
    memory: '64Gi',
    labels: {
      'topology.kubernetes.io/zone': zones[i % 3] ?? 'a',
      'gyrarch/pool': `pool-${i % 10}`,
    },
    ...(i % 10 === 9 ? { taints } : {}),
  })
}

function largePod(
  i: number,
  shape: ReturnType<typeof shapeOf>,
  on: string | undefined,
): TestObject {
  const { app, cpu, memory } = shape
  return pod(`ns-${i % 20}/${app}-${i}`, {
    cpu,
    memory,
    labels: { app },
    spec: {
      ...(on === undefined ? {} : { nodeName: on }),
      containers: [{ name: 'main', resources: { requests: { cpu, memory } } }],
      ...shape.spec,
    },
    ...(on === undefined ? {} : { on }),
  })
}

/** Objects of a cluster with as many nodes and pods; pods are of `shapes` shapes, one in ten with spread or affinity. */
export function largeCluster(
  nodes: number,
  running: number,
  waiting: number,
  shapes: number,
): readonly TestObject[] {
  const random = seeded(7)
  const pick = (count: number): number => Math.floor(random() * count)
  const made = Array.from({ length: nodes }, (_, i) => largeNode(i))
  for (let i = 0; i < running; i++) {
    const on = nodeName(pick(nodes))
    made.push(largePod(i, shapeOf(pick(shapes)), on))
  }
  for (let i = 0; i < waiting; i++)
    made.push(largePod(running + i, shapeOf(pick(shapes)), undefined))
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
