/**
 * What the API asks of values beyond their types: which words a field takes, and between which numbers. By the names of the
 * published schemas, so that a rule holds wherever such a field stands.
 * Source: the API reference of Kubernetes and its validation.
 */
import { asText } from '../objects'
import { said } from './says'
import type { Said } from '../contract'

const words = (text: string): readonly string[] => text.split(' ')

const retention = words('Retain Delete')

/** Fields that take one of a few words where no published schema says so. */
const choices: Readonly<Record<string, readonly string[]>> = {
  'meta/apis/meta/v1/LabelSelectorRequirement.operator': words('In NotIn Exists DoesNotExist'),
  'apps/v1/StatefulSetPersistentVolumeClaimRetentionPolicy.whenDeleted': retention,
  'apps/v1/StatefulSetPersistentVolumeClaimRetentionPolicy.whenScaled': retention,
  'autoscaling/v2/MetricSpec.type': words('Object Pods Resource ContainerResource External'),
  'autoscaling/v2/MetricTarget.type': words('Utilization Value AverageValue'),
  'autoscaling/v2/HPAScalingRules.selectPolicy': words('Max Min Disabled'),
  'autoscaling/v2/HPAScalingPolicy.type': words('Pods Percent'),
  'rbac.authorization.k8s.io/v1/Subject.kind': words('User Group ServiceAccount'),
  'rbac.authorization.k8s.io/v1/RoleRef.kind': words('Role ClusterRole'),
  'apiextensions.k8s.io/v1/CustomResourceDefinitionSpec.scope': words('Cluster Namespaced'),
  'admissionregistration.k8s.io/v1/MutatingWebhook.sideEffects': words('None NoneOnDryRun'),
  'admissionregistration.k8s.io/v1/ValidatingWebhook.sideEffects': words('None NoneOnDryRun'),
}

const endless = Number.MAX_SAFE_INTEGER
const port: readonly [number, number] = [1, 65_535]
const natural: readonly [number, number] = [0, endless]
const fromOne: readonly [number, number] = [1, endless]
const percent: readonly [number, number] = [1, 100]
const user: readonly [number, number] = [0, 2 ** 31 - 1]
const fileMode: readonly [number, number] = [0, 0o777]
/** The ports of nodes that services may have. */
export const nodePortRange = [30_000, 32_767] as const

/** Fields that take numbers between two, both included. */
const limits: Readonly<Record<string, readonly [number, number]>> = {
  'v1/ContainerPort.containerPort': port,
  'v1/ContainerPort.hostPort': port,
  'v1/ServicePort.port': port,
  'v1/ServicePort.targetPort': port,
  'v1/ServicePort.nodePort': nodePortRange,
  'v1/ServiceSpec.healthCheckNodePort': nodePortRange,
  'v1/HTTPGetAction.port': port,
  'v1/TCPSocketAction.port': port,
  'v1/GRPCAction.port': port,
  'networking.k8s.io/v1/NetworkPolicyPort.port': port,
  'networking.k8s.io/v1/NetworkPolicyPort.endPort': port,
  'networking.k8s.io/v1/ServiceBackendPort.number': port,
  'discovery.k8s.io/v1/EndpointPort.port': port,
  'v1/ClientIPConfig.timeoutSeconds': [1, 86_400],
  ...Object.fromEntries(
    [
      'v1/Probe.initialDelaySeconds',
      'v1/Probe.timeoutSeconds',
      'v1/Probe.periodSeconds',
      'v1/Probe.successThreshold',
      'v1/Probe.failureThreshold',
      'v1/PodSpec.terminationGracePeriodSeconds',
      'v1/ReplicationControllerSpec.replicas',
      ...['DeploymentSpec', 'ReplicaSetSpec', 'StatefulSetSpec'].map(
        (type) => `apps/v1/${type}.replicas`,
      ),
      ...['DeploymentSpec', 'ReplicaSetSpec', 'StatefulSetSpec', 'DaemonSetSpec'].map(
        (type) => `apps/v1/${type}.minReadySeconds`,
      ),
      ...['DeploymentSpec', 'StatefulSetSpec', 'DaemonSetSpec'].map(
        (type) => `apps/v1/${type}.revisionHistoryLimit`,
      ),
      'apps/v1/DeploymentSpec.progressDeadlineSeconds',
      'apps/v1/RollingUpdateStatefulSetStrategy.partition',
      'apps/v1/StatefulSetOrdinals.start',
      'batch/v1/JobSpec.activeDeadlineSeconds',
      'batch/v1/JobSpec.backoffLimit',
      'batch/v1/JobSpec.backoffLimitPerIndex',
      'batch/v1/JobSpec.maxFailedIndexes',
      'batch/v1/JobSpec.completions',
      'batch/v1/JobSpec.parallelism',
      'batch/v1/JobSpec.ttlSecondsAfterFinished',
      'batch/v1/CronJobSpec.startingDeadlineSeconds',
      'batch/v1/CronJobSpec.successfulJobsHistoryLimit',
      'batch/v1/CronJobSpec.failedJobsHistoryLimit',
    ].map((field) => [field, natural]),
  ),
  'v1/PodSpec.activeDeadlineSeconds': [1, 2 ** 31 - 1],
  'autoscaling/v2/HorizontalPodAutoscalerSpec.minReplicas': fromOne,
  'autoscaling/v2/HorizontalPodAutoscalerSpec.maxReplicas': fromOne,
  'autoscaling/v2/HPAScalingRules.stabilizationWindowSeconds': [0, 3600],
  'autoscaling/v2/HPAScalingPolicy.value': fromOne,
  'autoscaling/v2/HPAScalingPolicy.periodSeconds': [1, 1800],
  'autoscaling/v2/MetricTarget.averageUtilization': fromOne,
  'v1/PreferredSchedulingTerm.weight': percent,
  'v1/WeightedPodAffinityTerm.weight': percent,
  'v1/TopologySpreadConstraint.maxSkew': fromOne,
  'v1/TopologySpreadConstraint.minDomains': fromOne,
  'v1/SecurityContext.runAsUser': user,
  'v1/SecurityContext.runAsGroup': user,
  'v1/PodSecurityContext.runAsUser': user,
  'v1/PodSecurityContext.runAsGroup': user,
  'v1/PodSecurityContext.fsGroup': user,
  'v1/ConfigMapVolumeSource.defaultMode': fileMode,
  'v1/SecretVolumeSource.defaultMode': fileMode,
  'v1/ProjectedVolumeSource.defaultMode': fileMode,
  'v1/DownwardAPIVolumeSource.defaultMode': fileMode,
  'v1/KeyToPath.mode': fileMode,
  'scheduling.k8s.io/v1/PriorityClass.value': [-2_147_483_648, 1_000_000_000],
  'admissionregistration.k8s.io/v1/MutatingWebhook.timeoutSeconds': [1, 30],
  'admissionregistration.k8s.io/v1/ValidatingWebhook.timeoutSeconds': [1, 30],
}

/** Zero stands for *not given* in these. */
const zeroIsNone = new Set([
  'v1/ServicePort.nodePort',
  'v1/ServiceSpec.healthCheckNodePort',
  'v1/ContainerPort.hostPort',
  'v1/ServicePort.targetPort',
])

/** What is wrong with the value of a field, or null. */
export function valueWrong(type: string, field: string, value: unknown): Said | null {
  const key = `${type}.${field}`
  const taken = Object.hasOwn(choices, key) ? choices[key] : undefined
  if (taken) {
    const wrong = [value].flat().find((word) => typeof word === 'string' && !taken.includes(word))
    if (wrong !== undefined)
      return said('value-choice', {
        value: asText(wrong),
        taken: taken.filter((word) => word !== ''),
      })
  }
  const limit = Object.hasOwn(limits, key) ? limits[key] : undefined
  if (
    limit &&
    typeof value === 'number' &&
    (value < limit[0] || value > limit[1]) &&
    !(value === 0 && zeroIsNone.has(key))
  )
    return said('value-limit', {
      value,
      from: limit[0],
      to: limit[1] === endless ? null : limit[1],
    })
  if (
    (field === 'port' || field === 'targetPort') &&
    typeof value === 'string' &&
    /^v1\/(ServicePort|HTTPGetAction|TCPSocketAction)$/.test(type) &&
    !isPortName(value)
  )
    return said('port-name', { name: value })
  return null
}

/** A port’s name. Source: RFC 6335, section 5.1. */
export const isPortName = (name: string): boolean =>
  name.length <= 15 && /^(?=.*[a-z])[a-z0-9]+(-[a-z0-9]+)*$/.test(name)
