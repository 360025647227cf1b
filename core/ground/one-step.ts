/** Change kinds whose whole work is one command at one site: most of what is done to the ground itself. */
import type { z } from 'zod'
import {
  type ChangeKind,
  type Command,
  type Estimate,
  type Fact,
  longestPath,
  type Plan,
  type Proof,
  type RawFinding,
  type Ref,
  type Step,
  stop,
} from '../changes'
import type { Said } from '../contract'
import { type FleetView, siteOf, type SiteView } from '../fleet'
import { siteSpend } from '../spend'
import { step } from '../provisioning/steps'
import { said } from './says'

export interface OneStep<Intent> {
  readonly name: string
  readonly title: string
  readonly intent: z.ZodType<Intent>
  readonly label: (intent: Intent) => string
  readonly site: (intent: Intent) => string
  readonly subject: (intent: Intent) => Ref
  /** What stands against it, at a site that is known. */
  readonly check: (intent: Intent, site: SiteView, view: FleetView) => readonly RawFinding[]
  readonly says: (intent: Intent, site: SiteView) => string
  readonly command: (intent: Intent, site: SiteView) => Command
  readonly undo?: (intent: Intent, site: SiteView) => Command | null
  readonly seconds: Estimate
  readonly makes?: 'creates' | 'alters' | 'removes'
  /** The site once it is done: plan, spend and proofs of other drafts are computed from it. */
  readonly after: (intent: Intent, site: SiteView) => SiteView
  readonly prove: (intent: Intent, site: SiteView | undefined, view: FleetView) => readonly Proof[]
}

/** A draft patched in one place. */
export const put = (path: string, value: unknown) => ({
  patchDraft: [{ op: 'add', path, value } as const],
})

/** What was seen at a site, for the facts of findings. */
export const seen = (site: SiteView, said: Said): Fact => ({
  ...said,
  source: site.name,
  at: site.observedAt,
})

export const unknownSite = (name: string, view: FleetView): RawFinding =>
  stop(
    'site.known',
    'site',
    name === '' ? said('site.known.no-site-chosen') : said('site.known.there-no-site', { name }),
    [
      {
        ...said('sites', { sites: view.sites.map((site) => site.name) }),
        source: 'fleet',
      },
    ],
  )

export function oneStep<Intent>(of: OneStep<Intent>): ChangeKind<Intent> {
  const existing = (intent: Intent, view: FleetView): SiteView => {
    const site = siteOf(view, of.site(intent))
    if (!site) throw new Error('a plan is made only for a site that is known')
    return site
  }
  return {
    name: of.name,
    title: of.title,
    intent: of.intent,
    needs: (intent) => ['ledger', `site:${of.site(intent)}`],
    subjects: (intent) => [of.subject(intent)],
    guardedBy: () => null,
    label: of.label,
    check: (intent, view) => {
      const site = siteOf(view, of.site(intent))
      return site ? of.check(intent, site, view) : [unknownSite(of.site(intent), view)]
    },
    plan: (intent, view): Plan => {
      const site = existing(intent, view)
      const undo = of.undo?.(intent, site) ?? null
      const steps: readonly Step[] = [
        step({
          id: 'do',
          after: [],
          group: site.name,
          says: of.says(intent, site),
          command: of.command(intent, site),
          ...(undo ? { undo } : { final: true }),
          seconds: of.seconds,
        }),
      ]
      const parts = { creates: [] as Ref[], alters: [] as Ref[], removes: [] as Ref[] }
      parts[of.makes ?? 'alters'].push(of.subject(intent))
      return {
        steps,
        ...parts,
        ...longestPath(steps),
        spend: {
          before: siteSpend(site).perMonth,
          after: siteSpend(of.after(intent, site)).perMonth,
        },
        reserves: [],
      }
    },
    prove: (intent, view) => of.prove(intent, siteOf(view, of.site(intent)), view),
    after: (intent, view) => ({
      ...view,
      sites: view.sites.map((site) =>
        site.name === of.site(intent) ? of.after(intent, site) : site,
      ),
    }),
  }
}
