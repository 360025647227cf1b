/**
 * What every cluster has without anybody writing it: the roles that the open API keeps for people, and an account in each
 * namespace for pods that name none. Whoever writes one of them has it as written. Source: the Kubernetes reference, Using
 * RBAC Authorization, default roles and role bindings.
 */
import type { Cluster, Manifest } from '../cluster-state'
import { objectKey } from './manifests'

const rbacGroup = 'rbac.authorization.k8s.io'
const rbac = `${rbacGroup}/v1`

const reading = ['get', 'list', 'watch']
const writing = ['create', 'delete', 'deletecollection', 'patch', 'update']

/** What a team works with in its namespace, by API group. */
const worked: Readonly<Record<string, readonly string[]>> = {
  '': [
    'configmaps',
    'events',
    'persistentvolumeclaims',
    'pods',
    'serviceaccounts',
    'services',
    'services/status',
  ],
  apps: [
    'daemonsets',
    'deployments',
    'deployments/scale',
    'replicasets',
    'replicasets/scale',
    'statefulsets',
    'statefulsets/scale',
  ],
  autoscaling: ['horizontalpodautoscalers'],
  batch: ['cronjobs', 'jobs'],
  'networking.k8s.io': ['ingresses', 'networkpolicies'],
  policy: ['poddisruptionbudgets'],
}
/** What is only looked at. */
const lookedAt: Readonly<Record<string, readonly string[]>> = {
  '': ['limitranges', 'namespaces', 'pods/log', 'pods/status', 'resourcequotas'],
  'discovery.k8s.io': ['endpointslices'],
  'events.k8s.io': ['events'],
}

const rulesFor = (resources: Readonly<Record<string, readonly string[]>>, verbs: string[]) =>
  Object.entries(resources).map(([group, plurals]) => ({
    apiGroups: [group],
    resources: [...plurals],
    verbs,
  }))

const views = [...rulesFor(worked, reading), ...rulesFor(lookedAt, reading)]
const edits = [
  ...views,
  ...rulesFor(worked, writing),
  { apiGroups: [''], resources: ['secrets'], verbs: [...reading, ...writing] },
  { apiGroups: [''], resources: ['pods/eviction', 'serviceaccounts/token'], verbs: ['create'] },
  { apiGroups: [''], resources: ['serviceaccounts'], verbs: ['impersonate'] },
]
const administers = [
  ...edits,
  {
    apiGroups: [rbacGroup],
    resources: ['roles', 'rolebindings'],
    verbs: [...reading, ...writing],
  },
]
const everything = [
  { apiGroups: ['*'], resources: ['*'], verbs: ['*'] },
  { nonResourceURLs: ['*'], verbs: ['*'] },
]

const labels = { 'kubernetes.io/bootstrapping': 'rbac-defaults' }
const role = (name: string, rules: readonly unknown[]): Manifest => ({
  apiVersion: rbac,
  kind: 'ClusterRole',
  metadata: { name, labels },
  rules,
})

const roles: readonly Manifest[] = [
  role('cluster-admin', everything),
  role('admin', administers),
  role('edit', edits),
  role('view', views),
  {
    apiVersion: rbac,
    kind: 'ClusterRoleBinding',
    metadata: { name: 'cluster-admin', labels },
    roleRef: { apiGroup: rbacGroup, kind: 'ClusterRole', name: 'cluster-admin' },
    subjects: [{ kind: 'Group', apiGroup: rbacGroup, name: 'system:masters' }],
  },
]

const account = (namespace: string): Manifest => ({
  apiVersion: 'v1',
  kind: 'ServiceAccount',
  metadata: { name: 'default', namespace },
})

/** The objects of a cluster that are there by themselves, without those that somebody has written. */
export function standardObjects(cluster: Cluster): readonly Manifest[] {
  const written = new Set((cluster.objects ?? []).map(objectKey))
  return [...roles, ...cluster.namespaces.map(account)].filter(
    (object) => !written.has(objectKey(object)),
  )
}

/** The object of a key, as it was written or as it is there by itself. */
export const keptObject = (cluster: Cluster, key: string): Manifest | undefined =>
  [...(cluster.objects ?? []), ...standardObjects(cluster)].find(
    (object) => objectKey(object) === key,
  )
