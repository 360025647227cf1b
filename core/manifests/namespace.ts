/** A namespace for a team: its level, what it may use, its quota, what pods ask that say nothing, and who rolls out in it. */
import type { ApiObject } from '../objects'
import { sizeAllowance, storageAllowance } from './allowances'

/** The label by which the pod security standards are enforced in a namespace. */
export const levelLabel = 'pod-security.kubernetes.io/enforce'

export const securityLevels = ['privileged', 'baseline', 'restricted'] as const

export interface TeamNamespace {
  readonly name: string
  readonly level: (typeof securityLevels)[number]
  /** Quantities, as in `500m` and `16Gi`. */
  readonly cpu: string
  readonly memory: string
  readonly pods: string
  /** Machine sizes and storage classes it may use; none is no limit. */
  readonly sizes: readonly string[]
  readonly classes: readonly string[]
  /** Who may roll out in it; empty is nobody besides those who may already. */
  readonly group: string
}

const rbac = 'rbac.authorization.k8s.io'

const allowancesOf = ({ sizes, classes }: TeamNamespace): Readonly<Record<string, string>> => ({
  ...(sizes.length > 0 ? { [sizeAllowance]: sizes.join(',') } : {}),
  ...(classes.length > 0 ? { [storageAllowance]: classes.join(',') } : {}),
})

function rollOutObjects(namespace: string, group: string): readonly ApiObject[] {
  const role = 'roll-out'
  return [
    {
      apiVersion: `${rbac}/v1`,
      kind: 'Role',
      metadata: { name: role, namespace },
      rules: [
        { apiGroups: ['apps', 'batch'], resources: ['*'], verbs: ['*'] },
        {
          apiGroups: [''],
          resources: ['pods', 'pods/log', 'services', 'configmaps'],
          verbs: ['*'],
        },
      ],
    },
    {
      apiVersion: `${rbac}/v1`,
      kind: 'RoleBinding',
      metadata: { name: group, namespace },
      roleRef: { apiGroup: rbac, kind: 'Role', name: role },
      subjects: [{ apiGroup: rbac, kind: 'Group', name: group }],
    },
  ]
}

/** The objects of a team's namespace, in the order in which they are applied. */
export function namespaceObjects(team: TeamNamespace): readonly ApiObject[] {
  const { name, level, cpu, memory, pods, group } = team
  const annotations = allowancesOf(team)
  return [
    {
      apiVersion: 'v1',
      kind: 'Namespace',
      metadata: {
        name,
        labels: { [levelLabel]: level },
        ...(Object.keys(annotations).length > 0 ? { annotations } : {}),
      },
    },
    {
      apiVersion: 'v1',
      kind: 'ResourceQuota',
      metadata: { name: 'room', namespace: name },
      spec: { hard: { 'requests.cpu': cpu, 'requests.memory': memory, pods } },
    },
    {
      apiVersion: 'v1',
      kind: 'LimitRange',
      metadata: { name: 'usual', namespace: name },
      spec: {
        limits: [{ type: 'Container', defaultRequest: { cpu: '100m', memory: '128Mi' } }],
      },
    },
    ...(group === '' ? [] : rollOutObjects(name, group)),
  ]
}
