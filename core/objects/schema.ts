/**
 * The open API’s objects as far as Gyrarch reads them. Every schema is loose: what is not read is kept and passed on.
 * Source: the Kubernetes API reference (v1, apps/v1, policy/v1, storage.k8s.io/v1, scheduling.k8s.io/v1).
 */
import { z } from 'zod'
import {
  intOrString,
  labels,
  labelSelectorSchema,
  list,
  metadataSchema,
  nodeTermSchema,
  optional,
  quantities,
  type requirementSchema,
  resourcesSchema,
  text,
} from './schema-shapes'
import {
  claimSchema,
  csiNodeSchema,
  storageClassSchema,
  volumeObjectSchema,
} from './schema-storage'

export { labelSelectorSchema, metadataSchema } from './schema-shapes'

const portSchema = z.looseObject({
  name: optional(text),
  containerPort: optional(z.int()),
  hostPort: optional(z.int()),
  hostIP: optional(text),
  protocol: optional(text),
})
const containerSchema = z.looseObject({
  name: optional(text),
  image: optional(text),
  restartPolicy: optional(text),
  resources: optional(resourcesSchema),
  ports: list(portSchema),
})

const podTermSchema = z.looseObject({
  labelSelector: optional(labelSelectorSchema),
  namespaces: list(text),
  namespaceSelector: optional(labelSelectorSchema),
  topologyKey: text,
  matchLabelKeys: list(text),
  mismatchLabelKeys: list(text),
})
const podAffinitySchema = z.looseObject({
  requiredDuringSchedulingIgnoredDuringExecution: list(podTermSchema),
  preferredDuringSchedulingIgnoredDuringExecution: list(
    z.looseObject({ weight: z.number(), podAffinityTerm: podTermSchema }),
  ),
})
const affinitySchema = z.looseObject({
  nodeAffinity: optional(
    z.looseObject({
      requiredDuringSchedulingIgnoredDuringExecution: optional(
        z.looseObject({ nodeSelectorTerms: list(nodeTermSchema) }),
      ),
      preferredDuringSchedulingIgnoredDuringExecution: list(
        z.looseObject({ weight: z.number(), preference: nodeTermSchema }),
      ),
    }),
  ),
  podAffinity: optional(podAffinitySchema),
  podAntiAffinity: optional(podAffinitySchema),
})
const spreadSchema = z.looseObject({
  maxSkew: z.int(),
  topologyKey: text,
  whenUnsatisfiable: text,
  labelSelector: optional(labelSelectorSchema),
  minDomains: optional(z.int()),
  nodeAffinityPolicy: optional(text),
  nodeTaintsPolicy: optional(text),
  matchLabelKeys: list(text),
})
const tolerationSchema = z.looseObject({
  key: optional(text),
  operator: optional(text),
  value: optional(text),
  effect: optional(text),
})
const taintSchema = z.looseObject({ key: text, value: optional(text), effect: text })
const volumeSchema = z.looseObject({
  name: optional(text),
  persistentVolumeClaim: optional(z.looseObject({ claimName: text })),
  ephemeral: optional(z.looseObject({})),
  emptyDir: optional(z.looseObject({})),
  hostPath: optional(z.looseObject({ path: optional(text) })),
})

export const podSpecSchema = z.looseObject({
  nodeName: optional(text),
  schedulerName: optional(text),
  priority: optional(z.number()),
  priorityClassName: optional(text),
  preemptionPolicy: optional(text),
  serviceAccountName: optional(text),
  hostNetwork: optional(z.boolean()),
  containers: list(containerSchema),
  initContainers: list(containerSchema),
  overhead: quantities,
  resources: optional(resourcesSchema),
  nodeSelector: labels,
  affinity: optional(affinitySchema),
  tolerations: list(tolerationSchema),
  topologySpreadConstraints: list(spreadSchema),
  schedulingGates: list(z.looseObject({ name: optional(text) })),
  volumes: list(volumeSchema),
})

const conditionSchema = z.looseObject({
  type: text,
  status: text,
  reason: optional(text),
  message: optional(text),
  lastTransitionTime: optional(text),
})

export const podSchema = z.looseObject({
  kind: z.literal('Pod'),
  metadata: metadataSchema,
  spec: optional(podSpecSchema),
  status: optional(
    z.looseObject({
      phase: optional(text),
      podIP: optional(text),
      podIPs: list(z.looseObject({ ip: optional(text) })),
      hostIP: optional(text),
      startTime: optional(text),
      conditions: list(conditionSchema),
    }),
  ),
})
export const nodeSchema = z.looseObject({
  kind: z.literal('Node'),
  metadata: metadataSchema,
  spec: optional(
    z.looseObject({ unschedulable: optional(z.boolean()), taints: list(taintSchema) }),
  ),
  status: optional(
    z.looseObject({
      allocatable: quantities,
      capacity: quantities,
      conditions: list(conditionSchema),
    }),
  ),
})
export const namespaceSchema = z.looseObject({
  kind: z.literal('Namespace'),
  metadata: metadataSchema,
})
export const priorityClassSchema = z.looseObject({
  kind: z.literal('PriorityClass'),
  metadata: metadataSchema,
  value: z.number(),
  globalDefault: optional(z.boolean()),
  preemptionPolicy: optional(text),
})
export const budgetSchema = z.looseObject({
  kind: z.literal('PodDisruptionBudget'),
  metadata: metadataSchema,
  spec: optional(
    z.looseObject({
      minAvailable: optional(intOrString),
      maxUnavailable: optional(intOrString),
      selector: optional(labelSelectorSchema),
      unhealthyPodEvictionPolicy: optional(text),
    }),
  ),
})
const replicatedSchema = (kind: string) =>
  z.looseObject({
    kind: z.literal(kind),
    metadata: metadataSchema,
    spec: optional(z.looseObject({ replicas: optional(z.int()) })),
  })

const policyPeerSchema = z.looseObject({
  podSelector: optional(labelSelectorSchema),
  namespaceSelector: optional(labelSelectorSchema),
  ipBlock: optional(z.looseObject({ cidr: text, except: list(text) })),
})
const policyPortSchema = z.looseObject({
  protocol: optional(text),
  port: optional(intOrString),
  endPort: optional(z.int()),
})
export const policySchema = z.looseObject({
  kind: z.literal('NetworkPolicy'),
  metadata: metadataSchema,
  spec: optional(
    z.looseObject({
      podSelector: optional(labelSelectorSchema),
      policyTypes: list(text),
      ingress: list(z.looseObject({ from: list(policyPeerSchema), ports: list(policyPortSchema) })),
      egress: list(z.looseObject({ to: list(policyPeerSchema), ports: list(policyPortSchema) })),
    }),
  ),
})
export const serviceSchema = z.looseObject({
  kind: z.literal('Service'),
  metadata: metadataSchema,
  spec: optional(
    z.looseObject({
      type: optional(text),
      clusterIP: optional(text),
      clusterIPs: list(text),
      externalName: optional(text),
      selector: labels,
      externalTrafficPolicy: optional(text),
      internalTrafficPolicy: optional(text),
      publishNotReadyAddresses: optional(z.boolean()),
      ports: list(
        z.looseObject({
          name: optional(text),
          port: z.int(),
          targetPort: optional(intOrString),
          protocol: optional(text),
          nodePort: optional(z.int()),
        }),
      ),
    }),
  ),
})
export const endpointSliceSchema = z.looseObject({
  kind: z.literal('EndpointSlice'),
  metadata: metadataSchema,
  endpoints: list(
    z.looseObject({
      addresses: list(text),
      conditions: optional(z.looseObject({ ready: optional(z.boolean()) })),
      nodeName: optional(text),
      targetRef: optional(
        z.looseObject({ kind: optional(text), name: optional(text), namespace: optional(text) }),
      ),
    }),
  ),
  ports: list(
    z.looseObject({ name: optional(text), port: optional(z.int()), protocol: optional(text) }),
  ),
})
const routeValueSchema = z.looseObject({ type: optional(text), name: text, value: text })
export const httpRouteSchema = z.looseObject({
  kind: z.literal('HTTPRoute'),
  metadata: metadataSchema,
  spec: optional(
    z.looseObject({
      parentRefs: list(
        z.looseObject({
          name: text,
          kind: optional(text),
          namespace: optional(text),
          port: optional(z.int()),
        }),
      ),
      hostnames: list(text),
      rules: list(
        z.looseObject({
          matches: list(
            z.looseObject({
              path: optional(z.looseObject({ type: optional(text), value: optional(text) })),
              method: optional(text),
              headers: list(routeValueSchema),
              queryParams: list(routeValueSchema),
            }),
          ),
          backendRefs: list(
            z.looseObject({
              name: text,
              namespace: optional(text),
              kind: optional(text),
              port: optional(z.int()),
              weight: optional(z.int().min(0).max(1_000_000)),
            }),
          ),
        }),
      ),
    }),
  ),
})

const byKind: Readonly<Record<string, z.ZodType>> = {
  Pod: podSchema,
  Node: nodeSchema,
  Namespace: namespaceSchema,
  PriorityClass: priorityClassSchema,
  PodDisruptionBudget: budgetSchema,
  PersistentVolume: volumeObjectSchema,
  PersistentVolumeClaim: claimSchema,
  StorageClass: storageClassSchema,
  CSINode: csiNodeSchema,
  NetworkPolicy: policySchema,
  Service: serviceSchema,
  EndpointSlice: endpointSliceSchema,
  HTTPRoute: httpRouteSchema,
  Deployment: replicatedSchema('Deployment'),
  ReplicaSet: replicatedSchema('ReplicaSet'),
  StatefulSet: replicatedSchema('StatefulSet'),
  ReplicationController: replicatedSchema('ReplicationController'),
}

/** The schema of a kind we read, or undefined for one we only carry. */
export const schemaOf = (kind: string): z.ZodType | undefined =>
  Object.hasOwn(byKind, kind) ? byKind[kind] : undefined

export type Requirement = z.infer<typeof requirementSchema>
export type LabelSelector = z.infer<typeof labelSelectorSchema>
export type Metadata = z.infer<typeof metadataSchema>
export type Container = z.infer<typeof containerSchema>
export type PodSpec = z.infer<typeof podSpecSchema>
export type PodTerm = z.infer<typeof podTermSchema>
export type NodeTerm = z.infer<typeof nodeTermSchema>
export type SpreadConstraint = z.infer<typeof spreadSchema>
export type Toleration = z.infer<typeof tolerationSchema>
export type Taint = z.infer<typeof taintSchema>
export type PodObject = z.infer<typeof podSchema>
export type NodeObject = z.infer<typeof nodeSchema>
export type NamespaceObject = z.infer<typeof namespaceSchema>
export type PriorityClassObject = z.infer<typeof priorityClassSchema>
export type BudgetObject = z.infer<typeof budgetSchema>
export type VolumeObject = z.infer<typeof volumeObjectSchema>
export type ClaimObject = z.infer<typeof claimSchema>
export type StorageClassObject = z.infer<typeof storageClassSchema>
export type PolicyObject = z.infer<typeof policySchema>
export type ServiceObject = z.infer<typeof serviceSchema>
export type EndpointSliceObject = z.infer<typeof endpointSliceSchema>
export type HttpRouteObject = z.infer<typeof httpRouteSchema>
export type CsiNodeObject = z.infer<typeof csiNodeSchema>
/** A workload of so many replicas: a Deployment, ReplicaSet, StatefulSet or ReplicationController. */
export type ReplicatedObject = z.infer<ReturnType<typeof replicatedSchema>>
