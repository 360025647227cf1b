/**
 * The shape of a pod: everything about it that placement asks, compiled once and shared by all pods that are alike.
 */
import {
  podRequest,
  selectorTest,
  type Labels,
  type LabelSelector,
  type NamespaceObject,
  type PodObject,
  type PodSpec,
  type PodTerm,
  type SpreadConstraint,
  type Toleration,
} from '../objects'

/** Which pods a term means, and over which domains of nodes. */
export interface Term {
  /** Equal for terms that mean the same pods. */
  readonly means: string
  readonly topologyKey: string
  readonly matches: (namespace: string, labels: Labels) => boolean
}

export interface Spread extends Term {
  readonly maxSkew: number
  readonly minDomains: number
  /** Whether nodes that the pod’s own selectors exclude are left out of the domains; by default they are. */
  readonly honoursSelectors: boolean
  /** Whether nodes whose taints the pod does not tolerate are left out; by default they are not. */
  readonly honoursTaints: boolean
  readonly self: boolean
}

export interface HostPort {
  readonly port: number
  readonly protocol: string
  readonly ip: string
}

export interface Shape {
  readonly namespace: string
  readonly labels: Labels
  readonly spec: PodSpec
  readonly cpuMilli: number
  readonly memoryBytes: number
  /** All other resources asked for, by name. */
  readonly others: readonly (readonly [string, number])[]
  /** As the scores count them: what is missing is 100 m or 200 MiB a container. */
  readonly scoreCpuMilli: number
  readonly scoreMemoryBytes: number
  readonly ports: readonly HostPort[]
  /** Claims by `namespace/name`. */
  readonly claims: readonly string[]
  /** Equal for pods that the same nodes take by cordon, taints and selectors. */
  readonly fitKey: string
  readonly hard: readonly Spread[]
  readonly soft: readonly Spread[]
  readonly affinity: readonly Term[]
  readonly antiAffinity: readonly Term[]
  /** Preferred terms; those of anti-affinity weigh below 0. */
  readonly preferred: readonly { readonly term: Term; readonly weight: number }[]
}

const missing = { cpu: '100m', memory: '200Mi' }

export type NamespaceLabels = (namespace: string) => Labels

/** Labels of namespaces; one without an object of its own has only its name. */
export function namespaceLabels(namespaces: readonly NamespaceObject[]): NamespaceLabels {
  const cache = new Map(
    namespaces.map((object) => [
      object.metadata.name,
      { 'kubernetes.io/metadata.name': object.metadata.name, ...object.metadata.labels },
    ]),
  )
  return (namespace) => cache.get(namespace) ?? { 'kubernetes.io/metadata.name': namespace }
}

/** Adds what `matchLabelKeys` and `mismatchLabelKeys` take from the pod’s own labels. */
function withOwnLabels(
  selector: LabelSelector | null | undefined,
  labels: Labels,
  match: readonly string[] | null | undefined,
  mismatch: readonly string[] | null | undefined,
): LabelSelector | null | undefined {
  if (!selector) return selector
  const more = (keys: readonly string[] | null | undefined, operator: string) =>
    (keys ?? []).flatMap((key) =>
      Object.hasOwn(labels, key) ? [{ key, operator, values: [labels[key] ?? ''] }] : [],
    )
  const added = [...more(match, 'In'), ...more(mismatch, 'NotIn')]
  return added.length === 0
    ? selector
    : { ...selector, matchExpressions: [...(selector.matchExpressions ?? []), ...added] }
}

function compileTerm(
  term: PodTerm,
  namespace: string,
  labels: Labels,
  labelsOf: NamespaceLabels,
): Term {
  const selector = withOwnLabels(
    term.labelSelector,
    labels,
    term.matchLabelKeys,
    term.mismatchLabelKeys,
  )
  const test = selectorTest(selector)
  const named = new Set(term.namespaces ?? [])
  // Neither names nor a selector: the pod’s own namespace.
  if (named.size === 0 && !term.namespaceSelector) named.add(namespace)
  const bySelector = term.namespaceSelector ? selectorTest(term.namespaceSelector) : null
  return {
    means: JSON.stringify([[...named].sort(), term.namespaceSelector ?? null, selector ?? null]),
    topologyKey: term.topologyKey,
    matches: (otherName, others) =>
      (named.has(otherName) || bySelector?.(labelsOf(otherName)) === true) && test(others),
  }
}

function compileSpread(constraint: SpreadConstraint, namespace: string, labels: Labels): Spread {
  const selector = withOwnLabels(constraint.labelSelector, labels, constraint.matchLabelKeys, null)
  const test = selectorTest(selector)
  return {
    means: JSON.stringify([[namespace], null, selector ?? null]),
    topologyKey: constraint.topologyKey,
    matches: (otherName, others) => otherName === namespace && test(others),
    maxSkew: constraint.maxSkew,
    minDomains: constraint.minDomains ?? 1,
    honoursSelectors: constraint.nodeAffinityPolicy !== 'Ignore',
    honoursTaints: constraint.nodeTaintsPolicy === 'Honor',
    self: test(labels),
  }
}

function hostPorts(spec: PodSpec): readonly HostPort[] {
  const containers = [
    ...(spec.containers ?? []),
    ...(spec.initContainers ?? []).filter((container) => container.restartPolicy === 'Always'),
  ]
  return containers.flatMap((container) =>
    (container.ports ?? []).flatMap((port): HostPort[] => {
      const used = port.hostPort ?? (spec.hostNetwork === true ? port.containerPort : null)
      return used === null || used === undefined || used <= 0
        ? []
        : [{ port: used, protocol: port.protocol || 'TCP', ip: port.hostIP || '0.0.0.0' }]
    }),
  )
}

/** Claims a pod mounts; a generic ephemeral volume’s claim is named after pod and volume. */
function claimsOf(spec: PodSpec, namespace: string, name: string): readonly string[] {
  return [
    ...new Set(
      (spec.volumes ?? []).flatMap((volume) => {
        if (volume.persistentVolumeClaim)
          return [`${namespace}/${volume.persistentVolumeClaim.claimName}`]
        return volume.ephemeral ? [`${namespace}/${name}-${volume.name ?? ''}`] : []
      }),
    ),
  ]
}

/** Compiles a pod. Throws BadQuantity for an amount that does not parse, with the field below `path`. */
export function compileShape(pod: PodObject, path: string, labelsOf: NamespaceLabels): Shape {
  const spec: PodSpec = pod.spec ?? {}
  const namespace = pod.metadata.namespace || 'default'
  const labels = pod.metadata.labels ?? {}
  const request = podRequest(spec, `${path}.spec`)
  const counted = podRequest(spec, `${path}.spec`, missing)
  const term = (entry: PodTerm): Term => compileTerm(entry, namespace, labels, labelsOf)
  const { podAffinity, podAntiAffinity, nodeAffinity } = spec.affinity ?? {}
  const spread = (when: string): Spread[] =>
    (spec.topologySpreadConstraints ?? [])
      .filter((topologySpreadConstraint) => topologySpreadConstraint.whenUnsatisfiable === when)
      .map((topologySpreadConstraint) => compileSpread(topologySpreadConstraint, namespace, labels))
  return {
    namespace,
    labels,
    spec,
    cpuMilli: request.get('cpu') ?? 0,
    memoryBytes: request.get('memory') ?? 0,
    others: [...request].filter(
      ([resource, amount]) => resource !== 'cpu' && resource !== 'memory' && amount > 0,
    ),
    scoreCpuMilli: counted.get('cpu') ?? 0,
    scoreMemoryBytes: counted.get('memory') ?? 0,
    ports: hostPorts(spec),
    claims: claimsOf(spec, namespace, pod.metadata.name),
    fitKey: JSON.stringify([spec.tolerations ?? [], spec.nodeSelector ?? {}, nodeAffinity ?? {}]),
    hard: spread('DoNotSchedule'),
    soft: spread('ScheduleAnyway'),
    affinity: (podAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []).map(term),
    antiAffinity: (podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []).map(term),
    preferred: [
      ...(podAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []).map((eachTerm) => ({
        term: term(eachTerm.podAffinityTerm),
        weight: eachTerm.weight,
      })),
      ...(podAntiAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []).map(
        (eachTerm) => ({
          term: term(eachTerm.podAffinityTerm),
          weight: -eachTerm.weight,
        }),
      ),
    ],
  }
}

/** The parts of a pod that make its shape, as text: equal text, equal shape. */
export function shapeKey(pod: PodObject): string {
  const spec: PodSpec = pod.spec ?? {}
  const named = (spec.volumes ?? []).some((volume) => volume.ephemeral) ? pod.metadata.name : ''
  const containers = (list: PodSpec['containers']) =>
    (list ?? []).map((container) => [
      container.resources ?? 0,
      container.ports ?? 0,
      container.restartPolicy ?? 0,
    ])
  const volumes = (spec.volumes ?? []).map(
    (volume) =>
      volume.persistentVolumeClaim?.claimName ?? (volume.ephemeral ? `*${volume.name ?? ''}` : 0),
  )
  return JSON.stringify([
    pod.metadata.namespace ?? 0,
    pod.metadata.labels ?? 0,
    named,
    containers(spec.containers),
    containers(spec.initContainers),
    spec.overhead ?? 0,
    spec.resources ?? 0,
    spec.nodeSelector ?? 0,
    spec.affinity ?? 0,
    spec.tolerations ?? 0,
    spec.topologySpreadConstraints ?? 0,
    spec.hostNetwork ?? 0,
    volumes,
  ])
}

/** Whether a toleration covers a taint: an empty key with `Exists` covers all, an empty effect every effect. */
export function tolerates(
  toleration: Toleration,
  taint: {
    readonly key: string
    readonly value?: string | null | undefined
    readonly effect: string
  },
): boolean {
  if (toleration.effect && toleration.effect !== taint.effect) return false
  const operator = toleration.operator || 'Equal'
  if (!toleration.key) return operator === 'Exists'
  if (toleration.key !== taint.key) return false
  return (
    operator === 'Exists' ||
    (operator === 'Equal' && (toleration.value ?? '') === (taint.value ?? ''))
  )
}
