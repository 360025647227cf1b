/** The change kind `wire.record`: name records of a site set and removed, one by one or from a zone file. */
import { command } from '../contract'
import { z } from 'zod'
import { caution, ref, stop } from '../changes'
import type { RecordView, SiteView } from '../fleet'
import { countText, listText } from '../units'
import { oneStep, put } from './one-step'
import { setProblems, withNextSerial } from './zone-file'
import { recordValue } from './record-value'
import { nameObjection } from './record-value'
import { recordTypes } from './record-value'
import { said } from './says'
import { decodedText } from './zone-text'
import { saidOf } from '../contract'

const name = z.string().max(253)
const record = z.strictObject({
  name,
  type: z.string().max(10),
  ttl: z
    .int()
    .min(0)
    .max(2 ** 31 - 1)
    .default(3600),
  value: z.string().max(4000),
})

export const recordIntent = z.strictObject({
  site: name,
  set: z.array(record).max(20_000).default([]),
  remove: z
    .array(z.strictObject({ name, type: z.string().max(10), value: z.string().max(4000) }))
    .max(20_000)
    .default([]),
})

export type RecordIntent = z.infer<typeof recordIntent>

const same = (
  a: { readonly name: string; readonly type: string; readonly value: string },
  b: { readonly name: string; readonly type: string; readonly value: string },
): boolean => a.name === b.name && a.type === b.type && a.value === b.value

const split = (value: string): readonly string[] =>
  [...value.matchAll(/"((?:[^"\\]|\\.)*)"|(\S+)/g)].map(([, quoted, plain]) =>
    quoted === undefined ? (plain ?? '') : decodedText(quoted),
  )

/** The site’s records as the draft would leave them, the serial one higher. */
export function recordsAfter(intent: RecordIntent, site: SiteView): readonly RecordView[] {
  const kept = site.records.filter(
    (candidate) =>
      !intent.remove.some((gone) => same(gone, candidate)) &&
      !intent.set.some((given) => same(given, candidate)),
  )
  return withNextSerial([...kept, ...intent.set])
}

export const wireRecord = oneStep({
  name: 'wire.record',
  title: 'Set name records',
  intent: recordIntent,
  label: (intent) =>
    `set ${intent.set.length === 1 ? (intent.set[0]?.name ?? '') : `${intent.set.length} records`}${intent.remove.length > 0 ? `, remove ${intent.remove.length}` : ''} at ${intent.site}`,
  site: (intent) => intent.site,
  subject: (intent) => ref('records', intent.site, 'zone'),
  check: (intent, site) => {
    if (site.nameServers.length === 0)
      return [stop('names.server', 'site', said('names.server', { site: site.name }))]
    if (intent.set.length === 0 && intent.remove.length === 0)
      return [stop('record.none', 'set', said('record.none'))]
    const findings = intent.set.flatMap((entry, i) => {
      const field = `set[${i}]`
      const exists = (recordTypes as readonly string[]).includes(entry.type)
      if (!exists)
        return [
          stop(
            'record.type',
            `${field}.type`,
            said('record.type', { type: entry.type || 'An empty type', recordTypes }),
          ),
        ]
      const objection = nameObjection(entry.name)
      if (objection !== null) return [stop('record.name', `${field}.name`, objection)]
      const value = recordValue(entry.type, split(entry.value), (target) => target)
      return value.ok ? [] : [stop('record.value', `${field}.value`, saidOf(value))]
    })
    if (findings.length > 0) return findings.slice(0, 100)
    const missing = intent.remove.filter(
      (gone) => !site.records.some((candidate) => same(gone, candidate)),
    )
    const problems = setProblems(recordsAfter(intent, site), site.nameDomain)
    return [
      ...(missing.length > 0
        ? [
            caution(
              'record.gone',
              'remove',
              said('record.gone', {
                missing: missing.map((entry) => `${entry.name} ${entry.type}`),
              }),
              [],
              [
                {
                  says: 'Leave them out',
                  change: put(
                    '/remove',
                    intent.remove.filter((gone) => !missing.includes(gone)),
                  ),
                },
              ],
            ),
          ]
        : []),
      ...problems
        .slice(0, 20)
        .map((problem, i) =>
          problem.level === 'stop'
            ? stop('record.set', `set|${i}`, saidOf(problem))
            : caution('record.set', `set|${i}`, saidOf(problem)),
        ),
    ]
  },
  says: (intent) => `serve ${intent.set.length} new and ${intent.remove.length} fewer records`,
  command: (intent, site) =>
    command('records.set', { site: site.name, records: recordsAfter(intent, site) }),
  undo: (_intent, site) => command('records.set', { site: site.name, records: site.records }),
  seconds: { likely: 8, worst: 25 },
  after: (intent, site) => ({ ...site, records: recordsAfter(intent, site) }),
  prove: (intent, site) => {
    const missing = intent.set.filter(
      (entry) => !site?.records.some((otherRecord) => same(entry, otherRecord)),
    )
    return [
      {
        says: 'The name server serves them',
        holds: site !== undefined && missing.length === 0,
        observed:
          missing.length === 0
            ? `${countText(site?.records.length ?? 0, 'record')} served`
            : `missing: ${listText(
                missing.map((entry) => entry.name),
                4,
              )}`,
      },
    ]
  },
})
