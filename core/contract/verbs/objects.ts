/** Objects of a cluster’s API: applied, removed, put back; roll-outs awaited; routes weighted and watched. */
import { z } from 'zod'
import { ref } from '../refs'
import { manifest, type Manifest } from '../shapes'
import { atCluster, clusterSlice } from '../places'
import { verb } from '../verb'

const ofCluster = z.object({ cluster: z.string() })

/** `deployment/cedar/market/ledger`: the kind in lower case, then where it is. */
export const objectRef = (cluster: string, { kind, metadata }: Manifest): string =>
  ref(
    kind.toLowerCase(),
    cluster,
    ...(metadata.namespace === undefined ? [] : [metadata.namespace]),
    metadata.name,
  )

const objectRefs = ({
  cluster,
  objects,
}: {
  readonly cluster: string
  readonly objects: readonly Manifest[]
}) => objects.map((object) => objectRef(cluster, object))

/** What stood before a write: null is nothing. */
const before = z.array(
  z.object({
    key: z.string(),
    object: manifest.nullable(),
    identity: manifest,
    owners: z.record(z.string(), z.string()).nullable(),
  }),
)

export const objectsApply = verb({
  name: 'objects.apply',
  port: 'cluster',
  args: ofCluster.extend({
    objects: z.array(manifest),
    /** Who writes, for the owners of fields. */
    manager: z.string().default('gyrarch'),
    /** Fields taken from their owners all the same. */
    force: z.array(z.string()).default([]),
  }),
  result: z.object({ before }),
  failures: [
    'field-conflict',
    'namespace-missing',
    'webhook-silent',
    'webhook-denies',
    'policy-refuses',
  ],
  at: atCluster,
  touches: clusterSlice,
  makes: objectRefs,
})

export const objectsRemove = verb({
  name: 'objects.remove',
  port: 'cluster',
  args: ofCluster.extend({ objects: z.array(manifest) }),
  result: z.object({ before }),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
  removes: objectRefs,
})

/** What somebody writes at the API itself: whole objects, at once; null takes one away. */
export const objectsWrite = verb({
  name: 'objects.write',
  port: 'cluster',
  args: ofCluster.extend({
    writes: z.array(
      z.object({
        identity: manifest,
        object: manifest.nullable(),
        owners: z.record(z.string(), z.string()).default({}),
        /** Of one that is taken away: what its controller made stays, and belongs to nobody. */
        leavesPods: z.boolean().default(false),
        /** Of a pod that is taken away: only as its budgets let it go. */
        isEvicted: z.boolean().default(false),
      }),
    ),
    /** Only asked whether it would be taken. */
    isDry: z.boolean().default(false),
  }),
  result: z.object({}),
  failures: [
    'namespace-missing',
    'webhook-silent',
    'webhook-denies',
    'policy-refuses',
    'eviction-refused',
  ],
  at: atCluster,
  touches: clusterSlice,
})

/** Objects as they were before: what was made is removed, what was changed or removed is written back. */
export const objectsPutBack = verb({
  name: 'objects.put-back',
  port: 'cluster',
  args: ofCluster.extend({ before: before.nullable().default([]) }),
  result: z.object({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
  makes: ({ cluster, before: entries }) =>
    (entries ?? []).flatMap(({ object }) => (object ? [objectRef(cluster, object)] : [])),
  removes: ({ cluster, before: entries }) =>
    (entries ?? []).flatMap(({ object, identity }) =>
      object ? [] : [objectRef(cluster, identity)],
    ),
})

const ofWorkload = ofCluster.extend({ kind: z.string(), namespace: z.string(), name: z.string() })

export const rolloutAwait = verb({
  name: 'rollout.await',
  port: 'cluster',
  args: ofWorkload.extend({ deadlineSeconds: z.number().default(0) }),
  result: z.object({ ready: z.number() }),
  failures: [
    'workload-gone',
    'image-not-pulled',
    'image-denied',
    'pods-pending',
    'rollout-stalled',
  ],
  at: atCluster,
  touches: () => [],
})

export const workloadRestart = verb({
  name: 'workload.restart',
  port: 'cluster',
  args: ofWorkload,
  result: z.object({}),
  failures: ['workload-gone'],
  at: atCluster,
  touches: clusterSlice,
})

export const keepSourceSet = verb({
  name: 'keepsource.set',
  port: 'cluster',
  /** Ranges towards which pods keep their own addresses. */
  args: ofCluster.extend({ ranges: z.array(z.string()) }),
  result: z.object({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
  makes: ({ cluster, ranges }) => ranges.map((range) => ref('kept-source', cluster, range)),
})

/** Sets the weights of one rule’s backends; others stay. */
export const routeWeights = verb({
  name: 'route.weights',
  port: 'cluster',
  args: ofCluster.extend({
    /** `namespace/name` */
    route: z.string(),
    rule: z.number(),
    weights: z.record(z.string(), z.number()),
  }),
  result: z.object({}),
  failures: ['route-gone'],
  at: atCluster,
  touches: clusterSlice,
})

/** Watches what services answer for a while; too many failures are a failure. */
export const trafficWatch = verb({
  name: 'traffic.watch',
  port: 'cluster',
  args: ofCluster.extend({
    services: z.array(z.string()),
    seconds: z.number(),
    overSeconds: z.number(),
    /** The share of calls that may fail, 0 to 1. */
    failures: z.number(),
  }),
  result: z.object({}),
  failures: ['guard'],
  at: atCluster,
  touches: () => [],
})
