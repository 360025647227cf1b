/** Renewing by API: how long what runs is supported, what a release no longer serves, and the way of a cluster to it. */
import { z } from 'zod'
import { findRelease, minorLines, supportOn } from '~/core/releases'
import { orderedUpgrade } from '~/core/releases/changes'
import { Refusal } from '../changes/errors'
import { liveAudit } from '../renew/live-audit'
import { writeDays } from '../windows/icalendar'
import { ok } from './answers'
import type { Route } from './route'

const day = z.iso.date('Give a day like 2026-06-28.')
const step = z.object({
  kind: z.enum(['control-plane', 'turnover', 'add-on']),
  from: z.string(),
  to: z.string(),
  pool: z.string().optional(),
  name: z.string().optional(),
})

export const renewRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/support',
    says: 'Releases with their support, and where each cluster stands on a day (today without `on`).',
    past: true,
    query: z.object({ on: day.optional() }),
    answer: z.object({
      day: z.string(),
      releases: z.array(
        z.object({
          minor: z.string(),
          from: z.string(),
          until: z.string(),
          patches: z.array(z.string()),
        }),
      ),
      clusters: z.array(
        z.object({
          cluster: z.string(),
          site: z.string(),
          release: z.string(),
          minor: z.string(),
          until: z.string().nullable(),
          daysLeft: z.number().nullable(),
          state: z.enum(['supported', 'ending', 'lapsed', 'unknown']),
          pools: z.array(z.object({ name: z.string(), release: z.string(), behind: z.number() })),
        }),
      ),
    }),
    handle: async (_gyrarch, { query, fleet }) => {
      const view = await fleet.view()
      const on = String(query['on'] ?? view.now.slice(0, 10))
      return ok({
        day: on,
        releases: minorLines(view.catalogue),
        clusters: supportOn(view.clusters, view.catalogue, on),
      })
    },
  },
  {
    method: 'get',
    path: '/support.ics',
    says: 'The days on which support of what clusters run ends, as iCalendar (RFC 5545).',
    past: true,
    texts: ['text/calendar'],
    handle: async (_gyrarch, { fleet }) => {
      const view = await fleet.view()
      const ends = supportOn(view.clusters, view.catalogue, view.now.slice(0, 10))
      return {
        text: {
          type: 'text/calendar; charset=utf-8',
          body: writeDays(
            ends.flatMap(({ cluster, release, until }) =>
              until === null
                ? []
                : [
                    {
                      id: `support-${cluster}-${release}`,
                      day: until,
                      says: `${cluster}: support of ${release} ends`,
                    },
                  ],
            ),
            'Ends of support',
            view.now,
          ),
          fileName: 'support.ics',
        },
      }
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/removals',
    says: 'Objects of a cluster whose version goes, by what their owners last wrote; `target` is a minor.',
    past: true,
    query: z.object({
      target: z.string().regex(/^\d{1,4}\.\d{1,4}$/, 'Name the target as a minor: 1.33.'),
    }),
    answer: z.object({
      objects: z.array(
        z.object({
          cluster: z.string(),
          object: z.string(),
          apiVersion: z.string(),
          removedIn: z.string(),
          gone: z.boolean(),
          successor: z.string().nullable(),
          owner: z.string().nullable(),
        }),
      ),
    }),
    handle: async (gyrarch, { params, query, fleet }) => {
      const { name } = await gyrarch.cluster(params['name'] ?? '', fleet)
      const objects = (await fleet.objectsOf(name)) ?? []
      return ok({ objects: liveAudit(name, objects, String(query['target'])) })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/upgrade',
    says: 'The way of a cluster to a release: its path, the steps in order, and what is in the way.',
    query: z.object({ to: z.string().max(40) }),
    answer: z.object({
      from: z.string(),
      to: z.string(),
      path: z.array(z.string()).nullable(),
      steps: z.array(step),
      problems: z.array(
        z.object({
          kind: z.enum(['no-path', 'pool-newer', 'pool-too-old', 'add-on']),
          name: z.string().optional(),
          at: z.string().optional(),
          says: z.string(),
        }),
      ),
    }),
    handle: async (gyrarch, { params, query, fleet }) => {
      const cluster = await gyrarch.cluster(params['name'] ?? '', fleet)
      const published = await gyrarch.registries.published()
      const view = { ...(await fleet.view()), published }
      const to = String(query['to'])
      const ordered = orderedUpgrade({ cluster: cluster.name, to }, view)
      if (!ordered)
        throw new Refusal(
          'invalid',
          `${cluster.name} runs ${cluster.release} and cannot be taken to ${to}.`,
          [
            {
              path: 'to',
              says: findRelease(view.catalogue, to)
                ? `Name a release above ${cluster.release}.`
                : 'Name a release of the catalogue, or a minor.',
            },
          ],
        )
      const { path, steps, problems } = ordered.upgrade
      return ok({ from: cluster.release, to: ordered.release.version, path, steps, problems })
    },
  },
]
