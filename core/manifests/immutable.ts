/**
 * Fields that the API does not let anybody change once an object is there. Source: the update validation of Kubernetes.
 */
import { record } from '../objects'
import type { FieldChange } from './diff'
import type { WrittenObject } from './parse'

/** Where nothing may change, by kind; where only some of it may, what may. */
const fixed: Readonly<
  Record<string, { readonly below: readonly string[]; readonly but?: readonly string[] }>
> = {
  Deployment: { below: ['/spec/selector'] },
  ReplicaSet: { below: ['/spec/selector'] },
  DaemonSet: { below: ['/spec/selector'] },
  StatefulSet: {
    below: ['/spec'],
    but: [
      '/spec/replicas',
      '/spec/ordinals',
      '/spec/template',
      '/spec/updateStrategy',
      '/spec/persistentVolumeClaimRetentionPolicy',
      '/spec/minReadySeconds',
      '/spec/revisionHistoryLimit',
    ],
  },
  Job: {
    below: ['/spec/selector', '/spec/template', '/spec/completionMode', '/spec/completions'],
  },
  Pod: {
    below: ['/spec'],
    but: [
      '/spec/activeDeadlineSeconds',
      '/spec/terminationGracePeriodSeconds',
      '/spec/tolerations',
      '/spec/schedulingGates',
    ],
  },
  PersistentVolumeClaim: {
    below: ['/spec'],
    but: ['/spec/resources', '/spec/volumeAttributesClassName'],
  },
  RoleBinding: { below: ['/roleRef'] },
  ClusterRoleBinding: { below: ['/roleRef'] },
  StorageClass: {
    below: ['/provisioner', '/parameters', '/reclaimPolicy', '/volumeBindingMode'],
  },
  PriorityClass: { below: ['/value', '/preemptionPolicy'] },
  Secret: { below: ['/type'] },
  IngressClass: { below: ['/spec/controller'] },
}

const isAt = (path: string, root: string): boolean => path === root || path.startsWith(`${root}/`)

/** The changes of an object’s fields that its API would refuse because the field stands for good. */
export function immutableChanges(
  object: WrittenObject,
  live: Readonly<Record<string, unknown>>,
  changes: readonly FieldChange[],
): readonly FieldChange[] {
  if (
    (object.kind === 'ConfigMap' || object.kind === 'Secret') &&
    live['immutable'] === true &&
    changes.length > 0
  )
    return changes.filter(({ path }) => !path.startsWith('/metadata/'))
  if (object.kind === 'Service') {
    const spec = record(live['spec'])
    return changes.filter(
      ({ path, wanted }) =>
        isAt(path, '/spec/clusterIP') &&
        typeof spec['clusterIP'] === 'string' &&
        spec['clusterIP'] !== '' &&
        wanted !== undefined &&
        record(object['spec'])['type'] !== 'ExternalName',
    )
  }
  const rule = Object.hasOwn(fixed, object.kind) ? fixed[object.kind] : undefined
  if (!rule) return []
  return changes.filter(
    ({ path }) =>
      rule.below.some((root) => isAt(path, root)) &&
      !(rule.but ?? []).some((root) => isAt(path, root)) &&
      !(object.kind === 'Pod' && /\/(initContainers|containers)\/\[[^\]]*\]\/image$/.test(path)),
  )
}
