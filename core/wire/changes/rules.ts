/** The ordered rules of a site’s edge, changed: `wire.firewall`, `wire.translation`. */
import { command } from '../../contract'
import { z } from 'zod'
import { caution, type RawFinding, ref, stop } from '../../changes'
import type { FirewallRuleView, FleetView, SiteView, TranslationView } from '../../fleet'
import { oneStep, type OneStep } from '../../ground/one-step'
import { countText, listText } from '../../units'
import { prepareWorld, reviewFirewall, walkWorldSchema } from '..'
import { wayFindings, withSite } from './ways'
import { catchesOwn, opensEverything } from './wide'
import { said } from './says'

const name = z.string().trim().min(1, 'Give the rule a name.').max(120)
const ranges = z
  .array(z.string().max(100))
  .min(1, 'An empty list would match nothing. Leave it out for all addresses.')
  .max(1000)
const ports = z
  .array(z.string().max(20))
  .min(1, 'An empty list would match nothing. Leave it out for all ports.')
  .max(200)
const names = z.array(z.string().max(253)).max(1000).default([])

const rule = z.strictObject({
  name,
  priority: z.number().min(0).max(1_000_000),
  direction: z.enum(['in', 'out']),
  action: z.enum(['allow', 'deny']),
  from: ranges.optional(),
  to: ranges.optional(),
  protocol: z.enum(['tcp', 'udp', 'sctp', 'any']).default('any'),
  ports: ports.optional(),
  members: ranges.optional(),
  enabled: z.boolean().optional(),
})
export const firewallIntent = z.strictObject({
  site: z.string().max(253),
  put: z.array(rule).max(1000).default([]),
  remove: names,
  enable: names,
  disable: names,
})
export type FirewallIntent = z.infer<typeof firewallIntent>

const translation = z.strictObject({
  name,
  priority: z.number().min(0).max(1_000_000),
  kind: z.enum(['keep', 'translate']),
  from: ranges.optional(),
  to: ranges.optional(),
  becomes: z.string().max(100).optional(),
  protocol: z.enum(['tcp', 'udp', 'any']).optional(),
})
export const translationIntent = z.strictObject({
  site: z.string().max(253),
  put: z.array(translation).max(1000).default([]),
  remove: names,
})
export type TranslationIntent = z.infer<typeof translationIntent>

interface Ordered {
  readonly name: string
  readonly priority: number
}

/** New rules stand before those of their own priority; one of a known name is changed in its place. */
function putInto<Rule extends Ordered>(
  rules: readonly Rule[],
  put: readonly Rule[],
  remove: readonly string[],
): readonly Rule[] {
  let next = rules.filter((candidate) => !remove.includes(candidate.name))
  for (const entry of put) {
    const index = next.findIndex((otherRule) => otherRule.name === entry.name)
    if (index >= 0) next = next.map((otherRule, i) => (i === index ? entry : otherRule))
    else {
      const at = next.findIndex((otherRule) => otherRule.priority >= entry.priority)
      next = at < 0 ? [...next, entry] : [...next.slice(0, at), entry, ...next.slice(at)]
    }
  }
  return next
}

export function firewallAfter(
  intent: FirewallIntent,
  rules: readonly FirewallRuleView[],
): readonly FirewallRuleView[] {
  const put = intent.put.map((eachRule) => JSON.parse(JSON.stringify(eachRule)) as FirewallRuleView)
  return putInto(rules, put, intent.remove).map((entry) => {
    const { enabled: _was, ...rest } = entry
    if (intent.disable.includes(entry.name)) return { ...rest, enabled: false }
    return intent.enable.includes(entry.name) ? rest : entry
  })
}

export const translationsAfter = (
  intent: TranslationIntent,
  rules: readonly TranslationView[],
): readonly TranslationView[] =>
  putInto(
    rules,
    intent.put.map((eachRule) => JSON.parse(JSON.stringify(eachRule)) as TranslationView),
    intent.remove,
  )

const unknownNames = (
  wanted: readonly string[],
  existing: readonly Ordered[],
  field: string,
  site: SiteView,
): readonly RawFinding[] => {
  const missing = wanted.filter((text) => !existing.some((candidate) => candidate.name === text))
  return missing.length === 0
    ? []
    : [
        stop(`rule.known.${field}`, field, said('no-rule', { site: site.name, missing }), [
          {
            ...said('rules', { known: existing.map((entry) => entry.name) }),
            source: site.name,
            at: site.observedAt,
          },
        ]),
      ]
}

const clustersAt = (view: FleetView, site: SiteView): readonly string[] =>
  view.clusters.filter((cluster) => cluster.site === site.name).map((cluster) => cluster.name)

/** A kind on one site whose ways must be seen: with the calls of its clusters. */
function onWays<Intent extends { readonly site: string }>(of: OneStep<Intent>) {
  return {
    ...oneStep(of),
    needs: (intent: Intent) => [
      'ledger' as const,
      `site:${intent.site}` as const,
      `walks:site/${intent.site}` as const,
    ],
  }
}

function checkFirewall(
  intent: FirewallIntent,
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const rules = site.firewall ?? []
  const findings: RawFinding[] = [
    ...unknownNames(intent.remove, rules, 'remove', site),
    ...unknownNames(intent.enable, rules, 'enable', site),
    ...unknownNames(intent.disable, rules, 'disable', site),
  ]
  if (intent.put.length + intent.remove.length + intent.enable.length + intent.disable.length === 0)
    findings.push(stop('rule.nothing', 'put', said('rule.nothing.no-rule-put')))
  const next = firewallAfter(intent, rules)
  const review = reviewFirewall(next as never)
  if (!review.ok) {
    const place = /^rules\[(\d+)\]\.?(.*)$/.exec(review.path)
    const bad = next[Number(place?.[1] ?? -1)]
    const at = intent.put.findIndex((candidate) => candidate.name === bad?.name)
    return [
      ...findings,
      stop(
        'rule.readable',
        at >= 0 ? `put[${at}].${place?.[2] ?? ''}` : 'put',
        said('rule.readable.firewall', { rule: bad?.name ?? 'A rule', message: review.says }),
      ),
    ]
  }
  if (findings.length > 0) return findings
  const was = reviewFirewall(rules as never)
  const seen = [
    {
      ...said('rules-reviewed', { nextCount: next.length }),
      source: site.name,
      at: site.observedAt,
    },
  ]
  for (const entry of review.review.unreachable) {
    if (was.ok && was.review.unreachable.some((candidate) => candidate.rule === entry.rule))
      continue
    findings.push(
      caution(
        `rule.unreachable.${entry.rule}`,
        'put',
        said('never-decide-all', {
          rule: entry.rule,
          by: entry.by,
          opposite: entry.opposite,
        }),
        seen,
      ),
    )
  }
  for (const entry of review.review.redundant) {
    if (was.ok && was.review.redundant.some((candidate) => candidate.rule === entry.rule)) continue
    findings.push({
      level: 'note',
      rule: `rule.redundant.${entry.rule}`,
      field: 'put',
      ...said('only-repeat', { rule: entry.rule, by: entry.by }),
      because: seen,
    })
  }
  const changed = new Set([...intent.put.map((rule) => rule.name), ...intent.enable])
  return [
    ...findings,
    ...opensEverything(
      next.filter((rule) => changed.has(rule.name)),
      site,
      view,
    ),
    ...wayFindings(
      view,
      withSite(view, site.name, { firewall: next }),
      clustersAt(view, site),
      'put',
    ),
  ]
}

const sameRules = (a: readonly unknown[], b: readonly unknown[]): boolean =>
  JSON.stringify(a) === JSON.stringify(b)

export const wireFirewall = onWays<FirewallIntent>({
  name: 'wire.firewall',
  title: 'Change a firewall',
  intent: firewallIntent,
  label: (intent) =>
    `firewall of ${intent.site || 'a site'}: ${listText([...intent.put.map((eachRule) => eachRule.name), ...intent.enable.map((text) => `${text} on`), ...intent.disable.map((text) => `${text} off`), ...intent.remove.map((text) => `no ${text}`)], 2) || 'nothing yet'}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('firewall', intent.site),
  check: checkFirewall,
  says: (intent, site) =>
    `${countText(firewallAfter(intent, site.firewall ?? []).length, 'rule')} in force`,
  command: (intent, site) =>
    command('firewall.set', { site: site.name, rules: firewallAfter(intent, site.firewall ?? []) }),
  undo: (_intent, site) => command('firewall.set', { site: site.name, rules: site.firewall ?? [] }),
  seconds: { likely: 7, worst: 20 },
  after: (intent, site) => ({ ...site, firewall: firewallAfter(intent, site.firewall ?? []) }),
  prove: (intent, site) => {
    const rules = site?.firewall ?? []
    const wrong = [
      ...intent.put
        .filter((candidate) => !rules.some((otherRule) => otherRule.name === candidate.name))
        .map((eachRule) => eachRule.name),
      ...intent.remove.filter((candidate) =>
        rules.some((otherRule) => otherRule.name === candidate),
      ),
      ...intent.disable.filter((text) =>
        rules.some((otherRule) => otherRule.name === text && otherRule.enabled !== false),
      ),
      ...intent.enable.filter((text) =>
        rules.some((otherRule) => otherRule.name === text && otherRule.enabled === false),
      ),
    ]
    return [
      {
        says: 'the rules are as they were to become',
        holds: wrong.length === 0,
        observed: wrong.length === 0 ? countText(rules.length, 'rule') : `${listText(wrong)} not`,
      },
    ]
  },
})

function checkTranslation(
  intent: TranslationIntent,
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const rules = site.translations ?? []
  const findings: RawFinding[] = [...unknownNames(intent.remove, rules, 'remove', site)]
  if (intent.put.length + intent.remove.length === 0)
    findings.push(stop('rule.nothing', 'put', said('rule.nothing.no-translation-put')))
  const next = translationsAfter(intent, rules)
  const trial = walkWorldSchema.safeParse({
    sites: [{ name: site.name, domain: site.domain, translations: next }],
  })
  const read = trial.success ? prepareWorld(trial.data) : null
  if (!read?.ok) {
    const place = /translations\[(\d+)\]\.?(.*)$/.exec(read?.path ?? '')
    const bad = next[Number(place?.[1] ?? -1)]
    const at = intent.put.findIndex((candidate) => candidate.name === bad?.name)
    return [
      ...findings,
      stop(
        'rule.readable',
        at >= 0 ? `put[${at}].${place?.[2] ?? ''}` : 'put',
        said('rule.readable.translation', {
          rule: bad?.name ?? 'A translation',
          message: read?.says ?? 'is not readable',
        }),
      ),
    ]
  }
  if (findings.length > 0) return findings
  for (const [i, one] of intent.put.entries()) {
    if (
      one.kind === 'translate' &&
      one.becomes !== undefined &&
      one.becomes !== site.egress &&
      !site.networks.some((network) => network.role === 'frontage')
    )
      findings.push(
        caution(
          `rule.egress.${i}`,
          `put[${i}].becomes`,
          said('not-egress-address', {
            becomes: one.becomes,
            site: site.name,
            egress: site.egress ?? 'none is known',
          }),
          [
            {
              ...said('egress', { egress: site.egress ?? 'unknown' }),
              source: site.name,
              at: site.observedAt,
            },
          ],
        ),
      )
  }
  const written = new Set(intent.put.map((rule) => rule.name))
  return [
    ...findings,
    ...catchesOwn(
      next.filter((rule) => written.has(rule.name)),
      next,
      site,
      view,
    ),
    ...wayFindings(
      view,
      withSite(view, site.name, { translations: next }),
      clustersAt(view, site),
      'put',
    ),
  ]
}

export const wireTranslation = onWays<TranslationIntent>({
  name: 'wire.translation',
  title: 'Change address translation',
  intent: translationIntent,
  label: (intent) =>
    `translation of ${intent.site || 'a site'}: ${listText([...intent.put.map((eachRule) => eachRule.name), ...intent.remove.map((text) => `no ${text}`)], 2) || 'nothing yet'}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('translation', intent.site),
  check: checkTranslation,
  says: (intent, site) =>
    `${countText(translationsAfter(intent, site.translations ?? []).length, 'translation')} in force`,
  command: (intent, site) =>
    command('translations.set', {
      site: site.name,
      translations: translationsAfter(intent, site.translations ?? []),
    }),
  undo: (_intent, site) =>
    command('translations.set', { site: site.name, translations: site.translations ?? [] }),
  seconds: { likely: 7, worst: 20 },
  after: (intent, site) => ({
    ...site,
    translations: translationsAfter(intent, site.translations ?? []),
  }),
  prove: (intent, site) => {
    const rules = site?.translations ?? []
    const wrong = [
      ...intent.put
        .filter(
          (candidate) =>
            !rules.some(
              (otherRule) =>
                otherRule.name === candidate.name && sameRules([otherRule.kind], [candidate.kind]),
            ),
        )
        .map((eachRule) => eachRule.name),
      ...intent.remove.filter((candidate) =>
        rules.some((otherRule) => otherRule.name === candidate),
      ),
    ]
    return [
      {
        says: 'the translations are as they were to become',
        holds: wrong.length === 0,
        observed:
          wrong.length === 0 ? countText(rules.length, 'translation') : `${listText(wrong)} not`,
      },
    ]
  },
})
