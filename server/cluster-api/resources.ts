/** The resources that a cluster serves, at which versions, by its release. Source: the Kubernetes API reference. */
import { isServedUntil, notYetAt, removals } from '~/core/manifests'
import { resourcesOf } from '~/core/objects'

export type ApiVerb =
  'create' | 'delete' | 'deletecollection' | 'get' | 'list' | 'patch' | 'update' | 'watch'

export interface Resource {
  /** Empty for the core group. */
  readonly apiGroup: string
  readonly kind: string
  readonly plural: string
  readonly shortNames: readonly string[]
  readonly isNamespaced: boolean
  readonly verbs: readonly ApiVerb[]
  readonly subresources: readonly Subresource[]
  /** As it is meant to be used today. */
  readonly version: string
}

export interface Subresource {
  readonly name: string
  readonly kind: string
  readonly apiVersion?: string
  readonly verbs: readonly ApiVerb[]
}

/** A resource at a version under which a cluster serves it. */
export interface Served {
  readonly resource: Resource
  readonly group: string
  readonly version: string
}

const everything: readonly ApiVerb[] = [
  'create',
  'delete',
  'deletecollection',
  'get',
  'list',
  'patch',
  'update',
  'watch',
]
const status = (kind: string): Subresource => ({
  name: 'status',
  kind,
  verbs: ['get', 'patch', 'update'],
})
const scale: Subresource = {
  name: 'scale',
  kind: 'Scale',
  apiVersion: 'autoscaling/v1',
  verbs: ['get', 'patch', 'update'],
}

interface Row {
  readonly short?: string
  readonly wide?: true
  readonly status?: true
  readonly more?: readonly Subresource[]
}

function resource(apiVersion: string, kind: string, row: Row = {}): Resource {
  const [group = '', version = ''] = apiVersion.includes('/')
    ? apiVersion.split('/')
    : ['', apiVersion]
  return {
    apiGroup: group,
    version,
    kind,
    plural: resourcesOf(kind),
    shortNames: row.short?.split(' ') ?? [],
    isNamespaced: row.wide !== true,
    verbs: everything,
    subresources: [...(row.status ? [status(kind)] : []), ...(row.more ?? [])],
  }
}

const pods: readonly Subresource[] = [
  { name: 'eviction', kind: 'Eviction', apiVersion: 'policy/v1', verbs: ['create'] },
  { name: 'log', kind: 'Pod', verbs: ['get'] },
]
const accountTokens: readonly Subresource[] = [
  {
    name: 'token',
    kind: 'TokenRequest',
    apiVersion: 'authentication.k8s.io/v1',
    verbs: ['create'],
  },
]
const rbac = 'rbac.authorization.k8s.io/v1'
const flows = 'flowcontrol.apiserver.k8s.io/v1'

export const resources: readonly Resource[] = [
  resource('v1', 'Namespace', { short: 'ns', wide: true, status: true }),
  resource('v1', 'Node', { short: 'no', wide: true, status: true }),
  resource('v1', 'Pod', { short: 'po', status: true, more: pods }),
  resource('v1', 'Service', { short: 'svc', status: true }),
  resource('v1', 'ConfigMap', { short: 'cm' }),
  resource('v1', 'Secret'),
  resource('v1', 'ServiceAccount', { short: 'sa', more: accountTokens }),
  resource('v1', 'Event', { short: 'ev' }),
  resource('v1', 'PersistentVolume', { short: 'pv', wide: true, status: true }),
  resource('v1', 'PersistentVolumeClaim', { short: 'pvc', status: true }),
  resource('v1', 'ResourceQuota', { short: 'quota', status: true }),
  resource('v1', 'LimitRange', { short: 'limits' }),
  resource('apps/v1', 'Deployment', { short: 'deploy', status: true, more: [scale] }),
  resource('apps/v1', 'ReplicaSet', { short: 'rs', status: true, more: [scale] }),
  resource('apps/v1', 'StatefulSet', { short: 'sts', status: true, more: [scale] }),
  resource('apps/v1', 'DaemonSet', { short: 'ds', status: true }),
  resource('batch/v1', 'Job', { status: true }),
  resource('batch/v1', 'CronJob', { short: 'cj', status: true }),
  resource('autoscaling/v2', 'HorizontalPodAutoscaler', { short: 'hpa', status: true }),
  resource('policy/v1', 'PodDisruptionBudget', { short: 'pdb', status: true }),
  resource('networking.k8s.io/v1', 'NetworkPolicy', { short: 'netpol' }),
  resource('networking.k8s.io/v1', 'Ingress', { short: 'ing', status: true }),
  resource('networking.k8s.io/v1', 'IngressClass', { wide: true }),
  resource(rbac, 'Role'),
  resource(rbac, 'RoleBinding'),
  resource(rbac, 'ClusterRole', { wide: true }),
  resource(rbac, 'ClusterRoleBinding', { wide: true }),
  resource('storage.k8s.io/v1', 'StorageClass', { short: 'sc', wide: true }),
  resource('storage.k8s.io/v1', 'CSINode', { wide: true }),
  resource('storage.k8s.io/v1', 'CSIDriver', { wide: true }),
  resource('storage.k8s.io/v1', 'CSIStorageCapacity'),
  resource('storage.k8s.io/v1', 'VolumeAttachment', { wide: true, status: true }),
  resource('coordination.k8s.io/v1', 'Lease'),
  resource('events.k8s.io/v1', 'Event', { short: 'ev' }),
  resource('discovery.k8s.io/v1', 'EndpointSlice'),
  resource('scheduling.k8s.io/v1', 'PriorityClass', { short: 'pc', wide: true }),
  resource('node.k8s.io/v1', 'RuntimeClass', { wide: true }),
  resource('admissionregistration.k8s.io/v1', 'ValidatingWebhookConfiguration', { wide: true }),
  resource('admissionregistration.k8s.io/v1', 'MutatingWebhookConfiguration', { wide: true }),
  resource('admissionregistration.k8s.io/v1', 'ValidatingAdmissionPolicy', {
    wide: true,
    status: true,
  }),
  resource('admissionregistration.k8s.io/v1', 'ValidatingAdmissionPolicyBinding', { wide: true }),
  resource('apiextensions.k8s.io/v1', 'CustomResourceDefinition', {
    short: 'crd',
    wide: true,
    status: true,
  }),
  resource(flows, 'FlowSchema', { wide: true, status: true }),
  resource(flows, 'PriorityLevelConfiguration', { wide: true, status: true }),
]

/** What may be created and is answered, but not kept. */
export const reviews = ['SelfSubjectAccessReview', 'SelfSubjectRulesReview'] as const
export const reviewGroup = 'authorization.k8s.io'

const versionText = (group: string, version: string): string =>
  group === '' ? version : `${group}/${version}`

/** The first minor release that serves a policy at admission as it is meant today. */
const policyFrom = 30

function servesToday({ apiGroup, version, kind }: Resource, release: string): boolean {
  if (kind.startsWith('ValidatingAdmissionPolicy'))
    return Number(release.split('.')[1] ?? 0) >= policyFrom
  return notYetAt(versionText(apiGroup, version), kind, release) === null
}

/** Everything that a minor release serves, in the order in which discovery tells it; the version to prefer first. */
export function servedAt(release: string): readonly Served[] {
  const today = resources
    .filter((candidate) => servesToday(candidate, release))
    .map((candidate) => ({
      resource: candidate,
      group: candidate.apiGroup,
      version: candidate.version,
    }))
  const earlier = removals
    .filter((removal) => isServedUntil(removal, release))
    .flatMap((removal) => {
      const [group = '', version = ''] = removal.apiVersion.split('/')
      return removal.kinds.flatMap((kind) => {
        const match = resources.find(
          (candidate) =>
            candidate.kind === kind &&
            (candidate.apiGroup === group ||
              versionText(candidate.apiGroup, candidate.version) === removal.successor),
        )
        return match ? [{ resource: match, group, version }] : []
      })
    })
  return [...today, ...earlier]
}

/** The version of the API that something is served under, as objects name it. */
export const apiVersionOf = ({ group, version }: Pick<Served, 'group' | 'version'>): string =>
  versionText(group, version)
