/** The open API’s storage objects. Source: the Kubernetes API reference (v1, storage.k8s.io/v1). */
import { z } from 'zod'
import {
  labelSelectorSchema,
  list,
  metadataSchema,
  nodeTermSchema,
  optional,
  quantities,
  resourcesSchema,
  text,
} from './schema-shapes'

export const volumeObjectSchema = z.looseObject({
  kind: z.literal('PersistentVolume'),
  metadata: metadataSchema,
  spec: optional(
    z.looseObject({
      capacity: quantities,
      accessModes: list(text),
      volumeMode: optional(text),
      storageClassName: optional(text),
      claimRef: optional(
        z.looseObject({
          namespace: optional(text),
          name: optional(text),
          uid: optional(text),
        }),
      ),
      nodeAffinity: optional(
        z.looseObject({
          required: optional(z.looseObject({ nodeSelectorTerms: list(nodeTermSchema) })),
        }),
      ),
      csi: optional(z.looseObject({ driver: text, volumeHandle: optional(text) })),
    }),
  ),
  status: optional(z.looseObject({ phase: optional(text) })),
})
export const claimSchema = z.looseObject({
  kind: z.literal('PersistentVolumeClaim'),
  metadata: metadataSchema,
  spec: optional(
    z.looseObject({
      volumeName: optional(text),
      volumeMode: optional(text),
      storageClassName: optional(text),
      accessModes: list(text),
      selector: optional(labelSelectorSchema),
      resources: optional(resourcesSchema),
    }),
  ),
})
const topologyTermSchema = z.looseObject({
  matchLabelExpressions: list(z.looseObject({ key: text, values: list(text) })),
})
export const storageClassSchema = z.looseObject({
  kind: z.literal('StorageClass'),
  metadata: metadataSchema,
  provisioner: optional(text),
  volumeBindingMode: optional(text),
  allowedTopologies: list(topologyTermSchema),
})
export const csiNodeSchema = z.looseObject({
  kind: z.literal('CSINode'),
  metadata: metadataSchema,
  spec: optional(
    z.looseObject({
      drivers: list(
        z.looseObject({
          name: text,
          allocatable: optional(z.looseObject({ count: optional(z.int()) })),
        }),
      ),
    }),
  ),
})
