/** Shapes that the open API’s objects are made of: metadata, selectors, quantities. */
import { z } from 'zod'

export const text = z.string().max(100_000)
/** Exports write `null` where nothing is set. */
export const optional = <T extends z.ZodType>(schema: T) => schema.nullish()
export const list = <T extends z.ZodType>(schema: T) => optional(z.array(schema))

export const quantitySchema = z.union([z.string().max(100), z.number()])
export const quantities = optional(z.record(z.string(), quantitySchema))
export const labels = optional(z.record(z.string(), text))
export const intOrString = z.union([z.int(), z.string().max(50)])

export const requirementSchema = z.looseObject({ key: text, operator: text, values: list(text) })
export const labelSelectorSchema = z.looseObject({
  matchLabels: labels,
  matchExpressions: list(requirementSchema),
})

export const ownerSchema = z.looseObject({
  apiVersion: optional(text),
  kind: text,
  name: text,
  uid: optional(text),
  controller: optional(z.boolean()),
})

export const metadataSchema = z.looseObject({
  name: text,
  namespace: optional(text),
  labels,
  annotations: labels,
  uid: optional(text),
  creationTimestamp: optional(text),
  deletionTimestamp: optional(text),
  ownerReferences: list(ownerSchema),
})

export const resourcesSchema = z.looseObject({ requests: quantities, limits: quantities })
export const nodeTermSchema = z.looseObject({
  matchExpressions: list(requirementSchema),
  matchFields: list(requirementSchema),
})
