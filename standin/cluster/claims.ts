/** The claims that pods use, and those that stateful workloads make for theirs. */
import type { Cluster, Manifest, Pod, Workload } from '../cluster-state'
import { list, manifestOf, record as fields, templateOf, text } from './manifests'

export const claimNamed = (
  cluster: Cluster,
  namespace: string,
  name: string,
): Manifest | undefined =>
  (cluster.objects ?? []).find(
    (object) =>
      object.kind === 'PersistentVolumeClaim' &&
      object.metadata.namespace === namespace &&
      object.metadata.name === name,
  )

/** A stateful workload’s own volumes of one of its pods: by the name in the pod, the claim. */
export function ownClaims(
  workload: Workload,
  pod: Pod,
): readonly { readonly volume: string; readonly claim: string; readonly spec: unknown }[] {
  return list(fields(manifestOf(workload)['spec'])['volumeClaimTemplates']).map((entry) => {
    const volume = text(fields(fields(entry)['metadata'])['name'])
    return { volume, claim: `${volume}-${pod.name}`, spec: fields(entry)['spec'] }
  })
}

/** Whether pods of a workload use any claim, whichever template they are of. */
export function mountsClaims(workload: Workload): boolean {
  const templates = [templateOf(workload), ...(workload.revisions ?? []).map((old) => old.template)]
  return (
    list(fields(manifestOf(workload)['spec'])['volumeClaimTemplates']).length > 0 ||
    templates.some((template) =>
      list(fields(fields(template)['spec'])['volumes']).some(
        (volume) => fields(volume)['persistentVolumeClaim'] !== undefined,
      ),
    )
  )
}

/** The names of the claims a pod uses: those of its template, and those a stateful workload makes for it. */
export function claimsOf(workload: Workload, pod: Pod): readonly string[] {
  const spec = fields(templateOf(workload, pod.hash)['spec'])
  return [
    ...ownClaims(workload, pod).map(({ claim }) => claim),
    ...list(spec['volumes']).flatMap(
      (entry) => text(fields(fields(entry)['persistentVolumeClaim'])['claimName']) || [],
    ),
  ]
}

/** A stateful workload’s claims for one of its pods, made where they are not there yet. They outlive the pod. */
export function makeClaims(cluster: Cluster, workload: Workload, pod: Pod): void {
  for (const { claim, spec } of ownClaims(workload, pod)) {
    if (claimNamed(cluster, pod.namespace, claim)) continue
    cluster.objects = [
      ...(cluster.objects ?? []),
      {
        apiVersion: 'v1',
        kind: 'PersistentVolumeClaim',
        metadata: { name: claim, namespace: pod.namespace, labels: { app: workload.name } },
        spec: fields(spec),
      },
    ]
  }
}
