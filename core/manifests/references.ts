/** What an object names that must be somewhere: accounts, configuration, claims, classes, targets. */
import { type Json, list, record, records } from '../objects'
import type { WrittenObject } from './parse'

const text = (value: unknown): string | null =>
  typeof value === 'string' && value !== '' ? value : null

export interface Reference {
  readonly kind: string
  readonly name: string
  /** Null for what belongs to the whole cluster. */
  readonly namespace: string | null
  readonly path: string
}

export function templateOf(
  object: WrittenObject,
): { readonly template: Json; readonly path: string } | null {
  const spec = record(object['spec'])
  switch (object.kind) {
    case 'Deployment':
    case 'StatefulSet':
    case 'DaemonSet':
    case 'ReplicaSet':
    case 'Job':
      return { template: record(spec['template']), path: 'spec.template' }
    case 'CronJob':
      return {
        template: record(record(record(spec['jobTemplate'])['spec'])['template']),
        path: 'spec.jobTemplate.spec.template',
      }
    case 'Pod':
      return { template: object, path: '' }
    default:
      return null
  }
}

/** Images of the pods that an object makes. */
export function imagesOf(object: WrittenObject): readonly string[] {
  const spec = record(templateOf(object)?.template['spec'])
  return [...list(spec['initContainers']), ...list(spec['containers'])].map(
    (container) => text(record(container)['image']) ?? '',
  )
}

/** Something named at a path; the name is null where nothing is. */
interface Named {
  readonly kind: string
  readonly name: string | null
  readonly path: string
  readonly isClusterWide?: boolean
}

const unlessOptional = (source: Json, field: string): string | null =>
  source['optional'] === true ? null : text(source[field])

const inVolume = (volume: Json, path: string): readonly Named[] => [
  {
    kind: 'ConfigMap',
    name: unlessOptional(record(volume['configMap']), 'name'),
    path: `${path}.configMap.name`,
  },
  {
    kind: 'Secret',
    name: unlessOptional(record(volume['secret']), 'secretName'),
    path: `${path}.secret.secretName`,
  },
  {
    kind: 'PersistentVolumeClaim',
    name: text(record(volume['persistentVolumeClaim'])['claimName']),
    path: `${path}.persistentVolumeClaim.claimName`,
  },
]

function inContainer(container: Json, path: string): readonly Named[] {
  const whole = records(container['envFrom']).flatMap((source, i): readonly Named[] => [
    {
      kind: 'ConfigMap',
      name: unlessOptional(record(source['configMapRef']), 'name'),
      path: `${path}.envFrom[${i}].configMapRef.name`,
    },
    {
      kind: 'Secret',
      name: unlessOptional(record(source['secretRef']), 'name'),
      path: `${path}.envFrom[${i}].secretRef.name`,
    },
  ])
  const single = records(container['env']).flatMap((variable, i): readonly Named[] => {
    const source = record(variable['valueFrom'])
    return [
      {
        kind: 'ConfigMap',
        name: unlessOptional(record(source['configMapKeyRef']), 'name'),
        path: `${path}.env[${i}].valueFrom.configMapKeyRef.name`,
      },
      {
        kind: 'Secret',
        name: unlessOptional(record(source['secretKeyRef']), 'name'),
        path: `${path}.env[${i}].valueFrom.secretKeyRef.name`,
      },
    ]
  })
  return [...whole, ...single]
}

/** What the pods that an object makes refer to. */
function inPods(spec: Json, path: string): readonly Named[] {
  const account = text(spec['serviceAccountName'])
  return [
    {
      kind: 'ServiceAccount',
      name: account === 'default' ? null : account,
      path: `${path}.serviceAccountName`,
    },
    {
      kind: 'PriorityClass',
      name: text(spec['priorityClassName']),
      path: `${path}.priorityClassName`,
      isClusterWide: true,
    },
    ...records(spec['volumes']).flatMap((volume, i) => inVolume(volume, `${path}.volumes[${i}]`)),
    ...records(spec['containers']).flatMap((container, i) =>
      inContainer(container, `${path}.containers[${i}]`),
    ),
  ]
}

/** What an object itself refers to, beside its pods. */
function inObject(object: WrittenObject): readonly Named[] {
  const spec = record(object['spec'])
  switch (object.kind) {
    case 'HorizontalPodAutoscaler': {
      const target = record(spec['scaleTargetRef'])
      return [
        {
          kind: text(target['kind']) ?? 'Deployment',
          name: text(target['name']),
          path: 'spec.scaleTargetRef.name',
        },
      ]
    }
    case 'PersistentVolumeClaim':
      return [
        {
          kind: 'StorageClass',
          name: text(spec['storageClassName']),
          path: 'spec.storageClassName',
          isClusterWide: true,
        },
      ]
    case 'RoleBinding':
    case 'ClusterRoleBinding': {
      const role = record(object['roleRef'])
      return [
        {
          kind: text(role['kind']) ?? 'Role',
          name: text(role['name']),
          path: 'roleRef.name',
          isClusterWide: role['kind'] === 'ClusterRole',
        },
      ]
    }
    case 'Ingress':
      return records(spec['rules']).flatMap((rule, r) =>
        records(record(rule['http'])['paths']).map((path, p) => ({
          kind: 'Service',
          name: text(record(record(path['backend'])['service'])['name']),
          path: `spec.rules[${r}].http.paths[${p}].backend.service.name`,
        })),
      )
    default:
      return []
  }
}

/** Everything an object refers to by name; references marked optional are left out. */
export function referencesOf(object: WrittenObject): readonly Reference[] {
  const namespace = object.metadata.namespace ?? 'default'
  const inTemplate = templateOf(object)
  const path = inTemplate === null || inTemplate.path === '' ? 'spec' : `${inTemplate.path}.spec`
  const named = [
    ...(inTemplate ? inPods(record(inTemplate.template['spec']), path) : []),
    ...inObject(object),
  ]
  return named.flatMap(({ kind, name, path, isClusterWide = false }) =>
    name === null ? [] : [{ kind, name, namespace: isClusterWide ? null : namespace, path }],
  )
}

/** Labels of nodes that pods of an object insist on. */
export const wantedNodeLabels = (object: WrittenObject): Readonly<Record<string, string>> => {
  const template = templateOf(object)
  const selector = record(record(template?.template['spec'])['nodeSelector'])
  return Object.fromEntries(
    Object.entries(selector).filter(
      (entry): entry is [string, string] => typeof entry[1] === 'string',
    ),
  )
}
