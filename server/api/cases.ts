/** Cases by API: what is broken, of what, what can be done; opened by hand, noted in, exported. */
import { z } from 'zod'
import { nodeLookReport } from '~/core/contract'
import { clusterOf, type ClusterView } from '~/core/fleet'
import { mustBeInside } from '../access/inside'
import { caseMarkdown, caseSummary, caseTold, evidenceOf } from '../mend/case-told'
import { currentActor } from '../actor'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { said } from '../mend/says'
import { ok } from './answers'
import type { Route } from './route'

const summary = z.object({
  id: z.string(),
  state: z.enum(['open', 'closed']),
  cluster: z.string(),
  symptom: z.string(),
  cause: z.string().nullable(),
  says: z.string(),
  about: z.string(),
  subjects: z.array(z.string()),
  since: z.string(),
  openedAt: z.string(),
  openedBy: z.string(),
  closedAt: z.string().nullable(),
  closedBy: z.string().nullable(),
  who: z.string(),
})

const link = z.object({ about: z.string(), says: z.string() })

const whole = summary.extend({
  troubles: z.array(
    z.object({ subject: z.string(), since: z.string().nullable(), symptom: z.string() }),
  ),
  causes: z.array(
    z.object({
      cause: z.string(),
      /** What it means, of what it is about. */
      means: z.string(),
      about: z.string(),
      share: z.number(),
      says: z.string(),
      chain: z.array(link),
      because: z.array(
        z.object({
          type: z.string(),
          about: z.string(),
          at: z.string().nullable(),
          text: z.string(),
        }),
      ),
    }),
  ),
  ruledOut: z.array(z.object({ cause: z.string(), says: z.string() })),
  next: z.object({ probe: z.string(), says: z.string(), about: z.string().optional() }).nullable(),
  remedies: z.array(
    z.object({
      says: z.string(),
      because: z.string(),
      code: z.string().optional(),
      params: z.record(z.string(), z.unknown()).optional(),
      change: z.unknown(),
    }),
  ),
  before: z.array(
    z.object({
      id: z.string(),
      kind: z.string(),
      label: z.string(),
      at: z.string(),
      isNear: z.boolean(),
    }),
  ),
  notices: z.array(
    z.object({
      what: z.enum(['caller', 'expectation', 'name', 'claim']),
      who: z.string(),
      says: z.string(),
    }),
  ),
  notes: z.array(z.object({ at: z.string(), by: z.string(), says: z.string() })),
})

/** What a case is opened about. */
export const caseBody = z.strictObject({
  /** Empty where it is about a run, an expectation or a finding. */
  cluster: z.string().max(253).default(''),
  about: z
    .string()
    .max(1200)
    .regex(
      /^(?:cluster|node\/[^/]+|[a-z]+\/[^/]+\/[^/]+|run\/c-\d+|expectation\/.+|finding\/c-\d+\/.+)$/s,
      'Write it as kind/namespace/name in lower case, node/name, cluster, run/c-12, expectation/name, or finding/c-12/key.',
    ),
})

/** What is written into a case. */
export const caseWriting = z
  .strictObject({
    who: z.string().max(200).optional(),
    note: z.string().trim().min(1, 'A note says something.').max(10_000).optional(),
  })
  .refine(
    ({ who, note }) => who !== undefined || note !== undefined,
    'Give who is on it, or a note.',
  )

/** How many lines of a log. */
const linesQuery = z.object({ lines: z.coerce.number().int().min(1).max(2000).default(200) })

async function mustKnow({ fleet }: Gyrarch, name: string): Promise<ClusterView> {
  const cluster = clusterOf(await fleet.view(), name)
  if (!cluster) throw new Refusal('not-found', said('case.unknown', { about: name }).says)
  return cluster
}

export const caseRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/clusters/:name/nodes/:node/log',
    says: 'What the services of a node have written lately, oldest first: the agent, the runtime, the kernel.',
    query: linesQuery,
    answer: z.object({ lines: z.array(z.string()) }),
    handle: async (gyrarch, { params, query }) => {
      const [name, node] = [params['name'] ?? '', params['node'] ?? '']
      const { lines } = query as z.infer<typeof linesQuery>
      mustBeInside(await mustKnow(gyrarch, name))
      const written = await gyrarch.observe.nodeLog(name, node, lines)
      if (!written) throw new Refusal('not-found', said('case.no-log', { node }).says)
      return ok({ lines: written })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/nodes/:node/look',
    says: 'How a node is inside, read only: its services, file systems, addresses, certificates and time.',
    answer: nodeLookReport,
    handle: async (gyrarch, { params }) => {
      const [name, node] = [params['name'] ?? '', params['node'] ?? '']
      mustBeInside(await mustKnow(gyrarch, name))
      const look = await gyrarch.observe.nodeLook(name, node)
      if (!look) throw new Refusal('not-found', said('case.no-log', { node }).says)
      return ok(look)
    },
  },
  {
    method: 'get',
    path: '/cases',
    says: 'Cases: open ones first, the newest of each first.',
    answer: z.object({ cases: z.array(summary) }),
    handle: async (gyrarch) => ok({ cases: (await gyrarch.cases.list()).map(caseSummary) }),
  },
  {
    method: 'post',
    path: '/cases',
    says: 'Open a case about something of a cluster that is not well; one that is open already is answered.',
    body: caseBody,
    answer: whole,
    status: 201,
    handle: async (gyrarch, { body }) => {
      const { cluster, about } = body as z.infer<typeof caseBody>
      const row = await gyrarch.cases.openFor(cluster, about, currentActor())
      return { ...ok(await caseTold(gyrarch, `m-${row.number}`)), status: 201 }
    },
  },
  {
    method: 'get',
    path: '/cases/:id',
    says: 'One case: its symptom, causes, what speaks for them, what changed before, who would notice, and what can be done.',
    answer: whole,
    handle: async (gyrarch, { params }) => ok(await caseTold(gyrarch, params['id'] ?? '')),
  },
  {
    method: 'patch',
    path: '/cases/:id',
    says: 'Write who is on a case, or a note into it.',
    body: caseWriting,
    answer: whole,
    handle: async (gyrarch, { params, body }) => {
      const { who, note } = body as z.infer<typeof caseWriting>
      const id = params['id'] ?? ''
      await gyrarch.cases.write(
        id,
        { ...(who === undefined ? {} : { who }), ...(note === undefined ? {} : { note }) },
        currentActor(),
      )
      return ok(await caseTold(gyrarch, id))
    },
  },
  {
    method: 'post',
    path: '/cases/:id/probe',
    says: 'Look at what would tell the causes of a case apart: the logs that its next probe names; what was read is noted, and looked at again from then on.',
    answer: whole,
    handle: async (gyrarch, { params }) => {
      const id = params['id'] ?? ''
      await gyrarch.cases.probe(id, currentActor())
      return ok(await caseTold(gyrarch, id))
    },
  },
  {
    method: 'get',
    path: '/cases/:id/evidence',
    says: 'What was seen of a case: events and lines of logs of every source, on one time axis.',
    answer: z.object({
      seen: z.array(
        z.object({
          at: z.string().nullable(),
          from: z.string(),
          kind: z.enum(['event', 'log', 'condition']),
          says: z.string(),
          isCause: z.boolean(),
        }),
      ),
    }),
    handle: async (gyrarch, { params }) => {
      const row = await gyrarch.cases.read(params['id'] ?? '')
      return ok({ seen: await evidenceOf(gyrarch, row) })
    },
  },
  {
    method: 'get',
    path: '/cases/:id/export.md',
    says: 'A case as Markdown, for whoever is handed it.',
    texts: ['text/markdown'],
    handle: async (gyrarch, { params }) => {
      const told = await caseTold(gyrarch, params['id'] ?? '')
      return {
        text: {
          type: 'text/markdown; charset=utf-8',
          body: caseMarkdown(told),
          fileName: `case-${told.id}.md`,
        },
      }
    },
  },
]
