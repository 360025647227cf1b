/** Ways and traffic by API: what is expected, who calls whom, and the same as OpenMetrics text. */
import { z } from 'zod'
import { openMetrics } from '~/core/wire/changes'
import { expectations } from '~/core/wire'
import { expectationSchema } from '../wire/expectations'
import { trafficReport } from '~/core/contract'
import { observed, ok } from './answers'
import type { Route } from './route'

export const wireRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/clusters/:name/metrics',
    says: 'Calls, failures and answer times of a cluster’s services over the last day, as OpenMetrics text.',
    past: true,
    texts: ['application/openmetrics-text'],
    handle: async (gyrarch, { fleet, params }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '', fleet)
      const view = await fleet.view()
      return {
        text: {
          type: 'application/openmetrics-text; version=1.0.0; charset=utf-8',
          body: openMetrics(
            cluster.name,
            observed(await fleet.trafficOf(cluster.name), cluster.name),
            view.now,
          ),
        },
      }
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/traffic',
    says: 'Who called whom in a cluster over the last day, in spans in which a call fared alike.',
    past: true,
    answer: z.object({ traffic: z.array(trafficReport) }),
    handle: async (gyrarch, { fleet, params }) =>
      ok({
        traffic: observed(
          await fleet.trafficOf((await gyrarch.cluster(params['name'] ?? '', fleet)).name),
          params['name'] ?? '',
        ),
      }),
  },
  {
    method: 'get',
    path: '/expectations',
    says: 'Kept walks, and whether each holds now.',
    past: true,
    answer: z.object({
      expectations: z.array(
        z.object({
          ...expectationSchema.shape,
          protocol: z.enum(['TCP', 'UDP', 'SCTP']),
          holds: z.boolean().nullable(),
          says: z.string(),
        }),
      ),
    }),
    handle: async (_gyrarch, { fleet }) => {
      const view = await fleet.withExpected(await fleet.view())
      const held = new Map(expectations(view).map((expectation) => [expectation.name, expectation]))
      return ok({
        expectations: (view.expectations ?? []).map((expectation) => ({
          ...expectation,
          holds: held.get(expectation.name)?.holds ?? null,
          says: held.get(expectation.name)?.says ?? 'A cluster it speaks of does not answer.',
        })),
      })
    },
  },
  {
    method: 'post',
    path: '/expectations',
    says: 'Keep a walk as an expectation.',
    body: expectationSchema,
    answer: z.object({ name: z.string() }),
    status: 201,
    handle: async (gyrarch, { body }) => ok({ name: await gyrarch.expectations.keep(body) }),
  },
  {
    method: 'delete',
    path: '/expectations/:name',
    says: 'Expect it no longer.',
    answer: z.object({ removed: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.expectations.remove(params['name'] ?? '')
      return ok({ removed: params['name'] })
    },
  },
]
