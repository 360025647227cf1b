/** A site that is given up. */
import { z } from 'zod'
import { said } from './says'
import { unknownSite, seen } from './one-step'
import { siteSpend } from '../spend'
import { step } from '../provisioning/steps'
import { siteOf } from '../fleet'
import { ref, command } from '../contract'
import { type ChangeKind, type RawFinding, stop, longestPath } from '../changes'
import { name } from './sites'

export const removeIntent = z.strictObject({ site: name })
export const siteRemove: ChangeKind<z.infer<typeof removeIntent>> = {
  name: 'site.remove',
  title: 'Remove a site',
  intent: removeIntent,
  needs: (intent) => ['names', `site:${intent.site}`],
  subjects: (intent) => [ref('site', intent.site)],
  guardedBy: () => null,
  label: (intent) => `remove site ${intent.site}`,
  check: (intent, view) => {
    const site = siteOf(view, intent.site)
    if (!site) return [unknownSite(intent.site, view)]
    const clusters = view.clusters
      .filter((cluster) => cluster.site === site.name)
      .map((cluster) => cluster.name)
    const findings: RawFinding[] = []
    if (clusters.length > 0)
      findings.push(
        stop('site.clusters', 'site', said('site.clusters', { clusters, site: site.name }), [
          {
            ...said('clusters', { site: site.name, clusters }),
            source: 'register of clusters',
          },
        ]),
      )
    else if (site.machines.length > 0)
      findings.push(
        stop(
          'site.machines',
          'site',
          said('site.machines', { machinesCount: site.machines.length, site: site.name }),
          [
            seen(
              site,
              said('machines-left', { machines: site.machines.map((machine) => machine.name) }),
            ),
          ],
          [
            {
              says: 'Remove them first',
              change: {
                kind: 'orphans.remove',
                intent: {
                  site: site.name,
                  items: site.machines
                    .slice(0, 5000)
                    .map((machine) => ({ kind: 'machine', name: machine.name })),
                },
              },
            },
          ],
        ),
      )
    return findings
  },
  plan: (intent, view) => {
    const site = siteOf(view, intent.site)
    const steps = [
      step({
        id: 'remove',
        after: [],
        group: intent.site,
        says: `remove ${intent.site} with its networks and records`,
        command: command('site.remove', { site: intent.site }),
        final: true,
        seconds: { likely: 10, worst: 30 },
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [],
      removes: [ref('site', intent.site)],
      ...longestPath(steps),
      spend: { before: site ? siteSpend(site).perMonth : 0, after: 0 },
      reserves: [],
    }
  },
  after: (intent, view) => ({
    ...view,
    sites: view.sites.filter((site) => site.name !== intent.site),
  }),
  prove: (intent, view) => [
    {
      says: 'The site is gone',
      holds: siteOf(view, intent.site) === undefined,
      observed: siteOf(view, intent.site) ? 'still listed' : 'not listed',
    },
  ],
}
