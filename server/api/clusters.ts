/** Clusters: their nodes, objects, logs and access files. */
import { z } from 'zod'
import { clusterState, stateContext, nodesOf, nodeState, probeKinds } from '~/core/fleet'
import { Refusal } from '../changes/errors'
import { any, ok, change, wholeText } from './answers'
import type { Route } from './route'

export const clusterRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/clusters/:name',
    says: 'One cluster.',
    answer: any,
    handle: async (gyrarch, { params }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '')
      const { state, says } = clusterState(cluster, stateContext(await gyrarch.fleet.view()))
      const { pools, ...rest } = cluster
      return ok({
        ...rest,
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
    answer: z.object({ nodes: z.array(any) }),
    handle: async (gyrarch, { params }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '')
      const context = stateContext(await gyrarch.fleet.view())
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
        lines: await gyrarch.podLog(
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
        await gyrarch.probe(
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
    query: z.object({
      kind: z.string().max(80).optional(),
      namespace: z.string().max(80).optional(),
    }),
    answer: z.object({ objects: z.array(any) }),
    handle: async (gyrarch, { params, query }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '')
      const objects = await gyrarch.observe.objects(
        cluster.name,
        query as { kind?: string; namespace?: string },
      )
      if (!objects) throw new Refusal('unavailable', `The API of ${cluster.name} does not answer.`)
      return ok({ objects })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/events',
    says: 'Its events, oldest first.',
    answer: z.object({ events: z.array(any) }),
    handle: async (gyrarch, { params }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '')
      return ok({
        events: (await gyrarch.observe.events(cluster.name)).map((event) => ({
          ...event,
          at: new Date(event.at).toISOString(),
        })),
      })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/access',
    says: 'Its access file (kubeconfig).',
    answer: 'yaml',
    handle: async (gyrarch, { params }) => {
      const file = await gyrarch.access(params['name'] ?? '')
      return {
        text: {
          type: 'application/yaml',
          body: file.yaml,
          fileName: `${params['name'] ?? 'cluster'}.kubeconfig.yaml`,
        },
      }
    },
  },
]
