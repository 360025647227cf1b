/** Renewing by API: how long what runs is supported, what a release no longer serves, and the way of a cluster to it. */
import { z } from 'zod'
import { labelledAs } from '~/core/fleet'
import { goingClients } from '~/core/manifests'
import { findRelease, minorLines, supportOn } from '~/core/releases'
import { lanesOf, orderedUpgrade, usualWaves } from '~/core/releases/changes'
import { Refusal } from '../changes/errors'
import { upgradeProblem } from '../compute/renew'
import { liveAudit } from '../renew/live-audit'
import { waysTo } from '../renew/two-ways'
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

const span = z.object({ start: z.string(), end: z.string() })
const lane = z.object({
  cluster: z.string(),
  from: z.string(),
  to: z.string(),
  wave: z.number(),
  seconds: z.object({ likely: z.number(), worst: z.number() }).nullable(),
  window: z.string().nullable(),
  laid: span.nullable(),
  why: z.string().nullable(),
  held: z.number(),
  open: z.array(span),
})

const wayCost = z.object({
  stops: z.array(z.string()),
  seconds: z.object({ likely: z.number(), worst: z.number() }).nullable(),
  spend: z.number().nullable(),
  pods: z.number(),
  silentSeconds: z.number(),
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
          movedTo: z.string().nullable(),
          tooOld: z.array(z.string()),
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
    says: 'Objects of a cluster whose version goes, by what their owners last wrote, and clients that still ask for such; `target` is a minor.',
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
      clients: z.array(
        z.object({
          agent: z.string(),
          from: z.string(),
          apiVersion: z.string(),
          kind: z.string(),
          removedIn: z.string(),
          successor: z.string().nullable(),
          perDay: z.number(),
        }),
      ),
    }),
    handle: async (gyrarch, { params, query, fleet }) => {
      const { name, apiClients = [] } = await gyrarch.cluster(params['name'] ?? '', fleet)
      const objects = (await fleet.objectsOf(name)) ?? []
      const target = String(query['target'])
      return ok({
        objects: liveAudit(name, objects, target),
        clients: goingClients(apiClients, target),
      })
    },
  },
  {
    method: 'get',
    path: '/waves',
    says: 'Clusters on their way to a release: in waves, each laid into its maintenance windows by its worst duration. Draft it as `fleet.upgrade`.',
    past: true,
    query: z.object({
      to: z.string().max(40),
      /** Names with commas between; all of them without. */
      clusters: z.string().max(20_000).optional(),
      /** A label selector: of those that are named, the clusters that it lets through. */
      labels: z.string().max(1000).optional(),
      atOnce: z.coerce.number().int().min(1).max(20).optional(),
      soakSeconds: z.coerce.number().int().min(0).max(604_800).optional(),
    }),
    answer: z.object({ lanes: z.array(lane) }),
    handle: async (gyrarch, { query, fleet }) => {
      const plain = await fleet.view()
      const to = String(query['to'])
      if (!findRelease(plain.catalogue, to))
        throw new Refusal('invalid', `The catalogue has no release ${to.slice(0, 40)}.`, [
          { path: 'to', says: 'Name a release of the catalogue, or a minor.' },
        ])
      const names = plain.clusters.map(({ name }) => name)
      const asked = query['clusters'] === undefined ? names : String(query['clusters']).split(',')
      const unknown = asked.find((name) => !names.includes(name))
      if (unknown !== undefined)
        throw new Refusal('invalid', `There is no cluster ${unknown.slice(0, 80)}.`, [
          { path: 'clusters', says: `There are ${names.join(', ')}.` },
        ])
      const labelled = labelledAs(plain.clusters, String(query['labels'] ?? ''))
      if (!labelled.ok)
        throw new Refusal('invalid', labelled.says, [
          {
            path: 'labels',
            says: 'Write a label selector: stage=production,team in (orchids, ferns).',
          },
        ])
      const among = asked.filter((name) => labelled.names.includes(name))
      const members = usualWaves(plain, among, to)
      const view = await fleet.viewFor(
        members.map(({ cluster }) => cluster),
        [],
        true,
      )
      const atOnce = Number(query['atOnce'] ?? 1)
      const soakSeconds = Number(query['soakSeconds'] ?? 0)
      return ok({
        lanes:
          fleet === gyrarch.fleet
            ? await gyrarch.judges.waves({ members, to, atOnce, soakSeconds }, view)
            : lanesOf(view, members, to, atOnce, soakSeconds),
      })
    },
  },
  {
    method: 'get',
    path: '/clusters/:name/upgrade',
    says: 'The way of a cluster to a release: its path, the steps in order, and what is in the way.',
    past: true,
    query: z.object({ to: z.string().max(40) }),
    answer: z.object({
      from: z.string(),
      to: z.string(),
      path: z.array(z.string()).nullable(),
      steps: z.array(step),
      problems: z.array(upgradeProblem),
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
  {
    method: 'get',
    path: '/clusters/:name/upgrade/beside',
    says: 'An upgrade in place beside a second cluster: what stands against each, how long it takes, what it costs meanwhile, what moves. `raise` is the intent of `cluster.raise` that makes the second.',
    query: z.object({
      to: z.string().max(40),
      /** How long both stand before the first goes; a day without. */
      soakSeconds: z.coerce.number().int().min(0).max(31_536_000).optional(),
    }),
    answer: z.object({
      inPlace: wayCost,
      beside: wayCost.extend({
        soakSeconds: z.number(),
        second: z.object({
          raise: z.unknown(),
          moves: z.object({
            namespaces: z.number(),
            workloads: z.number(),
            pods: z.number(),
            volumes: z.number(),
            volumeBytes: z.number(),
            copySeconds: z.number().nullable(),
            routes: z.number(),
            names: z.array(z.string()),
          }),
          perHour: z.number(),
        }),
      }),
    }),
    handle: async (gyrarch, { params, query, fleet }) => {
      const { name, release } = await gyrarch.cluster(params['name'] ?? '', fleet)
      const ways = await waysTo(gyrarch, {
        cluster: name,
        to: String(query['to']),
        ...(query['soakSeconds'] === undefined
          ? {}
          : { soakSeconds: Number(query['soakSeconds']) }),
      })
      if (!ways)
        throw new Refusal('invalid', `${name} runs ${release}; there is no way to compare.`, [
          { path: 'to', says: 'Name a release of the catalogue, or a minor.' },
        ])
      return ok(ways)
    },
  },
]
