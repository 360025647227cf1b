/** The JSON API as a table: what each call takes and gives. Router and OpenAPI description are both made from it. */
import { z } from 'zod'
import {
  type FleetNode,
  nodesOf,
  nodeState,
  clusterState,
  siteState,
  stateContext,
  probeKinds,
} from '~/core/fleet'
import { kinds } from '~/core/kinds'
import { patchDraft } from '~/core/changes'
import { computations } from '../compute/computations'
import { Refusal } from '../changes/errors'
import { type Gyrarch, version } from '../gyrarch'
import { groundRoutes, layerRoutes } from './ground-routes'
import { wireRoutes } from './wire-routes'
import { changeId } from '../runner/journal'

export interface Call {
  readonly params: Readonly<Record<string, string>>
  readonly query: Readonly<Record<string, unknown>>
  readonly body: unknown
  readonly ifMatch: string | undefined
  readonly signal: AbortSignal
  /** Where Gyrarch was reached, for addresses that others are given. */
  readonly base: string
}

export interface Answer {
  readonly status?: number
  readonly json?: unknown
  readonly text?: {
    readonly type: string
    readonly body: string | Buffer
    readonly fileName?: string
  }
  readonly etag?: string
}

export interface Route {
  readonly method: 'get' | 'post' | 'patch' | 'delete'
  readonly path: string
  readonly says: string
  readonly query?: z.ZodType
  readonly body?: z.ZodType
  /** Where the body is optional: an absent one reads as `{}`. */
  readonly answer: z.ZodType | 'yaml' | 'text'
  readonly status?: number
  /** Takes its body as bytes, up to 256 MiB, and reads it itself. */
  readonly large?: boolean
  /** Takes its body as the text it is: a manifest in YAML or JSON. */
  readonly manifest?: boolean
  readonly handle: (gyrarch: Gyrarch, call: Call) => Promise<Answer>
}

const any = z.unknown()
const finding = z.object({
  key: z.string(),
  level: z.enum(['stop', 'caution', 'note']),
  rule: z.string(),
  field: z.string().optional(),
  about: z.string().optional(),
  says: z.string(),
  because: z.array(any),
  remedies: z.array(any),
})
const change = z.object({
  id: z.string(),
  kind: z.string(),
  intent: any,
  state: z.string(),
  version: z.number(),
  findings: z.array(finding),
  plan: any.nullable(),
  planDigest: z.string().nullable(),
  steps: z.array(any),
  proof: z.array(any).nullable(),
})
const wholeText = (most: number) =>
  z
    .string()
    .regex(/^\d{1,12}$/, 'Give a whole number.')
    .transform(Number)
    .pipe(z.number().max(most))

const draftBody = z.strictObject({
  kind: z.string().max(80),
  intent: z.record(z.string(), any),
  title: z.string().max(120).nullable().optional(),
})
const patchOperation = z.looseObject({
  op: z.enum(['add', 'remove', 'replace', 'move', 'copy', 'test']),
  path: z.string().max(500),
})
const amendBody = z.strictObject({
  intent: z.record(z.string(), any).optional(),
  patch: z.array(patchOperation).max(200).optional(),
  title: z.string().max(120).nullable().optional(),
})
const runBody = z.strictObject({
  accept: z.array(z.string().max(400)).max(500).default([]),
  confirm: z.string().max(253).optional(),
  planDigest: z.string().max(80).nullable().optional(),
})
const confirmBody = z.strictObject({ confirm: z.string().max(253).optional() })
const clockBody = z.union([
  z.strictObject({ speed: z.union([z.literal(0), z.literal(1), z.literal(60), z.literal(600)]) }),
  z.strictObject({
    advanceSeconds: z
      .number()
      .min(0)
      .max(31 * 86_400),
  }),
  z.strictObject({ toNextEvent: z.literal(true) }),
  z.strictObject({ calm: z.boolean() }),
])
const faultBody = z.strictObject({
  fault: z.string().max(80),
  about: z.string().max(300),
  mode: z.enum(['transient', 'permanent']).default('permanent'),
  times: z.int().min(1).max(10_000).default(1),
  afterSeconds: z
    .number()
    .min(0)
    .max(31 * 86_400)
    .default(0),
})

const ok = (json: unknown): Answer => ({ json })

function clockOf(gyrarch: Gyrarch) {
  const { now, speed, calm } = gyrarch.outside
  return { now: new Date(now).toISOString(), speed, calm }
}

const treeEntry = (node: FleetNode) => ({ name: node.name, state: node.state })

const asChange = (record: { readonly version: number }, status?: number): Answer => ({
  json: record,
  etag: `"${record.version}"`,
  ...(status === undefined ? {} : { status }),
})

/** The version an `If-Match` header names: "3", W/"3" or * (any, null). */
function versionOf(header: string | undefined, id: string): number | null {
  if (header === undefined)
    throw new Refusal(
      'conflict',
      `Say which version of ${id} you amend: send If-Match with the ETag you read.`,
    )
  if (header.trim() === '*') return null
  const found = /^(?:W\/)?"?(\d{1,9})"?$/.exec(header.trim())
  if (!found)
    throw new Refusal(
      'conflict',
      `If-Match “${header.slice(0, 40)}” is no version of ${id}. Read it again.`,
    )
  return Number(found[1])
}

export const routes: readonly Route[] = [
  {
    method: 'get',
    path: '/health',
    says: 'Whether the server answers.',
    answer: z.object({ ok: z.boolean(), version: z.string() }),
    handle: async () => ok({ ok: true, version }),
  },
  {
    method: 'get',
    path: '/fleet',
    says: 'The whole fleet with its states.',
    answer: z.object({ version: z.number(), now: z.string(), totals: any, sites: z.array(any) }),
    handle: async (gyrarch) => {
      const view = await gyrarch.fleet.view()
      const tree = gyrarch.tree(view)
      const byName = new Map(view.clusters.map((cluster) => [cluster.name, cluster]))
      const kindOf = new Map(view.sites.map((site) => [site.name, site.kind]))
      return ok({
        version: view.version,
        now: view.now,
        totals: {
          sites: view.sites.length,
          clusters: view.clusters.length,
          nodes: tree.nodes,
          pods: view.clusters.reduce((sum, cluster) => sum + cluster.podCount, 0),
          cpuMilli: tree.cpuMilli,
          requestedCpuMilli: tree.requestedCpuMilli,
          memoryBytes: tree.memoryBytes,
          requestedMemoryBytes: tree.requestedMemoryBytes,
          spendPerMonth: tree.spend,
        },
        sites: tree.children.map((site) => ({
          name: site.name,
          kind: kindOf.get(site.name),
          state: site.state,
          clusters: site.children.map((cluster) => ({
            ...treeEntry(cluster),
            guarded: byName.get(cluster.name)?.guarded ?? false,
            release: cluster.release,
            pools: cluster.children.map((pool) => ({
              ...treeEntry(pool),
              nodes: pool.children.map(treeEntry),
            })),
          })),
        })),
      })
    },
  },
  {
    method: 'get',
    path: '/sites/:name',
    says: 'One site: zones, hosts, machines, networks, images.',
    answer: any,
    handle: async (gyrarch, { params }) => {
      const view = await gyrarch.fleet.view()
      const site = view.sites.find((other) => other.name === params['name'])
      if (!site)
        throw new Refusal('not-found', `There is no site ${(params['name'] ?? '').slice(0, 80)}.`)
      return ok({ ...site, ...siteState(site, view.clusters, stateContext(view)) })
    },
  },
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
      const wish = body as { probe: (typeof probeKinds)[number]; target: string }
      return ok(
        await gyrarch.probe(
          params['name'] ?? '',
          `${params['namespace'] ?? ''}/${params['pod'] ?? ''}`,
          wish.probe,
          wish.target,
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
      const objects = await gyrarch.outside.objects(
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
        events: (await gyrarch.outside.events(cluster.name)).map((event) => ({
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
  {
    method: 'get',
    path: '/clock',
    says: 'The stand-ins’ clock.',
    answer: z.object({ now: z.string(), speed: z.number(), calm: z.boolean() }),
    handle: async (gyrarch) => ok(clockOf(gyrarch)),
  },
  {
    method: 'post',
    path: '/clock',
    says: 'Set its speed, run it ahead, or go to the next event.',
    body: clockBody,
    answer: z.object({ now: z.string(), speed: z.number(), calm: z.boolean() }),
    handle: async (gyrarch, { body }) => {
      const wish = body as z.infer<typeof clockBody>
      if ('speed' in wish) await gyrarch.outside.setSpeed(wish.speed)
      else if ('advanceSeconds' in wish) await gyrarch.outside.advance(wish.advanceSeconds)
      else if ('toNextEvent' in wish) await gyrarch.outside.toNextEvent()
      else await gyrarch.outside.setCalm(wish.calm)
      return ok(clockOf(gyrarch))
    },
  },
  {
    method: 'get',
    path: '/changes',
    says: 'All changes, newest first.',
    query: z.object({ state: z.string().max(20).optional() }),
    answer: z.object({ changes: z.array(any) }),
    handle: async (gyrarch, { query }) => {
      const { state } = query as { state?: string }
      const rows = await gyrarch.changes.list()
      return ok({
        changes: rows
          .filter((row) => state === undefined || row.state === state)
          .map((row) => ({
            id: changeId(row.number),
            kind: row.kind,
            label: row.label,
            title: row.title,
            state: row.state,
            startedAt: row.startedAt,
            endedAt: row.endedAt,
            waitsFor: row.waitsFor,
          })),
      })
    },
  },
  {
    method: 'post',
    path: '/changes',
    says: 'Draft a change.',
    body: draftBody,
    answer: change,
    status: 201,
    handle: async (gyrarch, { body }) => {
      const wish = body as z.infer<typeof draftBody>
      return asChange(await gyrarch.changes.draft(wish.kind, wish.intent, wish.title ?? null), 201)
    },
  },
  {
    method: 'get',
    path: '/changes/:id',
    says: 'One change with its findings, plan, steps and proof.',
    answer: change,
    handle: async (gyrarch, { params }) => asChange(await gyrarch.changes.get(params['id'] ?? '')),
  },
  {
    method: 'patch',
    path: '/changes/:id',
    says: 'Amend the intent, whole or by JSON Patch (RFC 6902). Needs If-Match.',
    body: amendBody,
    answer: change,
    handle: async (gyrarch, { params, body, ifMatch }) => {
      const id = params['id'] ?? ''
      const row = await gyrarch.changes.find(id)
      const wish = body as z.infer<typeof amendBody>
      const expected = versionOf(ifMatch, id)
      if (wish.intent === undefined && wish.patch === undefined && wish.title === undefined)
        throw new Refusal('invalid', 'Give the intent, or a patch of it.', [
          { path: 'intent', says: 'is missing' },
        ])
      if (wish.intent !== undefined && wish.patch !== undefined)
        throw new Refusal('invalid', 'Give either the intent or a patch of it, not both.', [
          { path: 'patch', says: 'is given beside intent' },
        ])
      const patched =
        wish.patch === undefined
          ? (wish.intent ?? row.intent)
          : patchDraft(row.intent, wish.patch as Parameters<typeof patchDraft>[1])
      if (patched === null)
        throw new Refusal('invalid', 'The patch does not fit the intent.', [
          { path: 'patch', says: 'an operation names a place that is not there, or a test failed' },
        ])
      return asChange(await gyrarch.changes.amend(id, patched, expected, wish.title))
    },
  },
  {
    method: 'delete',
    path: '/changes/:id',
    says: 'Discard a draft.',
    answer: z.object({ id: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.changes.discard(params['id'] ?? '')
      return ok({ id: params['id'] })
    },
  },
  {
    method: 'post',
    path: '/changes/:id/run',
    says: 'Run it as it was read.',
    body: runBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params, body }) => {
      const wish = body as z.infer<typeof runBody>
      return asChange(
        await gyrarch.changes.run(params['id'] ?? '', {
          accept: wish.accept,
          confirm: wish.confirm,
          planDigest: wish.planDigest ?? undefined,
        }),
        202,
      )
    },
  },
  {
    method: 'post',
    path: '/changes/:id/retry',
    says: 'Retry a halted run from where it failed.',
    body: confirmBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params, body }) =>
      asChange(
        await gyrarch.changes.retry(
          params['id'] ?? '',
          (body as z.infer<typeof confirmBody>).confirm,
        ),
        202,
      ),
  },
  {
    method: 'post',
    path: '/changes/:id/take-back',
    says: 'Undo what a run has done, in reverse order.',
    body: confirmBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params, body }) =>
      asChange(
        await gyrarch.changes.takeBack(
          params['id'] ?? '',
          (body as z.infer<typeof confirmBody>).confirm,
        ),
        202,
      ),
  },
  {
    method: 'post',
    path: '/changes/:id/give-up',
    says: 'End a halted run and leave what it made.',
    body: confirmBody,
    answer: change,
    status: 202,
    handle: async (gyrarch, { params }) =>
      asChange(await gyrarch.changes.giveUp(params['id'] ?? ''), 202),
  },
  {
    method: 'get',
    path: '/kinds',
    says: 'The change kinds with the schemas of their intents.',
    answer: z.object({ kinds: z.array(any) }),
    handle: async () =>
      ok({
        kinds: kinds.map((kind) => ({
          name: kind.name,
          title: kind.title,
          schema: z.toJSONSchema(kind.schema, { io: 'input', unrepresentable: 'any' }),
        })),
      }),
  },
  {
    method: 'get',
    path: '/events',
    says: 'The journal in pages, oldest first.',
    query: z.object({
      after: wholeText(Number.MAX_SAFE_INTEGER).optional(),
      limit: wholeText(1000).optional(),
    }),
    answer: z.object({ events: z.array(any), next: z.number().nullable() }),
    handle: async (gyrarch, { query }) => {
      const { after, limit } = query as { after?: number; limit?: number }
      const most = Math.max(1, limit ?? 200)
      const events = await gyrarch.journal({ after: after ?? 0, limit: most })
      return ok({ events, next: events.length === most ? (events.at(-1)?.seq ?? null) : null })
    },
  },
  {
    method: 'get',
    path: '/faults',
    says: 'Faults that can be put into the stand-ins, and those that are.',
    answer: z.object({ possible: z.array(any), active: z.array(any) }),
    handle: async (gyrarch) => {
      const { possible, active } = await gyrarch.outside.faults()
      return ok({
        possible,
        active: active.map((fault) => ({
          id: fault.id,
          fault: fault.kind,
          about: fault.about,
          mode: fault.mode,
          left: fault.left,
          since: new Date(fault.since).toISOString(),
        })),
      })
    },
  },
  {
    method: 'post',
    path: '/faults',
    says: 'Put a fault into the stand-ins.',
    body: faultBody,
    answer: z.object({ id: z.string() }),
    status: 201,
    handle: async (gyrarch, { body }) => ({
      status: 201,
      json: { id: await gyrarch.putFault(body as z.infer<typeof faultBody>) },
    }),
  },
  {
    method: 'delete',
    path: '/faults/:id',
    says: 'Take a fault away.',
    answer: z.object({ id: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.endFault(params['id'] ?? '')
      return ok({ id: params['id'] })
    },
  },
  ...groundRoutes,
  ...layerRoutes,
  ...wireRoutes,
  ...computations.map((computation): Route => ({
    method: 'post',
    path: `/compute/${computation.name}`,
    says: computation.says,
    body: computation.input,
    answer: computation.output,
    large: computation.large,
    handle: async (gyrarch, { body, signal }) =>
      computation.large
        ? {
            json: null,
            text: {
              type: 'application/json',
              body: await gyrarch.compute.runText(
                computation.name,
                Buffer.isBuffer(body) ? body : new Uint8Array(),
                signal,
              ),
            },
          }
        : ok(await gyrarch.compute.run(computation.name, body, signal)),
  })),
]
