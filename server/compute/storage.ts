/** The computations about what holds data and images: paths of releases, shipments, copies of volumes, claims. */
import { z } from 'zod'
import { saidShape } from '~/core/contract'
import { readObjects } from '~/core/objects'
import { catalogueMistake, endsMistake, releasePath } from '~/core/releases'
import {
  orderMistake,
  releaseEdgeSchema,
  shipment,
  shipmentSchema,
  versionSchema,
} from '~/core/shipment'
import {
  bindClaims,
  placeReplicas,
  readStorage,
  refusals,
  replicaMistake,
  replicaPlacementSchema,
  waitingReasons,
} from '~/core/storage'
import { computation, objects, value, wrong } from './computation'

const text = z.string().max(1000)
const names = z.array(z.string())
const cut = z.object({ from: z.string(), to: z.string(), reason: z.string() })

/** A shipment as it is answered. */
export const shipmentAnswer = z.object({
  releases: names,
  addOns: z.array(z.object({ name: z.string(), versions: names })),
  images: names,
  held: z.array(z.object({ digest: z.string(), why: z.string(), lack: names })),
  bytes: z.number(),
  diskBytes: z.number(),
  fits: z.boolean(),
  seconds: z.number().nullable(),
  drives: z.array(z.object({ medium: z.string(), blobs: names })),
  lowerBound: z.number(),
  unfit: names,
  problems: z.array(
    z.object({
      says: z.string(),
      nearest: z.string().optional(),
      cutBy: z.array(cut).optional(),
    }),
  ),
})

export const storageComputations = [
  computation({
    name: 'release-path',
    says: 'The way of a control plane from one release to another, or what cuts it.',
    input: z.object({
      releases: z
        .array(z.object({ version: versionSchema, withdrawn: text.optional() }))
        .max(10_000),
      edges: z.array(releaseEdgeSchema).max(100_000),
      from: versionSchema,
      to: versionSchema,
    }),
    output: z.object({
      path: names.nullable(),
      nearest: z.string().nullable(),
      cutBy: z.array(cut),
    }),
    compute: ({ releases, edges, from, to }) => {
      const mistake = catalogueMistake({ releases, edges }) ?? endsMistake({ releases }, from, to)
      if (mistake) return wrong(mistake.path, mistake.says)
      return value(releasePath({ releases, edges }, from, to))
    },
  }),
  computation({
    name: 'shipment',
    says: 'What is carried to a disconnected site, how large and how long, and on which drives.',
    mostMiB: 64,
    input: shipmentSchema,
    output: shipmentAnswer,
    compute: (order) => {
      const mistake = orderMistake(order)
      if (mistake) return wrong(mistake.path, mistake.says)
      const computed = shipment(order)
      if (!computed)
        return wrong('images', 'The sizes add up to more than can be computed with (2^53 − 1).')
      const { blobs: _, ...answer } = computed
      return value(answer)
    },
  }),
  computation({
    name: 'replica-placement',
    says: 'Where copies of volumes go, and what the loss of each disk, node and zone costs.',
    mostMiB: 256,
    input: replicaPlacementSchema,
    output: z.object({
      volumes: z.array(
        z.object({
          name: z.string(),
          replicas: z.array(z.object({ node: z.string(), disk: z.string() })),
          short: z.number(),
          tally: z.partialRecord(z.enum(refusals), z.number()),
        }),
      ),
      losses: z.array(
        z.object({
          disk: z.string(),
          lost: names,
          degraded: names,
          whole: z.boolean(),
          copyBytes: z.number(),
          seconds: z.number(),
        }),
      ),
    }),
    compute: (order) => {
      const mistake = replicaMistake(order)
      return mistake ? wrong(mistake.path, mistake.says) : value(placeReplicas(order))
    },
  }),
  computation({
    name: 'volume-binding',
    says: 'Which claims are bound to which volumes, and why others wait.',
    mostMiB: 256,
    input: z.object({
      objects,
      claims: z.array(z.object({ claim: text, node: text.optional() })).max(100_000),
      stores: z
        .array(
          z.object({
            class: text,
            zone: text.nullable(),
            freeBytes: z.number().min(0).max(Number.MAX_SAFE_INTEGER),
          }),
        )
        .max(100_000)
        .optional(),
    }),
    output: z.object({
      bound: z.array(
        z.object({
          claim: z.string(),
          volume: z.string().nullable(),
          provisioned: z.boolean(),
          zone: z.string().nullable(),
        }),
      ),
      waiting: z.array(saidShape.extend({ claim: z.string(), reason: z.enum(waitingReasons) })),
    }),
    compute: ({ objects: given, claims, stores }) => {
      const read = readObjects(given)
      if (read.wrong) return wrong(read.wrong.path, read.wrong.says)
      const storage = readStorage(read.located)
      if (!storage.ok) return wrong(storage.path, storage.says)
      const bound = bindClaims(storage.storage, claims, stores)
      return bound.ok
        ? value({ bound: bound.bound, waiting: bound.waiting })
        : wrong(bound.path, bound.says)
    },
  }),
]
