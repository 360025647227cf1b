/** Small random worlds of nodes and pods: few of everything, so that all rules meet. The same seed, the same world. */
import { seeded } from '../../units'

export interface TestObject {
  readonly kind: string
  readonly metadata: Readonly<Record<string, unknown>>
  readonly [field: string]: unknown
}

export function node(
  name: string,
  more: {
    cpu?: string
    memory?: string
    pods?: string
    labels?: Record<string, string>
    taints?: unknown[]
    cordoned?: boolean
    extended?: Record<string, string>
  } = {},
): TestObject {
  return {
    kind: 'Node',
    metadata: { name, labels: { 'kubernetes.io/hostname': name, ...more.labels } },
    spec: { ...(more.cordoned === true ? { unschedulable: true } : {}), taints: more.taints ?? [] },
    status: {
      allocatable: {
        cpu: more.cpu ?? '4',
        memory: more.memory ?? '8Gi',
        pods: more.pods ?? '110',
        ...more.extended,
      },
    },
  }
}

export function pod(
  key: string,
  more: {
    cpu?: string
    memory?: string
    on?: string
    labels?: Record<string, string>
    spec?: Record<string, unknown>
    metadata?: Record<string, unknown>
    status?: Record<string, unknown>
    extended?: Record<string, string>
  } = {},
): TestObject {
  const [namespace = 'default', name = key] = key.includes('/') ? key.split('/') : ['default', key]
  const requests = {
    ...(more.cpu === undefined ? {} : { cpu: more.cpu }),
    ...(more.memory === undefined ? {} : { memory: more.memory }),
    ...more.extended,
  }
  return {
    kind: 'Pod',
    metadata: { name, namespace, labels: more.labels ?? {}, ...more.metadata },
    spec: {
      ...(more.on === undefined ? {} : { nodeName: more.on }),
      containers: [{ name: 'main', resources: { requests } }],
      ...more.spec,
    },
    status: more.status ?? { phase: more.on === undefined ? 'Pending' : 'Running' },
  }
}

export function randomWorld(seed: number): readonly TestObject[] {
  const random = seeded(seed)
  const pick = <T>(items: readonly T[]): T => items[Math.floor(random() * items.length)] as T
  const chance = (share: number): boolean => random() < share
  const zones = ['a', 'b', 'c']
  const apps = ['beans', 'kale', 'leek']
  const keys = ['topology.kubernetes.io/zone', 'kubernetes.io/hostname', 'shelf']
  const count = 2 + Math.floor(random() * 6)
  const nodes = Array.from({ length: count }, (_, i) =>
    node(`n${(i + 3) % count}`, {
      cpu: pick(['1', '2', '3500m']),
      memory: pick(['1Gi', '2Gi', '4Gi']),
      pods: pick(['3', '8', '110']),
      labels: {
        ...(chance(0.9) ? { 'topology.kubernetes.io/zone': pick(zones) } : {}),
        ...(chance(0.5) ? { shelf: pick(['1', '2', '3']) } : {}),
      },
      taints: [
        ...(chance(0.2)
          ? [
              {
                key: 'use',
                value: 'storage',
                effect: pick(['NoSchedule', 'PreferNoSchedule', 'NoExecute']),
              },
            ]
          : []),
        ...(chance(0.15) ? [{ key: 'wet', effect: 'PreferNoSchedule' }] : []),
      ],
      cordoned: chance(0.1),
      ...(chance(0.3) ? { extended: { 'example.com/lamp': '2' } } : {}),
    }),
  )
  const term = () => ({
    topologyKey: pick(keys),
    labelSelector: chance(0.9) ? { matchLabels: { app: pick(apps) } } : {},
    ...(chance(0.2)
      ? { namespaceSelector: chance(0.5) ? {} : { matchLabels: { team: 'field' } } }
      : {}),
    ...(chance(0.1) ? { namespaces: ['market'] } : {}),
  })
  const make = (i: number, on: string | undefined): TestObject => {
    const app = pick(apps)
    const spec: Record<string, unknown> = {}
    if (chance(0.2))
      spec['tolerations'] = [
        pick<unknown>([
          { operator: 'Exists' },
          { key: 'use', operator: 'Equal', value: 'storage' },
          { key: 'use', operator: 'Exists', effect: 'NoSchedule' },
          { key: 'node.kubernetes.io/unschedulable', operator: 'Exists' },
        ]),
      ]
    if (chance(0.15)) spec['nodeSelector'] = { 'topology.kubernetes.io/zone': pick(zones) }
    const affinity: Record<string, unknown> = {}
    if (chance(0.25)) {
      affinity['nodeAffinity'] = {
        ...(chance(0.5)
          ? {
              requiredDuringSchedulingIgnoredDuringExecution: {
                nodeSelectorTerms: [
                  {
                    matchExpressions: [
                      {
                        key: 'shelf',
                        operator: pick(['In', 'NotIn', 'Exists', 'DoesNotExist']),
                        values: ['1', '2'],
                      },
                    ],
                  },
                  ...(chance(0.3)
                    ? [
                        {
                          matchExpressions: [
                            { key: 'shelf', operator: pick(['Gt', 'Lt']), values: ['2'] },
                          ],
                        },
                      ]
                    : []),
                ],
              },
            }
          : {}),
        preferredDuringSchedulingIgnoredDuringExecution: [
          {
            weight: 5,
            preference: {
              matchExpressions: [
                { key: 'topology.kubernetes.io/zone', operator: 'In', values: [pick(zones)] },
              ],
            },
          },
          { weight: 3, preference: { matchExpressions: [{ key: 'shelf', operator: 'Exists' }] } },
        ],
      }
    }
    if (chance(0.2))
      affinity['podAffinity'] = {
        ...(chance(0.6)
          ? {
              requiredDuringSchedulingIgnoredDuringExecution: chance(0.2)
                ? [term(), term()]
                : [term()],
            }
          : {}),
        ...(chance(0.5)
          ? {
              preferredDuringSchedulingIgnoredDuringExecution: [
                { weight: 4, podAffinityTerm: term() },
              ],
            }
          : {}),
      }
    if (chance(0.2))
      affinity['podAntiAffinity'] = {
        ...(chance(0.6) ? { requiredDuringSchedulingIgnoredDuringExecution: [term()] } : {}),
        ...(chance(0.5)
          ? {
              preferredDuringSchedulingIgnoredDuringExecution: [
                { weight: 7, podAffinityTerm: term() },
              ],
            }
          : {}),
      }
    if (Object.keys(affinity).length > 0) spec['affinity'] = affinity
    if (chance(0.3)) {
      spec['topologySpreadConstraints'] = Array.from({ length: chance(0.2) ? 2 : 1 }, () => ({
        maxSkew: pick([1, 2]),
        topologyKey: pick(keys),
        whenUnsatisfiable: pick(['DoNotSchedule', 'ScheduleAnyway']),
        labelSelector: { matchLabels: { app } },
        ...(chance(0.2) ? { minDomains: 3 } : {}),
        ...(chance(0.2) ? { nodeTaintsPolicy: 'Honor' } : {}),
        ...(chance(0.2) ? { nodeAffinityPolicy: 'Ignore' } : {}),
        ...(chance(0.2) ? { matchLabelKeys: ['version'] } : {}),
      }))
    }
    if (chance(0.1))
      spec['containers'] = [
        {
          name: 'main',
          resources: { requests: { cpu: '100m' } },
          ports: [
            {
              containerPort: 80,
              hostPort: 80,
              ...(chance(0.3) ? { hostIP: pick(['10.0.0.1', '10.0.0.2']) } : {}),
              ...(chance(0.2) ? { protocol: 'UDP' } : {}),
            },
          ],
        },
      ]
    if (chance(0.3)) spec['priority'] = pick([0, 10, 100])
    return pod(`${pick(['market', 'field'])}/${app}-${i}`, {
      ...(chance(0.9) ? { cpu: pick(['100m', '250m', '700m', '1']) } : {}),
      ...(chance(0.8) ? { memory: pick(['64Mi', '300Mi', '1Gi']) } : {}),
      ...(on === undefined ? {} : { on }),
      labels: { app, ...(chance(0.4) ? { version: pick(['1', '2']) } : {}) },
      spec,
      metadata: {
        ...(chance(0.7)
          ? { creationTimestamp: `2026-03-01T0${Math.floor(random() * 5)}:00:00Z` }
          : {}),
        ...(on !== undefined && chance(0.1) ? { deletionTimestamp: '2026-03-02T00:00:00Z' } : {}),
      },
      ...(chance(0.05) ? { status: { phase: 'Succeeded' } } : {}),
      ...(chance(0.1) ? { extended: { 'example.com/lamp': '1' } } : {}),
    })
  }
  const testObjects = Array.from({ length: Math.floor(random() * 8) }, (_, i) =>
    make(i, `n${Math.floor(random() * count)}`),
  )
  const waiting = Array.from({ length: 3 + Math.floor(random() * 10) }, (_, i) =>
    make(100 + i, undefined),
  )
  return [
    ...nodes,
    { kind: 'Namespace', metadata: { name: 'field', labels: { team: 'field' } } },
    ...testObjects,
    ...waiting,
  ]
}
