/** What an object names that must be somewhere: accounts, configuration, claims, classes, targets. */
import { type Json, list, record } from '../objects'
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
      return { template: object as unknown as Json, path: '' }
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

/** Everything an object refers to by name; references marked optional are left out. */
export function referencesOf(object: WrittenObject): readonly Reference[] {
  const namespace = object.metadata.namespace ?? 'default'
  const references: Reference[] = []
  const add = (kind: string, name: string | null, path: string, wide = false): void => {
    if (name !== null) references.push({ kind, name, namespace: wide ? null : namespace, path })
  }
  const inTemplate = templateOf(object)
  if (inTemplate) {
    const spec = record(inTemplate.template['spec'])
    const path = inTemplate.path === '' ? 'spec' : `${inTemplate.path}.spec`
    const account = text(spec['serviceAccountName'])
    if (account !== 'default') add('ServiceAccount', account, `${path}.serviceAccountName`)
    add('PriorityClass', text(spec['priorityClassName']), `${path}.priorityClassName`, true)
    list(spec['volumes']).forEach((volume, i) => {
      const entry = record(volume)
      if (record(entry['configMap'])['optional'] !== true)
        add(
          'ConfigMap',
          text(record(entry['configMap'])['name']),
          `${path}.volumes[${i}].configMap.name`,
        )
      if (record(entry['secret'])['optional'] !== true)
        add(
          'Secret',
          text(record(entry['secret'])['secretName']),
          `${path}.volumes[${i}].secret.secretName`,
        )
      add(
        'PersistentVolumeClaim',
        text(record(entry['persistentVolumeClaim'])['claimName']),
        `${path}.volumes[${i}].persistentVolumeClaim.claimName`,
      )
    })
    list(spec['containers']).forEach((container, c) => {
      list(record(container)['envFrom']).forEach((from, i) => {
        const entry = record(from)
        if (record(entry['configMapRef'])['optional'] !== true)
          add(
            'ConfigMap',
            text(record(entry['configMapRef'])['name']),
            `${path}.containers[${c}].envFrom[${i}].configMapRef.name`,
          )
        if (record(entry['secretRef'])['optional'] !== true)
          add(
            'Secret',
            text(record(entry['secretRef'])['name']),
            `${path}.containers[${c}].envFrom[${i}].secretRef.name`,
          )
      })
      list(record(container)['env']).forEach((variable, i) => {
        const from = record(record(variable)['valueFrom'])
        add(
          'ConfigMap',
          text(record(from['configMapKeyRef'])['name']),
          `${path}.containers[${c}].env[${i}].valueFrom.configMapKeyRef.name`,
        )
        add(
          'Secret',
          text(record(from['secretKeyRef'])['name']),
          `${path}.containers[${c}].env[${i}].valueFrom.secretKeyRef.name`,
        )
      })
    })
  }
  const spec = record(object['spec'])
  if (object.kind === 'HorizontalPodAutoscaler')
    add(
      text(record(spec['scaleTargetRef'])['kind']) ?? 'Deployment',
      text(record(spec['scaleTargetRef'])['name']),
      'spec.scaleTargetRef.name',
    )
  if (object.kind === 'PersistentVolumeClaim')
    add('StorageClass', text(spec['storageClassName']), 'spec.storageClassName', true)
  if (object.kind === 'RoleBinding' || object.kind === 'ClusterRoleBinding') {
    const role = record(object['roleRef'])
    add(
      text(role['kind']) ?? 'Role',
      text(role['name']),
      'roleRef.name',
      role['kind'] === 'ClusterRole',
    )
  }
  if (object.kind === 'Ingress') {
    list(spec['rules']).forEach((rule, r) =>
      list(record(record(rule)['http'])['paths']).forEach((path, p) =>
        add(
          'Service',
          text(record(record(record(path)['backend'])['service'])['name']),
          `spec.rules[${r}].http.paths[${p}].backend.service.name`,
        ),
      ),
    )
  }
  return references
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
