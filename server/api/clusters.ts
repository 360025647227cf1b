/** Clusters: their nodes, objects, logs and access files. */
import { apiClient, pullsAs, reachReport, redirect, storageReport } from '~/core/contract'
import { z } from 'zod'
import { weekdays } from '~/core/scaling'
import { clusterState, stateContext, nodesOf, nodeState, probeKinds } from '~/core/fleet'
import { podLog, probePod } from '../access/pods'
import { Refusal } from '../changes/errors'
import { backup, clusterEvent, machineReport, nodeReport } from '~/core/contract'
import { type AccessAsked, callBackAccess, subjectText } from '../access/access-file'
import { duty } from '../cluster-api/sign-in'
import { observed, ok, wholeText } from './answers'
import { change } from './change-shape'
import { apiObject, labels, reasoned, state, taint } from './shapes'
import type { Route } from './route'

const cluster = z.object({
  name: z.string(),
  site: z.string(),
  guarded: z.boolean(),
  labels,
  release: z.string(),
  controlPlane: z.union([
    z.object({ kind: z.literal('own'), members: z.array(z.string()) }),
    z.object({ kind: z.literal('managed'), tier: z.enum(['plain', 'assured']) }),
  ]),
  endpoint: z.string(),
  apiAnswers: z.boolean(),
  membersUp: z.number(),
  resting: z.boolean(),
  restingSince: z.string().nullable(),
  restingMachines: z.array(machineReport),
  restingNodes: z.array(nodeReport),
  rest: z
    .object({
      zone: z.string(),
      windows: z.array(
        z.object({ days: z.array(z.enum(weekdays)), stop: z.string(), start: z.string() }),
      ),
    })
    .nullable(),
  autoscale: z
    .object({ enabled: z.boolean(), order: z.enum(['tightest', 'cheapest', 'listed']) })
    .nullable(),
  pods: z.string(),
  services: z.string(),
  maxPodsPerNode: z.number(),
  keepSource: z.array(z.string()).optional(),
  redirects: z.array(redirect).optional(),
  pullsAs: z.array(pullsAs).optional(),
  drives: z.array(z.string()),
  pools: z.array(
    z.object({
      name: z.string(),
      size: z.string(),
      lifetime: z.enum(['on-demand', 'spot']),
      range: z.object({ min: z.number(), max: z.number() }).nullable(),
      taints: z.array(taint),
      count: z.number(),
    }),
  ),
  podCount: z.number(),
  namespaces: z.array(z.string()),
  dnsAnswers: z.boolean(),
  certificatesUntil: z.string().nullable(),
  backups: z.array(backup),
  addOns: z.array(z.object({ name: z.string(), version: z.string() })),
  apiClients: z.array(apiClient).optional(),
  storage: storageReport.nullable(),
  /** How an enrolled cluster is reached; null for one that was raised here. */
  reach: reachReport.nullable(),
  observedAt: z.string(),
  state,
  says: z.string(),
  nodeCount: z.number(),
})

export const clusterRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/clusters/:name',
    says: 'One cluster.',
    past: true,
    answer: cluster,
    handle: async (gyrarch, { fleet, params }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '', fleet)
      // When it was last heard is no change of the cluster: it is told as of now.
      const live = fleet === gyrarch.fleet ? gyrarch.reach.reportOf(cluster.name) : null
      const { state, says } = clusterState(cluster, stateContext(await fleet.view()))
      const { pools, ...rest } = cluster
      return ok({
        ...rest,
        reach: live ?? cluster.reach ?? null,
        state,
        says,
        nodeCount: nodesOf(cluster).length,
        pools: pools.map(({ nodes, ...pool }) => ({ ...pool, count: nodes.length })),
      })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/nodes',
    says: 'Its nodes with conditions and capacity.',
    past: true,
    answer: z.object({ nodes: z.array(nodeReport.extend(reasoned.shape)) }),
    handle: async (gyrarch, { fleet, params }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '', fleet)
      const context = stateContext(await fleet.view())
      return ok({
        nodes: nodesOf(cluster).map((node) => ({ ...node, ...nodeState(node, cluster, context) })),
      })
    },
  },
  {
    method: 'post',
    path: '/clusters/:name/objects',
    says: 'Draft applying a manifest (YAML or JSON, several documents).',
    body: z
      .string({ error: 'Send the manifest as the body, in YAML or JSON.' })
      .min(1, 'The manifest is empty.'),
    answer: change,
    status: 201,
    manifest: true,
    handle: async (gyrarch, { params, body }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '')
      return ok(
        await gyrarch.changes.draft('manifest.apply', { cluster: cluster.name, text: body }),
      )
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/pods/:namespace/:pod/log',
    says: 'What a pod has written lately, oldest first.',
    query: z.object({ lines: wholeText(2000).optional() }),
    answer: z.object({ lines: z.array(z.string()) }),
    handle: async (gyrarch, { params, query }) =>
      ok({
        lines: await podLog(
          gyrarch,
          params['name'] ?? '',
          `${params['namespace'] ?? ''}/${params['pod'] ?? ''}`,
          Number(query['lines'] ?? 100),
        ),
      }),
  },
  {
    method: 'post',
    path: '/clusters/:name/pods/:namespace/:pod/probe',
    says: 'Ask a pod from inside: look-up, connect, request, environment, files, processes.',
    body: z.strictObject({ probe: z.enum(probeKinds), target: z.string().max(300).default('') }),
    answer: z.object({ good: z.boolean(), lines: z.array(z.string()) }),
    handle: async (gyrarch, { params, body }) => {
      const request = body as { probe: (typeof probeKinds)[number]; target: string }
      return ok(
        await probePod(
          gyrarch,
          params['name'] ?? '',
          `${params['namespace'] ?? ''}/${params['pod'] ?? ''}`,
          request.probe,
          request.target,
        ),
      )
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/objects',
    says: 'The objects its API lists.',
    past: true,
    query: z.object({
      kind: z.string().max(80).optional(),
      namespace: z.string().max(80).optional(),
    }),
    answer: z.object({ objects: z.array(apiObject) }),
    handle: async (gyrarch, { fleet, params, query }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '', fleet)
      const list = await fleet.objectsOf(cluster.name)
      if (!list && fleet === gyrarch.fleet)
        throw new Refusal('unavailable', `The API of ${cluster.name} does not answer.`)
      const { kind, namespace } = query as { kind?: string; namespace?: string }
      const objects = observed(list, cluster.name).filter(
        (object) =>
          (kind === undefined || object.kind.toLowerCase() === kind.toLowerCase()) &&
          (namespace === undefined || object.metadata?.namespace === namespace),
      )
      return ok({ objects })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/events',
    says: 'Its events, oldest first.',
    past: true,
    answer: z.object({ events: z.array(clusterEvent) }),
    handle: async (gyrarch, { fleet, params }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '', fleet)
      return ok({
        events: observed(await fleet.eventsOf(cluster.name), cluster.name).map((event) => ({
          ...event,
          at: new Date(event.at).toISOString(),
        })),
      })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/access',
    says: 'An access file (kubeconfig) for a client of one’s own: for `duty`, who may do everything, or for a user or service account (`as`, with `groups`), who may do what bindings of the cluster let them. Its token is good for `seconds` on the wall, eight hours unless said.',
    query: z.object({
      seconds: wholeText(28_800).pipe(z.number().min(1)).optional(),
      as: subjectText.optional(),
      groups: z
        .string()
        .max(2000)
        .transform((text) => text.split(',').map((group) => group.trim()))
        .pipe(z.array(subjectText).max(50))
        .optional(),
    }),
    texts: ['application/yaml'],
    handle: async (gyrarch, { params, query }) => {
      const name = params['name'] ?? ''
      const file = await gyrarch.access(name, query as AccessAsked)
      return {
        text: {
          type: 'application/yaml',
          body: file.yaml,
          fileName: `${name || 'cluster'}.kubeconfig.yaml`,
        },
      }
    },
  },
  {
    method: 'delete',
    path: '/clusters/:name/access',
    says: 'Call back every access file that a subject (`as`, `duty` unless said) was given for the cluster: their tokens are refused from now on.',
    query: z.object({ as: subjectText.optional() }),
    answer: z.object({ cluster: z.string(), as: z.string() }),
    handle: async (gyrarch, { params, query }) => {
      const { as = duty } = query as { readonly as?: string }
      await callBackAccess(gyrarch, params['name'] ?? '', as)
      return ok({ cluster: params['name'], as })
    },
  },
]
