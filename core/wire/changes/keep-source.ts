/** Ranges towards which a cluster’s pods keep their own addresses: `wire.keep-source`. */
import { answering, guardedCluster, noCluster } from '../../changes'
import { command } from '../../contract'
import { z } from 'zod'
import { parseCidr, parseRange } from '../../addresses'
import { type ChangeKind, longestPath, type RawFinding, ref, stop } from '../../changes'
import { clusterOf, type FleetView, siteOf } from '../../fleet'
import { askRetry, step } from '../../provisioning/steps'
import { siteSpend } from '../../spend'
import { listText } from '../../units'
import { wayFindings, withCluster } from './ways'
import { keptTooWide } from './wide'
import { said } from './says'
import { quoted } from '../../contract'

const range = z.string().max(100)
export const keepSourceIntent = z.strictObject({
  cluster: z.string().max(253),
  add: z.array(range).max(200).default([]),
  remove: z.array(range).max(200).default([]),
})
export type KeepSourceIntent = z.infer<typeof keepSourceIntent>

export const keptAfter = (
  intent: KeepSourceIntent,
  ranges: readonly string[],
): readonly string[] => [
  ...new Set([...ranges.filter((candidate) => !intent.remove.includes(candidate)), ...intent.add]),
]

function check(intent: KeepSourceIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const silent = answering(cluster, view)
  if (silent.length > 0) return silent
  const findings: RawFinding[] = []
  const existing = cluster.keepSource ?? []
  for (const [i, text] of intent.add.entries()) {
    const read = parseRange(text)
    const block = text.includes('/') ? parseCidr(text) : null
    if (!read.ok)
      findings.push(
        stop(
          `range.readable.${i}`,
          `add[${i}]`,
          quoted('range.unreadable', read.says),
          [],
          block && !block.ok && block.suggest
            ? [
                {
                  says: `Use ${block.suggest}`,
                  change: {
                    patchDraft: [{ op: 'replace', path: `/add/${i}`, value: block.suggest }],
                  },
                },
              ]
            : [],
        ),
      )
    else if (existing.includes(text))
      findings.push(
        stop(
          `range.there.${i}`,
          `add[${i}]`,
          said('keeps-sources-towards', { cluster: cluster.name, range: text }),
        ),
      )
  }
  for (const [i, text] of intent.remove.entries())
    if (!existing.includes(text))
      findings.push(
        stop(
          `range.known.${i}`,
          `remove[${i}]`,
          said('keeps-no-sources', { cluster: cluster.name, range: text }),
          [
            {
              ...said('kept', { known: existing }),
              source: cluster.name,
              at: cluster.observedAt,
            },
          ],
        ),
      )
  if (intent.add.length + intent.remove.length === 0)
    findings.push(stop('range.nothing', 'add', said('range.nothing')))
  if (findings.length > 0) return findings
  return [
    ...keptTooWide(intent.add, cluster, view),
    ...wayFindings(
      view,
      withCluster(view, cluster.name, { keepSource: keptAfter(intent, existing) }),
      [cluster.name],
      'add',
    ),
  ]
}

export const wireKeepSource: ChangeKind<KeepSourceIntent> = {
  name: 'wire.keep-source',
  title: 'Change where pods keep their addresses',
  intent: keepSourceIntent,
  needs: (intent) => [`cluster:${intent.cluster}`, `walks:cluster/${intent.cluster}`],
  subjects: (intent) => [ref('keep-source', intent.cluster)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: (intent) =>
    `keep sources of ${intent.cluster || 'a cluster'}: ${listText([...intent.add, ...intent.remove.map((name) => `no more ${name}`)], 2) || 'nothing yet'}`,
  check,
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const site = cluster && siteOf(view, cluster.site)
    if (!cluster || !site) throw new Error('a plan is made only for a cluster that is known')
    const set = (ranges: readonly string[]) =>
      command('keepsource.set', { cluster: cluster.name, ranges })
    const next = keptAfter(intent, cluster.keepSource ?? [])
    const steps = [
      step({
        id: 'set',
        after: [],
        group: cluster.name,
        says: `pods keep their addresses towards ${listText(next, 3) || 'nobody'}`,
        command: set(next),
        undo: set(cluster.keepSource ?? []),
        seconds: { likely: 9, worst: 25 },
        retry: askRetry,
      }),
    ]
    const spend = siteSpend(site).perMonth
    return {
      steps,
      creates: [],
      alters: [ref('keep-source', cluster.name)],
      removes: [],
      ...longestPath(steps),
      spend: { before: spend, after: spend },
      reserves: [],
    }
  },
  after: (intent, view) =>
    withCluster(view, intent.cluster, {
      keepSource: keptAfter(intent, clusterOf(view, intent.cluster)?.keepSource ?? []),
    }),
  prove: (intent, view) => {
    const existing = clusterOf(view, intent.cluster)?.keepSource ?? []
    const wrong = [
      ...intent.add.filter((name) => !existing.includes(name)),
      ...intent.remove.filter((name) => existing.includes(name)),
    ]
    return [
      {
        says: 'its nodes were told',
        holds: wrong.length === 0,
        observed: listText(existing) || 'none',
      },
    ]
  },
}
