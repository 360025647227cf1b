/**
 * Versions of the open API and the releases that serve them. Source: the deprecated API migration guide of Kubernetes,
 * as computations 9 lists it.
 */

export interface Removal {
  readonly apiVersion: string
  readonly kinds: readonly string[]
  /** The first minor release that does not serve it any more. */
  readonly removedIn: string
  readonly successor: string | null
  /** The first minor release that serves the successor. */
  readonly successorFrom: string | null
}

const row = (
  removedIn: string,
  apiVersion: string,
  kinds: string,
  successor: string | null,
  successorFrom: string | null,
): Removal => ({ removedIn, apiVersion, kinds: kinds.split(' '), successor, successorFrom })

const reviews =
  'LocalSubjectAccessReview SelfSubjectAccessReview SelfSubjectRulesReview SubjectAccessReview'

export const removals: readonly Removal[] = [
  row('1.16', 'extensions/v1beta1', 'Deployment DaemonSet ReplicaSet', 'apps/v1', '1.9'),
  row('1.16', 'apps/v1beta1', 'Deployment StatefulSet', 'apps/v1', '1.9'),
  row('1.16', 'apps/v1beta2', 'Deployment DaemonSet ReplicaSet StatefulSet', 'apps/v1', '1.9'),
  row('1.16', 'extensions/v1beta1', 'NetworkPolicy', 'networking.k8s.io/v1', '1.7'),
  row('1.16', 'extensions/v1beta1', 'PodSecurityPolicy', 'policy/v1beta1', '1.10'),
  ...(
    [
      [
        'admissionregistration.k8s.io',
        'MutatingWebhookConfiguration ValidatingWebhookConfiguration',
      ],
      ['apiextensions.k8s.io', 'CustomResourceDefinition'],
      ['apiregistration.k8s.io', 'APIService'],
      ['authentication.k8s.io', 'TokenReview'],
      ['authorization.k8s.io', reviews],
      ['certificates.k8s.io', 'CertificateSigningRequest'],
      ['coordination.k8s.io', 'Lease'],
      ['networking.k8s.io', 'Ingress IngressClass'],
      ['rbac.authorization.k8s.io', 'Role ClusterRole RoleBinding ClusterRoleBinding'],
      ['scheduling.k8s.io', 'PriorityClass'],
      ['storage.k8s.io', 'CSIDriver CSINode StorageClass VolumeAttachment'],
    ] as const
  ).map(([group, kinds]) => row('1.22', `${group}/v1beta1`, kinds, `${group}/v1`, '1.19')),
  row('1.22', 'extensions/v1beta1', 'Ingress', 'networking.k8s.io/v1', '1.19'),
  row('1.25', 'batch/v1beta1', 'CronJob', 'batch/v1', '1.21'),
  row('1.25', 'discovery.k8s.io/v1beta1', 'EndpointSlice', 'discovery.k8s.io/v1', '1.21'),
  row('1.25', 'events.k8s.io/v1beta1', 'Event', 'events.k8s.io/v1', '1.19'),
  row('1.25', 'policy/v1beta1', 'PodDisruptionBudget', 'policy/v1', '1.21'),
  row('1.25', 'node.k8s.io/v1beta1', 'RuntimeClass', 'node.k8s.io/v1', '1.20'),
  row('1.25', 'policy/v1beta1', 'PodSecurityPolicy', null, null),
  row('1.25', 'autoscaling/v2beta1', 'HorizontalPodAutoscaler', 'autoscaling/v2', '1.23'),
  row('1.26', 'autoscaling/v2beta2', 'HorizontalPodAutoscaler', 'autoscaling/v2', '1.23'),
  ...(
    [
      ['1.26', 'v1beta1'],
      ['1.29', 'v1beta2'],
      ['1.32', 'v1beta3'],
    ] as const
  ).map(([release, version]) =>
    row(
      release,
      `flowcontrol.apiserver.k8s.io/${version}`,
      'FlowSchema PriorityLevelConfiguration',
      'flowcontrol.apiserver.k8s.io/v1',
      '1.29',
    ),
  ),
  row('1.27', 'storage.k8s.io/v1beta1', 'CSIStorageCapacity', 'storage.k8s.io/v1', '1.24'),
]

/** Releases as numbers to compare: 1.9 comes before 1.10. */
const minorOf = (release: string): number => {
  const [major = 0, minor = 0] = release.split('.').map(Number)
  return major * 1000 + minor
}

const rows = new Map(
  removals.flatMap((removal) =>
    removal.kinds.map((kind) => [`${removal.apiVersion} ${kind}`, removal] as const),
  ),
)

/** The row of a version of a kind; undefined for what is not known to go. */
export const removalOf = (apiVersion: string, kind: string): Removal | undefined =>
  rows.get(`${apiVersion} ${kind}`)

/** What is gone at a minor release. */
export const removalsUntil = (release: string): readonly Removal[] =>
  removals.filter((removal) => !isServedUntil(removal, release))

/** Whether a minor release serves what takes the place of what a row names. */
export const servesSuccessor = ({ successorFrom }: Removal, release: string): boolean =>
  successorFrom !== null && minorOf(release) >= minorOf(successorFrom)

/** Whether a minor release still serves what a row names. */
export const isServedUntil = ({ removedIn }: Removal, release: string): boolean =>
  minorOf(release) < minorOf(removedIn)

/** What the API of a release says to a version of a kind that it does not serve; null where nothing speaks against it. */
export function removedAt(
  apiVersion: string,
  kind: string,
  release: string,
): { readonly removal: Removal; readonly successorIsServed: boolean } | null {
  const removal = removals.find(
    (candidate) => candidate.apiVersion === apiVersion && candidate.kinds.includes(kind),
  )
  if (!removal || minorOf(release) < minorOf(removal.removedIn)) return null
  return {
    removal,
    successorIsServed:
      removal.successorFrom !== null && minorOf(release) >= minorOf(removal.successorFrom),
  }
}

/** The release that first serves a version that has taken the place of another, or null where it is older than those. */
export function notYetAt(apiVersion: string, kind: string, release: string): string | null {
  const since = removals
    .filter((removal) => removal.successor === apiVersion && removal.kinds.includes(kind))
    .map((removal) => removal.successorFrom ?? '')
    .sort((a, b) => minorOf(b) - minorOf(a))[0]
  return since !== undefined && minorOf(release) < minorOf(since) ? since : null
}
